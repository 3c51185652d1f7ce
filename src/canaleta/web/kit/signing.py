"""Giving one's signature: the password once more, as often as somebody may try."""

from __future__ import annotations

from canaleta.plant.changes import climbing
from canaleta.plant.changes.climbing import Signing, StaleError
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.people import accounts
from canaleta.web.kit.access import session_now
from canaleta.web.kit.problems import ProblemError
from canaleta.web.kit.shared import shared

__all__ = ["counted_try", "proved", "signed"]

TRIES, WINDOW_S = 6, 60


def counted_try() -> None:
    """Count a try to sign. Raises ProblemError 429 for too many."""
    with shared().engine.begin() as connection:
        may = accounts.allowed_again(connection, f"signature:{session_now().account}", TRIES, WINDOW_S)
    if not may:
        raise ProblemError(429, "too many tries", "wait a minute", "then try again")


def proved(password: str) -> None:
    """Prove that whoever signs is who is signed in. Raises ProblemError 422 if the password is not theirs, 429."""
    counted_try()
    with shared().engine.begin() as connection:
        if not accounts.sign_in(connection, session_now().account, password):
            raise ProblemError(
                422,
                "this is not your password",
                "nothing was signed; what was read is kept",
                "type it again; who has none yet sets one under their name",
            )
        # Who signs one check after the other does not guess.
        accounts.forgive(connection, f"signature:{session_now().account}")


def signed(signing: Signing, name: str) -> Evidence:
    """Keep what is signed by whoever is signed in, and what follows from it. Raises ProblemError 409 where a point was changed
    meanwhile or is somebody else's at the moment; then nothing is signed."""
    try:
        return climbing.sign(shared().engine, shared().cache, signing, session_now().account, name.strip())
    except StaleError as error:
        raise ProblemError(
            409,
            str(error),
            "nothing was signed; what was read is kept",
            "look at the page again: what is expected may be another",
        ) from error
