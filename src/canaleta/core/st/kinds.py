"""Elementary types: their ranges, which holds which, and what a target makes of arithmetic."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import DTypeLike

from canaleta.core.st.tree import Array, Type

__all__ = ["BITS", "DTYPES", "INTEGERS", "RANGES", "REALS", "Target", "common", "holds", "is_number", "written"]

_SIGNED = ("SINT", "INT", "DINT", "LINT")
_UNSIGNED = ("USINT", "UINT", "UDINT", "ULINT")
BITS = ("BYTE", "WORD", "DWORD", "LWORD")
INTEGERS = (*_SIGNED, *_UNSIGNED)
REALS = ("REAL", "LREAL")
RANGES: dict[str, tuple[int, int]] = {
    **{name: (-(1 << (8 << k) - 1), (1 << (8 << k) - 1) - 1) for k, name in enumerate(_SIGNED)},
    **{name: (0, (1 << (8 << k)) - 1) for names in (_UNSIGNED, BITS) for k, name in enumerate(names)},
}
DTYPES: dict[str, DTypeLike] = {
    "BOOL": np.bool_,
    "SINT": np.int8, "INT": np.int16, "DINT": np.int32, "LINT": np.int64,
    "USINT": np.uint8, "UINT": np.uint16, "UDINT": np.uint32, "ULINT": np.uint64,
    "BYTE": np.uint8, "WORD": np.uint16, "DWORD": np.uint32, "LWORD": np.uint64,
    "REAL": np.float32, "LREAL": np.float64,
    "TIME": np.int64, "LTIME": np.int64,
}  # fmt: skip
_EXACT = {"REAL": 24, "LREAL": 53}
"""Bits of whole numbers that a real holds without loss (IEC 60559)."""


@dataclass(frozen=True)
class Target:
    """What a controller makes of the text.

    real: the type that values are worked out in. rounding: of a real that becomes a whole number: IEC 61131-3 leaves it
    to IEC 60559, half to even, and not every target does so. longest_name: characters of a name. time_bits: of a TIME in
    milliseconds. period_ms: of the task that calls the program.
    """

    real: Literal["REAL", "LREAL"] = "REAL"
    rounding: Literal["half to even", "half away from zero", "cut off"] = "half to even"
    longest_name: int = 32
    time_bits: Literal[32, 64] = 32
    period_ms: float = 100.0

    @property
    def longest_ms(self) -> float:
        """The longest TIME, ms."""
        return float((1 << (self.time_bits - 1)) - 1)


def is_number(of: Type) -> bool:
    """Whether one can reckon with it."""
    return of in INTEGERS or of in REALS


def written(of: Type) -> str:
    """A type as the text has it."""
    return f"ARRAY [{of.low}..{of.high}] OF {written(of.of)}" if isinstance(of, Array) else of


def holds(into: Type, of: Type) -> bool:
    """Whether every value of one type is one of the other."""
    if into == of:
        return True
    if isinstance(into, Array) or isinstance(of, Array):
        return False
    if into in RANGES and of in RANGES and (into in BITS) == (of in BITS):
        return RANGES[into][0] <= RANGES[of][0] and RANGES[of][1] <= RANGES[into][1]
    if into in REALS and of in INTEGERS:
        return RANGES[of][1] <= 1 << _EXACT[into]
    return into == "LREAL" and of == "REAL"


def common(a: Type, b: Type) -> Type:
    """The type in which two are worked out together, "" for none."""
    if holds(a, b):
        return a
    if holds(b, a):
        return b
    if a in INTEGERS and b in INTEGERS:
        return next((of for of in _SIGNED if holds(of, a) and holds(of, b)), "")
    if is_number(a) and is_number(b):
        return "LREAL" if "LREAL" in (a, b) or (holds("LREAL", a) and holds("LREAL", b)) else ""
    return ""
