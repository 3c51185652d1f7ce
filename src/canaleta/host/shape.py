"""The database at the start of a command: that it answers, and its newest shape; or trouble with what to do."""

from __future__ import annotations

from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.notation.text import short
from canaleta.host import aside
from canaleta.host.steps import TroubleError, say
from canaleta.plant.database.connection import ShapeError, engine_for, migrate

__all__ = ["answering", "bring_up"]


def answering(url: str, remedy: str) -> Engine:
    """An engine on a database of one's own, which has answered. Raises TroubleError with that remedy."""
    try:
        engine = engine_for(url, pool_size=1)
        with engine.connect():
            return engine
    except (SQLAlchemyError, ValueError) as error:
        says = short(error)
        raise TroubleError(f"the database of CANALETA_DATABASE_URL does not answer: {says}", remedy) from error


def bring_up(engine: Engine, *, restoring: bool = False) -> None:
    """Bring the database to the newest shape. Raises TroubleError, with the database as it was.

    restoring: called by a restore about what it has just brought. Anybody else first brings back what stepped aside
    for a restore that was killed.
    """
    if not restoring:
        with aside.restoring(engine):
            if aside.step_back(engine):
                say("  a restore into this database was broken off: what was there before it is back")
    try:
        migrate(engine)
    except ShapeError as error:
        raise TroubleError(
            f"this version cannot use the database as it is: {error}",
            "nothing in it was changed: start the version that made it, or another plant with --data DIR",
        ) from error
