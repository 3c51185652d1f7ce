"""Once a day each rack is held against list and issue, by the agent that reads it (convention `racks_looked_at`).

A rack that somebody looked at since that time of the day needs no other look; one that could not be reached is told, and
tried again the day after.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Iterable
from datetime import datetime, timedelta

from sqlalchemy.exc import SQLAlchemyError

from canaleta.catalogue.types import module_types
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import short
from canaleta.plant.changes.revisions import was_issued
from canaleta.plant.checks.running import look_at, looked_at, tells_of_itself
from canaleta.racks.context import Context

__all__ = ["WHO", "NightlyLooks", "last_time"]

log = logging.getLogger("scan")
WHO = "every day"


def last_time(clock: str, now: datetime) -> datetime:
    """When it was that time of the day ("02:30") for the last time; in the time zone of `now`."""
    hour, minute = (int(part) for part in clock.split(":"))
    today = now.replace(hour=hour, minute=minute, second=0, microsecond=0)
    return today if today <= now else today - timedelta(days=1)


class NightlyLooks:
    """Looks at the racks of one agent, one after the other, beside everything else."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._thread: threading.Thread | None = None
        self._gave_up: dict[int, datetime] = {}

    def begin(self, image: PlantImage, racks: Iterable[int]) -> None:
        """Look at those that are due, unless one is at it. Returns at once."""
        if not image.conventions.racks_looked_at or (self._thread is not None and self._thread.is_alive()):
            return
        # Whoever ends the agent does not wait for a rack that does not answer.
        self._thread = threading.Thread(target=self._look, args=(image, list(racks)), daemon=True)
        self._thread.start()

    def _look(self, image: PlantImage, racks: list[int]) -> None:
        engine = self._context.engine
        since = last_time(image.conventions.racks_looked_at, self._context.clock.when().astimezone())
        try:
            due = self._due(image, racks, since)
            if not due:
                return
            with engine.connect() as connection:
                issued = was_issued(connection)
        except SQLAlchemyError as error:
            log.warning("racks are looked at later: %s", short(error))
            return
        types = list((module_types() | image.layout.types).values())
        for rack in due:
            try:
                found = look_at(engine, image, issued, rack, WHO, types)
            except SQLAlchemyError as error:
                log.warning("rack %d is looked at later: %s", rack, short(error))
            except Exception:
                # Told once a day, and no other rack goes without its look.
                self._gave_up[rack] = since
                log.exception("rack %d: a look at it met what it does not know", rack)
            else:
                log.info("rack %d: looked at: %s", rack, found.says or f"{len(found.open)} apart")

    def _due(self, image: PlantImage, racks: list[int], since: datetime) -> list[int]:
        with self._context.engine.connect() as connection:
            known = looked_at(connection)
        there = [rack for rack in racks if rack in image.layout.racks and tells_of_itself(image, rack)]
        late = [rack for rack in there if rack not in known or known[rack].at < since]
        return [rack for rack in late if self._gave_up.get(rack) != since]
