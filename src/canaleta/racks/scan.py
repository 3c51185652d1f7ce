"""From registers to a live block: decode, run the core over the whole rack at once, judge quality. No I/O."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from canaleta.core.fields import Station, field_named
from canaleta.core.image import PlantImage
from canaleta.core.path import evaluate
from canaleta.core.quality import Quality, Reason, mark, of_reasons, ripened
from canaleta.core.registers import RackMap, decode
from canaleta.plant.live import LiveBlock

__all__ = ["ANSWERS", "FailureWatch", "ScanPlan"]

ANSWERS = "answers"
OFF = field_named("enabled").choices.index("no")
NEVER = datetime(1970, 1, 1, tzinfo=UTC)


class FailureWatch:
    """Since when each point's level says that its device failed. Kept by whoever scans, from block to block."""

    def __init__(self) -> None:
        self._since: dict[int, datetime] = {}

    def lasted_s(self, points: NDArray[np.int64], failing: NDArray[np.bool_], now: datetime) -> NDArray[np.float64]:
        """How long each point has been failing, s; 0 for one that is not. Time is an argument."""
        out = np.zeros(len(points))
        for k, (point, fails) in enumerate(zip(points.tolist(), failing.tolist(), strict=True)):
            if fails:
                out[k] = (now - self._since.setdefault(point, now)).total_seconds()
            else:
                self._since.pop(point, None)
        return out


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
        # A channel that is switched off stays on the list and is not read.
        wanted = image.landed & (image.code("enabled") != OFF)
        here = np.flatnonzero(wanted & np.isin(image.module, np.unique(rack_map.modules)))
        at = [place[int(image.module[row]), int(image.channel[row])] for row in here.tolist()]
        return cls(image, rack_map, here.astype(np.int64), np.array(at, dtype=np.int64))

    def _last_good(self, before: LiveBlock | None) -> NDArray[np.float64] | None:
        """The last good value of each row: the one before, if that was good or itself held."""
        if before is None:
            return None
        kept = (before.quality == Quality.GOOD) | ((before.reasons & np.uint32(Reason.HELD)) != 0)
        value_of = dict(zip(before.points[kept].tolist(), before.value[kept].tolist(), strict=True))
        return np.array(
            [value_of.get(point, np.nan) for point in self.image.ids[self.rows].tolist()], dtype=np.float64
        )

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
        before: LiveBlock | None = None,
        watch: FailureWatch | None = None,
    ) -> LiveBlock:
        """The live block of one reading. before: the block before it, for points that hold their last good value.

        watch: since when levels fail, for the time of NE 43; without it a failure is told at once.
        """
        points = self.image.ids[self.rows]

        def ripen(places: NDArray[np.int64], reasons: NDArray[np.uint32]) -> NDArray[np.uint32]:
            if watch is None:
                return reasons
            failing = (reasons & np.uint32(Reason.FAILED_LOW | Reason.FAILED_HIGH)) != 0
            lasted = watch.lasted_s(points[places], failing, read_at)
            return ripened(reasons, lasted, self.image.conventions.namur.after_s)

        decoded = decode(self.map, words)
        counts = decoded.counts[self.at]
        told = np.zeros(len(counts), dtype=np.uint32)
        mark(told, decoded.fault[self.at], Reason.CHANNEL_FAULT)
        last = self._last_good(before)
        paths = evaluate(self.image, Station.COUNTS, counts, self.rows, last=last, told=told, ripen=ripen)
        reasons = paths.reasons.copy()
        # A count that says open or short says more than the module's bit does.
        said = (reasons & np.uint32(Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT)) != 0
        reasons[said] &= ~np.uint32(Reason.CHANNEL_FAULT)
        value = paths.at(Station.VALUE)
        marks = [(int(self.map.modules[k]), int(self.map.channels[k])) in injected for k in self.at.tolist()]
        return LiveBlock(
            rack=rack,
            scan=scan,
            epoch=epoch,
            seq=self.image.seq,
            read_at=read_at,
            state=ANSWERS,
            points=points,
            counts=counts,
            value=value,
            quality=of_reasons(reasons, ~np.isnan(value)),
            reasons=reasons,
            injected=np.array(marks, dtype=np.uint8),
        )
