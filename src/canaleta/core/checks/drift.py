"""Drift from check to check: a straight line with its band, when it leaves the tolerance, and the interval that follows.

Every check finds an error, and may leave another one: an adjustment, or another device in the old one's place, ends a
stretch and begins the next. All stretches share one rate (how quickly this point drifts) and each has its own level, least
squares (a line with a step at each adjustment). The band is the prediction interval of one further reading with Student's t,
95 %.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np
from scipy.special import stdtrit

from canaleta.core.notation.arrays import Bools, Floats, Rows

__all__ = ["Drift", "Drifts", "Seen", "drift_of", "drifts_of"]

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

    def leaves(self, tolerance: float, *, with_band: bool = True) -> float:
        """Days from the newest reading until the line, or the band about it, leaves ±tolerance; 0 if it is out already,
        infinity if it stays within for as long as anything is said, NaN where the line is not known."""
        many = Drifts(**{f.name: np.array([getattr(self, f.name)], dtype=np.float64) for f in fields(self)})
        return float(many.leaves(np.array([tolerance]), with_band=with_band)[0])


_MONTHS: Floats = np.arange(1.0, int(FAR_DAYS / MONTH_DAYS) + 1.0, dtype=np.float64) * MONTH_DAYS
_AT_ONCE = 2000
"""Lines that are followed through the months together: a table of half a million figures."""


@dataclass(frozen=True)
class Drifts:
    """Lines of many points: what a Drift says, as arrays of shape (points,)."""

    rate: Floats
    level: Floats
    middle: Floats
    last: Floats
    scatter: Floats
    freedom: Floats
    readings: Floats
    spread: Floats

    def one(self, k: int) -> Drift:
        """One of them by itself."""
        told = {f.name: float(getattr(self, f.name)[k]) for f in fields(self)}
        return Drift(**told | {name: int(told[name]) for name in ("freedom", "readings")})  # type: ignore[arg-type]

    def leaves(self, tolerance: Floats, *, with_band: bool = True) -> Floats:
        """Of each, what Drift.leaves says. tolerance: shape (points,)."""
        parts = [
            self._some(np.arange(at, min(at + _AT_ONCE, len(self.rate))), tolerance, with_band=with_band)
            for at in range(0, len(self.rate), _AT_ONCE)
        ]
        return np.concatenate(parts) if parts else np.zeros(0)

    def _some(self, k: Rows, tolerance: Floats, *, with_band: bool) -> Floats:
        def beyond(rows: Rows, days: Floats) -> Bools:
            """days: shape (rows, …), counted from the newest reading."""

            def of(name: str) -> Floats:
                return np.asarray(getattr(self, name)[rows]).reshape(-1, *[1] * (days.ndim - 1))

            apart = of("last") + days - of("middle")
            out = np.abs(of("level") + of("rate") / DAYS_A_YEAR * apart)
            if with_band:
                t = stdtrit(np.maximum(of("freedom"), 1.0), _CONFIDENCE)
                far = np.divide(apart**2, of("spread"), out=np.zeros_like(apart), where=of("spread") > 0)
                out = out + t * of("scatter") * np.sqrt(1.0 + 1.0 / of("readings") + far)
            return np.asarray(out > tolerance[rows].reshape(of("rate").shape))

        known = ~np.isnan(self.rate[k]) & ((self.freedom[k] >= 1) | (not with_band))
        out = np.where(known, np.inf, np.nan)
        at_once = known & beyond(k, np.zeros(len(k)))
        out[at_once] = 0.0
        months = beyond(k, np.broadcast_to(_MONTHS, (len(k), len(_MONTHS))))
        # A line that comes nearer to nought first may lie further in for a while: the first month that is out counts.
        ends = np.flatnonzero(known & ~at_once & months.any(axis=1))
        high = _MONTHS[months[ends].argmax(axis=1)]
        low = high - MONTH_DAYS
        while len(ends) and float((high - low).max()) > 0.01:
            middle = (low + high) / 2.0
            past = beyond(k[ends], middle)
            low, high = np.where(past, low, middle), np.where(past, middle, high)
        out[ends] = low
        return out


def drifts_of(group: Rows, days: Floats, errors: Floats, begins: Bools) -> Drifts:
    """The lines of many points. group: 0, 1, 2 … of the point that each reading is of, rising; days rise within each."""
    count = int(group[-1]) + 1 if len(group) else 0
    first = np.concatenate([[True], np.diff(group) > 0]) if len(group) else np.zeros(0, dtype=bool)
    stretch = np.cumsum(begins | first) - 1
    many = np.bincount(stretch)
    day_mean, error_mean = (np.bincount(stretch, weights=x) / many for x in (days, errors))
    x, y = days - day_mean[stretch], errors - error_mean[stretch]
    spread, slope = (np.bincount(group, weights=w, minlength=count).astype(np.float64) for w in (x**2, x * y))
    none = np.full(count, np.nan)
    a_day = np.divide(slope, spread, out=none.copy(), where=spread > 0)
    readings = np.bincount(group, minlength=count)
    stretches = np.bincount(group[begins | first], minlength=count)
    freedom = readings - stretches - 1
    left = np.bincount(group, weights=(y - np.nan_to_num(a_day)[group] * x) ** 2, minlength=count)
    known = (spread > 0) & (freedom > 0)
    scatter = np.sqrt(np.divide(left, freedom, out=none.copy(), where=known))
    newest = np.flatnonzero(np.concatenate([first[1:], [True]])) if len(group) else np.zeros(0, dtype=np.int64)
    at = stretch[newest]
    return Drifts(
        a_day * DAYS_A_YEAR, error_mean[at], day_mean[at], days[newest], scatter,
        np.maximum(freedom, 0).astype(np.float64), many[at].astype(np.float64), spread,
    )  # fmt: skip


def drift_of(seen: Sequence[Seen]) -> Drift | None:
    """The line through readings in the order of their days; None for none. Raises ValueError if they go back in time."""
    if not seen:
        return None
    days, errors = (np.array([getattr(one, name) for one in seen], dtype=np.float64) for name in ("day", "error"))
    if (np.diff(days) < 0).any():
        raise ValueError("readings stand in the order of their days")
    begins = np.array([one.begins for one in seen], dtype=np.bool_)
    return drifts_of(np.zeros(len(seen), dtype=np.int64), days, errors, begins).one(0)
