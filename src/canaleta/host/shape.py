"""The shape of the database at the start of a command: the newest, or trouble with what to do."""

from __future__ import annotations

from sqlalchemy import Engine

from canaleta.host.steps import TroubleError
from canaleta.plant.database import ShapeError, migrate

__all__ = ["bring_up"]


def bring_up(engine: Engine) -> None:
    """Bring the database to the newest shape. Raises TroubleError, with the database as it was."""
    try:
        migrate(engine)
    except ShapeError as error:
        raise TroubleError(
            f"this version cannot use the database as it is: {error}",
            "nothing in it was changed: start the version that made it, or another plant with --data DIR",
        ) from error
