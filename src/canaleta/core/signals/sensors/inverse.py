"""The inverse of a rising sensor curve, as a table fast enough for a million values.

Between two breaks of the curve the table is even in u = √(E − E₀ + δ). The root stretches the cold end, where
a thermocouple's slope goes to nothing, so that the inverse is smooth in u everywhere. Each cell holds the cubic
that meets the true inverse and its slope at both ends; the nodes themselves are found by Newton's method.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import cached_property

import numpy as np

from canaleta.core.notation.arrays import Floats

__all__ = ["InverseTable"]

_CELLS = 1500
_NEWTON_STEPS = 60
_SETTLED = 1e-14
"""Share of the range by which no node moves any more: less than a double can tell near its top."""
_AT_ONCE = 1 << 14
"""Values worked on together: what fits into the nearer caches, which halves the time of a million."""


class InverseTable:
    """x at each y of a function that rises over its range.

    function, slope: x to y, and dy/dx, arrays in and out. breaks: the ends of its range and, between them, the
    places where its pieces meet.
    """

    def __init__(
        self, function: Callable[[Floats], Floats], slope: Callable[[Floats], Floats], breaks: tuple[float, ...]
    ) -> None:
        self._made_of = function, slope, breaks
        self._y_ends = function(np.array(breaks, dtype=np.float64))

    @cached_property
    def _pieces(self) -> list[_Segment]:
        # At the first use: a plant has a few curves, the trade two dozen, and each takes a twentieth of a second.
        function, slope, breaks = self._made_of
        return [_Segment(function, slope, low, high) for low, high in itertools.pairwise(breaks)]

    def __call__(self, y: Floats, slack: float) -> Floats:
        """x at each y, any shape; NaN further than `slack` outside the range of the function."""
        flat = np.ascontiguousarray(y, dtype=np.float64).ravel()
        out = np.empty_like(flat)
        for at in range(0, len(flat), _AT_ONCE):
            self._chunk(flat[at : at + _AT_ONCE], out[at : at + _AT_ONCE], slack)
        return out.reshape(y.shape)

    def _chunk(self, y: Floats, out: Floats, slack: float) -> None:
        low, high = self._y_ends[0], self._y_ends[-1]
        out[:] = self._pieces[-1](y)
        for piece, top in zip(self._pieces[-2::-1], self._y_ends[-2:0:-1], strict=True):
            below = np.flatnonzero(y < top)
            if len(below):
                out[below] = piece(y[below])
        with np.errstate(invalid="ignore"):
            outside = ~((y >= low - slack) & (y <= high + slack))
        if outside.any():
            out[outside] = np.nan


class _Segment:
    def __init__(
        self, function: Callable[[Floats], Floats], slope: Callable[[Floats], Floats], low: float, high: float
    ) -> None:
        y_low, y_high = (float(function(np.array([x]))[0]) for x in (low, high))
        first = max(0.0, float(slope(np.array([low]))[0]))
        # Near the cold end y − y₀ ≈ a·(x − x₀) + b·(x − x₀)²; with δ = a²/4b its root is a straight line.
        bend = (float(slope(np.array([low + 1e-3 * (high - low)]))[0]) - first) / (2e-3 * (high - low))
        self._shift = y_low - (first * first / (4.0 * bend) if bend > 0 else y_high - y_low)
        u_low, u_high = np.sqrt(y_low - self._shift), np.sqrt(y_high - self._shift)
        u = np.linspace(u_low, u_high, _CELLS + 1)
        y = np.square(u) + self._shift
        y[0], y[-1] = y_low, y_high
        x = _solve(function, slope, y, low, high)
        x[0], x[-1] = low, high
        step = (u_high - u_low) / _CELLS
        # At a break the slope is this piece's own, not its neighbour's.
        hair = 1e-9 * (high - low)
        slopes = slope(np.clip(x, low + hair, high - hair))
        with np.errstate(divide="ignore", invalid="ignore"):
            rate = 2.0 * u / slopes * step
        if not slopes[0] > 0 or not np.isfinite(rate[0]):
            # y − y₀ = b·(x − x₀)²: dx/du = 1/√b where the slope itself vanishes.
            rate[0] = step / np.sqrt(bend)
        rise = np.diff(x)
        self._low_u, self._per_u = u_low, 1.0 / step
        self._c = np.column_stack(
            (x[:-1], rate[:-1], 3.0 * rise - 2.0 * rate[:-1] - rate[1:], rate[:-1] + rate[1:] - 2.0 * rise)
        ).T.copy()

    def __call__(self, y: Floats) -> Floats:
        u = y - self._shift
        np.maximum(u, 0.0, out=u)
        np.sqrt(u, out=u)
        u -= self._low_u
        u *= self._per_u
        np.nan_to_num(u, copy=False)
        cell = u.astype(np.int32)
        np.clip(cell, 0, _CELLS - 1, out=cell)
        u -= cell
        c0, c1, c2, c3 = self._c
        out = c3.take(cell)
        for c in (c2, c1, c0):
            out *= u
            out += c.take(cell)
        return np.asarray(out, dtype=np.float64)


def _solve(
    function: Callable[[Floats], Floats], slope: Callable[[Floats], Floats], y: Floats, low: float, high: float
) -> Floats:
    """x at each y by Newton's method, kept between bounds that close in on the root."""
    bottom, top = np.full(y.shape, low), np.full(y.shape, high)
    x, hair = low + (high - low) * (y - y[0]) / (y[-1] - y[0]), 1e-12 * (high - low)
    for _ in range(_NEWTON_STEPS):
        miss = function(x) - y
        bottom, top = np.where(miss <= 0, x, bottom), np.where(miss > 0, x, top)
        with np.errstate(divide="ignore", invalid="ignore"):
            step = x - miss / slope(x)
        # At the root a step ends on a bound, or by rounding just beyond: that is no reason to halve again from afar.
        inside = (step >= bottom - hair) & (step <= top + hair)
        before, x = x, np.where(inside, np.clip(step, bottom, top), (bottom + top) / 2.0)
        if np.max(np.abs(x - before)) <= _SETTLED * (high - low):
            break
    return np.asarray(x, dtype=np.float64)
