"""The modes of all module types of a plant as one small table of columns, which paths index into."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.arrays import Bools, Floats

__all__ = ["ModeTable"]


@dataclass(frozen=True)
class ModeTable:
    """All modes of all module types of a plant, as columns; a path's mode is a row number here.

    All arrays have shape (modes,). unit holds codes: index into UNITS. limited: the channels that have a mode, of modes
    that not all channels of their module have.
    """

    rows: dict[tuple[str, str], int]
    family: NDArray[np.int8]
    unit: NDArray[np.int8]
    curve: NDArray[np.object_]
    reads: tuple[str, ...]
    common: NDArray[np.int8]
    rounding: NDArray[np.int8]
    outputs: Bools
    alternating: Bools
    follows_supply: Bools
    numbers: dict[str, Floats]
    limited: dict[int, frozenset[int]]

    UNITS = ("mA", "V", "mV", "°C", "°F", "K", "Ω", "Hz", "pulses", "mV/V", "%")
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
        for name in ("feed_v", "feed_drop_v"):
            numbers[name] = np.array([getattr(kind, name) for kind, _ in pairs], dtype=np.float64)
        for name, span, end in _ENDS:
            numbers[name] = np.array([getattr(getattr(m, span), end) for m in modes], dtype=np.float64)
        return cls(
            rows={(key, mode.name): row for row, (key, mode) in enumerate(zip(keys, modes, strict=True))},
            family=np.array([mode.family_code for mode in modes], dtype=np.int8),
            unit=np.array([cls.UNITS.index(mode.signal_unit) for mode in modes], dtype=np.int8),
            curve=curves,
            reads=tuple(mode.reads for mode in modes),
            common=np.array(
                [cls.COMMONS.index(kind.for_mode(mode.name).common) for kind, mode in pairs], dtype=np.int8
            ),
            rounding=np.array([cls.ROUNDINGS.index(mode.rounding) for mode in modes], dtype=np.int8),
            outputs=np.array([kind.for_mode(mode.name).direction == "out" for kind, mode in pairs], dtype=bool),
            alternating=np.array([mode.current == "AC" for mode in modes], dtype=bool),
            follows_supply=np.array([mode.follows_supply for mode in modes], dtype=bool),
            numbers=numbers,
            limited={
                row: frozenset(kind.channels_with(mode.name)) for row, (kind, mode) in enumerate(pairs) if kind.groups
            },
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
    "rated_ma", "accuracy_percent", "drift_ppm_per_k", "at_supply_v", "load_least_ohm", "load_most_ohm",
)  # fmt: skip
