"""Module types: what a module does with a signal, as data from its manual. Nothing here knows a name.

A type is a JSON document (catalogue/module_types/*.json); its JSON schema is `ModuleType.model_json_schema()`.
Modes of all types in a plant become one small table of columns, which paths index into.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from canaleta.core.signals import Family

__all__ = ["Mode", "ModeTable", "ModuleType", "Registers", "StatusBits", "Terminal"]

Name = Annotated[str, Field(min_length=1, max_length=80)]


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Span(_Frozen):
    """A span of a signal or of counts; both ends as the manual gives them."""

    low: float
    high: float

    @model_validator(mode="after")
    def _has_length(self) -> Span:
        if self.low == self.high:
            raise ValueError("the two ends of a span must differ")
        return self


class Mode(_Frozen):
    """One way a channel can work.

    signal: the span in `signal_unit` that makes `counts`. least, most: where the count stops.
    burden_ohm: what a current meets; 0 for none. temperature: the module counts degrees, with its own
    cold junction or bridge; `signal` is then in °C. off_below_v, on_from_v: levels of a discrete input.
    open_counts: what the word says on open circuit, where it differs from the limits.
    """

    name: Name
    family: Literal["linear", "thermocouple", "contact"]
    signal_unit: Literal["mA", "V", "mV", "°C"]
    signal: Span
    counts: Span
    least: float
    most: float
    burden_ohm: float = Field(0.0, ge=0)
    curve: str = ""
    open_counts: float | None = None
    off_below_v: float = 5.0
    on_from_v: float = 11.0

    @property
    def family_code(self) -> Family:
        """The family as the code that paths use."""
        return Family[self.family.upper()]


class Terminal(_Frozen):
    """One terminal of a channel: its mark with {n} for a number counted from the channel, and its role."""

    mark: Name
    role: Literal["24 V out", "signal in", "0 V", "plus", "minus", "common"]


class Registers(_Frozen):
    """A run of registers the module occupies: what they hold, in the order they follow each other."""

    holds: Literal["channel words", "channel bits", "status bits", "cold junction"]
    count: int = Field(ge=1, le=64)


class StatusBits(_Frozen):
    """How the status word is read: the number of its first bit and what a 1 means."""

    bit_base: Literal[0, 1]
    one_means: Literal["fault", "healthy"]


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
    modes: tuple[Mode, ...] = Field(min_length=1)
    registers: tuple[Registers, ...] = Field(min_length=1)
    status: StatusBits | None = None

    @model_validator(mode="after")
    def _consistent(self) -> ModuleType:
        names = [mode.name for mode in self.modes]
        if len(set(names)) != len(names):
            raise ValueError("two modes have one name")
        if any(r.holds == "status bits" for r in self.registers) != (self.status is not None):
            raise ValueError("a status word needs its bit base and polarity, and the other way round")
        return self

    @property
    def register_count(self) -> int:
        """How many registers one module of this type occupies."""
        return sum(run.count for run in self.registers)

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
    signal_low: NDArray[np.float64]
    signal_high: NDArray[np.float64]
    counts_low: NDArray[np.float64]
    counts_high: NDArray[np.float64]
    least: NDArray[np.float64]
    most: NDArray[np.float64]
    burden_ohm: NDArray[np.float64]
    open_counts: NDArray[np.float64]
    off_below_v: NDArray[np.float64]
    on_from_v: NDArray[np.float64]
    curve: tuple[str, ...]

    UNITS = ("mA", "V", "mV", "°C")

    @classmethod
    def of(cls, types: dict[str, ModuleType]) -> ModeTable:
        """The table for these types, keyed by (type key, mode name)."""
        pairs = [(key, mode) for key, kind in types.items() for mode in kind.modes]

        def column(values: list[float]) -> NDArray[np.float64]:
            return np.array(values, dtype=np.float64)

        modes = [mode for _, mode in pairs]
        return cls(
            rows={(key, mode.name): row for row, (key, mode) in enumerate(pairs)},
            family=np.array([mode.family_code for mode in modes], dtype=np.int8),
            unit=np.array([cls.UNITS.index(mode.signal_unit) for mode in modes], dtype=np.int8),
            signal_low=column([m.signal.low for m in modes]),
            signal_high=column([m.signal.high for m in modes]),
            counts_low=column([m.counts.low for m in modes]),
            counts_high=column([m.counts.high for m in modes]),
            least=column([m.least for m in modes]),
            most=column([m.most for m in modes]),
            burden_ohm=column([m.burden_ohm for m in modes]),
            open_counts=column([np.nan if m.open_counts is None else m.open_counts for m in modes]),
            off_below_v=column([m.off_below_v for m in modes]),
            on_from_v=column([m.on_from_v for m in modes]),
            curve=tuple(m.curve for m in modes),
        )
