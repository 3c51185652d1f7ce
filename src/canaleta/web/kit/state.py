"""What every request of one web worker shares: the engine, the plant image, the hub, the list snapshot."""

from __future__ import annotations

import gzip
import threading
from dataclasses import dataclass, field
from typing import Any

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
    """The list in columns: {"seq", "ids", "racks", "columns": {field: column}}; every cell is text, '' if empty.

    A column is a list of texts, or `packed` where it has few different ones. One without any text is left out: most
    fields of the path page are empty in most plants.
    """
    columns = {
        f.name: image.texts(f.name)
        for f in STORED
        if f.listed or any(value is not None for value in image.cells[f.name])
    }
    columns |= followed_by(image, ("tag", "channel"))
    told = {name: packed(texts) for name, texts in columns.items()}
    return orjson.dumps({"seq": image.seq, "ids": image.ids.tolist(), "racks": image_racks(image), "columns": told})


SYMBOLS = "".join(chr(code) for code in range(35, 127) if chr(code) != "\\")
"""One for each of the texts of a packed column: what JSON writes as it is."""


def packed(texts: list[str]) -> list[str] | dict[str, Any]:
    """A column as {"texts": its different texts, "codes": a symbol for each row}; as it is, where it has more texts
    than there are symbols.

    A browser reads fifty thousand texts in some milliseconds, seventy times over; one string of as many letters at
    once.
    """
    code_of: dict[str, int] = {}
    codes = [code_of.setdefault(text, len(code_of)) for text in texts]
    if len(code_of) > len(SYMBOLS):
        return texts
    return {"texts": list(code_of), "codes": "".join([SYMBOLS[code] for code in codes])}


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
