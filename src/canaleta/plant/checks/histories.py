"""What was found and left at a point from check to check, as readings that a line goes through."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from itertools import groupby
from typing import Any

from sqlalchemy import Connection, func, select

from canaleta.core.checks.drift import Seen
from canaleta.core.checks.ladder import SWAP
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.database import tables as t

__all__ = ["DAY_S", "History", "day_of", "histories", "seen_in"]

DAY_S = 86_400.0
LOOP = "loop check"
_ANEW = ("trim", SWAP)
"""Kinds of records after which a stretch begins."""


def day_of(at: datetime) -> float:
    """A moment in days since 1970."""
    return at.timestamp() / DAY_S


def seen_in(records: Iterable[Evidence]) -> list[Seen]:
    """The errors of a point's loop checks, % of span, oldest first. What was left begins a stretch of its own; so does the
    first check after the channel was trimmed or the device exchanged, for what was read before is of another pair, or of
    another device."""
    rows = []
    for record in records:
        error = record.body.get("furthest", record.body.get("worst"))
        rows.append((record.at, record.id, record.kind, error, record.body.get("phase")))
    return _seen(rows)


@dataclass(frozen=True)
class History:
    """What was found at a point. last: the day of its newest loop check; passed: what came of that."""

    seen: list[Seen]
    last: float
    passed: bool


def histories(connection: Connection) -> dict[int, History]:
    """{point: what was found at it} of every point that was ever loop-checked."""
    of = t.evidence.c
    kinds = (LOOP, *_ANEW)
    query = (
        select(of.point, of.at, of.id, of.kind, func.coalesce(of.furthest, of.worst), of.phase, of.passes)
        .where(of.kind.in_(kinds))
        .order_by(of.point)
    )
    out: dict[int, History] = {}
    for point, group in groupby(connection.execute(query), key=lambda row: int(row[0])):
        rows = list(group)
        checks = [row for row in rows if row[3] == LOOP]
        if checks:
            newest = max(checks, key=lambda row: (row[1], row[2]))
            seen = _seen([(row[1], row[2], row[3], row[4], row[5]) for row in rows])
            out[point] = History(seen, day_of(newest[1]), newest[6] is not False)
    return out


def _seen(rows: Iterable[tuple[datetime, int, str, Any, str | None]]) -> list[Seen]:
    """(when, number, kind, error, phase) of records as readings."""
    out: list[Seen] = []
    anew = False
    for at, _, kind, error, phase in sorted(rows, key=lambda row: row[:2]):
        if kind in _ANEW:
            anew = True
            continue
        if kind != LOOP or not isinstance(error, int | float):
            continue
        out.append(Seen(day_of(at), float(error), anew or phase == "as left"))
        anew = False
    return out
