"""Adding points: new rows and changed cells as one change set, taken away again by undo."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from sqlalchemy import Engine, func, select

from canaleta.core.fields import Stored
from canaleta.core.image import PlantImage
from canaleta.plant import tables as t
from canaleta.plant.database import take_plant_lock
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.points import REMOVED
from canaleta.plant.proposals import Applied, Changes, commit

__all__ = ["Planner", "add_points"]

Planner = Callable[[PlantImage], tuple[Changes, Sequence[Mapping[str, Stored]]]]
"""Which cells change and which points are new, seeing the plant as it is under the lock."""


def add_points(engine: Engine, keeper: PlantKeeper, plan: Planner, who: str, source: str) -> Applied:
    """Change cells and add points as one change set."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = keeper.caught_up(connection)
        changes, new = plan(image)
        newest = int(connection.execute(select(func.coalesce(func.max(t.point.c.id), 0))).scalar_one())
        # Numbers of points that were taken away are not given out again: history speaks of them.
        gone = connection.execute(
            select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == REMOVED)
        ).scalar_one()
        first = max(newest, int(gone)) + 1
        added = {first + k: dict(cells) for k, cells in enumerate(new)}
        applied = commit(connection, image, changes, who, source, added=added)
    keeper.adopt(applied.image)
    return applied
