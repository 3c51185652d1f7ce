"""Typicals: kinds of point filled in beforehand. Points remember the one they were made from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.plant import tables as t
from canaleta.plant.points import TYPICAL

__all__ = [
    "Typical",
    "TypicalChange",
    "inverse_typicals",
    "load_typicals",
    "next_number",
    "typicals",
    "write_typicals",
]


@dataclass(frozen=True)
class Typical:
    """A kind of point: its cells as texts that people would type. says: what it is for."""

    id: int
    name: str
    says: str
    cells: Mapping[str, str]

    def body(self) -> dict[str, Any]:
        """As history keeps it."""
        return {"name": self.name, "says": self.says, "cells": dict(self.cells)}


@dataclass(frozen=True)
class TypicalChange:
    """A typical as it was and as it is from now on; None where it is not there."""

    was: Typical | None
    becomes: Typical | None

    @property
    def id(self) -> int:
        """The typical's number."""
        one = self.becomes or self.was
        assert one is not None
        return one.id


def typicals(connection: Connection) -> list[Typical]:
    """Every typical, by name."""
    rows = connection.execute(select(t.typical).order_by(t.typical.c.name))
    return [Typical(row.id, row.name, row.says, row.cells) for row in rows]


def next_number(connection: Connection) -> int:
    """A number that no typical has or had."""
    now = select(func.coalesce(func.max(t.typical.c.id), 0)).scalar_subquery()
    then = select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == TYPICAL)
    return int(connection.execute(select(func.greatest(now, then.scalar_subquery()))).scalar_one()) + 1


def write_typicals(connection: Connection, changes: Sequence[TypicalChange], seq: int) -> None:
    """Write typicals and their history."""
    for change in changes:
        if change.becomes is None:
            connection.execute(delete(t.typical).where(t.typical.c.id == change.id))
        elif change.was is None:
            connection.execute(insert(t.typical).values(id=change.id, **change.becomes.body()))
        else:
            connection.execute(update(t.typical).where(t.typical.c.id == change.id).values(**change.becomes.body()))
        fields = {
            "typical": [change.was and change.was.body(), change.becomes and change.becomes.body()],
        }
        connection.execute(insert(t.change).values(seq=seq, entity=TYPICAL, entity_id=change.id, fields=fields))


def inverse_typicals(connection: Connection, target: int) -> tuple[list[TypicalChange], list[str]]:
    """What takes a change set's typicals back, and the names of those that somebody changed since."""
    rows = connection.execute(
        select(t.change.c.entity_id, t.change.c.fields).where(t.change.c.seq == target, t.change.c.entity == TYPICAL)
    ).all()
    now = {known.id: known for known in typicals(connection)}
    back, kept = [], []
    for row in rows:
        was, became = (Typical(row.entity_id, **body) if body else None for body in row.fields["typical"])
        if now.get(row.entity_id) == became:
            back.append(TypicalChange(became, was))
        else:
            kept.append((became or was).name if (became or was) else "")  # type: ignore[union-attr]
    return back, kept


def load_typicals(connection: Connection, given: Iterable[Mapping[str, Any]]) -> None:
    """Put typicals into a database that has none."""
    for number, body in enumerate(given, start=1):
        connection.execute(upsert(t.typical).values(id=number, **body).on_conflict_do_nothing())
