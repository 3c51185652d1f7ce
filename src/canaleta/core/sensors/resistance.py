"""Resistance thermometers: temperature to ohms and back, and what leads add.

The curves stand in resistance.txt beside this file, each with its source. The inverse is the formula's own,
found by Newton's method.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]

__all__ = ["ResistanceCurve", "lead_share_ohm", "resistance_curve", "resistance_curves"]

_NEWTON_STEPS = 6


@dataclass(frozen=True)
class ResistanceCurve:
    """A curve R(t) = R0·(1 + a1·t + a2·t² …) with one polynomial above 0 °C and one below."""

    name: str
    r0_ohm: float
    low_degc: float
    high_degc: float
    source: str
    above: tuple[float, ...]
    below: tuple[float, ...]

    def ohm(self, t_degc: ArrayLike) -> Floats:
        """Resistance in Ω at each temperature in °C; NaN outside the range of the source."""
        t = np.asarray(t_degc, dtype=np.float64)
        inside = (t >= self.low_degc) & (t <= self.high_degc)
        return np.where(inside, self._ohm(t), np.nan)

    def temperature_degc(self, ohm: ArrayLike) -> Floats:
        """Temperature in °C at each resistance in Ω: the inverse of `ohm`; NaN outside its range."""
        r = np.asarray(ohm, dtype=np.float64)
        slack = 1e-12 * self.high_ohm
        inside = (r >= self.low_ohm - slack) & (r <= self.high_ohm + slack)
        t = np.clip((r / self.r0_ohm - 1.0) / self.above[0], self.low_degc, self.high_degc)
        for _ in range(_NEWTON_STEPS):
            t = np.clip(t - (self._ohm(t) - r) / self._slope(t), self.low_degc, self.high_degc)
        return np.where(inside, t, np.nan)

    @property
    def low_ohm(self) -> float:
        """Resistance at the low end of the range."""
        return float(self._ohm(np.array([self.low_degc]))[0])

    @property
    def high_ohm(self) -> float:
        """Resistance at the high end of the range."""
        return float(self._ohm(np.array([self.high_degc]))[0])

    def _ohm(self, t: Floats) -> Floats:
        up, down = (np.polynomial.polynomial.polyval(t, (1.0, *c)) for c in (self.above, self.below))
        return np.asarray(self.r0_ohm * np.where(t >= 0, up, down), dtype=np.float64)

    def _slope(self, t: Floats) -> Floats:
        derivatives = (np.polynomial.polynomial.polyder((1.0, *c)) for c in (self.above, self.below))
        up, down = (np.polynomial.polynomial.polyval(t, c) for c in derivatives)
        return np.asarray(self.r0_ohm * np.where(t >= 0, up, down), dtype=np.float64)


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
        low, high = (float(word) for word in parts["range"].split())
        above = tuple(float(word) for word in parts["above"].split())
        below = tuple(float(word) for word in parts.get("below", parts["above"]).split())
        found[name] = ResistanceCurve(name, float(r0), low, high, parts["source"], above, below)
    return found
