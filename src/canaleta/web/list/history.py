"""History: who changed what, by cell, row, person and source; and taking back a set, a row of it, or a cell."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Response, jsonify
from pydantic import ConfigDict, Field
from sqlalchemy import ColumnElement, func, select

from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.plant.changes.undo import revert
from canaleta.plant.database import tables as t
from canaleta.plant.records.points import ADDED, INSTRUMENT, PACKAGE, REMOVED, TYPICAL
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.change_event import cell_text
from canaleta.web.kit.changed import ChangedOut, turned
from canaleta.web.kit.problems import PROBLEMS
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("history", __name__, url_prefix="/api/history", abp_responses=PROBLEMS)
MOST_CELLS = 60
"""Cells of one set that are told; a paste may have thousands."""


class HistoryQuery(Shape):
    """Which part of the history: of one point or cell, of one person, of a kind of source, and before which
    number."""

    point: int | None = Field(None, ge=0, le=2**62)
    field: str | None = Field(None, max_length=60)
    who: str | None = Field(None, max_length=60)
    source: str | None = Field(None, max_length=60)
    seq: int | None = Field(None, ge=0, le=2**62)
    before: int = Field(2**62, ge=1, le=2**62)
    most: int = Field(50, ge=1, le=200)


class HistoryCell(Shape):
    """A cell in the history."""

    point: int
    tag: str
    field: str
    was: str
    became: str


class HistorySet(Shape):
    """A change set: who, when, from where. cells: the first of `count`."""

    seq: int
    at: str
    who: str
    source: str
    why: str
    undoes: int | None
    count: int
    cells: list[HistoryCell]


class HistoryOut(Shape):
    """Change sets, newest first. people: everybody who ever changed something."""

    sets: list[HistorySet]
    people: list[str]


class SetPath(Shape):
    """A change set."""

    seq: int = Field(ge=1, le=2**62)


class Part(Shape):
    """What of a change set to take back: all of it, one point's part, or one cell."""

    model_config = ConfigDict(extra="forbid")

    point: int | None = Field(None, ge=0, le=2**62)
    field: str | None = Field(None, max_length=60)


@api.get("", responses={200: HistoryOut})
@needs("read")
def history(query: HistoryQuery) -> Response:
    """Change sets, newest first."""
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        wanted = select(t.change_set).where(t.change_set.c.seq < query.before)
        if query.seq is not None:
            wanted = wanted.where(t.change_set.c.seq == query.seq)
        if query.who is not None:
            wanted = wanted.where(t.change_set.c.who == query.who)
        if query.source is not None:
            wanted = wanted.where(t.change_set.c.source.startswith(query.source, autoescape=True))
        if of := _of_points(query):
            wanted = wanted.where(t.change_set.c.seq.in_(select(t.change.c.seq).where(*of)))
        sets = connection.execute(wanted.order_by(t.change_set.c.seq.desc()).limit(query.most)).all()
        # A set of fifty thousand rows is told by its first and their number.
        rank = func.row_number().over(partition_by=t.change.c.seq, order_by=t.change.c.entity_id).label("rank")
        of_sets = [t.change.c.seq.in_([s.seq for s in sets]), *_of_points(query)]
        ranked = select(t.change, rank, func.count().over(partition_by=t.change.c.seq).label("rows")).where(*of_sets)
        inner = ranked.subquery()
        rows = connection.execute(select(inner).where(inner.c.rank <= MOST_CELLS)).all()
        people = (
            connection.execute(select(t.change_set.c.who).distinct().order_by(t.change_set.c.who)).scalars().all()
        )
    cells: dict[int, list[HistoryCell]] = {}
    more: dict[int, int] = {}
    for row in rows:
        cells.setdefault(row.seq, []).extend(_cells(image, row.entity, row.entity_id, row.fields))
        more[row.seq] = max(0, row.rows - MOST_CELLS)
    out = HistoryOut(
        sets=[
            HistorySet(
                seq=s.seq,
                at=s.at.isoformat(),
                who=s.who,
                source=s.source,
                why=s.why,
                undoes=s.undoes,
                count=len(cells.get(s.seq, [])) + more.get(s.seq, 0),
                cells=cells.get(s.seq, [])[:MOST_CELLS],
            )
            for s in sets
        ],
        people=list(people),
    )
    return jsonify(out.model_dump())


@api.post("/<int:seq>/revert", responses={200: ChangedOut})
@needs("edit")
def take_back(path: SetPath, body: Part) -> Response:
    """Take back a change set, a row of it or a cell, as a new change set. What was changed since stays."""
    who = session_now().account
    return turned(lambda: revert(shared().engine, shared().cache, path.seq, who, body.point, body.field))


