"""Points that come and go: added with a list, taken away again by undo. History keeps every cell of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, Engine, delete, func, insert, select

from canaleta.core.fields import Stored, field_named
from canaleta.core.image import PlantImage
from canaleta.plant import tables as t
from canaleta.plant.cells import from_json, to_json, to_row
from canaleta.plant.database import take_plant_lock
from canaleta.plant.keeper import PlantKeeper

__all__ = ["ADDED", "REMOVED", "add_points", "points_of_set", "write_added", "write_removed"]

ADDED, REMOVED = "point added", "point removed"
Planner = Callable[[PlantImage], tuple[dict[tuple[int, str], Stored], Sequence[Mapping[str, Stored]]]]


def add_points(engine: Engine, keeper: PlantKeeper, plan: Planner, who: str, source: str) -> Any:
    """Change cells and add points as one change set; plan says which, seeing the plant as it is under the lock."""
    from canaleta.plant.proposals import commit

    with engine.begin() as connection:
        take_plant_lock(connection)
        image = keeper.caught_up(connection)
        changes, new = plan(image)
        first = int(connection.execute(select(func.coalesce(func.max(t.point.c.id), 0))).scalar_one()) + 1
        # Numbers of points that were taken away are not given out again: history speaks of them.
        gone = connection.execute(
            select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == REMOVED)
        ).scalar_one()
        first = max(first, int(gone) + 1)
        added = {first + k: dict(cells) for k, cells in enumerate(new)}
        applied = commit(connection, image, changes, who, source, added=added)
    keeper.adopt(applied.image)
    return applied


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
