"""Temporary changes: everything that was changed for a while and must be put back. One log, owned and aged.

Forces and substitutes are entered here by what sets them; lifted wires, jumpers, inhibits, transmitters that simulate
and controllers in manual are entered by people. Nothing is deleted: a change ends, by somebody, with a remark.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, func, insert, select, text, update

from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify

__all__ = ["FORCE", "KINDS", "SUBSTITUTE", "Temporary", "end", "enter", "listed", "open_of", "substitutes"]

FORCE, SUBSTITUTE = "force", "substitute here"
KINDS = ("lifted wire", "jumper", "inhibit", "transmitter simulating", "controller in manual", FORCE, SUBSTITUTE)
TEMPORARY_CHANNEL = "canaleta_temporary"


@dataclass(frozen=True)
class Temporary:
    """One temporary change. given: the value it is held at, as typed; due: when it ought to be over."""

    id: int
    at: datetime
    kind: str
    point: int
    what: str
    why: str
    who: str
    given: str
    due: datetime | None
    ended_at: datetime | None
    ended_by: str
    ended_why: str


def enter(
    connection: Connection,
    kind: str,
    point: int,
    what: str,
    who: str,
    *,
    why: str = "",
    given: str = "",
    minutes: int,
) -> int:
    """Enter a temporary change that begins now and is due after so many minutes. Returns its number."""
    due = func.clock_timestamp() + text("make_interval(mins => :minutes)").bindparams(minutes=minutes)
    number = connection.execute(
        insert(t.temporary)
        .values(at=func.clock_timestamp(), kind=kind, point=point, what=what, who=who, why=why, given=given, due=due)
        .returning(t.temporary.c.id)
    ).scalar_one()
    notify(connection, TEMPORARY_CHANNEL, number)
    return int(number)


def end(connection: Connection, number: int, who: str, why: str = "") -> bool:
    """A temporary change is over. Returns whether it was still open."""
    done = connection.execute(
        update(t.temporary)
        .where(t.temporary.c.id == number, t.temporary.c.ended_at.is_(None))
        .values(ended_at=func.clock_timestamp(), ended_by=who, ended_why=why)
    )
    notify(connection, TEMPORARY_CHANNEL, number)
    return bool(done.rowcount)


def listed(connection: Connection, *, ended: bool = False, most: int = 500) -> list[Temporary]:
    """What is open, oldest first; or what has ended, newest first."""
    query = select(t.temporary).limit(most)
    if ended:
        query = query.where(t.temporary.c.ended_at.is_not(None)).order_by(t.temporary.c.ended_at.desc())
    else:
        query = query.where(t.temporary.c.ended_at.is_(None)).order_by(t.temporary.c.at)
    return [Temporary(**row) for row in connection.execute(query).mappings()]


def open_of(connection: Connection, point: int, kind: str | None = None) -> list[Temporary]:
    """What is open at one point."""
    query = select(t.temporary).where(t.temporary.c.point == point, t.temporary.c.ended_at.is_(None))
    rows = connection.execute(query.order_by(t.temporary.c.at)).mappings()
    return [one for one in (Temporary(**row) for row in rows) if kind is None or one.kind == kind]


def substitutes(connection: Connection) -> dict[int, float]:
    """{point: value} of every value that is replaced in our view alone."""
    rows = connection.execute(
        select(t.temporary.c.point, t.temporary.c.given)
        .where(t.temporary.c.ended_at.is_(None), t.temporary.c.kind == SUBSTITUTE)
        .order_by(t.temporary.c.id)
    )
    return {row.point: float(row.given) for row in rows}