def _of_points(query: HistoryQuery) -> list[ColumnElement[bool]]:
    if query.point is None:
        return []
    of: list[ColumnElement[bool]] = [
        t.change.c.entity.in_(("point", ADDED, REMOVED)),
        t.change.c.entity_id == query.point,
    ]
    if query.field is not None:
        of.append(func.jsonb_exists(t.change.c.fields, query.field))
    return of


def _cells(image: PlantImage, entity: str, number: int, fields: dict[str, Any]) -> list[HistoryCell]:
    if entity == "point":
        return _history_cells(image, number, fields)
    if entity in (ADDED, REMOVED):
        was, became = fields.get("tag", [None, None])
        return [HistoryCell(point=number, tag=became or was or "", field="tag", was=was or "", became=became or "")]
    if entity == "conventions":
        return [
            HistoryCell(point=0, tag="the plant", field=name, was=was, became=became)
            for name, (was, became) in fields.items()
        ]
    if entity == TYPICAL:
        was, became = fields["typical"]
        name = (became or was)["name"]
        return [
            HistoryCell(point=0, tag=f"typical {name}", field=what, was=w, became=b)
            for what, w, b in _kind(was, became)
        ]
    if entity in _WHOLE:
        was, became = fields[entity]
        then, now = (_WHOLE[entity](one) for one in (was, became))
        return [
            HistoryCell(
                point=0,
                tag=f"{entity} {(became or was)['name']}",
                field=name,
                was=then.get(name, ""),
                became=now.get(name, ""),
            )
            for name in {**then, **now}
            if then.get(name, "") != now.get(name, "")
        ]
    if entity == "project":
        was, became = fields["name"]
        return [HistoryCell(point=0, tag="the plant", field="name", was=was, became=became)]
    return _hardware_cells(image.layout, entity, number, fields)


def _instrument(body: dict[str, Any] | None) -> dict[str, str]:
    """What is said of an instrument, its ranges in a line each."""
    if body is None:
        return {}
    ranges = [f"{r['low']:g} to {r['high']:g} {r['unit']}" for r in body["ranges"]]
    return {name: value for name, value in body.items() if name != "ranges"} | {"ranges": "; ".join(ranges)}


def _package(body: dict[str, Any] | None) -> dict[str, str]:
    """What is said of a package of work, its points by how many there are."""
    if body is None:
        return {}
    told = {"people": ", ".join(body["people"]), "points": f"{len(body['points'])} points"}
    return {name: value for name, value in body.items() if name not in told} | told


_WHOLE: dict[str, Callable[[dict[str, Any] | None], dict[str, str]]] = {INSTRUMENT: _instrument, PACKAGE: _package}
"""Records that history keeps as a whole, and what it says of each."""


def _kind(was: dict[str, Any] | None, became: dict[str, Any] | None) -> list[tuple[str, str, str]]:
    """What changed about a typical, cell by cell."""
    then, now = ({"says": x["says"], **x["cells"]} if x else {} for x in (was, became))
    names = [n for n in {**then, **now} if then.get(n, "") != now.get(n, "")]
    return [(name, then.get(name, ""), now.get(name, "")) for name in names]


def _hardware_cells(layout: Layout, entity: str, number: int, fields: dict[str, Any]) -> list[HistoryCell]:
    """What became of a cabinet, rack, module, cable or module type; the document of a type is not spelled out."""
    parts: dict[str, Any] = {"cabinet": layout.cabinets, "rack": layout.racks, "cable": layout.cables}
    part = parts.get(entity, {}).get(number)
    name = (
        f"{entity} {part.name}" if part else f"{entity} {layout.address(number, 0)}" if entity == "module" else entity
    )

    def told(value: Any) -> str:
        return "" if value is None else "its document" if isinstance(value, dict) else str(value)

    return [
        HistoryCell(point=0, tag=name.strip(), field=field.replace("_", " "), was=told(was), became=told(became))
        for field, (was, became) in fields.items()
        if told(was) != told(became) or field == "body"
    ]


def _history_cells(image: PlantImage, point: int, fields: dict[str, Any]) -> list[HistoryCell]:
    tag = image.label(image.row_of(point)) if image.has(point) else ""
    return [
        HistoryCell(
            point=point,
            tag=tag,
            field=name,
            was=cell_text(image.layout, name, was),
            became=cell_text(image.layout, name, became),
        )
        for name, (was, became) in fields.items()
    ]
