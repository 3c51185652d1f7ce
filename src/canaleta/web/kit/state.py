"""What every request of one web worker shares: the engine, the plant image, the hub, the list snapshot."""

from __future__ import annotations

import gzip
import threading
from dataclasses import dataclass, field

import orjson
from sqlalchemy import Connection, Engine

from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.core.sheet.follows import followed_by
from canaleta.jobs.imports import Jobs
from canaleta.jobs.playing import Player
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web.kit.change_event import MOST_REPLAYED
from canaleta.web.kit.hub import Hub

__all__ = ["Shared", "Snapshots"]

POINTS_FOR_ONE_BEHIND = 25


class Snapshots:
    """The whole list as compressed JSON, made once and handed out until too many changes came since."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._seq = -1
        self._layout: object = None
        self._data = b""

    def fresh_enough(self, image: PlantImage) -> tuple[int, bytes]:
        """(seq, gzip of the snapshot); changes since come by the stream.

        A large plant's snapshot may be up to MOST_REPLAYED change sets old, for it costs a second to make; a
        small one's is made anew whenever something changed.
        """
        most_behind = min(MOST_REPLAYED, len(image) // POINTS_FOR_ONE_BEHIND)
        with self._lock:
            old = not 0 <= image.seq - self._seq <= most_behind or self._layout is not image.layout
            if self._seq < 0 or old:
                self._data = gzip.compress(snapshot(image), compresslevel=1)
                self._seq, self._layout = image.seq, image.layout
            return self._seq, self._data


def snapshot(image: PlantImage) -> bytes:
    """The list in columns: {"seq", "ids", "racks", "columns": {field: [text, …]}}; every cell is text, '' if empty.

    A column without any text is left out: most fields of the path page are empty in most plants.
    """
    columns = {
        f.name: image.texts(f.name)
        for f in STORED
        if f.listed or any(value is not None for value in image.cells[f.name])
    }
    columns |= followed_by(image, ("tag", "channel"))
    return orjson.dumps(
        {"seq": image.seq, "ids": image.ids.tolist(), "racks": image_racks(image), "columns": columns}
    )


def image_racks(image: PlantImage) -> list[int]:
    """The rack of each point, 0 for none, in row order: so that a screen knows whose blocks it needs."""
    rack_of = {m.id: m.rack for m in image.layout.modules.values()}
    return [rack_of.get(module, 0) for module in image.module.tolist()]


@dataclass
class Shared:
    """One a worker process."""

    engine: Engine
    cache: ImageCache
    hub: Hub
    jobs: Jobs
    player: Player
    clock: PlantClock
    snapshots: Snapshots = field(default_factory=Snapshots)

    def image(self, connection: Connection | None = None) -> PlantImage:
        """The newest image."""
        return self.cache.current() if connection is None else self.cache.caught_up(connection)
