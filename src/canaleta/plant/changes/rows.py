"""Rows that come and go: new points from texts, from a typical or like another one; points taken away."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from sqlalchemy import Connection, Engine, func, select

from canaleta.core.model.fields import STORED, Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.series import continued, counted_on
from canaleta.plant.changes.apply import Applied, Foreseen, Preview, commit, foresee, preview, with_landings
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.changes.entering import enter_row
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.points import REMOVED
from canaleta.plant.records.typicals import typicals

__all__ = [
    "MOST_NEW",
    "NewRows",
    "RowTrouble",
    "Rows",
    "add_points",
    "add_rows",
    "foresee_points",
    "plan_rows",
    "remove_rows",
]

MOST_NEW = 5000
OWN = ("tag", "second_name", "channel", "cable", "cores", "strip", "serial", "old_address", "status", "redundant")
"""What only the one point has: not taken along when another is made like it."""
COUNTED = ("tag", "second_name", "channel", "cores", "strip")
"""What is counted on from one new point to the next."""

Planner = Callable[[PlantImage], tuple[CellChanges, Sequence[Mapping[str, Stored]]]]
"""Which cells change and which points are new, seeing the plant as it is under the lock."""


@dataclass(frozen=True)
class NewRows:
    """Points to be made. count: how many alike; rows: or what each is, as {field: text}. like: a point, typical: its
    name.

    cells: texts for all of them; those of COUNTED are the first one's and are counted on.
    """

    count: int = 0
    rows: tuple[Mapping[str, str], ...] = ()
    cells: Mapping[str, str] = field(default_factory=dict)
    like: int | None = None
    typical: str = ""


@dataclass(frozen=True)
class RowTrouble:
    """A cell of a new row that cannot be read. row: counted from 0 among the new ones."""

    row: int
    field: str
    typed: str
    says: str


@dataclass(frozen=True)
class Rows:
    """What the new rows would hold, as texts and as stored values, and what cannot be read."""

    texts: tuple[Mapping[str, str], ...]
    values: tuple[dict[str, Stored], ...]
    troubles: tuple[RowTrouble, ...]


def plan_rows(connection: Connection, image: PlantImage, asked: NewRows) -> Rows:
    """Read new rows against the plant. Raises TextError where nothing can be made of them at all."""
    count = len(asked.rows) or asked.count
    if not 1 <= count <= MOST_NEW:
        raise TextError(f"{count} new points; between 1 and {MOST_NEW} are made at once")
    base = _base(connection, image, asked)
    each: list[dict[str, str]] = [dict(base) | dict(asked.cells) for _ in range(count)]
    for name in COUNTED:
        first = asked.cells.get(name, "")
        if first and not asked.rows and count > 1:
            field_ = field_named(name)
            more = continued(image, field_, [first], count - 1) if _can_count(first) else [first] * (count - 1)
            for row, text in zip(each, [first, *more], strict=True):
                row[name] = text
    for row, given in zip(each, asked.rows, strict=False):
        row |= {name: text for name, text in given.items() if text.strip()}
    _name(image, each)
    values: list[dict[str, Stored]] = []
    troubles: list[RowTrouble] = []
    for number, row in enumerate(each):
        got, wrong = enter_row(image, None, row)
        troubles += [RowTrouble(number, name, row[name], says) for name, says in wrong.items()]
        values.append({name: value for name, value in got.items() if value is not None})
    return Rows(tuple(each), tuple(values), tuple(troubles))


def add_rows(engine: Engine, cache: ImageCache, asked: NewRows, who: str, source: str) -> tuple[Applied | None, Rows]:
    """Make new points as one change set; cells that cannot be read stay empty. None if a row has no readable tag."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        rows = plan_rows(connection, image, asked)
        if any("tag" not in values for values in rows.values):
            return None, rows
        applied = commit(connection, image, ChangeSet(added=_numbered(connection, rows.values)), who, source)
    cache.adopt(applied.image)
    return applied, rows


