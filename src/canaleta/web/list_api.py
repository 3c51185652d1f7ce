"""The list: its fields, its snapshot, proposals, undo, history and findings."""

from __future__ import annotations

from typing import Annotated, Any

from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select

from canaleta.core.fields import FIELDS, STATIONS
from canaleta.core.image import PlantImage
from canaleta.core.layout import Layout
from canaleta.core.rules import RULES
from canaleta.core.signals import SIGNALS
from canaleta.core.units import units
from canaleta.plant import tables as t
from canaleta.plant.findings import stored_findings, to_body
from canaleta.plant.points import ADDED, REMOVED
from canaleta.plant.proposals import Applied, Edit, Moved, Planned, Preview, Proposal, apply, plan, preview
from canaleta.plant.undo import NothingToUndo, redo, undo
from canaleta.web.doors import needs, session_now
from canaleta.web.hub import cell_text
from canaleta.web.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.shared import shared

__all__ = ["api"]

api = APIBlueprint("list", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Text = Annotated[str, Field(max_length=4000)]


class FieldOut(BaseModel):
    """One field of a point: a column of the list, a setting of a station."""

    name: str
    station: str
    label: str
    kind: str
    says: str
    width: int
    choices: list[str]
    applies: list[str]
    listed: bool


class RackOut(BaseModel):
    """One rack: where it stands and how it is reached."""

    id: int
    name: str
    address: str
    period_ms: int


class PlantOut(BaseModel):
    """What the screens need to know once: the plant, its fields, stations, racks, rules, units, families of signals."""

    name: str
    seq: int
    points: int
    stations: list[str]
    fields: list[FieldOut]
    racks: list[RackOut]
    rules: dict[str, str]
    units: list[str]
    families: dict[str, str]
    stale_after_periods: float


class EditIn(BaseModel):
    """One cell: what stood there and what shall."""

    model_config = ConfigDict(extra="forbid")

    point: int = Field(ge=0, le=2**62)
    field: str = Field(max_length=60)
    was: Text
    text: Text


class ProposalIn(BaseModel):
    """Edits that belong together; `apply` false only says what they would do."""

    model_config = ConfigDict(extra="forbid")

    edits: list[EditIn] = Field(min_length=1, max_length=20_000)
    source: str = Field("typed", max_length=60)
    why: str = Field("", max_length=400)
    apply: bool = True


class CellOut(BaseModel):
    """A cell that changes."""

    point: int
    field: str
    was: str
    becomes: str


class MovedOut(BaseModel):
    """A value that moves at one level on the wires."""

    point: int
    at: str
    was: str
    becomes: str


class CellRef(BaseModel):
    """A cell: a point and a field."""

    point: int
    field: str


class CellText(CellRef):
    """A cell and the text that would be typed into it."""

    text: str


class FixOut(BaseModel):
    """A way to settle a finding."""

    label: str
    edits: list[CellText]


class FindingOut(BaseModel):
    """What does not agree, and the cells it names."""

    key: str
    rule: str
    station: str
    severity: str
    text: str
    cells: list[CellRef]
    fixes: list[FixOut]


class ChangedOut(BaseModel):
    """What a proposal did, or would do. kept: cells an undo left as others made them."""

    seq: int
    applied: bool
    cells: list[CellOut]
    moved: list[MovedOut]
    opened: list[FindingOut]
    closed: list[str]
    kept: list[CellRef] = []


class SeqPath(BaseModel):
    """The sequence number a snapshot is asked for; any other may come, and says so."""

    seq: int = Field(ge=0, le=2**62)


class HistoryQuery(BaseModel):
    """Which part of the history: of one point, and before which sequence number."""

    point: int | None = Field(None, ge=0, le=2**62)
    before: int = Field(2**62, ge=1, le=2**62)
    most: int = Field(50, ge=1, le=200)


class HistoryCell(BaseModel):
    """A cell in the history."""

    point: int
    tag: str
    field: str
    was: str
    became: str


class HistorySet(BaseModel):
    """A change set: who, when, from where."""

    seq: int
    at: str
    who: str
    source: str
    why: str
    undoes: int | None
    cells: list[HistoryCell]


class HistoryOut(BaseModel):
    """Change sets, newest first."""

    sets: list[HistorySet]


class FindingsOut(BaseModel):
    """All findings as of a sequence number."""

    seq: int
    findings: list[FindingOut]


@api.get("/plant", responses={200: PlantOut})
@needs("read")
def plant_now() -> Response:
    """The plant and everything its screens are built from."""
    with shared().engine.connect() as connection:
        row = connection.execute(select(t.plant)).one_or_none()
        if row is None:
            raise ProblemError(404, "there is no plant yet", remedy="./canaleta start loads the demo plant")
        image = shared().image(connection)
    out = PlantOut(
        name=row.name,
        seq=image.seq,
        points=len(image),
        stations=[s.value for s in STATIONS],
        fields=[
            FieldOut(
                name=f.name, station=f.station.value, label=f.label, kind=f.kind.value, says=f.says, width=f.width,
                choices=list(f.choices), applies=sorted(family.name.lower() for family in f.applies), listed=f.listed,
            )
            for f in FIELDS
        ],
        racks=[
            RackOut(
                id=r.id, name=f"{image.layout.cabinets[r.cabinet].name} rack {r.name}",
                address=f"{r.host}:{r.port}", period_ms=r.period_ms,
            )
            for r in image.layout.racks.values()
        ],
        rules={rule.id: rule.name for rule in RULES},
        units=[unit.shown for unit in units()],
        families={signal.name: signal.family.name.lower() for signal in SIGNALS},
        stale_after_periods=image.conventions.stale_after_periods,
    )  # fmt: skip
    return jsonify(out.model_dump())


@api.get("/list/<int:seq>", responses={200: None})
@needs("read")
def list_at(path: SeqPath) -> Response:
    """The whole list in columns; what changed since its `seq` comes by the stream."""
    seq, data = shared().snapshots.fresh_enough(shared().image())
    response = Response(data, content_type="application/json")
    response.headers["Content-Encoding"] = "gzip"
    response.headers["Vary"] = "Cookie"
    if seq == path.seq:
        response.headers["Cache-Control"] = "private, max-age=3600"
    return response


@api.get("/findings", responses={200: FindingsOut})
@needs("read")
def findings_now() -> Response:
    """Every finding."""
    with shared().engine.connect() as connection:
        seq = shared().image(connection).seq
        bodies = stored_findings(connection)
    return jsonify({"seq": seq, "findings": [_finding_out(body) for body in bodies]})


@api.post("/proposals", responses={200: ChangedOut})
@needs("edit")
def propose(body: ProposalIn) -> Response:
    """Preview or apply edits. 422 names each cell that cannot be read, 409 each that says something else by now."""
    edits = tuple(Edit(e.point, e.field, e.was, e.text) for e in body.edits)
    proposal = Proposal(edits, body.source, body.why)
    if body.apply:
        done = apply(shared().engine, shared().keeper, proposal, session_now().account)
        if isinstance(done, Planned):
            raise _refused(done)
        return _changed(done.seq, done.preview, applied=True)
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        planned = plan(image, proposal)
        if not planned.possible:
            raise _refused(planned)
        return _changed(image.seq, preview(connection, image, planned.changes), applied=False)


@api.post("/undo", responses={200: ChangedOut})
@needs("edit")
def undo_last() -> Response:
    """Undo one's own last change set."""
    return _turned(lambda: undo(shared().engine, shared().keeper, session_now().account))


@api.post("/redo", responses={200: ChangedOut})
@needs("edit")
def redo_last() -> Response:
    """Redo what one undid last."""
    return _turned(lambda: redo(shared().engine, shared().keeper, session_now().account))


@api.get("/history", responses={200: HistoryOut})
@needs("read")
def history(query: HistoryQuery) -> Response:
    """Change sets, newest first, of the plant or of one point."""
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        wanted = select(t.change_set).where(t.change_set.c.seq < query.before)
        if query.point is not None:
            of_point = select(t.change.c.seq).where(
                t.change.c.entity.in_(("point", ADDED, REMOVED)), t.change.c.entity_id == query.point
            )
            wanted = wanted.where(t.change_set.c.seq.in_(of_point))
        sets = connection.execute(wanted.order_by(t.change_set.c.seq.desc()).limit(query.most)).all()
        seqs = [s.seq for s in sets]
        rows = connection.execute(select(t.change).where(t.change.c.seq.in_(seqs))).all()
    cells: dict[int, list[HistoryCell]] = {}
    for row in rows:
        if row.entity == "conventions":
            cells.setdefault(row.seq, []).extend(
                HistoryCell(point=0, tag="the plant", field=name, was=was, became=became)
                for name, (was, became) in row.fields.items()
            )
        elif row.entity in (ADDED, REMOVED):
            if query.point in (None, row.entity_id):
                was, became = row.fields.get("tag", [None, None])
                cells.setdefault(row.seq, []).append(
                    HistoryCell(
                        point=row.entity_id, tag=became or was, field="tag", was=was or "", became=became or ""
                    )
                )
        elif row.entity != "point":
            if query.point is None:
                cells.setdefault(row.seq, []).extend(
                    _hardware_cells(image.layout, row.entity, row.entity_id, row.fields)
                )
        elif query.point in (None, row.entity_id):
            cells.setdefault(row.seq, []).extend(_history_cells(image, row.entity_id, row.fields))
    out = HistoryOut(
        sets=[
            HistorySet(
                seq=s.seq, at=s.at.isoformat(), who=s.who, source=s.source, why=s.why, undoes=s.undoes,
                cells=cells.get(s.seq, []),
            )
            for s in sets
        ]
    )  # fmt: skip
    return jsonify(out.model_dump())


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
            point=point, tag=tag, field=name,
            was=cell_text(image.layout, name, was), became=cell_text(image.layout, name, became),
        )
        for name, (was, became) in fields.items()
    ]  # fmt: skip


