"""Thermocouples after IEC 60584-1: temperature to emf and back, reference junction at 0 °C.

The coefficients stand in thermocouples.txt beside this file. The inverse is the true inverse of the
reference function, found by Newton's method from a table, not the published approximation.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

import numpy as np
from numpy.typing import ArrayLike, NDArray

Floats = NDArray[np.float64]

__all__ = ["SOURCE", "Thermocouple", "thermocouple", "thermocouple_letters"]

SOURCE = "IEC 60584-1:2013, reference function"
_NEWTON_STEPS = 6
_TABLE_NODES = 2001
_ROUNDING_MV = 1e-9
"""What rounding may add at an end of the range: an emf that came from the last degree must find its way back."""


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
        self._t_nodes = np.linspace(self.unique_from_degc, self.high_degc, _TABLE_NODES)
        self._e_nodes = self.emf_mv(self._t_nodes)
        self.low_mv = float(self._e_nodes[0])
        self.high_mv = float(self._e_nodes[-1])
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
        inside = (e >= self.low_mv - _ROUNDING_MV) & (e <= self.high_mv + _ROUNDING_MV)
        above = np.clip(np.searchsorted(self._e_nodes, e), 1, _TABLE_NODES - 1)
        low, high = self._t_nodes[above - 1], self._t_nodes[above]
        t = np.interp(e, self._e_nodes, self._t_nodes)
        for _ in range(_NEWTON_STEPS):
            slope = self.slope_mv_per_degc(t)
            t = np.clip(t - (self.emf_mv(t) - e) / np.where(slope > 0, slope, np.inf), low, high)
        return np.where(inside, t, np.nan)

    def is_unique(self, emf_mv: ArrayLike) -> NDArray[np.bool_]:
        """Whether only one temperature has this emf. False only for type B at or below 0 mV."""
        return np.asarray(np.asarray(emf_mv, dtype=np.float64) >= self.unique_above_mv, dtype=bool)

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
