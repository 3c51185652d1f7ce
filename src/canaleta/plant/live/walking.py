"""Walks: who goes round with a calibrator, which points are expected in which order, and what the scan has found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify

__all__ = [
    "FOUND_CHANNEL",
    "FoundRow",
    "Walk",
    "begin_walk",
    "end_walk",
    "forget_found_before",
    "found_since",
    "note_found",
    "walk_of",
    "walks",
]

FOUND_CHANNEL = "canaleta_found"


@dataclass(frozen=True)
class Walk:
    """One person's walk since a moment. expected: points in their order, empty where nobody said."""

    who: str
    begins: datetime
    expected: tuple[int, ...]


@dataclass(frozen=True)
class FoundRow:
    """A pattern that was played at a point. plateaus: of a staircase, see core.live.recognition.Plateau."""

    id: int
    at: datetime
    point: int
    pattern: str
    plateaus: list[dict[str, Any]]


def note_found(
    connection: Connection, point: int, at: datetime, pattern: str, plateaus: Sequence[dict[str, Any]]
) -> None:
    """Somebody plays at a point: keep what was read and tell the screens."""
    number = connection.execute(
        insert(t.found).values(at=at, point=point, pattern=pattern, body=list(plateaus)).returning(t.found.c.id)
    ).scalar_one()
    notify(connection, FOUND_CHANNEL, number)


def forget_found_before(connection: Connection, day: datetime) -> None:
    """Drop what was found so long ago; what was signed of it is a record of its own."""
    connection.execute(delete(t.found).where(t.found.c.at < day))


def begin_walk(connection: Connection, who: str, expected: Sequence[int]) -> None:
    """Somebody sets out. Another walk of the same person is over."""
    values = {"begins": func.clock_timestamp(), "expected": list(expected)}
    put = upsert(t.walk).values(who=who, **values)
    connection.execute(put.on_conflict_do_update(index_elements=["who"], set_=values))


def end_walk(connection: Connection, who: str) -> None:
    """Somebody is back."""
    connection.execute(delete(t.walk).where(t.walk.c.who == who))


def walk_of(connection: Connection, who: str) -> Walk | None:
    """Somebody's walk, None if there is none."""
    return next((walk for walk in walks(connection) if walk.who == who), None)


def walks(connection: Connection) -> list[Walk]:
    """Everybody who walks."""
    return [
        Walk(r.who, r.begins, tuple(r.expected)) for r in connection.execute(select(t.walk).order_by(t.walk.c.begins))
    ]


def found_since(connection: Connection, since: datetime, most: int = 200) -> list[FoundRow]:
    """What was found since a moment, oldest first."""
    rows = connection.execute(select(t.found).where(t.found.c.at >= since).order_by(t.found.c.id).limit(most))
    return [FoundRow(r.id, r.at, r.point, r.pattern, r.body) for r in rows]
