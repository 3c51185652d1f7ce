"""What a change set writes inside its transaction: cells of points, hardware, conventions, findings; history with
each."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from sqlalchemy import Connection, bindparam, delete, insert, text, update

from canaleta.core.model.convention_fields import convention_texts
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.rules import Finding
from canaleta.plant.changes.change_set import CellChanges
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import to_json, to_row
from canaleta.plant.records.equipment import write_hardware_records
from canaleta.plant.records.findings import stored_touching, to_body, touching
from canaleta.plant.records.points import copy_changes

__all__ = ["insert_findings", "write_conventions", "write_findings", "write_layout", "write_points"]

MANY = 200
"""Rows from which a bulk way of writing pays."""


def write_layout(connection: Connection, image: PlantImage, changes: CellChanges, layout: Layout, seq: int) -> None:
    """Write the hardware. Points leave channels that go before the modules do, for the database holds both to it."""
    leaving = [int(image.ids[row]) for (row, name), value in changes.items() if name == "channel" and value is None]
    if leaving:
        freed = update(t.point).where(t.point.c.id.in_(leaving))
        connection.execute(freed.values(module=None, channel=None, landed=False))
    write_hardware_records(connection, image.layout, layout, seq)


def write_points(connection: Connection, image: PlantImage, changes: CellChanges, seq: int) -> None:
    """Write changed cells of points, and their history."""
    by_row: dict[int, dict[str, Stored]] = {}
    for (row, name), value in changes.items():
        by_row.setdefault(row, {})[name] = value
    history = []
    updates: dict[tuple[str, ...], list[dict[str, object]]] = {}
    for row, values in by_row.items():
        point = int(image.ids[row])
        was = image.cells
        history.append(
            {
                "seq": seq,
                "entity": "point",
                "entity_id": point,
                "fields": {name: [to_json(was[name][row]), to_json(value)] for name, value in values.items()},
            }
        )
        columns = to_row(values)
        updates.setdefault(tuple(sorted(columns)), []).append({"_id": point} | columns)
    for columns_set, rows in updates.items():
        if len(rows) > MANY:
            _update_many(connection, columns_set, rows)
            continue
        statement = update(t.point).where(t.point.c.id == bindparam("_id"))
        connection.execute(statement.values({name: bindparam(name) for name in columns_set}), rows)
    copy_changes(connection, history)


def _update_many(connection: Connection, columns: tuple[str, ...], rows: list[dict[str, object]]) -> None:
    """Change the same columns of many points in one statement, their values sent as arrays."""
    kinds = [str(t.point.c[name].type.compile(connection.dialect)) for name in columns]
    given = ", ".join(["cast(:p_id as bigint[])", *(f"cast(:p_{k} as {kind}[])" for k, kind in enumerate(kinds))])
    named = ", ".join(f'"{name}"' for name in columns)
    sets = ", ".join(f'"{name}" = n."{name}"' for name in columns)
    values = {f"p_{k}": [row[name] for row in rows] for k, name in enumerate(columns)}
    statement = text(f"update point p set {sets} from unnest({given}) as n (id, {named}) where n.id = p.id")
    connection.execute(statement, {"p_id": [row["_id"] for row in rows], **values})


def write_conventions(connection: Connection, was: Conventions, becomes: Conventions, seq: int) -> None:
    """Write the conventions, and which of them changed."""
    before, after = convention_texts(was), convention_texts(becomes)
    fields = {name: [before[name], after[name]] for name in after if before[name] != after[name]}
    connection.execute(update(t.plant).values(conventions=becomes.model_dump()))
    if fields:
        connection.execute(insert(t.change).values(seq=seq, entity="conventions", entity_id=0, fields=fields))


def write_findings(
    connection: Connection, looked: Mapping[str, set[int] | None], found: list[Finding], seq: int
) -> None:
    """Put the findings that hold now in the place of those that were looked at again."""
    if not looked:
        return
    since = {body["key"]: body["since"] for body in stored_touching(connection, looked)}
    connection.execute(delete(t.finding).where(touching(looked)))
    insert_findings(connection, found, seq, since)


def insert_findings(
    connection: Connection, found: Iterable[Finding], seq: int, since: Mapping[str, int] | None = None
) -> None:
    """Write findings; since: the change set that each was first found in, `seq` for new ones."""
    rows = [
        {
            "key": f.key,
            "rule": f.rule,
            "since_seq": (since or {}).get(f.key, seq),
            "points": list(f.points),
            "body": to_body(f),
        }
        for f in found
    ]
    if rows:
        connection.execute(insert(t.finding), rows)
