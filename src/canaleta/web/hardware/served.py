"""What is served to other systems: the doors, who is let in, what was given away for writing; and the register map, out and
back in."""

from __future__ import annotations

from typing import Annotated, Literal

from flask import Response, jsonify
from flask_openapi3.models.file import FileStorage
from pydantic import ConfigDict, Field

from canaleta.core.hardware.forcing import why_no_command
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.published import published
from canaleta.core.sheet.register_map import MAP_HEADS, given_registers, map_rows
from canaleta.exchange.list_out import as_csv
from canaleta.exchange.lists.apart import Wish, bring_apart, unpacked_pages
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.register_map import MapPlan, map_sheet, maps_json, plan_map, rows_of_json
from canaleta.exchange.sheets import MOST_BYTES, SheetError
from canaleta.exchange.workbook import streamed_workbook
from canaleta.plant.live import serving
from canaleta.plant.records.plant import plant_name
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("served", __name__, url_prefix="/api/served", abp_responses=PROBLEMS)
_KINDS = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
}


class DoorTroubleOut(Shape):
    """Why a point is not served by a door, or the door is shut: point 0."""

    point: int
    says: str


class DoorOut(Shape):
    """One way out. at: its address; clients: connected now; points: served; refused: who was not let in; open: whether anybody
    may read."""

    kind: str
    at: str
    clients: int
    points: int
    refused: int = 0
    open: bool = False
    wrong: list[DoorTroubleOut]


class ServerOut(Shape):
    """Whoever serves under a name. alive: whether it still does."""

    name: str
    holder: str
    until: str
    alive: bool
    doors: list[DoorOut]


class ClientCertificateOut(Shape):
    """A certificate that a client showed."""

    fingerprint: str
    name: str
    expires: str
    first: str
    last: str
    trusted: bool
    trusted_by: str


class GivenOut(Shape):
    """A point that other systems may write to."""

    id: int
    at: str
    point: int
    tag: str
    who: str
    why: str
    until: str


class OutsideWriteOut(Shape):
    """What another system wrote, or tried to."""

    id: int
    at: str
    point: int
    tag: str
    by: str
    door: str
    value: str
    done: bool
    says: str


class ServedOut(Shape):
    """All of it. published: how many points have a register; wrong: those whose register cannot be served."""

    servers: list[ServerOut]
    certificates: list[ClientCertificateOut]
    given: list[GivenOut]
    writes: list[OutsideWriteOut]
    published: int
    wrong: list[DoorTroubleOut]


class TrustIn(Shape):
    """A certificate by its SHA-256, and whether it is trusted from now on."""

    model_config = ConfigDict(extra="forbid")

    fingerprint: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    trusted: bool


class GiveIn(Shape):
    """Points that are given away for so many minutes, and why."""

    model_config = ConfigDict(extra="forbid")

    points: list[Annotated[int, Field(ge=1, le=2**62)]] = Field(min_length=1, max_length=200)
    why: str = Field(min_length=1, max_length=400)
    minutes: int = Field(ge=1, le=serving.MOST_GIVEN_MINUTES)


class EndGivenIn(Shape):
    """What is taken back."""

    model_config = ConfigDict(extra="forbid")

    ids: list[Annotated[int, Field(ge=1, le=2**62)]] = Field(min_length=1, max_length=400)


class MapOut(Shape):
    """The register map: heads, and one row a value. points: of each row."""

    seq: int
    heads: list[str]
    rows: list[list[str]]
    points: list[int]
    wrong: list[DoorTroubleOut]


class MapFormPath(Shape):
    """As which file."""

    form: Literal["csv", "xlsx", "json"]


