"""Rungs of the ladder as they were reached and lost, and what stands in the way of the last."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ARRAY, Connection, Text, and_, bindparam, cast, func, insert, or_, select
from sqlalchemy.dialects.postgresql import distinct_on

from canaleta.core.checks.ladder import Rung, Step
from canaleta.core.model.image import PlantImage
from canaleta.core.rules.masks import PATH
from canaleta.plant.database import tables as t
from canaleta.plant.records.equipment import TYPE

__all__ = ["RungEvent", "changed_since", "events_of", "reached", "steps_taken", "write_steps"]

_NAMES_ALONE = ("name", "comment", "remarks")
"""Of a module: what nothing that was read depends on."""
_DEPENDS = (*PATH, "tolerance_loop", "tag")


@dataclass(frozen=True)
class RungEvent:
    """A rung that was reached or lost. how: in words; record: of the signed one it follows from, 0 for none; seq: the list
    that it was done with."""

    id: int
    at: datetime
    point: int
    rung: int
    reached: bool
    who: str
    name: str
    how: str
    record: int
    seq: int


def reached(connection: Connection, points: Sequence[int]) -> dict[int, dict[Rung, RungEvent]]:
    """{point: {rung: newest event of it}} of some points."""
    query = (
        select(t.rung)
        .where(t.rung.c.point.in_(bindparam("points", list(points), expanding=True)))
        .ext(distinct_on(t.rung.c.point, t.rung.c.rung))
        .order_by(t.rung.c.point, t.rung.c.rung, t.rung.c.id.desc())
    )
    out: dict[int, dict[Rung, RungEvent]] = {}
    for row in connection.execute(query).mappings():
        out.setdefault(row["point"], {})[Rung(row["rung"])] = RungEvent(**row)
    return out


def events_of(connection: Connection, point: int, most: int = 100) -> list[RungEvent]:
    """What happened on one point's ladder, newest first."""
    query = select(t.rung).where(t.rung.c.point == point).order_by(t.rung.c.id.desc()).limit(most)
    return [RungEvent(**row) for row in connection.execute(query).mappings()]


def steps_taken(
    now: Mapping[Rung, RungEvent], steps: Iterable[Step], *, anew: bool
) -> tuple[list[Step], dict[Rung, bool]]:
    """(what changes on a ladder, {rung: whether it is reached} after it). A rung that stands is not written again but for the
    highest of a record, which is newer evidence of it: anew."""
    after = {rung: event.reached for rung, event in now.items()}
    taken, listed = [], list(steps)
    for step in listed:
        if after.get(step.rung, False) == step.reached and not (anew and step.reached and step is listed[-1]):
            continue
        after[step.rung] = step.reached
        taken.append(step)
    return taken, after


def write_steps(connection: Connection, rows: Sequence[Mapping[str, Any]]) -> None:
    """Write what changed on ladders: point, rung, reached, who, name, how, record, seq of each."""
    if rows:
        connection.execute(insert(t.rung), list(rows))


def changed_since(connection: Connection, image: PlantImage, since: Mapping[int, int]) -> set[int]:
    """The points of which something that a check depends on changed after a number of the list: of its own path, of its
    module, of the module's type. since: {point: number of the list}; a number that the list has not reached is of another
    list, or of one that a backup took back: that point counts as changed."""
    if not since:
        return set()
    least = min(since.values())
    touches = func.jsonb_exists_any(t.change.c.fields, cast(list(_DEPENDS), ARRAY(Text)))
    more = t.change.c.fields.op("-")(cast(list(_NAMES_ALONE), ARRAY(Text))).cast(Text) != "{}"
    rows = connection.execute(
        select(t.change.c.seq, t.change.c.entity, t.change.c.entity_id).where(
            t.change.c.seq > least,
            or_(
                and_(t.change.c.entity == "point", touches),
                and_(t.change.c.entity == "module", more),
                t.change.c.entity.startswith(f"{TYPE} "),
            ),
        )
    ).all()
    own: dict[int, int] = {}
    modules: dict[int, int] = {}
    types: dict[str, int] = {}
    for row in rows:
        if row.entity == "point":
            own[row.entity_id] = max(row.seq, own.get(row.entity_id, 0))
        elif row.entity == "module":
            modules[row.entity_id] = max(row.seq, modules.get(row.entity_id, 0))
        else:
            key = row.entity.removeprefix(f"{TYPE} ")
            types[key] = max(row.seq, types.get(key, 0))
    out = {point for point, seq in since.items() if seq > image.seq}
    for point, seq in since.items():
        newest = own.get(point, 0)
        module = image.layout.modules.get(int(image.module[image.row_of(point)])) if image.has(point) else None
        if module is not None:
            newest = max(newest, modules.get(module.id, 0), types.get(module.type_key, 0))
        if newest > seq:
            out.add(point)
    return out
