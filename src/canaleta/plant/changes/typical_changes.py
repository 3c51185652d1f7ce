"""Changing a typical: the points made from it that may follow, as one change set with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from sqlalchemy import Engine

from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.apply import Applied, commit, with_landings
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.changes.entering import enter_row
from canaleta.plant.changes.rows import OWN
from canaleta.plant.database.cells import same_cell
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.records import RecordChange, next_number
from canaleta.plant.records.typicals import TYPICALS, Typical, typicals

__all__ = ["change_typical", "points_of", "typical_edits"]


def points_of(image: PlantImage, name: str) -> list[int]:
    """The points made from a typical."""
    return [int(image.ids[row]) for row in np.flatnonzero(image.cells["typical"] == name)]


def typical_edits(
    image: PlantImage, was: Typical | None, becomes: Typical, only: Sequence[int] | None
) -> tuple[CellChanges, list[int]]:
    """Cells of points that follow a changed typical, and the points concerned. only: those that shall follow, all if
    None.

    A cell follows while it still says what the typical said; what somebody changed at the point itself stays.
    """
    if was is None:
        return {}, []
    names = [n for n in {**was.cells, **becomes.cells} if was.cells.get(n, "") != becomes.cells.get(n, "")]
    report, _ = enter_row(image, None, dict(was.cells))
    changes: CellChanges = {}
    concerned = []
    for point in points_of(image, was.name):
        if only is not None and point not in only:
            continue
        row = image.row_of(point)
        typed = {n: becomes.cells.get(n, "") for n in names if same_cell(image.cells[n][row], report.get(n))}
        got, _ = enter_row(image, row, typed)
        if becomes.name != was.name:
            got["typical"] = becomes.name
        differs = {(row, n): v for n, v in got.items() if not same_cell(image.cells[n][row], v)}
        if differs:
            changes |= differs
            concerned.append(point)
    return with_landings(image, changes), concerned


def change_typical(
    engine: Engine, cache: ImageCache, name: str, becomes: Typical | None, points: Sequence[int], who: str
) -> Applied:
    """Make, change or take away a typical, with the points that follow. becomes: None takes it away; its id is ours.

    Raises LookupError if there is none to take away, TextError for cells that cannot be read or a name that is taken.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = {one.name: one for one in typicals(connection)}
        was = known.get(name)
        if becomes is None and was is None:
            raise LookupError(f"there is no typical “{name}”")
        changes: CellChanges = {}
        if becomes is not None:
            _check(image, known, was, becomes)
            becomes = replace(becomes, id=was.id if was else next_number(connection, TYPICALS))
            follow = [*points] if becomes.name == name else points_of(image, name)
            changes, _ = typical_edits(image, was, becomes, follow)
        what = "took away" if becomes is None else "changed" if was else "made"
        change = RecordChange(TYPICALS, was, becomes)
        applied = commit(connection, image, ChangeSet(changes, records=[change]), who, f"{what} typical {name}"[:60])
    cache.adopt(applied.image)
    return applied


def _check(image: PlantImage, known: dict[str, Typical], was: Typical | None, becomes: Typical) -> None:
    if becomes.name in known and (was is None or becomes.name != was.name):
        raise TextError(f"there is a typical “{becomes.name}” already")
    if own := [field_named(n).label for n in becomes.cells if n in OWN or n == "typical"]:
        raise TextError(f"{own[0]} belongs to one point, not to a typical")
    _, troubles = enter_row(image, None, dict(becomes.cells))
    for name, says in troubles.items():
        raise TextError(f"{field_named(name).station.lower()} {field_named(name).label}: {says}")
