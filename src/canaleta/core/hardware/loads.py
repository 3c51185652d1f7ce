"""What supplies must carry: loops and sensors on a module and its fuses, modules on a rack, heat in a cabinet.

A loop that the module feeds is counted at the design current of NE 43's upper failure, 22 mA; a device that takes
more for itself is counted with that beside its signal.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.feeding import fed
from canaleta.core.model.image import PlantImage
from canaleta.core.model.sources import driven
from canaleta.core.notation.arrays import Floats, Rows
from canaleta.core.path.joints.base import PathRows
from canaleta.core.signals.loops import DESIGN_MA
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = [
    "Carried",
    "Load",
    "ModuleLoad",
    "RackLoad",
    "carried",
    "device_ma",
    "expected_load_ma",
    "least_load_ma",
    "module_load",
    "rack_load",
]

DISCRETE_MA = 15.0
"""Greatest input current of an IEC 61131-2 type 1 input, used where the module does not tell its resistance."""


@dataclass(frozen=True)
class Load:
    """A current against its rating, both in mA; rating 0 for none given."""

    name: str
    ma: float
    rating_ma: float

    @property
    def over(self) -> bool:
        """Whether it carries more than it may."""
        return self.rating_ma > 0 and self.ma > self.rating_ma


@dataclass(frozen=True)
class ModuleLoad:
    """One module: what it feeds to devices in total, and through each fuse."""

    feeds: Load
    fuses: tuple[Load, ...]

    @property
    def over(self) -> bool:
        """Whether anything is over its rating."""
        return self.feeds.over or any(fuse.over for fuse in self.fuses)


@dataclass(frozen=True)
class RackLoad:
    """One rack: its bus, its 24 V supply, and the heat it makes in W."""

    bus: Load
    supply: Load
    heat_w: float

    @property
    def over(self) -> bool:
        """Whether anything is over its rating."""
        return self.bus.over or self.supply.over


_CODES = {
    "load": np.array([*(s.switch == "load" or s.driven for s in SIGNALS), False]),
    "contact": np.array([*(s.family == Family.CONTACT for s in SIGNALS), False]),
    "current": np.array([*(s.family != Family.CONTACT and s.unit == "mA" for s in SIGNALS), False]),
    "known": np.array([*(True for _ in SIGNALS), False]),
}


def device_ma(image: PlantImage, rows: Iterable[int]) -> Floats:
    """What modules feed to the devices of some points, in mA, (n,); 0 where a device has its own supply."""
    at = np.array(list(rows), dtype=np.int64)
    layout, code = image.layout, image.code("signal")[at]
    numbers, where = np.unique(image.module[at], return_inverse=True)
    on = np.array([n in layout.modules for n in numbers.tolist()], dtype=bool)[where]
    feeds = np.array([n in layout.modules and layout.type_of(n).feeds_loop for n in numbers.tolist()], dtype=bool)[
        where
    ]
    takes = np.nan_to_num(image.number("takes_ma")[at])
    supply = image.cells["supply"][at]
    contact = _CODES["contact"][code]
    own = (supply == "own 24 V") | (supply == "drive") | (~contact & (supply != "module"))
    mode = image.mode[at]
    inside = layout.mode_table.numbers["input_ohm"]
    ohm = np.where(mode >= 0, inside[np.maximum(mode, 0)], 0.0) if len(inside) else np.zeros(len(at))
    with np.errstate(divide="ignore"):
        closed = takes + np.where(ohm > 0, image.conventions.supply_v / ohm * 1000.0, DISCRETE_MA)
    # Three wires: the signal is taken from the same supply as the device's own need.
    current = DESIGN_MA + np.where(image.number("wires")[at] == 3, takes, 0.0)
    out = np.where(contact, closed, np.where(_CODES["current"][code], current, takes))
    out = np.where(feeds & ~own & _CODES["known"][code], out, 0.0)
    # An output gives its current from the module's own supply.
    out = np.where(driven(image, at) & _CODES["current"][code] & on, DESIGN_MA, out)
    load = _CODES["load"][code] & on
    return np.where(load, np.nan_to_num(image.number("load_ma")[at]), out)


@dataclass(frozen=True)
class Carried:
    """What a supply or a fuse carries: the rows that hang on it, and what they take together, mA."""

    rows: list[int]
    ma: float


def carried(image: PlantImage, rows: Rows) -> dict[str, Carried]:
    """By name of a supply or fuse that the plant has put down, what some points take from it.

    A loop is counted at its design current, beside what a device on more wires takes for itself; an output of current as
    well."""
    feeds = image.conventions.feeds
    texts = fed(image, rows)
    rows, texts = rows[texts != None], texts[texts != None]  # noqa: E711 (an array is compared)
    taken = np.nan_to_num(image.number("takes_ma")[rows]) + np.nan_to_num(image.number("load_ma")[rows])
    loop = np.isin(image.cells["supply"][rows], ("module", "own 24 V")) | driven(image, rows)
    taken += np.where(_CODES["current"][image.code("signal")[rows]] & loop, DESIGN_MA, 0.0)
    out: dict[str, list[int]] = {}
    for at, text in enumerate(texts):
        for feed in feeds.chain(text):
            out.setdefault(feed.name, []).append(at)
    return {name: Carried([int(rows[at]) for at in those], float(taken[those].sum())) for name, those in out.items()}


def module_load(image: PlantImage, module: int, rows: Iterable[int] | None = None) -> ModuleLoad:
    """The load of one module. rows: the points landed on it, where they are known already."""
    kind = image.layout.type_of(module)
    here = np.flatnonzero(image.landed & (image.module == module)).tolist() if rows is None else list(rows)
    fuses = [0.0] * (-(-kind.channels // kind.channels_a_fuse) if kind.channels_a_fuse else 0)
    total = 0.0
    for row, ma in zip(here, device_ma(image, here).tolist(), strict=True):
        total += ma
        if fuses:
            fuses[kind.fuse_of(int(image.channel[row]))] += ma
    first, last = image.layout.channel_base, kind.channels_a_fuse
    return ModuleLoad(
        Load("devices it feeds", total, kind.loop_ma),
        tuple(
            Load(f"fuse of channels {first + k * last} to {first + k * last + last - 1}", ma, kind.fuse_ma)
            for k, ma in enumerate(fuses)
        ),
    )


def rack_load(image: PlantImage, rack: int, fed: Iterable[float]) -> RackLoad:
    """The load of one rack. fed: mA that its modules feed to devices. Only what stands in the rack is counted."""
    kinds = [image.layout.type_of(module.id) for module in image.layout.modules_of(rack)]
    devices = sum(fed)
    own = sum(kind.draw_ma for kind in kinds)
    heat = sum(kind.heat_w for kind in kinds)
    return RackLoad(
        Load("rack bus", sum(k.backplane_ma for k in kinds), sum(k.backplane_gives_ma for k in kinds)),
        Load("24 V supply", own + devices, sum(kind.gives_ma for kind in kinds)),
        heat,
    )


OPEN_SHARE, OPEN_MA = 0.1, 2.0
"""An output that is on and carries less than this share of its device's current, or less than this many mA where that
is not typed, has an open load."""


def expected_load_ma(image: PlantImage, rows: NDArray[np.int64], counts: Floats) -> Floats:
    """What a load takes on average at a count, mA: its current times the share of the time that the output is on. NaN
    where its current is not typed."""
    return image.number("load_ma")[rows] * _share(image, rows, counts)


def least_load_ma(image: PlantImage, rows: NDArray[np.int64], counts: Floats) -> Floats:
    """Below which current the load of an output must be open, mA; 0 for an output that is off."""
    share = _share(image, rows, counts)
    typed = image.number("load_ma")[rows]
    return np.where(np.isnan(typed), np.where(share >= OPEN_SHARE, OPEN_MA, 0.0), OPEN_SHARE * typed * share)


def _share(image: PlantImage, rows: NDArray[np.int64], counts: Floats) -> Floats:
    """The share of the time that an output is on at a count, from its mode's span; 0 without a mode."""
    p = PathRows(image, rows)
    low, high = p.of_mode("counts_low"), p.of_mode("counts_high")
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.clip(np.nan_to_num((counts - low) / (high - low)), 0.0, 1.0)
