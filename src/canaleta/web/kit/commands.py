"""Asking the agent of a rack for something and waiting for what became of it."""

from __future__ import annotations

from typing import Any

from canaleta.plant.live.commands import Outcome, ask, awaited
from canaleta.web.kit.access import session_now
from canaleta.web.kit.problems import ProblemError
from canaleta.web.kit.shared import shared

__all__ = ["asked", "wait_for"]

WAIT_S = 9.0


def wait_for(command: int, seconds: float | None = None) -> Outcome:
    """What became of a command."""
    return awaited(shared().engine, command, WAIT_S if seconds is None else seconds)


def asked(
    rack: int, kind: str, target: dict[str, Any], kept: str = "nothing was changed", seconds: float | None = None
) -> Any:
    """Ask the agent of a rack and return its answer, {} where it only says that it is done.

    Raises ProblemError 409 with the agent's words. kept: what is still as it was then.
    """
    with shared().engine.begin() as connection:
        number = ask(connection, session_now().account, rack, kind, target)
    outcome = wait_for(number, seconds)
    if not outcome.done:
        remedy = "is the rack's agent running? test the connection in Cabinets"
        raise ProblemError(409, outcome.says, kept, remedy)
    return outcome.answer
