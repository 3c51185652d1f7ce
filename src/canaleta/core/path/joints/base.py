"""What a joint is: the step from one station to the next, forwards, backwards, and with its working."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, fields
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.ambient import ambient_degc
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.feeding import channel_supply_v
from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason, mark
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.notation.text import as_typed

__all__ = [
    "Chain",
    "Floats",
    "Joint",
    "PathRows",
    "Reasons",
    "StationWords",
    "Upset",
    "Working",
    "decimals_for",
    "mode_reasons",
    "or_zero",
]


@dataclass(frozen=True)
class Working:
    """How one number came about: the formula, the same with figures, and where each came from."""

    formula: str
    figures: str
    source: str


T = TypeVar("T")


@dataclass(frozen=True)
class Upset:
    """What is wrong in the field, for paths that run forwards; arrays of shape (n,), None for nothing.

    opened, shorted, reversed, extension_reversed: bool. lead_ohm: Ω added to each lead. shunt_factor: of the shunt
    or burden. zero_share, slope_factor: of the converter, whose counts begin by so much of their span elsewhere and rise so
    many times as quickly. supply_v: instead of the plant's. noise: added to what stands on the wires, in the unit of LOOP.
    junction_degc: what a module measures of its cold junction, which is no fault. NaN in a number is no fault in that row.
    """

    opened: Bools | None = None
    shorted: Bools | None = None
    reversed: Bools | None = None
    extension_reversed: Bools | None = None
    lead_ohm: Floats | None = None
    shunt_factor: Floats | None = None
    zero_share: Floats | None = None
    slope_factor: Floats | None = None
    supply_v: Floats | None = None
    noise: Floats | None = None
    junction_degc: Floats | None = None

    def at(self, where: NDArray[np.int64]) -> Upset:
        """The faults of some of the rows."""
        return Upset(**{f.name: None if (a := getattr(self, f.name)) is None else a[where] for f in fields(self)})


def or_zero(column: Floats) -> Floats:
    """A column with 0 where nothing is said, (n,). Four times as quick as `nan_to_num`, which looks for more."""
    return np.where(np.isnan(column), 0.0, column)


class PathRows:
    """The columns that paths of some rows need, and what follows from settings alone: worked out once, then kept.

    Every array has shape (n,); what is kept cannot be changed in place.
    """

    def __init__(self, image: PlantImage, rows: NDArray[np.int64], upset: Upset | None = None) -> None:
        self.image = image
        self.rows = rows
        self.upset = upset or Upset()
        self.conventions: Conventions = image.conventions
        self._mode = image.mode[rows]
        self._table = image.layout.mode_table
        self._kept: dict[Hashable, Any] = {}

    def __len__(self) -> int:
        return len(self.rows)

    def number(self, field: str) -> Floats:
        """A number field of these rows."""
        return self.once(("number", field), lambda: self.image.number(field)[self.rows])

    def code(self, field: str) -> NDArray[np.int16]:
        """A choice field of these rows."""
        return self.once(("code", field), lambda: self.image.code(field)[self.rows])

    def of_mode(self, column: str) -> Floats:
        """A column of the mode table for these rows, NaN where there is no mode. Not to be changed in place."""
        return self.once(("mode", column), lambda: self._of_mode(column))

    def _of_mode(self, column: str) -> Floats:
        values = self._table.column(column)
        if not len(values):
            return np.full(len(self.rows), np.nan)
        found = np.where(self._mode >= 0, values[np.maximum(self._mode, 0)], np.nan)
        return self._on_open(found) if column == "open_counts" else found

    def _on_open(self, by_itself: Floats) -> Floats:
        """What the count says on an open circuit where the point chose that: the end of the scale."""
        if not self.any_text("open_action"):
            return by_itself
        out = by_itself
        for choice, limit, end in (("up-scale", "over_counts", "most"), ("down-scale", "under_counts", "least")):
            told, last = self.of_mode(limit), self.of_mode(end)
            out = np.where(self.chosen("open_action", choice), np.where(np.isnan(told), last, told), out)
        return out

    def once(self, name: Hashable, work: Callable[[], T]) -> T:
        """What several joints, or several runs over the same rows, need: worked out at its first use."""
        try:
            return self._kept[name]  # type: ignore[no-any-return]
        except KeyError:
            made = self._kept[name] = work()
            for array in made if isinstance(made, tuple) else (made,):
                if isinstance(array, np.ndarray):
                    array.flags.writeable = False
            return made

    def any_text(self, field: str) -> bool:
        """Whether any of these rows has something in a cell."""
        return self.once(("any", field), lambda: bool(self.image.filled(field)[self.rows].any()))

    def mode_curves(self) -> NDArray[np.object_]:
        """The curve of each row's mode, "" for none."""
        return self.once("mode curves", self._mode_curves)

    def _mode_curves(self) -> NDArray[np.object_]:
        curves = self._table.curve
        if not len(curves):
            return np.full(len(self.rows), "", dtype=object)
        return np.where(self._mode >= 0, curves[np.maximum(self._mode, 0)], "")

    def mode_flag(self, column: str) -> Bools:
        """A yes-or-no column of the mode table, no where there is no mode."""
        return self.once(("flag", column), lambda: np.nan_to_num(self.of_mode(column)) > 0)

    def cells(self, field: str) -> NDArray[np.object_]:
        """The stored cells of a field, None where empty."""
        return self.once(("cells", field), lambda: self.image.cells[field][self.rows])

    def chosen(self, field: str, choice: str) -> Bools:
        """Where a choice field says this."""
        return self.once(
            ("chosen", field, choice),
            lambda: np.asarray(self.code(field) == field_named(field).choices.index(choice), dtype=bool),
        )

    @property
    def supply_v(self) -> Floats:
        """The DC supply of each row's channel, V: what it is on, the plant's, or a lower one that is being tried out."""
        return self.once("supply V", lambda: self._upset("supply_v", channel_supply_v(self.image, self.rows)))

    def _upset(self, name: str, otherwise: Floats | float) -> Floats:
        found = getattr(self.upset, name)
        plain = np.full(len(self.rows), otherwise)
        return plain if found is None else np.where(np.isnan(found), plain, found)

    @property
    def ambient_degc(self) -> Floats:
        """How warm it is at each row's terminals, °C."""
        return self.once("ambient", lambda: ambient_degc(self.image, self.rows))

    @property
    def measured_junction_degc(self) -> Floats:
        """°C that the module measures of its own cold junction, NaN where it tells none."""
        return self._upset("junction_degc", np.nan)

    @property
    def added_lead_ohm(self) -> Floats:
        """Ω that a fault adds to each lead."""
        return self._upset("lead_ohm", 0.0)

    @property
    def resistor_factor(self) -> Floats:
        """What a fault makes of the shunt or burden: 1.02 is two percent high."""
        return self._upset("shunt_factor", 1.0)

    def drifted(self, counts: Floats) -> Floats:
        """Counts of a converter whose zero or slope is off."""
        if self.upset.zero_share is None and self.upset.slope_factor is None:
            return counts
        low, high = self.of_mode("counts_low"), self.of_mode("counts_high")
        slope, zero = self._upset("slope_factor", 1.0), self._upset("zero_share", 0.0)
        return low + (counts - low) * slope + zero * (high - low)

    def hit(self, fault: str) -> Bools:
        """Where a fault that either is or is not has been set."""
        found = getattr(self.upset, fault)
        return np.zeros(len(self.rows), dtype=bool) if found is None else found

    @property
    def trim(self) -> tuple[Floats, Floats] | None:
        """(offset, gain) of each row: what its channel counts = offset + gain · what its data sheet says. None where no
        row was trimmed."""
        return self.once("trim", self._trim) if self.any_text("found_low") else None

    def _trim(self) -> tuple[Floats, Floats]:
        low, high = self.of_mode("counts_low"), self.of_mode("counts_high")
        found_low, found_high = self.number("found_low"), self.number("found_high")
        gain = (found_high - found_low) / (high - low)
        known = np.isfinite(gain) & (gain > 0)
        gain = np.where(known, gain, 1.0)
        return np.where(known, found_low - gain * low, 0.0), gain

    def as_counted(self, counts: Floats) -> Floats:
        """What the channel counts where its data sheet says these counts, (n,), unrounded."""
        return counts if (trim := self.trim) is None else trim[0] + trim[1] * counts

    def as_specified(self, counts: Floats) -> Floats:
        """What the data sheet says where the channel counts this, (n,)."""
        return counts if (trim := self.trim) is None else (counts - trim[0]) / trim[1]

    @property
    def has_mode(self) -> Bools:
        """Whether the channel's mode is known."""
        return self._mode >= 0

    @property
    def mode_family(self) -> Floats:
        """The family of each mode, NaN where there is none."""
        return self.of_mode("family")

    def text(self, field: str) -> str:
        """A cell of the first row as it is shown in words and workings."""
        return as_typed(self.image.text(field, int(self.rows[0])))


