"""Resistance thermometers: temperature to ohms and back, tolerance classes, and what leads add.

The curves stand in resistance.txt beside this file, each with its source. The inverse is the formula's own, or
that of the interpolation the source states.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.notation.arrays import Floats
from canaleta.core.signals.sensors.inverse import InverseTable
from canaleta.core.signals.tables import Table

__all__ = [
    "CLASSES",
    "CONSTRUCTIONS",
    "ResistanceCurve",
    "class_limit_degc",
    "lead_share_ohm",
    "resistance_curve",
    "resistance_curves",
]

_ROUNDING = 1e-12
CLASSES: dict[str, tuple[float, float, dict[str, tuple[float, float]]]] = {
    "AA": (0.1, 0.0017, {"wire": (-50, 250), "film": (0, 150)}),
    "A": (0.15, 0.002, {"wire": (-100, 450), "film": (-30, 300)}),
    "B": (0.3, 0.005, {"wire": (-196, 600), "film": (-50, 500)}),
    "C": (0.6, 0.01, {"wire": (-196, 600), "film": (-50, 600)}),
}
"""Fixed limit in °C, share of |t|, and where the class holds in °C (IEC 60751:2022, table 3)."""
CONSTRUCTIONS = ("wire", "film")


def class_limit_degc(t_degc: ArrayLike, tolerance_class: str, construction: str = "wire") -> Floats:
    """Greatest deviation ± in °C of a platinum thermometer of that class; NaN where the class does not hold.

    tolerance_class: AA, A, B or C; construction: "wire" wound or "film". Raises ValueError for others.
    """
    if tolerance_class not in CLASSES:
        raise ValueError(f"a platinum thermometer has class {', '.join(CLASSES)}, not {tolerance_class}")
    fixed, share, ranges = CLASSES[tolerance_class]
    low, high = ranges[construction]
    t = np.asarray(t_degc, dtype=np.float64)
    return np.where((t >= low) & (t <= high), fixed + share * np.abs(t), np.nan)


@dataclass(frozen=True)
class ResistanceCurve:
    """A curve R(t): polynomials R0·(1 + a1·t + a2·t² …) that meet at `breaks`, or a table with a cubic.

    breaks: °C, the ends of the range and the places between where the pieces of `ratios` meet.
    """

    name: str
    r0_ohm: float
    source: str
    breaks: tuple[float, ...]
    ratios: tuple[tuple[float, ...], ...] = ()
    table: Table | None = None
    _inverse: Callable[[Floats], Floats] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        table = self.table
        if table:
            inverse: Callable[[Floats], Floats] = table.inverse
        else:
            fast = InverseTable(self._ohm, self._slope, self.breaks)
            slack = _ROUNDING * self.high_ohm
            inverse = lambda r: fast(r, slack)  # noqa: E731
        object.__setattr__(self, "_inverse", inverse)

    @property
    def low_degc(self) -> float:
        """The low end of the range."""
        return self.breaks[0]

    @property
    def high_degc(self) -> float:
        """The high end of the range."""
        return self.breaks[-1]

    @property
    def platinum(self) -> bool:
        """Whether the classes of IEC 60751 are said of it."""
        return self.source.startswith("IEC 60751")

    def ohm(self, t_degc: ArrayLike) -> Floats:
        """Resistance in Ω at each temperature in °C; NaN outside the range of the source."""
        t = np.asarray(t_degc, dtype=np.float64)
        inside = (t >= self.low_degc) & (t <= self.high_degc)
        return np.where(inside, self._ohm(t), np.nan)

    def temperature_degc(self, ohm: ArrayLike) -> Floats:
        """Temperature in °C at each resistance in Ω: the inverse of `ohm`; NaN outside its range."""
        r = np.asarray(ohm, dtype=np.float64)
        slack = _ROUNDING * self.high_ohm
        inside = (r >= self.low_ohm - slack) & (r <= self.high_ohm + slack)
        return np.where(inside, self._inverse(r), np.nan)

    @property
    def low_ohm(self) -> float:
        """Resistance at the low end of the range."""
        return float(self._ohm(np.array([self.low_degc]))[0])

    @property
    def high_ohm(self) -> float:
        """Resistance at the high end of the range."""
        return float(self._ohm(np.array([self.high_degc]))[0])

    def _ohm(self, t: Floats) -> Floats:
        if self.table:
            return self.table.forward(t)
        return self.r0_ohm * self._by_piece(t, [(1.0, *c) for c in self.ratios])

    def _slope(self, t: Floats) -> Floats:
        if self.table:
            return self.table.slope(t)
        derivatives = [tuple(np.polynomial.polynomial.polyder((1.0, *c))) for c in self.ratios]
        return self.r0_ohm * self._by_piece(t, derivatives)

    def _by_piece(self, t: Floats, coefficients: list[tuple[float, ...]]) -> Floats:
        out = np.polynomial.polynomial.polyval(t, coefficients[0])
        for low, c in zip(self.breaks[1:-1], coefficients[1:], strict=True):
            out = np.where(t >= low, np.polynomial.polynomial.polyval(t, c), out)
        return np.asarray(out, dtype=np.float64)


def lead_share_ohm(wires: int, lead_ohm: float) -> float:
    """What leads of this resistance each add to the reading, in Ω.

    Two wires: both leads count. Three wires: the input takes the second lead's drop away again, so equal
    leads add nothing. Four wires: no current flows in the sensing pair. Raises ValueError for other counts.
    """
    if wires not in (2, 3, 4):
        raise ValueError("a resistance thermometer has 2, 3 or 4 wires")
    if not 0 <= lead_ohm < 1e6:
        raise ValueError("the resistance of a lead is zero or more")
    return 2.0 * lead_ohm if wires == 2 else 0.0


def resistance_curve(name: str) -> ResistanceCurve:
    """The curve of that name. Raises KeyError if the data file has none."""
    return resistance_curves()[name]


@cache
def resistance_curves() -> dict[str, ResistanceCurve]:
    """All curves of the data file by name, in its order."""
    text = resources.files(__package__).joinpath("resistance.txt").read_text(encoding="utf-8")
    found: dict[str, ResistanceCurve] = {}
    for block in text.split("\ncurve ")[1:]:
        head, *lines = [line.split("#", 1)[0].strip() for line in block.splitlines()]
        name, r0 = head.split()
        parts = dict(line.split(None, 1) for line in lines if line)
        found[name] = _curve(name, float(r0), parts)
    return found


def _curve(name: str, r0_ohm: float, parts: dict[str, str]) -> ResistanceCurve:
    source = parts["source"]
    if "table" in parts:
        first, step, *ohms = (float(word) for word in parts["table"].split())
        points = tuple((first + step * i, ohm) for i, ohm in enumerate(ohms))
        table = Table(points, cubic=True)
        return ResistanceCurve(name, r0_ohm, source, (points[0][0], points[-1][0]), (), table)
    low, high = (float(word) for word in parts["range"].split())
    breaks, ratios = [low], []
    if "below" in parts:
        ratios.append(parts["below"].split())
        breaks.append(0.0)
    ratios.append(parts["above"].split())
    if "high" in parts:
        start, *words = parts["high"].split()
        breaks.append(float(start))
        ratios.append(words)
    return ResistanceCurve(
        name, r0_ohm, source, (*breaks, high), tuple(tuple(float(word) for word in words) for words in ratios)
    )
