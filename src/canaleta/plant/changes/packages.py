"""Packages of work are made, changed and taken away, each as one change set that can be undone."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import Engine

from canaleta.core.notation.text import TextError
from canaleta.plant.changes.apply import commit
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.proposal import Applied
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.packages import PACKAGES, Package, packages
from canaleta.plant.records.records import RecordChange, next_number

__all__ = ["keep_package"]


def keep_package(engine: Engine, cache: ImageCache, name: str, becomes: Package | None, who: str) -> Applied:
    """Make, change or take away a package. becomes: None takes it away; its id is ours.

    Raises LookupError if there is none to take away, TextError for a name that is taken or a point that is not there.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = {one.name: one for one in packages(connection)}
        was = known.get(name)
        if becomes is None and was is None:
            raise LookupError(f"there is no package “{name}”")
        if becomes is not None:
            if becomes.name in known and becomes.name != name:
                raise TextError(f"there is a package “{becomes.name}” already")
            if missing := [point for point in becomes.points if not image.has(point)]:
                raise TextError(f"{len(missing)} of these points are not in the list")
            becomes = replace(becomes, id=was.id if was else next_number(connection, PACKAGES))
        what = "took away" if becomes is None else "changed" if was else "made"
        change = ChangeSet({}, records=[RecordChange(PACKAGES, was, becomes)])
        applied = commit(connection, image, change, who, f"{what} package {name}"[:60])
    cache.adopt(applied.image)
    return applied
