"""What was found and left at a point from check to check, as readings that a line goes through."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from canaleta.core.checks.drift import Seen
from canaleta.plant.checks.evidence import Evidence

__all__ = ["DAY_S", "day_of", "seen_in"]

DAY_S = 86_400.0


def day_of(at: datetime) -> float:
    """A moment in days since 1970."""
    return at.timestamp() / DAY_S


def seen_in(records: Iterable[Evidence]) -> list[Seen]:
    """The errors of a point's loop checks, % of span, oldest first. What was left begins a stretch of its own; so does the
    first check after the channel was trimmed, for what was read before is of another pair."""
    out: list[Seen] = []
    anew = False
    for record in sorted(records, key=lambda one: (one.at, one.id)):
        if record.kind == "trim":
            anew = True
            continue
        error = record.body.get("furthest", record.body.get("worst"))
        if record.kind != "loop check" or not isinstance(error, int | float):
            continue
        out.append(Seen(day_of(record.at), float(error), anew or record.body.get("phase") == "as left"))
        anew = False
    return out
