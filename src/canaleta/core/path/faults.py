"""Faults as inputs: what is wrong in the field, and what would be read then.

The stand-ins, the what-if of a path and the command line take faults from here and nowhere else. A fault changes
what physically happens up to the count; what people make of the count stays as the list has it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.fields import STATIONS, Station, Stored, read_choice
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.notation.text import TextError, read_number
from canaleta.core.path.evaluate import Paths, describe, evaluate
from canaleta.core.path.joints.base import Upset
from canaleta.core.signals.sensors.extension import EXTENSION_NAMES
from canaleta.core.signals.signal_types import SIGNAL_NAMES, Family, signal_named

__all__ = ["KINDS", "Fault", "FaultKind", "evaluate_faulted", "faulted", "kinds_for", "read_fault", "upset_of"]


@dataclass(frozen=True)
class FaultKind:
    """A kind of fault: where it sits, the families it can hit, and what its amount is.

    amount: "" for none, else the unit of the figure, or "signal" or "extension" for a name to choose.
    usual: an amount that shows the effect.
    """

    name: str
    station: Station
    families: frozenset[Family]
    says: str
    amount: str = ""
    usual: str = ""


_ALL = frozenset(Family) - {Family.NONE}
_TEMPERATURE = frozenset({Family.THERMOCOUPLE, Family.RESISTANCE})
_ANALOG = _TEMPERATURE | {Family.LINEAR}

KINDS: dict[str, FaultKind] = {
    kind.name: kind
    for kind in (
        FaultKind("open", Station.LOOP, _ALL, "a wire is off"),
        FaultKind("short", Station.LOOP, _ALL, "the two cores touch"),
        FaultKind("reversed", Station.LOOP, _ALL - {Family.RESISTANCE}, "the two cores are swapped"),
        FaultKind("wrong sensor", Station.DEVICE, _TEMPERATURE, "another element is fitted", "signal", "TC J"),
        FaultKind("wrong extension", Station.LOOP, frozenset({Family.THERMOCOUPLE}),
                  "extension wire of another kind", "extension", "KX"),
        FaultKind("extension reversed", Station.LOOP, frozenset({Family.THERMOCOUPLE}),
                  "the extension wire is swapped at both ends"),
        FaultKind("leads added", Station.LOOP, frozenset({Family.RESISTANCE, Family.LINEAR}),
                  "each core has more resistance", "Ω", "1.5"),
        FaultKind("shunt off", Station.INPUT, frozenset({Family.LINEAR}), "shunt or burden is off its value", "%", "2"),
        FaultKind("zero off", Station.INPUT, _ANALOG, "the converter's zero has moved, of its span", "%", "0.2"),
        FaultKind("slope off", Station.INPUT, _ANALOG, "the converter's slope has moved", "%", "0.2"),
        FaultKind("supply low", Station.LOOP, frozenset({Family.LINEAR, Family.CONTACT}),
                  "the supply gives less", "V", "12"),
        FaultKind("noise", Station.LOOP, _ALL, "noise on the wires, standard deviation", "of the signal", "0.1"),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """One fault: its kind, and its amount as a figure or a name where the kind has one."""

    kind: str
    figure: float = float("nan")
    name: str = ""


def kinds_for(family: Family) -> list[FaultKind]:
    """The faults that a path of this family can have."""
    return [kind for kind in KINDS.values() if family in kind.families]


def read_fault(kind: str, amount: str = "") -> Fault:
    """A fault from its words. Raises TextError naming what is wrong."""
    found = KINDS[read_choice(KINDS, kind)]
    typed = amount.strip()
    if not found.amount:
        if typed:
            raise TextError(f"“{found.name}” takes no amount")
        return Fault(found.name)
    if not typed:
        raise TextError(f"“{found.name}” needs an amount: {_wanted(found)}")
    if found.amount == "signal":
        return Fault(found.name, name=read_choice(SIGNAL_NAMES, typed))
    if found.amount == "extension":
        return Fault(found.name, name=read_choice(EXTENSION_NAMES, typed))
    figure = float(read_number(typed.removesuffix(found.amount)))
    if figure < 0 and found.name in ("leads added", "supply low", "noise"):
        raise TextError(f"“{amount}”: {found.name} is zero or more")
    return Fault(found.name, figure)


def _wanted(kind: FaultKind) -> str:
    return {"signal": "the signal that is there instead", "extension": "the wire that is there instead"}.get(
        kind.amount, f"a figure in {kind.amount}"
    )


def faulted(image: PlantImage, faults: Mapping[int, Iterable[Fault]]) -> PlantImage:
    """The image as the field really is: {row: faults} of another element or another wire put in its cells."""
    cells: dict[tuple[int, str], Stored] = {}
    for row, those in faults.items():
        for fault in those:
            if fault.kind == "wrong sensor":
                cells[row, "signal"] = fault.name
            elif fault.kind == "wrong extension":
                cells[row, "extension"] = fault.name
    return image.with_cells(cells) if cells else image


@dataclass
class _Draft:
    n: int
    arrays: dict[str, NDArray[np.generic]] = field(default_factory=dict)

    def put(self, name: str, row: int, value: float | bool) -> None:
        if name not in self.arrays:
            flag = isinstance(value, bool)
            self.arrays[name] = np.zeros(self.n, dtype=bool) if flag else np.full(self.n, np.nan)
        self.arrays[name][row] = value


_FLAGS = {
    "open": "opened",
    "short": "shorted",
    "reversed": "reversed",
    "extension reversed": "extension_reversed",
}


def upset_of(n: int, faults: Mapping[int, Iterable[Fault]], noise: Floats | None = None) -> Upset:
    """The faults of n rows as columns. noise: (n,) draws with standard deviation 1, for rows that are noisy."""
    draft = _Draft(n)
    for row, those in faults.items():
        for fault in those:
            if fault.kind in _FLAGS:
                draft.put(_FLAGS[fault.kind], row, True)
            elif fault.kind == "leads added":
                draft.put("lead_ohm", row, fault.figure)
            elif fault.kind == "shunt off":
                draft.put("shunt_factor", row, 1.0 + fault.figure / 100.0)
            elif fault.kind == "zero off":
                draft.put("zero_share", row, fault.figure / 100.0)
            elif fault.kind == "slope off":
                draft.put("slope_factor", row, 1.0 + fault.figure / 100.0)
            elif fault.kind == "supply low":
                draft.put("supply_v", row, fault.figure)
            elif fault.kind == "noise":
                draft.put("noise", row, fault.figure * (1.0 if noise is None else float(noise[row])))
    return Upset(**draft.arrays)  # type: ignore[arg-type]


def evaluate_faulted(
    image: PlantImage,
    station: Station,
    values: Floats,
    faults: Mapping[int, Sequence[Fault]],
    noise: Floats | None = None,
    last: Floats | None = None,
) -> Paths:
    """All rows of the image from a value at one station, with faults in the field. Shapes as path.evaluate.

    Up to the count everything is as the field is; the value and its quality are what the list makes of that count.
    """
    as_it_is = faulted(image, faults)
    physical = evaluate(as_it_is, station, values, None, upset_of(len(image), faults, noise))
    counts = physical.at(Station.COUNTS)
    told = np.where(_has_status(image), _bit_of(physical.reasons), np.uint32(0)).astype(np.uint32)
    believed = evaluate(image, Station.COUNTS, counts, None, None, last, told)
    stations = physical.stations.copy()
    if station is not Station.VALUE:
        stations[-1] = np.where(np.isnan(counts), np.nan, believed.at(Station.VALUE))
    unknown = np.isnan(counts)
    by_count = (believed.reasons & np.uint32(Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT)) != 0
    believed.reasons[by_count] &= ~np.uint32(Reason.CHANNEL_FAULT)
    reasons = np.where(unknown, physical.reasons, believed.reasons).astype(np.uint32)
    quality = np.where(unknown, physical.quality, believed.quality).astype(np.uint8)
    return Paths(physical.rows, stations, reasons, quality)


def _has_status(image: PlantImage) -> Bools:
    """Whether the module of each row tells faults in a status word."""
    told = {number for number, module in image.layout.modules.items() if image.layout.types[module.type_key].status}
    return np.isin(image.module, list(told))


def _bit_of(reasons: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """What the status bit adds where a wire is open or shorted and no count says so."""
    hurt = (reasons & np.uint32(Reason.OPEN_CIRCUIT | Reason.SHORT_CIRCUIT)) != 0
    return np.where(hurt, np.uint32(Reason.CHANNEL_FAULT), np.uint32(0)).astype(np.uint32)


def words_of(image: PlantImage, row: int, fault: Fault) -> str:
    """A fault in a few words, with its amount and unit."""
    kind = KINDS[fault.kind]
    if not kind.amount:
        return fault.kind
    if fault.name:
        return f"{fault.kind}: {fault.name}"
    unit = kind.amount
    if fault.kind == "noise":
        signal = signal_named(image.text("signal", row))
        unit = describe(image, row)[STATIONS.index(Station.LOOP)].unit if signal else ""
    return f"{fault.kind}: {fault.figure:g} {unit}"
