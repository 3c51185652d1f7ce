"""Rows of points that come and go, and their history, which keeps every cell of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, delete, insert, select

from canaleta.core.fields import Stored, field_named
from canaleta.plant import tables as t
from canaleta.plant.cells import from_json, to_json, to_row

__all__ = ["ADDED", "REMOVED", "TYPICAL", "points_of_set", "write_added", "write_removed"]

ADDED, REMOVED, TYPICAL = "point added", "point removed", "typical"


def points_of_set(connection: Connection, target: int, entity: str) -> dict[int, dict[str, Stored]]:
    """{point: cells} that a change set added or removed."""
    rows = connection.execute(
        select(t.change.c.entity_id, t.change.c.fields).where(t.change.c.seq == target, t.change.c.entity == entity)
    ).all()
    side = 1 if entity == ADDED else 0
    return {
        row.entity_id: {n: from_json(field_named(n), both[side]) for n, both in row.fields.items()} for row in rows
    }


def write_added(connection: Connection, points: Mapping[int, Mapping[str, Stored]], seq: int) -> None:
    """Write new points and their history."""
    if not points:
        return
    columns = [c.name for c in t.point.columns if c.computed is None]
    blank: dict[str, Any] = dict.fromkeys(columns) | {"landed": False}
    connection.execute(insert(t.point), [blank | {"id": number} | to_row(cells) for number, cells in points.items()])
    connection.execute(insert(t.change), [_history(seq, ADDED, n, cells) for n, cells in points.items()])


def write_removed(connection: Connection, points: Mapping[int, Mapping[str, Stored]], seq: int) -> None:
    """Take points away; their history keeps what they were."""
    if not points:
        return
    connection.execute(delete(t.point).where(t.point.c.id.in_(list(points))))
    connection.execute(insert(t.change), [_history(seq, REMOVED, n, cells) for n, cells in points.items()])


def _history(seq: int, entity: str, number: int, cells: Mapping[str, Stored]) -> dict[str, Any]:
    def both(value: Stored) -> list[Any]:
        told = to_json(value)
        return [None, told] if entity == ADDED else [told, None]

    fields = {name: both(value) for name, value in cells.items() if value is not None}
    return {"seq": seq, "entity": entity, "entity_id": number, "fields": fields}
