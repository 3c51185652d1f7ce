"""Hardware as records: cabinets, racks, modules and module types between the layout, the tables and the history.

A record is a flat dictionary of JSON values; history keeps {field: [was, becomes]} a record. A module type is one
record whose only field is its document, for a type is read as a whole.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Set
from dataclasses import asdict
from typing import Any

from sqlalchemy import Connection, Table, delete, insert, select, update

from canaleta.core.hardware.settings import settings_size
from canaleta.core.model import register_tables
from canaleta.core.model.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.model.links import is_serial
from canaleta.core.model.module_type import ModuleType, as_written_now
from canaleta.plant.database import tables as t
from canaleta.plant.records.points import ADDED, BESIDE, REMOVED

__all__ = [
    "KINDS",
    "LAST_REGISTER",
    "Key",
    "Records",
    "differences",
    "inverse_hardware",
    "layout_of_records",
    "records_of",
    "trouble_of",
    "write_hardware_records",
]

Key = tuple[str, int | str]
Records = dict[Key, dict[str, Any]]
TYPE = "module type"
LAST_REGISTER = 65_535
MOST_MODULES = 64
KINDS = ("cabinet", "rack", "module", "cable", TYPE)
_TABLES: dict[str, Table] = {"cabinet": t.cabinet, "rack": t.rack, "module": t.module, "cable": t.cable}
_OF: dict[str, type] = {"cabinet": Cabinet, "rack": Rack, "module": Module, "cable": Cable}


def records_of(layout: Layout) -> Records:
    """Every record of a layout."""
    out: Records = {}
    parts: dict[str, Any] = {
        "cabinet": layout.cabinets,
        "rack": layout.racks,
        "module": layout.modules,
        "cable": layout.cables,
    }
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


def write_hardware_records(connection: Connection, before: Layout, after: Layout, seq: int) -> None:
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


def trouble_of(layout: Layout) -> str:
    """What keeps a layout from holding together as a whole, in words; '' for nothing."""
    cabinets = Counter(c.name.lower() for c in layout.cabinets.values())
    if twice := [c.name for c in layout.cabinets.values() if cabinets[c.name.lower()] > 1]:
        return f"two cabinets are called {twice[0]}"
    cables = Counter(c.name.lower() for c in layout.cables.values())
    if same := [c.name for c in layout.cables.values() if cables[c.name.lower()] > 1]:
        return f"two cables are called {same[0]}"
    inside = Counter((r.cabinet, r.name.lower()) for r in layout.racks.values())
    if doubled := [r for r in layout.racks.values() if inside[r.cabinet, r.name.lower()] > 1]:
        return f"two racks of {layout.cabinets[doubled[0].cabinet].name} are called {doubled[0].name}"
    real = [r for r in layout.racks.values() if not r.host.startswith("127.")]
    # A server or a broker has as many names as one likes, of as many racks.
    reached = Counter((r.reached_at, r.unit) for r in real if not r.by_name)
    if shared := [place for place, racks in reached.items() if racks > 1]:
        return f"two racks are reached at {shared[0][0]}, unit {shared[0][1]}"
    ways: dict[str, set[tuple[str, str]]] = {}
    for rack in real:
        place = rack.host if is_serial(rack.link) else rack.reached_at
        ways.setdefault(place, set()).add((rack.link, rack.line if is_serial(rack.link) else ""))
    if several := next((place for place, some in ways.items() if len(some) > 1), ""):
        told = " and ".join(sorted(" ".join(part for part in way if part) for way in ways[several]))
        return f"{several} works one way for all that hang on it, not as {told}"
    for rack in layout.racks.values():
        modules = layout.modules_of(rack.id)
        if len(modules) > MOST_MODULES:
            return f"rack {rack.name} would have {len(modules)} modules; {MOST_MODULES} is the most"
        if rack.by_name:
            continue
        places, settings = layout.first_places(rack.id), settings_size(layout, rack.id)
        for module in modules:
            own = layout.type_of(module.id).own_holding()
            if (
                own is not None
                and (at := places[module.id][register_tables.Table.HOLDING_REGISTERS] + own) < settings
            ):
                title = layout.type_of(module.id).title
                return (
                    f"holding register {at} of rack {rack.name} is a setting, and {title} has it in its own map: its type "
                    "must name a place behind the settings, or have none"
                )
            for table, count in layout.type_of(module.id).extents(rack.function).items():
                if places[module.id][table] + count > LAST_REGISTER:
                    return f"rack {rack.name} would need {table} beyond {LAST_REGISTER}"
    return ""


def inverse_hardware(
    connection: Connection, layout: Layout, target: int, claimed: Set[int]
) -> tuple[Layout | None, list[str]]:
    """The layout with one change set's hardware turned back, None if it had none; and what stays, in words.

    A record that somebody changed since stays as it is; so does a module that points claim (claimed: their numbers),
    and whatever a record that stays stands in or is made of.
    """
    rows = connection.execute(
        select(t.change.c.entity, t.change.c.entity_id, t.change.c.fields).where(
            t.change.c.seq == target,
            t.change.c.entity.notin_(("point", ADDED, REMOVED, *BESIDE, "conventions")),
        )
    ).all()
    if not rows:
        return None, []
    before = records_of(layout)
    records, kept = dict(before), []
    for row in rows:
        key = _key(row.entity, row.entity_id)
        now, fields = records.get(key), row.fields
        if key[0] == TYPE:
            # What an earlier version wrote is compared as this one writes it.
            fields = {
                name: [as_written_now(x) if name == "body" else x for x in pair] for name, pair in fields.items()
            }
        if any((None if now is None else now.get(name)) != became for name, (_, became) in fields.items()):
            kept.append(row.entity)
        elif all(was is None for was, _ in fields.values()):
            records.pop(key, None)
        else:
            records[key] = (now or {}) | {name: was for name, (was, _) in fields.items()}
    kept += _held_together(records, before, claimed)
    return layout_of_records(records, layout.channel_base), kept


def _held_together(records: Records, before: Records, claimed: Set[int]) -> list[str]:
    """Mend records that were turned back among others that were not; in place. Returns what could not be turned
    back."""
    kept = []
    busy: list[Key] = [("module", number) for number in sorted(claimed)]
    for key in busy:
        if key not in records and key in before:
            records[key] = before[key]
            kept.append("module")
    # From the inside outward: what a record needs stays, or else the record cannot come back.
    for kind, needs in (("module", (("rack", "rack"), (TYPE, "type_key"))), ("rack", (("cabinet", "cabinet"),))):
        for key in [k for k in records if k[0] == kind]:
            for of, field in needs:
                needed: Key = (of, records[key][field])
                if needed in records:
                    continue
                kept.append(of if needed in before else kind)
                if needed in before:
                    records[needed] = before[needed]
                else:
                    del records[key]
                    break
    _closed_up(records, before)
    return kept


def _closed_up(records: Records, before: Records) -> None:
    """Count the places of each rack anew: one that came back stands where it stood, before who moved up since."""
    racks: dict[int, list[tuple[int, bool, Key]]] = {}
    for key, fields in records.items():
        if key[0] == "module":
            racks.setdefault(fields["rack"], []).append((fields["place"], before.get(key) == fields, key))
    for modules in racks.values():
        for place, (_, _, key) in enumerate(sorted(modules, key=lambda m: (m[0], m[1], str(m[2]))), start=1):
            records[key] = records[key] | {"place": place}


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
