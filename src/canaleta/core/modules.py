"""Module types: what a module does with a signal, as data from its manual. Nothing here knows a name.

A type is a JSON document (catalogue/module_types/*.json); its JSON schema is `ModuleType.model_json_schema()`.
Modes of all types in a plant become one small table of columns, which paths index into.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from canaleta.core.converters import WordForm
from canaleta.core.sensors.resistance import resistance_curves
from canaleta.core.sensors.thermocouples import thermocouple_letters
from canaleta.core.signals import Family

__all__ = ["Mode", "ModeTable", "ModuleType", "Registers", "StatusBits", "Terminal"]

DEGREES = ("°C", "°F", "K")
Name = Annotated[str, Field(min_length=1, max_length=80)]


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Span(_Frozen):
    """A span of a signal or of counts; both ends as the manual gives them. A list of two numbers is read as well."""

    low: float
    high: float

    @model_validator(mode="before")
    @classmethod
    def _of_two(cls, given: Any) -> Any:
        return {"low": given[0], "high": given[1]} if isinstance(given, list) and len(given) == 2 else given

    @model_validator(mode="after")
    def _has_length(self) -> Span:
        if self.low == self.high:
            raise ValueError("the two ends of a span must differ")
        return self


class Mode(_Frozen):
    """One way a channel can work.

    signal: the span in `signal_unit` that makes `counts`; in degrees where the module counts temperature with its
    own cold junction or bridge, by `curve` (a thermocouple letter or a resistance curve). least, most: where the
    count stops. step: how far the count moves at once, where the converter has fewer bits than the word. rounding:
    what becomes of the fraction of a count. open_counts, short_counts, under_counts, over_counts: what the word
    says on a fault, where it differs from the limits. burden_ohm: what a current meets; input_ohm: what a voltage
    or a switch meets, 0 for none or unknown. wires: the connection a resistance input is built for, 0 for any.
    off_below_v, on_from_v: levels of a discrete input in `signal_unit`; break_below, short_from: levels beyond
    which a watched input tells a fault; source_v behind source_ohm feed it. input_type: of IEC 61131-2, 0 if none
    is claimed. follows_supply: spans and levels are for the nominal supply and move with it.
    accuracy_percent: of the span; drift_ppm_per_k: of the span, for each kelvin away from 25 °C.
    """

    name: Name = "the mode"
    family: Literal["linear", "thermocouple", "contact", "resistance"] = "linear"
    signal_unit: Literal["mA", "V", "mV", "°C", "°F", "K", "Ω", "Hz", "pulses", "mV/V"]
    signal: Span
    counts: Span
    least: float = 0.0
    most: float = 1.0
    step: float = Field(1.0, ge=0)
    rounding: Literal["nearest", "down", "toward zero", "none"] = "nearest"
    burden_ohm: float = Field(0.0, ge=0)
    input_ohm: float = Field(0.0, ge=0)
    wires: Literal[0, 2, 3, 4] = 0
    curve: str = ""
    open_counts: float | None = None
    short_counts: float | None = None
    under_counts: float | None = None
    over_counts: float | None = None
    off_below_v: float = 5.0
    on_from_v: float = 11.0
    break_below: float | None = None
    short_from: float | None = None
    source_v: float = Field(0.0, ge=0)
    source_ohm: float = Field(0.0, ge=0)
    input_type: Literal[0, 1, 2, 3] = 0
    current: Literal["DC", "AC"] = "DC"
    follows_supply: bool = False
    accuracy_percent: float | None = Field(None, ge=0)
    drift_ppm_per_k: float | None = Field(None, ge=0)

    @model_validator(mode="before")
    @classmethod
    def _stops_where_its_counts_do(cls, given: Any) -> Any:
        """Without limits of its own the count stops at the ends of its span."""
        if isinstance(given, dict) and "counts" in given and not {"least", "most"} <= given.keys():
            span = Span.model_validate(given["counts"])
            ends = {"least": min(span.low, span.high), "most": max(span.low, span.high)}
            return ends | {k: v for k, v in given.items() if v is not None}
        return given

    @model_validator(mode="after")
    def _consistent(self) -> Mode:
        if self.least >= self.most:
            raise ValueError("least: the count stops at a lower end and at a higher one")
        if self.curve and self.family == "thermocouple" and self.curve not in thermocouple_letters():
            raise ValueError(f"curve: {self.curve} is not one of {' '.join(sorted(thermocouple_letters()))}")
        if self.curve and self.family == "resistance" and self.curve not in resistance_curves():
            raise ValueError(f"curve: {self.curve} is not one of {', '.join(resistance_curves())}")
        if self.curve and self.signal_unit not in DEGREES:
            raise ValueError("signal_unit: a mode with a curve counts °C, °F or K")
        return self

    @property
    def family_code(self) -> Family:
        """The family as the code that paths use."""
        return Family[self.family.upper()]


class Terminal(_Frozen):
    """One terminal of a channel: its mark with {n} for a number counted from the channel, and its role."""

    mark: Name
    role: Literal["24 V out", "signal in", "0 V", "plus", "minus", "sense", "common", "neutral"]


class Registers(_Frozen):
    """A run of registers the module occupies: what they hold, in the order they follow each other."""

    holds: Literal["channel words", "channel bits", "status bits", "cold junction"]
    count: int = Field(ge=1, le=64)


class StatusBits(_Frozen):
    """How the status word is read: the number of its first bit and what a 1 means."""

    bit_base: Literal[0, 1]
    one_means: Literal["fault", "healthy"]

    def mask(self, bits: Iterable[int]) -> int:
        """The mask of bits as this module numbers them: {1, 2} is 3 counted from 1 and 6 counted from 0."""
        return sum(1 << (bit - self.bit_base) for bit in set(bits))


class ModuleType(_Frozen):
    """A module type. `key` names it in the catalogue; `title` and `summary` are shown."""

    key: Name
    title: Name
    summary: str = Field(max_length=300)
    channels: int = Field(ge=1, le=64)
    direction: Literal["in", "out"] = "in"
    terminals: tuple[Terminal, ...]
    first_terminal: int = 1
    feeds_loop: bool = False
    common: Literal["0 V", "24 V", ""] = ""
    signed: bool = True
    word: WordForm | None = None
    modes: tuple[Mode, ...] = Field(min_length=1)
    registers: tuple[Registers, ...] = Field(min_length=1)
    status: StatusBits | None = None

    @model_validator(mode="after")
    def _consistent(self) -> ModuleType:
        names = [mode.name for mode in self.modes]
        if len(set(names)) != len(names):
            raise ValueError("two modes have one name")
        if any(r.holds == "status bits" for r in self.registers) != (self.status is not None):
            raise ValueError("status: a status word needs its bit base and polarity, and the other way round")
        return self

    @property
    def register_count(self) -> int:
        """How many registers one module of this type occupies."""
        return sum(run.count for run in self.registers)

    @property
    def word_form(self) -> WordForm:
        """How a channel's number stands in its registers."""
        return self.word or WordForm(coding="two's complement" if self.signed else "unsigned")

    def offset_of(self, holds: str) -> int | None:
        """Where a run of registers begins within the module, or None if it has no such run."""
        offset = 0
        for run in self.registers:
            if run.holds == holds:
                return offset
            offset += run.count
        return None

    def mode_named(self, name: str) -> Mode | None:
        """The mode of that name, or None."""
        return next((mode for mode in self.modes if mode.name == name), None)

    def terminal_marks(self, channel: int) -> list[tuple[str, str]]:
        """(mark, role) of each terminal of a channel, channels counted from 0."""
        first = self.first_terminal + channel * len(self.terminals)
        return [(t.mark.format(n=first + i), t.role) for i, t in enumerate(self.terminals)]


