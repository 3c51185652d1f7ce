"""From registers to a live block: decode, run the core over the whole rack at once, judge quality. No I/O."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from canaleta.core.fields import Station
from canaleta.core.image import PlantImage
from canaleta.core.path import evaluate
from canaleta.core.quality import Quality, Reason, mark, of_reasons
from canaleta.core.registers import RackMap, decode
from canaleta.plant.live import LiveBlock

__all__ = ["ANSWERS", "ScanPlan"]

ANSWERS = "answers"
NEVER = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class ScanPlan:
    """Which points of an image stand where in a rack's map; made anew when the list or the layout changes.

    rows: rows of the landed points of the rack. at: their places in the map.
    """

    image: PlantImage
    map: RackMap
    rows: NDArray[np.int64]
    at: NDArray[np.int64]

    @classmethod
    def of(cls, image: PlantImage, rack: int, rack_map: RackMap) -> ScanPlan:
        """The plan of one rack."""
        place = {
            (int(m), int(c)): k for k, (m, c) in enumerate(zip(rack_map.modules, rack_map.channels, strict=True))
        }
        here = np.flatnonzero(image.landed & np.isin(image.module, np.unique(rack_map.modules)))
        at = [place[int(image.module[row]), int(image.channel[row])] for row in here.tolist()]
        return cls(image, rack_map, here.astype(np.int64), np.array(at, dtype=np.int64))

    def unread(self, *, rack: int, epoch: int) -> LiveBlock:
        """The block of a rack that never answered: no reading, as old as can be."""
        n = len(self.rows)
        return LiveBlock(
            rack=rack,
            scan=0,
            epoch=epoch,
            seq=self.image.seq,
            read_at=NEVER,
            state="",
            points=self.image.ids[self.rows],
            counts=np.full(n, np.nan),
            value=np.full(n, np.nan),
            quality=np.full(n, Quality.BAD, dtype=np.uint8),
            reasons=np.full(n, Reason.RACK_SILENT, dtype=np.uint32),
            injected=np.zeros(n, dtype=np.uint8),
        )

    def block(
        self,
        words: NDArray[np.uint16],
        injected: set[tuple[int, int]],
        *,
        rack: int,
        scan: int,
        epoch: int,
        read_at: datetime,
    ) -> LiveBlock:
        """The live block of one reading."""
        decoded = decode(self.map, words)
        counts = decoded.counts[self.at]
        paths = evaluate(self.image, Station.COUNTS, counts, self.rows)
        reasons = paths.reasons.copy()
        mark(reasons, decoded.fault[self.at] & ((reasons & Reason.OPEN_CIRCUIT) == 0), Reason.CHANNEL_FAULT)
        value = paths.at(Station.VALUE)
        marks = [(int(self.map.modules[k]), int(self.map.channels[k])) in injected for k in self.at.tolist()]
        return LiveBlock(
            rack=rack,
            scan=scan,
            epoch=epoch,
            seq=self.image.seq,
            read_at=read_at,
            state=ANSWERS,
            points=self.image.ids[self.rows],
            counts=counts,
            value=value,
            quality=of_reasons(reasons, ~np.isnan(value)),
            reasons=reasons,
            injected=np.array(marks, dtype=np.uint8),
        )
