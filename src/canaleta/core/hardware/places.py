"""Places for points that have none, under rules: what fits, spares kept, stand-ins for each other kept apart.

Nothing is placed here: the answer is a proposal a point, with why it goes there, or why it goes nowhere.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from canaleta.core.hardware.fit import Judgement, Level, judge_module
from canaleta.core.hardware.loads import device_ma, module_load
from canaleta.core.hardware.occupancy import counted, used_channels
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage

__all__ = ["Placed", "places_for"]

_LIKE = ("signal", "wires", "supply", "mode", "takes_ma", "shunt_ohm", "signal_low", "signal_high", "leakage_ma",
         "drop_v", "series_ohm", "parallel_ohm", "extension", "jumper", "lift_off_v", "cable_m", "hops", "hart",
         "acting", "excitation_v",
         "supply_low_v", "supply_high_v")  # fmt: skip
"""Fields that decide how a point goes on a channel: points alike in them are judged once."""


@dataclass(frozen=True)
class Placed:
    """A place for a point: its module, channel and mode; says why there, or with module 0 why nowhere."""

    point: int
    module: int
    channel: int
    mode: str
    reads: str
    says: str


def places_for(image: PlantImage, cabinets: Iterable[int], points: Iterable[int]) -> list[Placed]:
    """A place for each of the points in the cabinets, taking one after the other. Raises KeyError for no such
    point."""
    return _Placing(image, set(cabinets)).all(points)


class _Placing:
    def __init__(self, image: PlantImage, cabinets: set[int]) -> None:
        self._image = image
        layout = image.layout
        racks = {rack.id: rack.cabinet for rack in layout.racks.values() if rack.cabinet in cabinets}
        self._modules = [m.id for rack in racks for m in layout.modules_of(rack) if not layout.type_of(m.id).passive]
        self._cabinet_of = {m: racks[layout.modules[m].rack] for m in self._modules}
        self._used = {m: set(c) for m, c in used_channels(image).items()}
        claimed = np.flatnonzero((image.module >= 0) & ~image.landed)
        for row in claimed.tolist():
            self._used.setdefault(int(image.module[row]), set()).add(int(image.channel[row]))
        self._left = {
            cabinet: (count := counted(image, [m for m in self._modules if self._cabinet_of[m] == cabinet])).unused
            - count.wanted
            for cabinet in set(racks.values())
        }
        self._judged: dict[tuple[str, ...], Judgement] = {}
        self._fed: dict[int, float] = {}
        self._apart: dict[str, set[int]] = {}
        for row in np.flatnonzero(image.landed & image.filled("redundant")).tolist():
            self._apart.setdefault(image.text("redundant", row).lower(), set()).add(int(image.module[row]))
        self._areas = self._where_areas_are()

    def all(self, points: Iterable[int]) -> list[Placed]:
        """One answer a point."""
        return [self._one(point, self._image.row_of(point)) for point in points]

    def _where_areas_are(self) -> Counter[tuple[str, int]]:
        out: Counter[tuple[str, int]] = Counter()
        for row in np.flatnonzero(self._image.landed).tolist():
            cabinet = self._cabinet_of.get(int(self._image.module[row]))
            if cabinet is not None:
                out[self._image.text("area", row), cabinet] += 1
        return out

    def _one(self, point: int, row: int) -> Placed:
        image, layout = self._image, self._image.layout
        area, group = image.text("area", row), image.text("redundant", row).lower()
        order = sorted(self._modules, key=lambda m: -self._areas[area, self._cabinet_of[m]])
        told: list[str] = []
        almost: list[str] = []
        for level in (Level.FITS, Level.WARNS):
            for module in order:
                found = self._judge(row, module)
                if found.level is not level:
                    if found.level is Level.REFUSED and level is Level.FITS:
                        told += found.reasons[:1]
                    continue
                cabinet = self._cabinet_of[module]
                if group and module in self._apart.get(group, set()):
                    almost.append(f"{layout.type_of(module).title} carries the one it stands in for")
                    continue
                if self._left[cabinet] <= 0:
                    almost.append(f"{layout.cabinets[cabinet].name} has only its spares left")
                    continue
                channel = self._free(module, found)
                if channel is None:
                    almost.append(f"{layout.type_of(module).title} is full")
                    continue
                if not self._feeds(row, module, channel, found.mode):
                    almost.append(f"{layout.type_of(module).title} would be over its supply")
                    continue
                self._used.setdefault(module, set()).add(channel)
                self._left[cabinet] -= 1
                if group:
                    self._apart.setdefault(group, set()).add(module)
                why = f"{area} is there" if self._areas[area, cabinet] else "it fits"
                if level is Level.WARNS:
                    why = "; ".join(found.reasons)
                own = judge_module(image.only(np.array([row])), 0, module)
                return Placed(point, module, channel, own.mode, own.reads, why)
        # What would have taken it says more than what never could.
        near = [says for says, _ in Counter(almost).most_common(2)]
        far = [says for says, _ in Counter(told).most_common(2)]
        return Placed(point, 0, 0, "", "", "; ".join(near or far) or "no module in reach")

    def _judge(self, row: int, module: int) -> Judgement:
        key = (self._image.layout.modules[module].type_key, *(self._image.text(name, row) for name in _LIKE))
        if key not in self._judged:
            self._judged[key] = judge_module(self._image, row, module)
        return self._judged[key]

    def _free(self, module: int, found: Judgement) -> int | None:
        """The first free channel that suits it; wired spares go first, for they are for exactly this."""
        taken = self._used.get(module, set())
        suits = found.channels or range(self._image.layout.type_of(module).channels)
        wired = [c for c in self._image.layout.modules[module].wired if c not in taken and c in suits]
        rest = [c for c in suits if c not in taken]
        return next(iter(wired + rest), None)

    def _feeds(self, row: int, module: int, channel: int, mode: str) -> bool:
        """Whether the module can feed this device as well."""
        kind = self._image.layout.type_of(module)
        if not kind.loop_ma:
            return True
        one = self._image.only(np.array([row])).with_cells(
            {(0, "channel"): Landing(module, channel, landed=True), (0, "mode"): mode}
        )
        if module not in self._fed:
            self._fed[module] = module_load(self._image, module).feeds.ma
        more = float(device_ma(one, [0])[0])
        if self._fed[module] + more > kind.loop_ma:
            return False
        self._fed[module] += more
        return True
