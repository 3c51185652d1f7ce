"""When points are due to be checked again: after the plant's interval, or sooner where their drift says so."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from canaleta.core.checks.drift import Drift

__all__ = ["Because", "Due", "due_of"]


class Because(StrEnum):
    """Why on that day."""

    INTERVAL = "interval"
    DRIFT = "drift"
    OUT = "out"
    FAILED = "failed"


@dataclass(frozen=True)
class Due:
    """The day on which a check is due, in the days of the drift's readings, and why."""

    day: float
    because: Because
    says: str


def due_of(last: float, interval_days: float, tolerance: float, drift: Drift | None, *, failed: bool) -> Due:
    """When a point is due. last: the day of its newest check; failed: whether that did not pass; drift: the line through its
    checks, None or without a band where it says nothing yet."""
    if failed:
        return Due(last, Because.FAILED, "its last check failed")
    sooner = math.nan if drift is None else drift.leaves(tolerance)
    if math.isfinite(sooner) and sooner < interval_days:
        if sooner <= 0:
            return Due(last, Because.OUT, f"its checks scatter so much that the next may be out of ±{tolerance:g} %")
        rate = abs(drift.rate) if drift is not None else math.nan
        return Due(last + sooner, Because.DRIFT, f"it drifts by {rate:.3f} % of span a year")
    return Due(last + interval_days, Because.INTERVAL, f"{interval_days:g} days after its last check")
