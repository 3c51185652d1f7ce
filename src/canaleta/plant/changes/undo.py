"""Undo and redo of one's own change sets, also after a reload: the stack is read from the history itself."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, select

from canaleta.core.checks.ladder import PROVED
from canaleta.core.model.convention_fields import convention_texts, with_conventions
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout, has_channel
from canaleta.plant.changes.apply import Applied, commit, with_landings
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import from_json, to_json
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.equipment import inverse_hardware, trouble_of
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.instruments import INSTRUMENTS
from canaleta.plant.records.packages import PACKAGES
from canaleta.plant.records.points import ADDED, REMOVED, points_of_set
from canaleta.plant.records.records import RecordChange, inverse_records
from canaleta.plant.records.typicals import TYPICALS
from canaleta.plant.records.waivers import WAIVERS

__all__ = ["LADDER", "LOADED", "NothingToUndo", "redo", "revert", "stacks", "undo"]

DEPTH = 500
LADDER = "ladder"
"""Source of change sets that follow from what was signed: no slip of the hand, so no undo of one."""
LOADED = "project loaded"
"""Source of the one that a plant begins with that was read from a project file: before it there was none."""
_STAYS = (LADDER, LOADED)


class NothingToUndo(LookupError):
    """There is nothing of one's own left to undo, or to redo."""


def undo(engine: Engine, cache: ImageCache, who: str) -> Applied:
    """Undo one's own last change set. Cells that others changed since stay and are named in `kept`."""
    return _turn_back(engine, cache, who, "undo")


def redo(engine: Engine, cache: ImageCache, who: str) -> Applied:
    """Redo what one undid last."""
    return _turn_back(engine, cache, who, "redo")


def stacks(connection: Connection, who: str) -> tuple[list[int], list[int]]:
    """(sets that can be undone, undo sets that can be redone), oldest first, from one's last DEPTH sets."""
    rows = connection.execute(
        select(t.change_set.c.seq, t.change_set.c.undoes)
        .where(t.change_set.c.who == who, t.change_set.c.source.not_in(_STAYS))
        .order_by(t.change_set.c.seq.desc())
        .limit(DEPTH)
    ).all()
    done: list[int] = []
    undone: list[int] = []
    for row in reversed(rows):
        if row.undoes is None:
            done.append(row.seq)
            undone.clear()
        elif row.undoes in done:
            done.remove(row.undoes)
            undone.append(row.seq)
        elif row.undoes in undone:
            undone.remove(row.undoes)
            done.append(row.seq)
    return done, undone


