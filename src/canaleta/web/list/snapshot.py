"""The list: its fields, its snapshot, proposals and undo."""

from __future__ import annotations

from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field
from sqlalchemy import select

from canaleta.core.model.fields import FIELDS, STATIONS
from canaleta.core.notation.units import units
from canaleta.core.rules import CATALOGUE
from canaleta.core.signals.signal_types import SIGNALS
from canaleta.plant.changes.apply import Edit, Planned, Proposal, apply, plan, preview, without_locked
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.undo import redo, undo
from canaleta.plant.database import tables as t
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, applied_out, preview_out, refused, turned
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("list", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Text = Annotated[str, Field(max_length=4000)]


class FieldOut(Shape):
    """One field of a point: a column of the list, a setting of a station. unit: of its figures, where it has no
    field. group: the settings of its station that it stands with."""

    name: str
    station: str
    label: str
    kind: str
    says: str
    width: int
    choices: list[str]
    applies: list[str]
    listed: bool
    unit: str
    group: str


class RackOut(Shape):
    """One rack: where it stands and how it is reached. stand_in: one of ours, not the real thing."""

    id: int
    name: str
    address: str
    period_ms: int
    stand_in: bool


class PlantOut(Shape):
    """What the screens need to know once: the plant, its fields, stations, racks, rules, units, families of
    signals."""

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


class EditIn(Shape):
    """One cell: what stood there and what shall."""

    model_config = ConfigDict(extra="forbid")

    point: int = Field(ge=0, le=2**62)
    field: str = Field(max_length=60)
    was: Text
    text: Text


class ProposalIn(Shape):
    """Edits that belong together; `apply` false only says what they would do."""

    model_config = ConfigDict(extra="forbid")

    edits: list[EditIn] = Field(min_length=1, max_length=20_000)
    source: str = Field("typed", max_length=60)
    why: str = Field("", max_length=400)
    apply: bool = True
    partial: bool = False


class ListQuery(Shape):
    """The digest of the list that is meant, as the page names it; any other may come, and is not kept by a browser."""

    digest: str = Field("", max_length=64)


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
                choices=list(f.choices), applies=sorted(family.name.lower() for family in f.applies), listed=f.listed, group=f.group,
                unit=f.unit,
            )
            for f in FIELDS
        ],
        racks=[
            RackOut(
                id=r.id, name=f"{image.layout.cabinets[r.cabinet].name} rack {r.name}",
                address=r.reached_at, period_ms=r.period_ms, stand_in=r.stand_in,
            )
            for r in image.layout.racks.values()
        ],
        rules={rule.id: rule.name for rule in CATALOGUE},
        units=[unit.shown for unit in units()],
        families={signal.name: signal.family.name.lower() for signal in SIGNALS},
        stale_after_periods=image.conventions.stale_after_periods,
    )  # fmt: skip
    return jsonify(out.model_dump())


@api.get("/list", responses={200: None})
@needs("read")
def whole_list(query: ListQuery) -> Response:
    """The whole list in packed columns (web.kit.columns); what changed since its `seq` comes by the stream."""
    kept = shared().snapshots.fresh_enough(shared().image())
    response = Response(kept.data, content_type="application/octet-stream")
    response.headers["Content-Encoding"] = "gzip"
    response.headers["Vary"] = "Cookie"
    if query.digest == kept.digest:
        response.headers["Cache-Control"] = "private, max-age=3600"
    return response


@api.post("/proposals", responses={200: ChangedOut})
@needs("edit")
def propose(body: ProposalIn) -> Response:
    """Preview or apply edits. 422 names each cell that cannot be read, 409 each that says something else by now.

    With `partial` those are left out and told, and the others are applied.
    """
    edits = tuple(Edit(e.point, e.field, e.was, e.text) for e in body.edits)
    proposal = Proposal(edits, body.source, body.why, body.partial)
    who = session_now().account
    if body.apply:
        done = apply(shared().engine, shared().cache, proposal, who)
        if isinstance(done, Planned):
            raise refused(done)
        return applied_out(done)
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        planned = without_locked(connection, image, plan(image, proposal), proposal, who)
        if not planned.possible and not body.partial:
            raise refused(planned)
        return preview_out(image, preview(connection, image, ChangeSet(planned.changes)), planned)


@api.post("/undo", responses={200: ChangedOut})
@needs("edit")
def undo_last() -> Response:
    """Undo one's own last change set."""
    return turned(lambda: undo(shared().engine, shared().cache, session_now().account))


@api.post("/redo", responses={200: ChangedOut})
@needs("edit")
def redo_last() -> Response:
    """Redo what one undid last."""
    return turned(lambda: redo(shared().engine, shared().cache, session_now().account))
