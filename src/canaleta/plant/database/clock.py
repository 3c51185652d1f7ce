"""One time for every process of a plant, on whatever machine: the database's.

A reading is stamped on the machine that scans and its age is told on another; if one of their clocks were a minute
off, what is stale would pass for fresh. So both carry the database's time on by their own monotonic clock, which
nobody sets.
"""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import Engine, func, select
from sqlalchemy.exc import SQLAlchemyError

__all__ = ["PlantClock"]

DRIFT = 1e-4
"""How far a machine's own clock may run off, s per s: the worst quartz in the trade does 100 ppm."""
LOOK_S = 10.0


@dataclass(frozen=True)
class _Measured:
    """offset: the database's time less this machine's ticks; error: half the way there and back; at: in ticks. All
    s."""

    offset: float
    error: float
    at: float

    def error_at(self, ticks: float) -> float:
        return self.error + DRIFT * (ticks - self.at)


class PlantClock:
    """The database's time. ask: the database's time now, s since the epoch; ticks: a monotonic clock, s."""

    def __init__(self, ask: Callable[[], float], ticks: Callable[[], float] = time.monotonic) -> None:
        self._ask, self._ticks = ask, ticks
        self._measured = _Measured(time.time() - ticks(), float("inf"), ticks())
        self._looked = float("-inf")
        self._lock = threading.Lock()

    @classmethod
    def of(cls, engine: Engine) -> PlantClock:
        """The clock of a plant's database."""

        def ask() -> float:
            with engine.connect() as connection:
                return float(connection.execute(select(func.extract("epoch", func.clock_timestamp()))).scalar_one())

        return cls(ask)

    def look(self) -> None:
        """Ask the database. A quicker answer is a better one; an older one is kept until its drift makes it worse, or
        until somebody has set the database's clock. Raises what `ask` raises."""
        sent = self._ticks()
        there = self._ask()
        came = self._ticks()
        with self._lock:
            self._looked = came
            new, old = _Measured(there - (sent + came) / 2, (came - sent) / 2, came), self._measured
            apart = abs(new.offset - old.offset) > new.error + old.error_at(came)
            if apart or new.error <= old.error_at(came):
                self._measured = new

    def looked_lately(self) -> float:
        """The time now, after a look if the last is some seconds ago; a database that is away is asked again
        later."""
        if self._ticks() - self._looked > LOOK_S:
            # Whoever comes meanwhile does not wait for a database that is away.
            self._looked = self._ticks()
            with suppress(SQLAlchemyError):
                self.look()
        return self.now()

    def now(self) -> float:
        """The time now, s since the epoch; asks nobody."""
        return self._ticks() + self._measured.offset

    def when(self) -> datetime:
        """The time now; asks nobody."""
        return datetime.fromtimestamp(self.now(), UTC)

    def not_before(self) -> datetime:
        """The latest time that is surely over: what begins now is not older than it says when stamped with it."""
        ticks, measured = self._ticks(), self._measured
        error = measured.error_at(ticks)
        return datetime.fromtimestamp(ticks + measured.offset - (error if math.isfinite(error) else 0.0), UTC)
