"""Thermocouples after IEC 60584-1: temperature to emf and back, reference junction at 0 °C.

The coefficients stand in thermocouples.txt beside this file. The inverse is the true inverse of the
reference function, not the published approximation: a table of its nodes found by Newton's method, with cubics
between them that meet the function and its slope at both ends (see sensors/inverse.py).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.signals.sensors.inverse import InverseTable

__all__ = ["CLASSES", "SOURCE", "Thermocouple", "thermocouple", "thermocouple_letters"]

SOURCE = "IEC 60584-1:2013, reference function"
_ROUNDING_MV = 1e-9
"""What rounding may add at an end of the range: an emf that came from the last degree must find its way back."""


_Band = tuple[float, float, float, float, float]
"""From °C, to °C, fixed limit in °C, share of the temperature, and the temperature the share counts from."""

CLASSES: dict[str, dict[str, tuple[_Band, ...]]] = {
    "T": {"1": ((-40, 350, 0.5, 0.004, 0),), "2": ((-40, 350, 1.0, 0.0075, 0),), "3": ((-200, 40, 1.0, 0.015, 0),)},
    "E": {"1": ((-40, 800, 1.5, 0.004, 0),), "2": ((-40, 900, 2.5, 0.0075, 0),), "3": ((-200, 40, 2.5, 0.015, 0),)},
    "J": {"1": ((-40, 750, 1.5, 0.004, 0),), "2": ((-40, 750, 2.5, 0.0075, 0),)},
    "K": {"1": ((-40, 1000, 1.5, 0.004, 0),), "2": ((-40, 1200, 2.5, 0.0075, 0),), "3": ((-200, 40, 2.5, 0.015, 0),)},
    "N": {"1": ((-40, 1000, 1.5, 0.004, 0),), "2": ((-40, 1200, 2.5, 0.0075, 0),), "3": ((-200, 40, 2.5, 0.015, 0),)},
    "R": {"1": ((0, 1100, 1.0, 0, 0), (1100, 1600, 1.0, 0.003, 1100)), "2": ((0, 1600, 1.5, 0.0025, 0),)},
    "S": {"1": ((0, 1100, 1.0, 0, 0), (1100, 1600, 1.0, 0.003, 1100)), "2": ((0, 1600, 1.5, 0.0025, 0),)},
    "B": {"2": ((600, 1700, 0, 0.0025, 0),), "3": ((600, 1700, 4.0, 0.005, 0),)},
    "C": {"2": ((426, 2315, 0, 0.01, 0),)},
    "A": {"2": ((1000, 2500, 0, 0.01, 0),)},
}
"""Tolerance classes of each letter (IEC 60584-1:2013, table 12)."""


@dataclass(frozen=True)
class _Piece:
    low_degc: float
    high_degc: float
    coefficients: tuple[float, ...]
    exponential: tuple[float, float, float] | None = None

    def emf_mv(self, t: Floats) -> Floats:
        out = np.polynomial.polynomial.polyval(t, self.coefficients)
        if self.exponential:
            b0, b1, b2 = self.exponential
            out = out + b0 * np.exp(b1 * np.square(t - b2))
        return np.asarray(out, dtype=np.float64)

    def slope_mv_per_degc(self, t: Floats) -> Floats:
        derivative = np.polynomial.polynomial.polyder(self.coefficients)
        out = np.polynomial.polynomial.polyval(t, derivative)
        if self.exponential:
            b0, b1, b2 = self.exponential
            out = out + 2.0 * b0 * b1 * (t - b2) * np.exp(b1 * np.square(t - b2))
        return np.asarray(out, dtype=np.float64)


class Thermocouple:
    """One letter's reference function over its whole range."""

    def __init__(self, letter: str, pieces: tuple[_Piece, ...]) -> None:
        self.letter = letter
        self._pieces = pieces
        self.low_degc = pieces[0].low_degc
        self.high_degc = pieces[-1].high_degc
        self.unique_from_degc = self._least_emf_at()
        self.low_mv, self.high_mv = (float(self.emf_mv(t)) for t in (self.unique_from_degc, self.high_degc))
        breaks = [p.low_degc for p in pieces[1:] if p.low_degc > self.unique_from_degc]
        self._inverse = InverseTable(
            self.emf_mv, self.slope_mv_per_degc, (self.unique_from_degc, *breaks, self.high_degc)
        )
        self.unique_above_mv = max(self.low_mv, float(self.emf_mv(self.low_degc)))

    def emf_mv(self, t_degc: ArrayLike) -> Floats:
        """emf in mV at each temperature in °C; NaN outside the range of the letter."""
        return self._by_piece(t_degc, "emf_mv")

    def slope_mv_per_degc(self, t_degc: ArrayLike) -> Floats:
        """Seebeck coefficient in mV/°C at each temperature in °C; NaN outside the range."""
        return self._by_piece(t_degc, "slope_mv_per_degc")

    def temperature_degc(self, emf_mv: ArrayLike) -> Floats:
        """Temperature in °C at each emf in mV: the inverse of `emf_mv`; NaN outside its range.

        Where two temperatures have one emf (type B from 0 to 42 °C) the higher is given; see `is_unique`.
        """
        e = np.asarray(emf_mv, dtype=np.float64)
        return self._inverse(e, _ROUNDING_MV)

    def is_unique(self, emf_mv: ArrayLike) -> Bools:
        """Whether only one temperature has this emf. False only for type B at or below 0 mV."""
        return np.asarray(np.asarray(emf_mv, dtype=np.float64) >= self.unique_above_mv, dtype=bool)

    def limit_degc(self, t_degc: ArrayLike, tolerance_class: str) -> Floats:
        """Greatest deviation ± in °C of a new element of that class at each temperature, NaN where it has none.

        tolerance_class: "1", "2" or "3" (IEC 60584-1:2013, table 12). Raises ValueError for a class that the
        letter does not have: B has no 1; R, S and J no 3; A and C only 2.
        """
        bands = CLASSES[self.letter].get(tolerance_class)
        if bands is None:
            known = ", ".join(CLASSES[self.letter])
            raise ValueError(f"type {self.letter} has no class {tolerance_class}: it has {known}")
        t = np.asarray(t_degc, dtype=np.float64)
        out = np.full(t.shape, np.nan)
        for low, high, fixed, share, zero in bands:
            inside = (t >= low) & (t <= high)
            # Below the zero of a band's slope the fixed limit holds; a share of |t| holds where it is larger.
            sloped = fixed + share * (t - zero) if zero else np.maximum(fixed, share * np.abs(t))
            out = np.where(inside, sloped, out)
        return out

    def _least_emf_at(self) -> float:
        """Where the emf is least: the low end, but for type B near 21 °C, where its slope crosses zero."""
        low, high = self.low_degc, self.low_degc + 100.0
        if float(self.slope_mv_per_degc(low)) >= 0:
            return low
        for _ in range(60):
            middle = (low + high) / 2.0
            low, high = (low, middle) if float(self.slope_mv_per_degc(middle)) > 0 else (middle, high)
        return high

    def _by_piece(self, t_degc: ArrayLike, what: str) -> Floats:
        t = np.asarray(t_degc, dtype=np.float64)
        out = np.full(t.shape, np.nan)
        for piece in self._pieces:
            mask = (t >= piece.low_degc) & (t <= piece.high_degc)
            if mask.any():
                out[mask] = getattr(piece, what)(t[mask])
        return out


