"""When points are due to be checked again: after the plant's interval, or sooner where their drift says so."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

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


def due_of(last: float, interval_days: float, tolerance: float, rate: float, leaves: float, *, failed: bool) -> Due:
    """When a point is due. last: the day of its newest check; failed: whether that did not pass; rate: of its drift, % of span a
    year; leaves: days from the newest check until that leaves the tolerance, NaN where nothing is known of it."""
    if failed:
        return Due(last, Because.FAILED, "its last check failed")
    if math.isfinite(leaves) and leaves < interval_days:
        if leaves <= 0:
            return Due(last, Because.OUT, f"its checks scatter so much that the next may be out of ±{tolerance:g} %")
        return Due(last + leaves, Because.DRIFT, f"it drifts by {abs(rate):.3f} % of span a year")
    return Due(last + interval_days, Because.INTERVAL, f"{interval_days:g} days after its last check")
