"""From registers to readings: which point stands where in a rack's map, and what the core makes of its words. No
I/O."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.hardware.loads import least_load_ma
from canaleta.core.live.conditioning import Reading
from canaleta.core.model.fields import Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason, mark, of_reasons, ripened
from canaleta.core.model.registers import RackMap, decode
from canaleta.core.notation.arrays import Bools, Floats, Words
from canaleta.core.path.evaluate import Runs

__all__ = ["Asked", "Joined", "Read", "ScanPlan"]

OFF = field_named("enabled").choices.index("no")
_FAILING = np.uint32(Reason.FAILED_LOW | Reason.FAILED_HIGH)


@dataclass(frozen=True)
class ScanPlan:
    """Which points of an image stand where in a rack's map; made anew when the list or the layout changes.

    rows: rows of the landed points of the rack. at: their places in the map. off: those whose channel is switched
    off. loaded: which of the points are outputs that measure the current through their load.
    """

    image: PlantImage
    map: RackMap
    rows: NDArray[np.int64]
    at: NDArray[np.int64]
    off: Bools
    loaded: NDArray[np.int64]

    @classmethod
    def of(cls, image: PlantImage, rack_map: RackMap) -> ScanPlan:
        """The plan of one rack."""
        place = {
            (int(m), int(c), rack_map.reads_at(k)): k
            for k, (m, c) in enumerate(zip(rack_map.modules, rack_map.channels, strict=True))
        }
        reads, modes = image.layout.mode_table.reads, image.mode
        here = np.flatnonzero(image.landed & np.isin(image.module, np.unique(rack_map.modules)))
        at = [
            place[
                int(image.module[row]),
                int(image.channel[row]),
                reads[m] if rack_map.reads and (m := int(modes[row])) >= 0 else "",
            ]
            for row in here.tolist()
        ]
        rows, places = here.astype(np.int64), np.array(at, dtype=np.int64)
        loaded = np.flatnonzero(rack_map.load_word[places] >= 0)
        off = image.code("enabled")[rows] == OFF
        return cls(image, rack_map, rows, places, off, loaded)

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def points(self) -> NDArray[np.int64]:
        """The identities of the points, (n,)."""
        return self.image.ids[self.rows]

    def channels(self, some: set[tuple[int, int]]) -> Bools:
        """Whether each point stands on one of these (module, channel)."""
        if not some:
            return np.zeros(len(self), dtype=bool)
        pairs = zip(self.map.modules[self.at].tolist(), self.map.channels[self.at].tolist(), strict=True)
        return np.array([pair in some for pair in pairs], dtype=bool)

    def told(self, asked: Asked) -> tuple[Floats, Floats, NDArray[np.uint32]]:
        """Of each point what its words say by themselves: count, mA through its load, reasons."""
        decoded = decode(self.map, asked.words)
        counts, load_ma = decoded.counts[self.at], decoded.load_ma[self.at]
        told = decoded.reasons[self.at]
        if asked.reasons is not None:
            told |= asked.reasons[self.at]
        mark(told, decoded.fault[self.at], Reason.CHANNEL_FAULT)
        # NaN and infinity of a float register are no values: what the plant does with a failed signal acts on them.
        mark(told, ~np.isfinite(counts), Reason.NOT_A_NUMBER)
        counts = np.where(np.isfinite(counts), counts, np.nan)
        if asked.refused is not None and asked.refused.any():
            gone = self.map.without(asked.refused)[self.at]
            told[gone] = np.uint32(Reason.REGISTER_REFUSED)
            counts, load_ma = np.where(gone, np.nan, counts), np.where(gone, np.nan, load_ma)
        if len(self.loaded):
            least = least_load_ma(self.image, self.rows[self.loaded], counts[self.loaded])
            told[self.loaded[load_ma[self.loaded] < least]] |= np.uint32(Reason.OPEN_CIRCUIT)
        return counts, load_ma, told

    def junction_degc(self, asked: Asked) -> Floats:
        """°C of each point's cold junction as its module measures it, (n,); NaN where it does not, or not at all."""
        if not (self.map.cold.word >= 0).any():
            return np.full(len(self), np.nan)
        degc = self.map.cold.degc(asked.words, self.map.forms)
        if asked.refused is not None:
            degc = np.where(asked.refused[np.maximum(self.map.cold.word, 0)], np.nan, degc)
        # A number that no cabinet has is none: a register that is not what the type says would falsify every value.
        return np.where((degc > -60.0) & (degc < 150.0), degc, np.nan)[self.at]