def add_points(
    engine: Engine,
    cache: ImageCache,
    plan: Planner,
    who: str,
    source: str,
    gone: Callable[[], Sequence[int]] = lambda: (),
    foreseen: Foreseen | None = None,
) -> Applied:
    """Change cells, add points and take some away as one change set. gone is asked after the plan was made. foreseen: what
    it does, worked out before; it is taken if the plant is as it was."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        changes, new = plan(image)
        if foreseen is not None and foreseen.seq == image.seq:
            applied = commit(connection, image, foreseen.change, who, source, foreseen=foreseen)
            cache.adopt(applied.image)
            return applied
        changes, removed = _without(image, changes, gone())
        change = ChangeSet(with_landings(image, changes), _numbered(connection, new), removed)
        applied = commit(connection, image, change, who, source)
    cache.adopt(applied.image)
    return applied


def foresee_points(
    connection: Connection,
    image: PlantImage,
    changes: CellChanges,
    new: Sequence[Mapping[str, Stored]],
    gone: Sequence[int] = (),
) -> Foreseen:
    """What add_points would do, with nothing written."""
    changes, removed = _without(image, changes, gone)
    return foresee(connection, image, ChangeSet(with_landings(image, changes), _numbered(connection, new), removed))


def _without(
    image: PlantImage, changes: CellChanges, gone: Sequence[int]
) -> tuple[CellChanges, dict[int, dict[str, Stored]]]:
    """Changes without those of points that go, and with those of whoever waits for their channels; and what goes."""
    removed = {point: _held_by(image, point) for point in gone if image.has(point)}
    if not removed:
        return changes, {}
    rows = {image.row_of(point) for point in removed}
    return {at: v for at, v in changes.items() if at[0] not in rows} | _heirs(image, set(removed)), removed


def _held_by(image: PlantImage, point: int) -> dict[str, Stored]:
    row = image.row_of(point)
    return {name: column[row] for name, column in image.cells.items() if column[row] is not None}


def remove_rows(
    engine: Engine, cache: ImageCache, points: Sequence[int], who: str, *, apply: bool = True
) -> Applied | Preview:
    """Take points away as one change set, or only say what that does. Raises LookupError for one that is not
    there."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        gone = {}
        for point in dict.fromkeys(points):
            if not image.has(point):
                raise LookupError("one of these points is no longer there; nothing was changed")
            gone[point] = _held_by(image, point)
        changes = _heirs(image, set(gone))
        if not apply:
            return preview(connection, image, ChangeSet(changes, removed=gone))
        many = "a point" if len(gone) == 1 else f"{len(gone)} points"
        applied = commit(connection, image, ChangeSet(changes, removed=gone), who, f"took {many} away")
    cache.adopt(applied.image)
    return applied


def _heirs(image: PlantImage, gone: set[int]) -> CellChanges:
    """Who wished for a channel that is left gets it."""
    rows = np.array([image.row_of(point) for point in gone], dtype=np.int64)
    freed = {(int(image.module[row]), int(image.channel[row])) for row in rows.tolist() if image.landed[row]}
    wishing = np.flatnonzero((image.module >= 0) & ~image.landed & ~np.isin(image.ids, list(gone)))
    out: CellChanges = {}
    for row in wishing.tolist():
        at = (int(image.module[row]), int(image.channel[row]))
        if at in freed:
            freed.discard(at)
            out[row, "channel"] = Landing(*at, landed=True)
    return out


def _numbered(connection: Connection, new: Sequence[Mapping[str, Stored]]) -> dict[int, dict[str, Stored]]:
    """New points by their numbers. Numbers of points that were taken away are not given out again: history speaks of
    them."""
    newest = int(connection.execute(select(func.coalesce(func.max(t.point.c.id), 0))).scalar_one())
    gone = connection.execute(
        select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == REMOVED)
    ).scalar_one()
    first = max(newest, int(gone)) + 1
    return {first + k: dict(cells) for k, cells in enumerate(new)}


def _base(connection: Connection, image: PlantImage, asked: NewRows) -> dict[str, str]:
    out: dict[str, str] = {}
    if asked.typical:
        known = next((one for one in typicals(connection) if one.name == asked.typical), None)
        if known is None:
            raise TextError(f"there is no typical “{asked.typical}”")
        out |= dict(known.cells) | {"typical": known.name}
    if asked.like is not None:
        if not image.has(asked.like):
            raise TextError("the point that they shall be like is no longer there")
        row = image.row_of(asked.like)
        like = {f.name: image.text(f.name, row) for f in STORED if f.name not in OWN}
        out |= {name: text for name, text in like.items() if text}
    return out


def _can_count(text: str) -> bool:
    return any(c.isdigit() for c in text)


def _name(image: PlantImage, rows: list[dict[str, str]]) -> None:
    """Rows without a tag get the next free one after the row before, or after a plain word."""
    taken: set[str] | None = None
    before = ""
    for row in rows:
        if not row.get("tag", "").strip():
            taken = taken if taken is not None else {(tag or "").casefold() for tag in image.cells["tag"]}
            name = counted_on([before or "NEW-0"], 1)[0]
            while name.casefold() in taken:
                name = counted_on([name], 1)[0]
            row["tag"] = name
            taken.add(name.casefold())
        before = row["tag"]