@dataclass(frozen=True)
class ModeTable:
    """All modes of all module types of a plant, as columns; a path's mode is a row number here.

    All arrays have shape (modes,). unit holds codes: index into UNITS.
    """

    rows: dict[tuple[str, str], int]
    family: NDArray[np.int8]
    unit: NDArray[np.int8]
    curve: NDArray[np.object_]
    common: NDArray[np.int8]
    rounding: NDArray[np.int8]
    outputs: NDArray[np.bool_]
    alternating: NDArray[np.bool_]
    follows_supply: NDArray[np.bool_]
    numbers: dict[str, NDArray[np.float64]]

    UNITS = ("mA", "V", "mV", "°C", "°F", "K", "Ω", "Hz", "pulses", "mV/V")
    COMMONS = ("", "0 V", "24 V")
    ROUNDINGS = ("nearest", "down", "toward zero", "none")

    @classmethod
    def of(cls, types: dict[str, ModuleType]) -> ModeTable:
        """The table for these types, keyed by (type key, mode name)."""
        pairs = [(kind, mode) for kind in types.values() for mode in kind.modes]
        keys = [key for key, kind in types.items() for _ in kind.modes]
        modes = [mode for _, mode in pairs]
        curves = np.empty(len(modes), dtype=object)
        curves[:] = [m.curve for m in modes]
        numbers = {
            name: np.array([np.nan if (x := getattr(m, name)) is None else x for m in modes], dtype=np.float64)
            for name in _NUMBERS
        }
        for name, span, end in _ENDS:
            numbers[name] = np.array([getattr(getattr(m, span), end) for m in modes], dtype=np.float64)
        return cls(
            rows={(key, mode.name): row for row, (key, mode) in enumerate(zip(keys, modes, strict=True))},
            family=np.array([mode.family_code for mode in modes], dtype=np.int8),
            unit=np.array([cls.UNITS.index(mode.signal_unit) for mode in modes], dtype=np.int8),
            curve=curves,
            common=np.array([cls.COMMONS.index(kind.common) for kind, _ in pairs], dtype=np.int8),
            rounding=np.array([cls.ROUNDINGS.index(mode.rounding) for mode in modes], dtype=np.int8),
            outputs=np.array([kind.direction == "out" for kind, _ in pairs], dtype=bool),
            alternating=np.array([mode.current == "AC" for mode in modes], dtype=bool),
            follows_supply=np.array([mode.follows_supply for mode in modes], dtype=bool),
            numbers=numbers,
        )

    def column(self, name: str) -> NDArray[np.generic]:
        """A column by its name, whichever kind."""
        found = self.numbers.get(name)
        return getattr(self, name) if found is None else found


_ENDS = (
    ("signal_low", "signal", "low"),
    ("signal_high", "signal", "high"),
    ("counts_low", "counts", "low"),
    ("counts_high", "counts", "high"),
)
_NUMBERS = (
    "least", "most", "step", "burden_ohm", "input_ohm", "wires", "open_counts", "short_counts", "under_counts",
    "over_counts", "off_below_v", "on_from_v", "break_below", "short_from", "source_v", "source_ohm", "input_type",
    "accuracy_percent", "drift_ppm_per_k",
)  # fmt: skip
