"""Hardware as records: cabinets, racks, modules and module types between the layout, the tables and the history.

A record is a flat dictionary of JSON values; history keeps {field: [was, becomes]} a record. A module type is one
record whose only field is its document, for a type is read as a whole.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from sqlalchemy import Connection, Table, delete, insert, select, update

from canaleta.core.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.modules import ModuleType
from canaleta.plant import tables as t

__all__ = [
    "KINDS",
    "Key",
    "Records",
    "differences",
    "inverse_records",
    "layout_of_records",
    "records_of",
    "write_records",
]

Key = tuple[str, int | str]
Records = dict[Key, dict[str, Any]]
TYPE = "module type"
KINDS = ("cabinet", "rack", "module", "cable", TYPE)
_TABLES: dict[str, Table] = {"cabinet": t.cabinet, "rack": t.rack, "module": t.module, "cable": t.cable}
_OF: dict[str, type] = {"cabinet": Cabinet, "rack": Rack, "module": Module, "cable": Cable}


def records_of(layout: Layout) -> Records:
    """Every record of a layout."""
    out: Records = {}
    parts: dict[str, Any] = {
        "cabinet": layout.cabinets, "rack": layout.racks, "module": layout.modules, "cable": layout.cables,
    }  # fmt: skip
    for kind, numbered in parts.items():
        for number, part in numbered.items():
            out[kind, number] = {name: _plain(value) for name, value in asdict(part).items() if name != "id"}
    for key, body in layout.types.items():
        out[TYPE, key] = {"body": body.model_dump(mode="json")}
    return out


def layout_of_records(records: Records, base: int) -> Layout:
    """The layout that records describe. Raises pydantic's ValidationError for a module type that is none."""
    parts: dict[str, dict[int, Any]] = {kind: {} for kind in _OF}
    types: dict[str, ModuleType] = {}
    for (kind, number), fields in records.items():
        if kind == TYPE:
            types[str(number)] = ModuleType.model_validate(fields["body"])
        else:
            frozen = {name: tuple(value) if isinstance(value, list) else value for name, value in fields.items()}
            parts[kind][int(number)] = _OF[kind](id=int(number), **frozen)
    types = dict(sorted(types.items()))
    return Layout(parts["cabinet"], parts["rack"], parts["module"], types, base, parts["cable"])


def differences(before: Layout, after: Layout) -> dict[Key, dict[str, list[Any]]]:
    """{record: {field: [was, becomes]}} of what is not the same; None stands for a record that is not there."""
    old, new = records_of(before), records_of(after)
    out: dict[Key, dict[str, list[Any]]] = {}
    for key in sorted(old.keys() | new.keys(), key=str):
        was, becomes = old.get(key), new.get(key)
        if was == becomes:
            continue
        names = (was or becomes or {}).keys()
        out[key] = {
            name: [was and was[name], becomes and becomes[name]]
            for name in names
            if was is None or becomes is None or was[name] != becomes[name]
        }
    return out


def write_records(connection: Connection, before: Layout, after: Layout, seq: int) -> None:
    """Write what differs, and its history. What refers to something is written after it and goes before it."""
    old, new = records_of(before), records_of(after)
    for kind in ("module", "rack", "cabinet", "cable", TYPE):
        _take_away(connection, kind, [n for k, n in old.keys() - new.keys() if k == kind])
    for kind in (TYPE, "cabinet", "rack", "module", "cable"):
        for key in sorted(new.keys(), key=str):
            if key[0] == kind and new[key] != old.get(key):
                _put(connection, key, new[key], known=key in old)
    history = [
        {"seq": seq, "entity": _entity(key), "entity_id": 0 if key[0] == TYPE else key[1], "fields": fields}
        for key, fields in differences(before, after).items()
    ]
    if history:
        connection.execute(insert(t.change), history)


def inverse_records(connection: Connection, layout: Layout, target: int) -> tuple[Layout | None, list[str]]:
    """The layout with one change set's hardware turned back, None if it had none; and what stays, in words.

    A record that somebody changed since stays as it is.
    """
    rows = connection.execute(
        select(t.change.c.entity, t.change.c.entity_id, t.change.c.fields).where(
            t.change.c.seq == target,
            t.change.c.entity.notin_(("point", "point added", "point removed", "conventions")),
        )
    ).all()
    if not rows:
        return None, []
    records = records_of(layout)
    kept = []
    for row in rows:
        key = _key(row.entity, row.entity_id)
        now = records.get(key)
        if any((None if now is None else now.get(name)) != became for name, (_, became) in row.fields.items()):
            kept.append(row.entity)
            continue
        if all(was is None for was, _ in row.fields.values()):
            records.pop(key, None)
        else:
            records[key] = (now or {}) | {name: was for name, (was, _) in row.fields.items()}
    return layout_of_records(records, layout.channel_base), kept


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _entity(key: Key) -> str:
    return f"{TYPE} {key[1]}" if key[0] == TYPE else key[0]


def _key(entity: str, number: int) -> Key:
    return (TYPE, entity.removeprefix(f"{TYPE} ")) if entity.startswith(f"{TYPE} ") else (entity, number)


def _take_away(connection: Connection, kind: str, numbers: Iterable[int | str]) -> None:
    gone = list(numbers)
    if not gone:
        return
    if kind == TYPE:
        connection.execute(delete(t.module_type).where(t.module_type.c.key.in_(gone)))
    else:
        table = _TABLES[kind]
        connection.execute(delete(table).where(table.c.id.in_(gone)))


def _put(connection: Connection, key: Key, fields: dict[str, Any], *, known: bool) -> None:
    kind, number = key
    if kind == TYPE:
        if known:
            row = t.module_type
            connection.execute(
                update(row).where(row.c.key == number).values(body=fields["body"], version=row.c.version + 1)
            )
        else:
            connection.execute(insert(t.module_type).values(key=number, body=fields["body"]))
        return
    table = _TABLES[kind]
    if known:
        connection.execute(update(table).where(table.c.id == number).values(**fields))
    else:
        connection.execute(insert(table).values(id=number, **fields))
