"""What every request of one web worker shares: the engine, the plant image, the hub, the list snapshot."""

from __future__ import annotations

import gzip
import hashlib
import threading
from dataclasses import dataclass, field
from itertools import chain

from sqlalchemy import Connection, Engine

from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.core.sheet.follows import followed_by
from canaleta.jobs.imports import Jobs
from canaleta.jobs.playing import Player
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web.kit.change_event import MOST_REPLAYED
from canaleta.web.kit.columns import packed
from canaleta.web.kit.hub import Hub

__all__ = ["Shared", "Snapshot", "Snapshots"]

POINTS_FOR_ONE_BEHIND = 25


@dataclass(frozen=True)
class Snapshot:
    """The whole list in packed columns. seq: what it stands at. data: gzip of it. digest: of what is in it, so that a
    list of an earlier life of the database is never taken for this one. made_of: the layout it was made with."""

    seq: int
    data: bytes
    digest: str
    made_of: object


class Snapshots:
    """The whole list, made once and handed out until too many changes came since."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self.kept: Snapshot | None = None

    def fresh_enough(self, image: PlantImage) -> Snapshot:
        """One that is new enough; changes since come by the stream.

        A large plant's snapshot may be up to MOST_REPLAYED change sets old, for it costs a second to make; a
        small one's is made anew whenever something changed.
        """
        most_behind = min(MOST_REPLAYED, len(image) // POINTS_FOR_ONE_BEHIND)
        with self._lock:
            kept = self.kept
            if kept is None or not 0 <= image.seq - kept.seq <= most_behind or kept.made_of is not image.layout:
                whole = snapshot(image)
                digest = hashlib.blake2b(whole, digest_size=16).hexdigest()
                kept = Snapshot(image.seq, gzip.compress(whole, compresslevel=1), digest, image.layout)
                self.kept = kept
            return kept


def snapshot(image: PlantImage) -> bytes:
    """The list in packed columns; every cell is text, '' if empty. A column without any text is left out: most fields
    of the path page are empty in most plants.
    """
    names = [f.name for f in STORED if f.listed or not image.is_empty(f.name)]
    # One column at a time: all texts at once would take ten times what the list takes in the end.
    columns = chain(((name, image.texts(name)) for name in names), followed_by(image, ("tag", "channel")).items())
    return packed(image.seq, image.ids.tolist(), image_racks(image), columns)


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
