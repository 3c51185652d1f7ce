"""Records that are kept as a whole beside the list: typicals, waivers. Written with a change set, told in its
history, taken back with it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from sqlalchemy import Connection, Row, Table, delete, func, insert, select, update

from canaleta.plant.database import tables as t

__all__ = ["Record", "RecordChange", "Shelf", "everything", "inverse_records", "next_number", "write_records"]


class Record(Protocol):
    """A record with a number of its own, a name that people know, and its content."""

    @property
    def id(self) -> int:
        """Its number, never given twice."""

    @property
    def name(self) -> str:
        """What people call it."""

    def body(self) -> dict[str, Any]:
        """As history keeps it: JSON."""

    def columns(self) -> dict[str, Any]:
        """As its table keeps it, without the number."""


@dataclass(frozen=True)
class Shelf:
    """Where records of one kind are kept. entity: what history calls them; of_row, of_body: a record made of
    either."""

    table: Table
    entity: str
    of_row: Callable[[Row[Any]], Record]
    of_body: Callable[[int, Mapping[str, Any]], Record]


@dataclass(frozen=True)
class RecordChange:
    """A record as it was and as it is from now on; None where it is not there."""

    shelf: Shelf
    was: Record | None
    becomes: Record | None

    @property
    def id(self) -> int:
        """The record's number."""
        one = self.becomes or self.was
        assert one is not None
        return one.id


def everything(connection: Connection, shelf: Shelf) -> list[Record]:
    """Every record of a shelf, by its number."""
    return [shelf.of_row(row) for row in connection.execute(select(shelf.table).order_by(shelf.table.c.id))]


def next_number(connection: Connection, shelf: Shelf) -> int:
    """A number that no record has or had."""
    now = select(func.coalesce(func.max(shelf.table.c.id), 0)).scalar_subquery()
    then = select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == shelf.entity)
    return int(connection.execute(select(func.greatest(now, then.scalar_subquery()))).scalar_one()) + 1


def write_records(connection: Connection, changes: Sequence[RecordChange], seq: int) -> None:
    """Write records and their history."""
    for change in changes:
        table, entity = change.shelf.table, change.shelf.entity
        if change.becomes is None:
            connection.execute(delete(table).where(table.c.id == change.id))
        elif change.was is None:
            connection.execute(insert(table).values(id=change.id, **change.becomes.columns()))
        else:
            connection.execute(update(table).where(table.c.id == change.id).values(**change.becomes.columns()))
        fields = {entity: [change.was and change.was.body(), change.becomes and change.becomes.body()]}
        connection.execute(insert(t.change).values(seq=seq, entity=entity, entity_id=change.id, fields=fields))


def inverse_records(
    connection: Connection, target: int, shelves: Iterable[Shelf]
) -> tuple[list[RecordChange], list[str]]:
    """What takes a change set's records back, and the names of those that somebody changed since."""
    back: list[RecordChange] = []
    stay: list[str] = []
    for shelf in shelves:
        of = select(t.change.c.entity_id, t.change.c.fields)
        rows = connection.execute(of.where(t.change.c.seq == target, t.change.c.entity == shelf.entity)).all()
        now = {known.id: known for known in everything(connection, shelf)} if rows else {}
        for row in rows:
            was, became = (shelf.of_body(row.entity_id, body) if body else None for body in row.fields[shelf.entity])
            one = became or was
            if now.get(row.entity_id) == became:
                back.append(RecordChange(shelf, became, was))
            elif one is not None:
                stay.append(one.name)
    return back, stay
