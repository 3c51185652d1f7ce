"""What was found and left at a point from check to check, as readings that a line goes through."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from sqlalchemy import Connection, func, select

from canaleta.core.checks.drift import Seen
from canaleta.core.checks.ladder import SWAP
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.database import tables as t

__all__ = ["DAY_S", "Histories", "day_of", "histories", "seen_in"]

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
    out: list[Seen] = []
    anew = False
    for record in sorted(records, key=lambda one: (one.at, one.id)):
        if record.kind in _ANEW:
            anew = True
            continue
        error = record.body.get("furthest", record.body.get("worst"))
        if record.kind != LOOP or not isinstance(error, int | float):
            continue
        out.append(Seen(day_of(record.at), float(error), anew or record.body.get("phase") == "as left"))
        anew = False
    return out


@dataclass(frozen=True)
class Histories:
    """What was found at every point that was ever loop-checked, as arrays. points, last, failed: shape (points,): its newest
    check's day, and whether that did not pass. group: of each reading its point's place among them; day, error, begins: of
    each reading, in the order of their days within a point."""

    points: Rows
    last: Floats
    failed: Bools
    group: Rows
    day: Floats
    error: Floats
    begins: Bools


def histories(connection: Connection) -> Histories:
    """What was found at every point."""
    of = t.evidence.c
    query = (
        select(
            of.point, func.extract("epoch", of.at), of.kind != LOOP, func.coalesce(of.furthest, of.worst),
            of.phase == "as left", of.passes.is_(False),
        )
        .where(of.kind.in_((LOOP, *_ANEW)))
        .order_by(of.point, of.at, of.id)
    )  # fmt: skip
    columns = list(zip(*connection.execute(query).all(), strict=True)) or [()] * 6
    point = np.array(columns[0], dtype=np.int64)
    day = np.array(columns[1], dtype=np.float64) / DAY_S
    anew, left, failed = (np.array([x is True for x in columns[k]], dtype=np.bool_) for k in (2, 4, 5))
    error = np.array([np.nan if x is None else x for x in columns[3]], dtype=np.float64)
    checks = np.flatnonzero(~anew & np.isfinite(error))
    # What breaks the line between two checks of a point begins a stretch at the later one.
    broken = np.cumsum(anew)
    before = np.concatenate([[-1], broken[checks][:-1]]) if len(checks) else broken
    same = np.concatenate([[False], np.diff(point[checks]) == 0]) if len(checks) else np.zeros(0, dtype=np.bool_)
    begins = left[checks] | (same & (broken[checks] > before))
    points, group = np.unique(point[checks], return_inverse=True)
    newest = np.searchsorted(point[checks], points, side="right") - 1
    return Histories(
        points,
        day[checks][newest],
        failed[checks][newest],
        group.astype(np.int64),
        day[checks],
        error[checks],
        begins,
    )
