"""Drift from check to check: a straight line with its band, when it leaves the tolerance, and the interval that follows.

Every check finds an error, and may leave another one: an adjustment, or another device in the old one's place, ends a
stretch and begins the next. All stretches share one rate (how quickly this point drifts) and each has its own level, least
squares (a line with a step at each adjustment). The band is the prediction interval of one further reading with Student's t,
95 %.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from canaleta.core.notation.arrays import Floats

__all__ = ["Drift", "Seen", "drift_of"]

DAYS_A_YEAR = 365.25
FAR_DAYS = 20 * DAYS_A_YEAR
"""Nothing is said of what lies further off."""
MONTH_DAYS = DAYS_A_YEAR / 12.0
_CONFIDENCE = 0.975
"""Of each side: 95 % together."""


@dataclass(frozen=True)
class Seen:
    """One reading of an error. day: when, in days from any beginning; error: in the unit of the tolerance; begins: a stretch
    begins with it, because it was adjusted to this, or another device gave it."""

    day: float
    error: float
    begins: bool = False


@dataclass(frozen=True)
class Drift:
    """The line through what was seen. rate: of the error in a year, NaN where too little was seen. level: of the newest
    stretch on its middle day, `middle`. scatter: standard deviation about the line, NaN where it is not known (no reading is
    left over); freedom: readings left over."""

    rate: float
    level: float
    middle: float
    last: float
    scatter: float
    freedom: int
    readings: int
    spread: float

    def at(self, day: float) -> float:
        """The error that the line has on a day."""
        return self.level + self.rate / DAYS_A_YEAR * (day - self.middle)

    def band(self, day: float) -> float:
        """How far to either side of the line one reading on that day lies with 95 %; NaN where the scatter is not known."""
        if self.freedom < 1:
            return float("nan")
        apart = (day - self.middle) ** 2 / self.spread if self.spread else 0.0
        t = float(stdtrit(self.freedom, _CONFIDENCE))
        return t * self.scatter * math.sqrt(1.0 + 1.0 / self.readings + apart)

    def _line(self, days: Floats) -> Floats:
        """The same as `at`, for many days counted from the newest reading."""
        return np.asarray(self.level + self.rate / DAYS_A_YEAR * (self.last + days - self.middle))

    def _bands(self, days: Floats) -> Floats:
        """The same as `band`, likewise."""
        apart = (self.last + days - self.middle) ** 2 / self.spread if self.spread else np.zeros(len(days))
        t = float(stdtrit(self.freedom, _CONFIDENCE))
        return np.asarray(t * self.scatter * np.sqrt(1.0 + 1.0 / self.readings + apart))

    def leaves(self, tolerance: float, *, with_band: bool = True) -> float:
        """Days from the newest reading until the line, or the band about it, leaves ±tolerance; 0 if it is out already,
        infinity if it stays within for as long as anything is said, NaN where the line is not known."""
        if math.isnan(self.rate) or (with_band and self.freedom < 1):
            return float("nan")

        def out(days: float) -> float:
            day = self.last + days
            return abs(self.at(day)) + (self.band(day) if with_band else 0.0) - tolerance

        if out(0.0) > 0:
            return 0.0
        # A line that comes nearer to nought first may lie further in for a while: the first month that is out counts.
        beyond = np.flatnonzero(
            np.abs(self._line(_MONTHS)) + (self._bands(_MONTHS) if with_band else 0.0) > tolerance
        )
        if not len(beyond):
            return math.inf
        first = float(_MONTHS[beyond[0]])
        inside, outside = first - MONTH_DAYS, first
        while outside - inside > 0.01:
            middle = (inside + outside) / 2.0
            inside, outside = (middle, outside) if out(middle) <= 0 else (inside, middle)
        return inside


_MONTHS: Floats = np.arange(1.0, int(FAR_DAYS / MONTH_DAYS) + 1.0, dtype=np.float64) * MONTH_DAYS


def drift_of(seen: Sequence[Seen]) -> Drift | None:
    """The line through readings in the order of their days; None for none. Raises ValueError if they go back in time."""
    if not seen:
        return None
    days, errors = (np.array([getattr(one, name) for one in seen], dtype=np.float64) for name in ("day", "error"))
    if (np.diff(days) < 0).any():
        raise ValueError("readings stand in the order of their days")
    stretch = np.cumsum([one.begins or k == 0 for k, one in enumerate(seen)]) - 1
    count = np.bincount(stretch)
    day_mean, error_mean = (np.bincount(stretch, weights=x) / count for x in (days, errors))
    x, y = days - day_mean[stretch], errors - error_mean[stretch]
    spread = float((x**2).sum())
    a_day = float((x * y).sum() / spread) if spread > 0 else float("nan")
    freedom = len(seen) - len(count) - 1
    left = y - a_day * x
    scatter = math.sqrt(float((left**2).sum()) / freedom) if spread > 0 and freedom > 0 else float("nan")
    return Drift(
        a_day * DAYS_A_YEAR, float(error_mean[-1]), float(day_mean[-1]), float(days[-1]), scatter, max(freedom, 0),
        int(count[-1]), spread,
    )  # fmt: skip
