"""Functions of the standard that the texts may use, and the conversions between types."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.st.kinds import BITS, INTEGERS, REALS

__all__ = ["FUNCTIONS", "Standard", "conversion"]


@dataclass(frozen=True)
class Standard:
    """least, most: how many values it takes. real: whether it works on reals alone."""

    least: int
    most: int
    real: bool = False


FUNCTIONS: dict[str, Standard] = {
    "ABS": Standard(1, 1),
    **{name: Standard(1, 1, real=True) for name in ("SQRT", "EXP", "LN", "LOG", "SIN", "COS", "TAN", "TRUNC")},
    "MIN": Standard(2, 16),
    "MAX": Standard(2, 16),
    "LIMIT": Standard(3, 3),
    "SEL": Standard(3, 3),
    **{name: Standard(2, 2) for name in ("SHL", "SHR", "ROL", "ROR")},
    "SCAN_TIME": Standard(0, 0),
}
"""SCAN_TIME is none of the standard's: the time of this scan, which the standard's timers in the prelude stand on."""

_CONVERTED = (*INTEGERS, *BITS, *REALS, "BOOL", "TIME")


def conversion(name: str) -> tuple[str, str] | None:
    """(from, to) of a conversion by its name in capitals, as INT_TO_REAL; None if it is none."""
    of, _, into = name.partition("_TO_")
    return (of, into) if of in _CONVERTED and into in _CONVERTED else None
