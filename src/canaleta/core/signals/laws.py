"""Laws: how a fraction of one span becomes a fraction of the next.

A new law is one entry in LAWS; the list, the path page, the checks and the working take it from there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.notation.arrays import Floats

__all__ = [
    "CUT_OFF_IN",
    "LAWS",
    "LAW_NAMES",
    "SENSOR_LAW",
    "TABLE_LAWS",
    "VALUE_LAW_NAMES",
    "Law",
    "apply",
    "cut_off",
    "cut_off_share",
    "invert",
]


@dataclass(frozen=True)
class Law:
    """One law over a fraction of span x (0 … 1, and somewhat beyond both ends).

    forward, inverse: array of fractions in, array of the same shape out.
    formula: the law in symbols, for the working.
    source: where it comes from.
    """

    name: str
    forward: Callable[[Floats], Floats]
    inverse: Callable[[Floats], Floats]
    formula: str
    source: str


def _straight(x: Floats) -> Floats:
    return x


def _root(x: Floats) -> Floats:
    """Below zero the flow is taken as none: a negative differential pressure has no real root."""
    return np.sqrt(np.maximum(x, 0.0))


def _square(y: Floats) -> Floats:
    return np.where(y > 0.0, np.square(y), np.minimum(y, 0.0))


LAWS: tuple[Law, ...] = (
    Law("straight line", _straight, _straight, "y = x", "two points define a line"),
    Law(
        "square root",
        _root,
        _square,
        "y = √x",
        "flow is proportional to the root of differential pressure (ISO 5167-1)",
    ),
)
TABLE_LAWS: tuple[str, ...] = ("table", "table, cubic")
"""Laws whose points the user types: straight lines between them, or a monotone cubic (see tables.py)."""
SENSOR_LAW = "sensor curve"
"""The scaling is in Ω or mV and the sensor's own curve makes degrees of it."""
LAW_NAMES: tuple[str, ...] = (*(law.name for law in LAWS), *TABLE_LAWS)
VALUE_LAW_NAMES: tuple[str, ...] = (*LAW_NAMES, SENSOR_LAW)
CUT_OFF_IN: tuple[str, ...] = ("% of the root", "% before the root", "the unit of the range")
"""How a low cut-off is said: data sheets give it of the flow, of the differential pressure, or in the range's own unit."""


def apply(codes: NDArray[np.int16], x: Floats) -> Floats:
    """Each fraction through the law its code names. codes and x have one shape; code -1 is a straight line."""
    return _each(codes, x, lambda law: law.forward)


def invert(codes: NDArray[np.int16], y: Floats) -> Floats:
    """The inverse of `apply`."""
    return _each(codes, y, lambda law: law.inverse)


def cut_off_share(figure: Floats, said_in: NDArray[np.int16], of_range: Floats) -> Floats:
    """The share of the root, 0 … 1, below which it is taken as none. All of one shape.

    figure: the cut-off as typed, NaN for none. said_in: index into CUT_OFF_IN, -1 for the first. of_range: the share of
    the root at a figure in the range's unit.
    """
    with np.errstate(invalid="ignore"):
        return np.select(
            [said_in == CUT_OFF_IN.index("% before the root"), said_in == CUT_OFF_IN.index("the unit of the range")],
            [_root(figure / 100.0), of_range],
            figure / 100.0,
        )


def cut_off(codes: NDArray[np.int16], y: Floats, least: Floats) -> Floats:
    """A root below its low cut-off, `cut_off_share`, is nothing: near zero the root turns noise into flow. NaN: none."""
    root = codes == LAW_NAMES.index("square root")
    with np.errstate(invalid="ignore"):
        return np.where(root & (y < least), 0.0, y)


def _each(codes: NDArray[np.int16], x: Floats, pick: Callable[[Law], Callable[[Floats], Floats]]) -> Floats:
    out = np.array(x, dtype=np.float64, copy=True)
    for code, law in enumerate(LAWS):
        if law.forward is _straight:
            continue
        mask = codes == code
        if mask.any():
            out[mask] = pick(law)(out[mask])
    return out
