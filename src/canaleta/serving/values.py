"""What every point says now, for whoever serves it: kept as columns of the whole list, renewed by the blocks that agents write.

A value is as old as its reading. Whoever serves judges that itself, again and again: what an agent wrote before it died, or
before the database went away, is told to be unknown as soon as it is too old.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.plant.live.blocks import LiveBlock, is_stale

__all__ = ["Values"]

_NO_RACK = 0


@dataclass
class Values:
    """The newest word about each point, in the order of the image's rows, (n,) each. value: in its unit, the state of a
    contact; NaN for none. quality, reasons: see core.model.quality; stale: nobody may trust it any more, whatever it says.
    read: whether it was ever read. since: s since 1970 at which it came to be what it is."""

    image: PlantImage
    value: Floats
    quality: NDArray[np.uint8]
    reasons: NDArray[np.uint32]
    since: Floats
    stale: Bools
    read: Bools
    rack: NDArray[np.int64]
    blocks: dict[int, LiveBlock]

    @classmethod
    def of(cls, image: PlantImage) -> Values:
        """Before anything is known."""
        n = len(image)
        rack_of = {m.id: m.rack for m in image.layout.modules.values()}
        rack = np.array([rack_of.get(m, _NO_RACK) for m in image.module.tolist()], dtype=np.int64)
        return cls(
            image, np.full(n, np.nan), np.full(n, Quality.NONE, np.uint8), np.zeros(n, np.uint32), np.zeros(n),
            np.zeros(n, bool), np.zeros(n, bool), rack, {},
        )  # fmt: skip

    def moved_to(self, image: PlantImage, now: float) -> Values:
        """The same under a list that moved on: what is known goes along with its point."""
        out = Values.of(image)
        out.take(self.blocks.values(), now)
        same = np.isin(out.image.ids, self.image.ids)
        before = np.searchsorted(self.image.ids, out.image.ids[same])
        alike = (
            _alike(out.value[same], self.value[before])
            & (out.quality[same] == self.quality[before])
            & (out.reasons[same] == self.reasons[before])
        )
        kept = np.flatnonzero(same)[alike]
        out.since[kept] = self.since[before[alike]]
        return out

    def take(self, blocks: Iterable[LiveBlock], now: float) -> Rows:
        """Take what agents wrote. Returns the rows that say something else than before. now: s since 1970."""
        changed = []
        for block in blocks:
            older = self.blocks.get(block.rack)
            if older is not None and (older.epoch, older.scan) > (block.epoch, block.scan):
                continue
            self.blocks[block.rack] = block
            changed.append(self._take(block, now))
        return np.unique(np.concatenate(changed)) if changed else np.empty(0, np.int64)

    def _take(self, block: LiveBlock, now: float) -> Rows:
        order = np.searchsorted(self.image.ids, block.points)
        order = np.minimum(order, max(len(self.image) - 1, 0))
        known = (
            (self.image.ids[order] == block.points) & (self.rack[order] == block.rack)
            if len(self.image)
            else np.zeros(len(block.points), bool)
        )
        rows = order[known]
        value = np.where(np.isnan(block.value) & (block.switch >= 0), block.switch, block.value)[known]
        quality, reasons = block.quality[known], block.reasons[known]
        stale = np.full(len(rows), is_stale(block, self.image, now))
        moved = (
            ~_alike(value, self.value[rows])
            | (quality != self.quality[rows])
            | (reasons != self.reasons[rows])
            | (stale != self.stale[rows])
            | ~self.read[rows]
        )
        self.value[rows], self.quality[rows], self.reasons[rows] = value, quality, reasons
        self.stale[rows], self.read[rows] = stale, True
        self.since[rows[moved]] = block.read_at.timestamp()
        out: Rows = rows[moved]
        return out

    def age(self, now: float) -> Rows:
        """Judge again what nobody may trust any more. Returns the rows that fell, or came back."""
        changed = []
        for block in self.blocks.values():
            stale = is_stale(block, self.image, now)
            mine = np.flatnonzero((self.rack == block.rack) & self.read & (self.stale != stale))
            if len(mine):
                self.stale[mine] = stale
                self.since[mine] = now
                changed.append(mine)
        return np.concatenate(changed) if changed else np.empty(0, np.int64)

    def bad(self, rows: Rows) -> Bools:
        """Where there is no value to be worked with."""
        return np.asarray(
            self.stale[rows] | (self.quality[rows] > Quality.DOUBTFUL) | ~np.isfinite(self.value[rows]), dtype=bool
        )

    def good(self, rows: Rows) -> Bools:
        """Where nothing is to be said against a value."""
        return np.asarray(
            ~self.stale[rows] & (self.quality[rows] == Quality.GOOD) & np.isfinite(self.value[rows]), dtype=bool
        )

    def told(self, row: int) -> int:
        """The reasons of a row as they must be told: one that is stale is one whose rack is silent."""
        return int(self.reasons[row]) | (int(Reason.RACK_SILENT) if self.stale[row] else 0)


def _alike(a: Floats, b: Floats) -> Bools:
    return np.asarray((a == b) | (np.isnan(a) & np.isnan(b)), dtype=bool)