def _turned(turn: Any) -> Response:
    try:
        done: Applied = turn()
    except NothingToUndo as nothing:
        raise ProblemError(409, str(nothing)) from nothing
    return _changed(done.seq, done.preview, applied=True, kept=done.kept)


def _changed(seq: int, shown: Preview, *, applied: bool, kept: tuple[tuple[int, str], ...] = ()) -> Response:
    return jsonify(
        ChangedOut(
            seq=seq,
            applied=applied,
            cells=[CellOut(point=p, field=f, was=was, becomes=becomes) for p, f, was, becomes in shown.cells],
            moved=[_moved_out(m) for m in shown.moved],
            opened=[FindingOut.model_validate(_finding_out(to_body(f))) for f in shown.opened],
            closed=list(shown.closed),
            kept=[CellRef(point=p, field=f) for p, f in kept],
        ).model_dump()
    )


def _moved_out(m: Moved) -> MovedOut:
    return MovedOut(point=m.point, at=m.at, was=m.was, becomes=m.becomes)


def _finding_out(body: dict[str, Any]) -> dict[str, Any]:
    return {name: body[name] for name in FindingOut.model_fields}


def _refused(planned: Planned) -> ProblemError:
    cells = [
        CellProblem(point=r.edit.point, field=r.edit.field, typed=r.edit.text, says=r.says) for r in planned.refusals
    ]
    if cells:
        many = "one cell" if len(cells) == 1 else f"{len(cells)} cells"
        return ProblemError(
            422, cells[0].says, f"{many} cannot be read; nothing was changed",
            "what was typed is kept: mend it and press Enter, or Esc to leave it as it was", cells,
        )  # fmt: skip
    cells = [
        CellProblem(
            point=c.edit.point, field=c.edit.field, typed=c.edit.text, theirs=c.theirs,
            says=f"{c.by or 'somebody'} changed it to “{c.theirs}” meanwhile",
        )
        for c in planned.conflicts
    ]  # fmt: skip
    return ProblemError(
        409, cells[0].says, "nothing was changed", "choose yours or theirs: what you typed is kept", cells
    )