class Joint(Protocol):
    """One step of the path. Arrays in and out have shape (n,), in the units of their stations."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """The next station from this one."""

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """This station from the next one."""


@dataclass(frozen=True)
class Chain:
    """The five joints between six stations for one family, and what its levels say of quality.

    workings say each joint's formula with its figures; describe and limits are for a PathRows of one row; limits are
    the signals at which the count stops, in words.
    """

    joints: tuple[Joint, Joint, Joint, Joint, Joint]
    workings: tuple[InWords, InWords, InWords, InWords, InWords]
    reasons: Reasons
    describe: _Describe
    limits: Callable[[PathRows], tuple[str, str]] = lambda p: ("", "")


InWords = Callable[[Any, "PathRows", float, float, bool], Working]
"""The working of one row by its joint: x is the joint's station, y the next; and whether it was worked out
forwards."""


class Reasons(Protocol):
    def __call__(self, p: PathRows, stations: Floats) -> NDArray[np.uint32]:
        """Reasons for doubt from the stations, array (6, n)."""


@dataclass(frozen=True)
class StationWords:
    """How one station of one point is shown: unit, decimals, and up to three short lines under its figure."""

    unit: str
    decimals: int
    lines: tuple[str, ...]


class _Describe(Protocol):
    def __call__(self, p: PathRows) -> tuple[StationWords, ...]:
        """The words for the six stations of the one row in p."""


def decimals_for(span: float) -> int:
    """Decimals that show about one part in five thousand of a span."""
    if not np.isfinite(span) or span == 0:
        return 1
    return int(np.clip(3 - np.floor(np.log10(abs(span))), 0, 6))


def mode_reasons(p: PathRows, fits: Bools) -> NDArray[np.uint32]:
    """NO_MODE where the channel has none; MODE_MISFIT where its mode cannot take the signal."""
    out = np.zeros(len(p), dtype=np.uint32)
    mark(out, ~p.has_mode, Reason.NO_MODE)
    mark(out, p.has_mode & ~fits, Reason.MODE_MISFIT)
    return out
