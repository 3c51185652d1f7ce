"""Rows of points that come and go, and their history, which keeps every cell of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import orjson
from sqlalchemy import Connection, delete, select

from canaleta.core.model.fields import Kind, Landing, Stored, field_named
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import from_json, to_json

__all__ = [
    "ADDED",
    "BESIDE",
    "INSTRUMENT",
    "PACKAGE",
    "REMOVED",
    "TYPICAL",
    "WAIVER",
    "copy_changes",
    "copy_points",
    "points_of_set",
    "write_added",
    "write_removed",
]

ADDED, REMOVED, TYPICAL, WAIVER, INSTRUMENT, PACKAGE = (
    "point added",
    "point removed",
    "typical",
    "waiver",
    "instrument",
    "package",
)
BESIDE = (TYPICAL, WAIVER, INSTRUMENT, PACKAGE)
"""Records that are kept beside the list and its hardware."""


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
    copy_points(connection, points)
    copy_changes(connection, (_history(seq, ADDED, n, cells) for n, cells in points.items()))


def copy_points(connection: Connection, points: Mapping[int, Mapping[str, Stored]]) -> None:
    """Write points by their numbers. COPY takes fifty thousand in a second or two, inserts take ten."""
    filled = dict.fromkeys(name for cells in points.values() for name, value in cells.items() if value is not None)
    names = ["id"]
    columns: list[list[Any]] = [list(points)]
    for name in filled:
        values = [cells.get(name) for cells in points.values()]
        if field_named(name).kind is Kind.ADDRESS:
            names += ["module", "channel", "landed"]
            places = [value if isinstance(value, Landing) else (None, None, False) for value in values]
            columns += [list(column) for column in zip(*places, strict=True)]
        else:
            names.append(name)
            columns.append(values)
    if "landed" not in names:
        names.append("landed")
        columns.append([False] * len(points))
    quoted = ", ".join(f'"{name}"' for name in names)
    driver: Any = connection.connection.cursor()
    with driver as cursor, cursor.copy(f"copy point ({quoted}) from stdin") as copy:
        for row in zip(*columns, strict=True):
            copy.write_row(row)


def copy_changes(connection: Connection, rows: Iterable[Mapping[str, Any]]) -> None:
    """Write rows of history."""
    driver: Any = connection.connection.cursor()
    with driver as cursor, cursor.copy('copy "change" (seq, entity, entity_id, fields) from stdin') as copy:
        for row in rows:
            copy.write_row((row["seq"], row["entity"], row["entity_id"], orjson.dumps(row["fields"]).decode()))


def write_removed(connection: Connection, points: Mapping[int, Mapping[str, Stored]], seq: int) -> None:
    """Take points away; their history keeps what they were."""
    if not points:
        return
    connection.execute(delete(t.point).where(t.point.c.id.in_(list(points))))
    copy_changes(connection, (_history(seq, REMOVED, n, cells) for n, cells in points.items()))


def _history(seq: int, entity: str, number: int, cells: Mapping[str, Stored]) -> dict[str, Any]:
    told = {name: to_json(value) for name, value in cells.items() if value is not None}
    fields = {n: [None, v] for n, v in told.items()} if entity == ADDED else {n: [v, None] for n, v in told.items()}
    return {"seq": seq, "entity": entity, "entity_id": number, "fields": fields}