@dataclass(frozen=True)
class Asked:
    """The words of a rack and what has to be known of the time before. Arrays of points have shape (points of the
    rack,).

    words: (registers,). last_good: for points that hold it when their signal fails. failing_since: as the reading
    before returned it, s. now: s. refused: (registers,), which the rack does not have; None for none. reasons: what the
    rack itself says of each channel, (channels,) as the map has them; None for nothing.
    """

    words: Words
    last_good: Floats
    failing_since: Floats
    now: float
    refused: Bools | None = None
    reasons: NDArray[np.uint32] | None = None


@dataclass(frozen=True)
class Read:
    """What the words of a rack say: the readings, since when each level fails (s, NaN for one that does not), and
    what stands on the wires."""

    reading: Reading
    failing_since: Floats
    on_wires: Floats


class Joined:
    """The paths of several racks of one image, worked out together: most of what a small rack costs is not its
    points."""

    def __init__(self, plans: Mapping[int, ScanPlan]) -> None:
        """plans: of racks of one image, at least one."""
        several = list(plans.values())
        self._image = several[0].image
        ends = np.cumsum([0, *(len(plan) for plan in several)]).tolist()
        places = [slice(*ends_of) for ends_of in itertools.pairwise(ends)]
        self._at = dict(zip(plans, zip(several, places, strict=True), strict=True))
        self._runs = Runs.of(self._image, np.concatenate([plan.rows for plan in several]))
        self._off = np.concatenate([plan.off for plan in several])
        self._warm = False

    def read(self, asked: Mapping[int, Asked]) -> dict[int, Read]:
        """What the words of some of the racks say."""
        size, after_s = len(self._off), self._image.conventions.namur.after_s
        junction = np.full(size, np.nan)
        counts, load_ma, good, before, now = (np.full(size, np.nan) for _ in range(5))
        told = np.zeros(size, dtype=np.uint32)
        for rack, one in asked.items():
            plan, where = self._at[rack]
            counts[where], load_ma[where], told[where] = plan.told(one)
            junction[where] = plan.junction_degc(one)
            good[where], before[where], now[where] = one.last_good, one.failing_since, one.now
        since = np.full(size, np.nan)
        if np.isfinite(junction).any() or self._warm:
            self._runs.warm(junction)
            self._warm = True

        def ripen(places: NDArray[np.int64], reasons: NDArray[np.uint32]) -> NDArray[np.uint32]:
            failing, first = (reasons & _FAILING) != 0, before[places]
            since[places] = np.where(failing, np.where(np.isnan(first), now[places], first), np.nan)
            return ripened(reasons, np.nan_to_num(now[places] - since[places]), after_s)

        paths = self._runs.evaluate(Station.COUNTS, counts, good, told, ripen)
        reasons = paths.reasons.copy()
        # A count that says open or short says more than the module's bit does.
        report = (reasons & np.uint32(Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT)) != 0
        reasons[report] &= ~np.uint32(Reason.CHANNEL_FAULT)
        # A channel that is switched off stays on the list and is neither read nor watched.
        counts, value = np.where(self._off, np.nan, counts), np.where(self._off, np.nan, paths.at(Station.VALUE))
        reasons[self._off] = np.uint32(Reason.DISABLED)
        quality = of_reasons(reasons, ~np.isnan(value))
        on_wires = paths.at(Station.LOOP)
        of = {rack: self._at[rack][1] for rack in asked}
        return {
            rack: Read(Reading(value[w], counts[w], reasons[w], quality[w], load_ma[w]), since[w], on_wires[w])
            for rack, w in of.items()
        }
