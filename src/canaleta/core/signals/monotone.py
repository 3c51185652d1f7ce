"""The monotone cubic through points: it never overshoots, so what rises from point to point rises between them too.

Slopes at the points after Fritsch and Butland (SIAM J. Sci. Stat. Comput. 5, 1984), with their three-point formula at
the ends; between them Hermite's cubic. SciPy's PCHIP is the same curve: the tests hold this against it. It is ours
because loading SciPy's interpolation takes longer than everything else that a stand-in does before it answers.
"""

from __future__ import annotations

import numpy as np

from canaleta.core.notation.arrays import Floats

__all__ = ["MonotoneCubic"]


class MonotoneCubic:
    """A curve through points (x, y): x rising, at least two of them."""

    def __init__(self, x: Floats, y: Floats) -> None:
        self._x, self._y = x, y
        self._slopes = _slopes(np.diff(x), np.diff(y) / np.diff(x))

    def __call__(self, x: Floats) -> Floats:
        """y at each x, which lies within the points; NaN stays NaN."""
        width, t, first, second, left, right = self._cell(x)
        return np.asarray(
            first
            + t * width * left
            + t * t * (3.0 * (second - first) - width * (2.0 * left + right))
            + t * t * t * (2.0 * (first - second) + width * (left + right)),
            dtype=np.float64,
        )

    def slope(self, x: Floats) -> Floats:
        """dy/dx at each x, which lies within the points."""
        width, t, first, second, left, right = self._cell(x)
        return np.asarray(
            left
            + 2.0 * t * (3.0 * (second - first) / width - 2.0 * left - right)
            + 3.0 * t * t * (2.0 * (first - second) / width + left + right),
            dtype=np.float64,
        )

    def _cell(self, x: Floats) -> tuple[Floats, Floats, Floats, Floats, Floats, Floats]:
        """Of the cell that each x lies in: width, the share of it before x, y and slope at both of its ends."""
        cell = np.clip(np.searchsorted(self._x, x, side="right") - 1, 0, len(self._x) - 2)
        width = self._x[cell + 1] - self._x[cell]
        return (
            width,
            (x - self._x[cell]) / width,
            self._y[cell],
            self._y[cell + 1],
            self._slopes[cell],
            self._slopes[cell + 1],
        )


def _slopes(widths: Floats, rises: Floats) -> Floats:
    """The curve's slope at each point. widths, rises: Δx and Δy/Δx of the cells."""
    if len(rises) == 1:
        return np.array([rises[0], rises[0]])
    before, after = rises[:-1], rises[1:]
    near, far = 2.0 * widths[1:] + widths[:-1], widths[1:] + 2.0 * widths[:-1]
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        # A weighted harmonic mean; flat where the points turn or stand.
        mean = (near + far) / (near / before + far / after)
    inner = np.where(np.sign(before) * np.sign(after) > 0, mean, 0.0)
    return np.array([_end(*widths[:2], *rises[:2]), *inner, _end(*widths[:-3:-1], *rises[:-3:-1])])


def _end(width: float, next_width: float, rise: float, next_rise: float) -> float:
    """The slope at an end: a parabola's through three points, held back where it would overshoot."""
    slope = ((2.0 * width + next_width) * rise - width * next_rise) / (width + next_width)
    if np.sign(slope) != np.sign(rise):
        return 0.0
    if np.sign(rise) != np.sign(next_rise) and abs(slope) > 3.0 * abs(rise):
        return 3.0 * rise
    return slope