def revert(
    engine: Engine, cache: ImageCache, target: int, who: str, point: int | None = None, field: str | None = None
) -> Applied:
    """Take back anybody's change set as a new one: all of it, what it did to one point, or one cell of that.

    Cells that were changed since stay and are named in `kept`. Raises NothingToUndo where nothing would change.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        source = connection.execute(
            select(t.change_set.c.source).where(t.change_set.c.seq == target)
        ).scalar_one_or_none()
        if source is None:
            raise NothingToUndo("there is no such change")
        if source == LOADED:
            raise NothingToUndo("the plant begins with this project: before it there was nothing")
        before = cache.caught_up(connection).seq
        what = "a change" if point is None else "a row of a change" if field is None else "a cell"
        applied = _inverted(connection, cache, target, who, f"took back {what}", None, _Only(point, field))
        if applied.seq == before:
            raise NothingToUndo("nothing is left to take back: it was changed since")
    cache.adopt(applied.image)
    return applied


@dataclass(frozen=True)
class _Only:
    """The part of a change set that is meant: of one point, of one field; None for any."""

    point: int | None = None
    field: str | None = None

    @property
    def whole(self) -> bool:
        return self.point is None


def _turn_back(engine: Engine, cache: ImageCache, who: str, way: str) -> Applied:
    with engine.begin() as connection:
        take_plant_lock(connection)
        done, undone = stacks(connection, who)
        stack = done if way == "undo" else undone
        if not stack:
            raise NothingToUndo(f"nothing of yours is left to {way}")
        applied = _inverted(connection, cache, stack[-1], who, way, stack[-1], _Only())
    cache.adopt(applied.image)
    return applied


def _inverted(
    connection: Connection, cache: ImageCache, target: int, who: str, source: str, undoes: int | None, only: _Only
) -> Applied:
    """Commit what takes a change set back, or a part of it."""
    image = cache.caught_up(connection)
    changes, kept = _inverse(connection, image, target, only)
    back, gone, held = _inverse_points(connection, image, target, only)
    conventions, layout = None, None
    records: list[RecordChange] = []
    if only.whole:
        conventions, also = _inverse_conventions(connection, image, target)
        records, stayed_records = inverse_records(connection, target, (TYPICALS, WAIVERS, INSTRUMENTS, PACKAGES))
        layout, stayed = inverse_hardware(connection, image.layout, target, _claimed(image, changes))
        if layout is not None and (says := trouble_of(layout)):
            raise NothingToUndo(f"it cannot be turned back as it stands: {says}")
        held += also + [(0, name) for name in (*stayed, *stayed_records)]
    changes, homeless = _on_layout(image, changes, layout or image.layout)
    changes = with_landings(image, changes)
    change = ChangeSet(changes, back, gone, layout, conventions, records)
    applied = commit(connection, image, change, who, source, undoes=undoes)
    return replace(applied, kept=tuple(kept + homeless + held))


def _claimed(image: PlantImage, changes: CellChanges) -> set[int]:
    """The modules that points claim once the changes are made."""
    rows = set(np.flatnonzero(image.module >= 0).tolist()) - {row for row, name in changes if name == "channel"}
    after = (at.module for (_, name), at in changes.items() if name == "channel" and isinstance(at, Landing))
    return {int(image.module[row]) for row in rows} | set(after)


def _on_layout(image: PlantImage, changes: CellChanges, layout: Layout) -> tuple[CellChanges, list[tuple[int, str]]]:
    """The changes on a layout: who would go back to a channel that is not there stays, and is named; who is on one
    waits."""
    out, kept = dict(changes), []
    for row in range(len(image)):
        now = image.cells["channel"][row]
        at = out.get((row, "channel"), now)
        if not isinstance(at, Landing) or has_channel(layout, at):
            continue
        stays = isinstance(now, Landing) and has_channel(layout, now)
        if stays:
            del out[row, "channel"]
        else:
            out[row, "channel"] = None
        kept.append((int(image.ids[row]), "channel"))
    return out, kept


def _inverse(
    connection: Connection, image: PlantImage, target: int, only: _Only
) -> tuple[CellChanges, list[tuple[int, str]]]:
    of = select(t.change.c.entity_id, t.change.c.fields).where(t.change.c.seq == target, t.change.c.entity == "point")
    if only.point is not None:
        of = of.where(t.change.c.entity_id == only.point)
    rows = connection.execute(of).all()
    changes: CellChanges = {}
    kept: list[tuple[int, str]] = []
    for row in rows:
        if not image.has(row.entity_id):
            kept += [(row.entity_id, name) for name in row.fields]
            continue
        at = image.row_of(row.entity_id)
        for name, (was, became) in row.fields.items():
            if only.field not in (None, name):
                continue
            if _comparable(to_json(image.cells[name][at])) != _comparable(became):
                kept.append((row.entity_id, name))
                continue
            if name == "status" and was in PROVED:
                # What a record proved comes back with a record alone.
                kept.append((row.entity_id, name))
                continue
            changes[at, name] = from_json(field_named(name), was)
    return changes, kept


def _inverse_points(
    connection: Connection, image: PlantImage, target: int, only: _Only
) -> tuple[dict[int, dict[str, Stored]], dict[int, dict[str, Stored]], list[tuple[int, str]]]:
    """(points to bring back, points to take away, points that stay because somebody changed them since)."""
    if only.field is not None:
        return {}, {}, []

    def meant(number: int) -> bool:
        return only.point in (None, number)

    back = {n: c for n, c in points_of_set(connection, target, REMOVED).items() if not image.has(n) and meant(n)}
    gone: dict[int, dict[str, Stored]] = {}
    held = []
    for number, cells in points_of_set(connection, target, ADDED).items():
        if not image.has(number) or not meant(number):
            continue
        row = image.row_of(number)
        now = {name: column[row] for name, column in image.cells.items() if column[row] is not None}
        same = all(_comparable(to_json(now.get(n))) == _comparable(to_json(v)) for n, v in cells.items())
        if same and set(now) == set(cells):
            gone[number] = now
        else:
            held.append((number, "tag"))
    return back, gone, held


def _inverse_conventions(
    connection: Connection, image: PlantImage, target: int
) -> tuple[Conventions | None, list[tuple[int, str]]]:
    """The conventions as they were before a set, and those that others changed since; None if it changed none."""
    row = connection.execute(
        select(t.change.c.fields).where(t.change.c.seq == target, t.change.c.entity == "conventions")
    ).first()
    if row is None:
        return None, []
    now = convention_texts(image.conventions)
    back = {name: was for name, (was, became) in row.fields.items() if now[name] == became}
    return with_conventions(image.conventions, back), [(0, name) for name in row.fields if name not in back]


def _comparable(value: Any) -> Any:
    """A landing is the same claim whether it is held or wished for."""
    return value[:2] if isinstance(value, list) else value