class MapFile(Shape):
    """A register map as a file: CSV in any dress, XLSX, ODS or JSON."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage


class MapEditOut(Shape):
    """A cell that a map would change. row: of the file, from 1."""

    point: int
    tag: str
    field: str
    was: str
    becomes: str
    row: int


class MapWrongOut(Shape):
    """A line that is left out, and why."""

    row: int
    tag: str
    says: str


class MapPlanOut(Shape):
    """What a map comes to. same: lines that say what the list says; unmapped: published points that it does not name."""

    seq: int
    edits: list[MapEditOut]
    same: int
    unmapped: int
    wrong: list[MapWrongOut]


class LayIn(Shape):
    """Points that are given registers, from the first on, around what is taken."""

    model_config = ConfigDict(extra="forbid")

    points: list[Annotated[int, Field(ge=1, le=2**62)]] = Field(min_length=1, max_length=50_000)
    first: int = Field(ge=0, le=65_535)
    function: Literal["holding", "input"] = "holding"
    order: Literal["ABCD", "CDAB", "BADC", "DCBA"] = "ABCD"


@api.get("", responses={200: ServedOut})
@needs("read")
def served() -> Response:
    """Who serves, who came, what was given away and written."""
    return jsonify(_told().model_dump())


def _told() -> ServedOut:
    image = shared().image()
    with shared().engine.connect() as connection:
        servers, shown = serving.served_now(connection), serving.certificates(connection)
        given, writes = serving.given_now(connection), serving.seen_writes(connection)

    def tag(point: int) -> str:
        return image.label(image.row_of(point)) if image.has(point) else "gone"

    what = published(image)
    return ServedOut(
        servers=[
            ServerOut(
                name=s.name, holder=s.holder, until=s.until.isoformat(), alive=s.alive,
                doors=[DoorOut.model_validate(one) for one in (s.outlets if s.alive else [])],
            )
            for s in servers
        ],
        certificates=[
            ClientCertificateOut(
                fingerprint=c.fingerprint, name=c.name, expires=c.expires.isoformat(), first=c.first.isoformat(),
                last=c.last.isoformat(), trusted=c.trusted, trusted_by=c.trusted_by,
            )
            for c in shown
        ],
        given=[
            GivenOut(id=g.id, at=g.at.isoformat(), point=g.point, tag=tag(g.point), who=g.who, why=g.why, until=g.until.isoformat())
            for g in given
        ],
        writes=[
            OutsideWriteOut(
                id=w.id, at=w.at.isoformat(), point=w.point, tag=tag(w.point), by=w.by, door=w.door, value=w.value, done=w.done,
                says=w.says,
            )
            for w in writes
        ],
        published=len(what.rows),
        wrong=_wrong(image),
    )  # fmt: skip


def _wrong(image: PlantImage) -> list[DoorTroubleOut]:
    wrong = published(image).wrong
    return [DoorTroubleOut(point=int(image.ids[row]), says=text) for row, text in list(wrong.items())[:200]]


@api.post("/trust", responses={200: ServedOut})
@needs("engineer")
def trust(body: TrustIn) -> Response:
    """Let a client in by its certificate, or no more."""
    with shared().engine.begin() as connection:
        if not serving.trust(connection, body.fingerprint, session_now().account, body.trusted):
            raise ProblemError(404, "no client showed this certificate", "nothing was changed", "look again")
    return jsonify(_told().model_dump())


@api.post("/give", responses={200: ServedOut})
@needs("engineer")
def give(body: GiveIn) -> Response:
    """Give outputs away for writing, for a time. Each write is kept; a rack that is no stand-in must be armed besides."""
    image = shared().image()
    if not body.why.strip():
        raise ProblemError(422, "say why it is given away", "nothing was given away")
    for point in body.points:
        if not image.has(point):
            raise ProblemError(409, "a point of these is gone", "nothing was given away", "look at the list again")
        row = image.row_of(point)
        if not image.landed[row]:
            raise ProblemError(409, f"{image.label(row)} holds no channel", "nothing was given away", "land it first")
        if why := why_no_command(
            image.layout, int(image.module[row]), int(image.channel[row]), image.text("mode", row)
        ):
            raise ProblemError(409, f"{image.label(row)}: {why}", "nothing was given away", "give outputs away")
    with shared().engine.begin() as connection:
        serving.give(
            connection, list(dict.fromkeys(body.points)), session_now().account, body.why.strip(), body.minutes
        )
    return jsonify(_told().model_dump())


@api.post("/give/end", responses={200: ServedOut})
@needs("edit")
def take_back(body: EndGivenIn) -> Response:
    """Take points back: nobody writes to them any more."""
    with shared().engine.begin() as connection:
        serving.end_given(connection, body.ids, session_now().account)
    return jsonify(_told().model_dump())


@api.get("/map", responses={200: MapOut})
@needs("read")
def register_map() -> Response:
    """The register map as it stands."""
    image = shared().image()
    what = published(image)
    out = MapOut(
        seq=image.seq, heads=list(MAP_HEADS), rows=[list(row) for row in map_rows(image, what)],
        points=image.ids[what.rows].tolist(), wrong=_wrong(image),
    )  # fmt: skip
    return jsonify(out.model_dump())


@api.get("/map/<form>", responses={200: {"content": {"application/octet-stream": {}}}})
@needs("read")
def map_file(path: MapFormPath) -> Response:
    """The register map as a file."""
    image = shared().image()
    with shared().engine.connect() as connection:
        title = plant_name(connection)
    if path.form == "json":
        response = Response(maps_json(image), content_type=_KINDS["json"])
    else:
        sheet = map_sheet(image)
        body = b"".join(as_csv(sheet) if path.form == "csv" else streamed_workbook([sheet], "xlsx"))
        response = Response(body, content_type=_KINDS[path.form])
    name = "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in title).strip("-") or "plant"
    response.headers["Content-Disposition"] = f'attachment; filename="{name}-registers-{image.seq}.{path.form}"'
    return response


@api.post("/map", responses={200: MapPlanOut})
@needs("edit")
def bring_map(form: MapFile) -> Response:
    """What a map that comes back would change. Nothing is changed yet."""
    data = form.file.read(MOST_BYTES + 1)
    try:
        if data.lstrip()[:1] in (b"{", b"[") and len(data) <= MOST_BYTES:
            rows = rows_of_json(data)
        else:
            # Files of other people are read apart, with limits.
            pages = unpacked_pages(bring_apart(data, Wish(Seats.of(shared().image().layout), {})).packed)
            rows = [list(row) for row in pages[0].rows]
        plan = plan_map(shared().image(), rows)
    except (SheetError, TextError) as error:
        raise ProblemError(422, str(error), "nothing was changed", "mend the file, or save the map alone") from error
    return jsonify(_plan_out(plan).model_dump())


@api.post("/map/lay", responses={200: MapPlanOut})
@needs("edit")
def lay(body: LayIn) -> Response:
    """Registers for points that have none. Nothing is changed yet."""
    image = shared().image()
    rows = [image.row_of(point) for point in body.points if image.has(point)]
    laid = given_registers(image, rows, body.first, body.function, body.order)
    named = {row for row, _ in laid}
    left = [row for row in rows if row not in named and not image.filled("published_at")[row]]
    out = MapPlanOut(
        seq=image.seq,
        edits=[
            MapEditOut(
                point=int(image.ids[row]), tag=image.label(row), field="published_at", was="", becomes=text, row=k + 1
            )
            for k, (row, text) in enumerate(laid)
        ],
        same=len(rows) - len(laid) - len(left),
        unmapped=0,
        wrong=[MapWrongOut(row=0, tag=image.label(row), says="no register is left for it") for row in left],
    )
    return jsonify(out.model_dump())


def _plan_out(plan: MapPlan) -> MapPlanOut:
    return MapPlanOut(
        seq=shared().image().seq,
        edits=[
            MapEditOut(point=e.point, tag=e.tag, field=e.field, was=e.was, becomes=e.becomes, row=e.row)
            for e in plan.edits
        ],
        same=plan.same,
        unmapped=plan.unmapped,
        wrong=[MapWrongOut(row=row, tag=tag, says=says) for row, tag, says in plan.wrong],
    )