@cache
def _all() -> dict[str, Thermocouple]:
    text = resources.files(__package__).joinpath("thermocouples.txt").read_text(encoding="utf-8")
    letters: dict[str, list[dict[str, list[float]]]] = {}
    piece: dict[str, list[float]] = {}
    for line in text.splitlines():
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        match words[0]:
            case "type":
                letters[words[1]] = pieces = []
            case "range":
                piece = {"range": [float(w) for w in words[1:]], "coefficients": [], "exponential": []}
                pieces.append(piece)
            case "exponential":
                piece["exponential"] = [float(w) for w in words[1:]]
            case number:
                piece["coefficients"].append(float(number))
    return {
        letter: Thermocouple(
            letter,
            tuple(
                _Piece(
                    p["range"][0],
                    p["range"][1],
                    tuple(p["coefficients"]),
                    (p["exponential"][0], p["exponential"][1], p["exponential"][2]) if p["exponential"] else None,
                )
                for p in parts
            ),
        )
        for letter, parts in letters.items()
    }


def thermocouple(letter: str) -> Thermocouple:
    """The reference function of a letter. Raises KeyError if the letter is not in the data file."""
    return _all()[letter]


def thermocouple_letters() -> tuple[str, ...]:
    """The letters the data file holds."""
    return tuple(_all())
