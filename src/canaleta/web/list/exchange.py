"""Files out and in: the project file, the list as CSV or workbook, and lists brought in with a dry run first."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from flask import Response, jsonify
from flask_openapi3.models.file import FileStorage
from pydantic import ConfigDict, Field, StringConstraints
from sqlalchemy import delete

from canaleta.core.hardware.occupancy import counted, used_channels
from canaleta.core.model.fields import FIELDS
from canaleta.core.model.image import PlantImage
from canaleta.exchange import list_out
from canaleta.exchange.bring_in import KIND, TROUBLES, Choices, Line, unpacked
from canaleta.exchange.list_print import MOST_PRINTED, Issue, printed_list
from canaleta.exchange.lists.memory import look
from canaleta.exchange.lists.questions import LEFT_OUT, TARGETS, no_target, target_words
from canaleta.exchange.project import Project, project_of, written_project
from canaleta.exchange.workbook import streamed_workbook
from canaleta.jobs.import_work import BUSY, keep_look, stored_looks
from canaleta.jobs.imports import Job, TooManyJobsError
from canaleta.plant.changes.revisions import document_of, points_of, revisions
from canaleta.plant.database import tables as t
from canaleta.plant.live import temporary
from canaleta.plant.live.blocks import is_stale, read_block
from canaleta.plant.records.findings import findings_as_they_come
from canaleta.plant.records.plant import plant_name
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("exchange", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_TEXT = 4_000_000
QUALITIES = ("good", "doubtful", "bad", "none")


class ListFile(Shape):
    """A list as a file: CSV in any dress, XLSX, ODS or XLS."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage


class ListText(Shape):
    """A list as pasted text."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(min_length=1, max_length=MOST_TEXT)


class FileTold(Shape):
    """What was noticed while a sheet was read: encodings, mangled, formulas. rows: the first of them, from 1."""

    code: str
    says: str
    rows: list[int]


class FilePageOut(Shape):
    """A sheet of the file."""

    name: str
    rows: int
    told: list[FileTold]


class ColumnOut(Shape):
    """A column of a list: its place on the sheet, from 0, its head, the unit in the head, what it is taken for ("" for
    left out) and why: named, contents, neighbours, answered, asked, second, nothing, unknown or empty. likely: the
    likeliest fields. key: what a question calls it."""

    at: int
    heading: str
    unit: str
    target: str
    why: str
    likely: list[str]
    key: str


class FileRowOut(Shape):
    """A row of the file that is no point, from 1, and why, by a code."""

    row: int
    code: str


class FileDoubt(Shape):
    """A cell of the file that was not read: its row, from 1, its column, from 0, and why, by a code."""

    row: int
    at: int
    code: str


class FileList(Shape):
    """A list of the file. heads, data: its rows on the sheet, from 0, the second behind the last. top: the first rows as
    they stand in the file, from row `first` on. doubts: cells of those rows that were not
    read. out: rows that are no points, from 1, with a code why."""

    sheet: int
    name: str
    heads: list[int]
    data: list[int]
    points: int
    columns: list[ColumnOut]
    first: int
    top: list[list[str]]
    doubts: list[FileDoubt]
    out: list[FileRowOut]


class FileBeside(Shape):
    """A sheet or table that is no list."""

    sheet: int
    name: str
    says: str


class FileReading(Shape):
    """One way to read."""

    answer: str
    says: str


class FileQuestion(Shape):
    """Something that is asked once for a column. rows: how many it touches. answer: what was answered, "" for nothing
    yet."""

    id: str
    code: str
    heading: str
    says: str
    examples: list[str]
    rows: int
    readings: list[FileReading]
    answer: str


class FileReason(Shape):
    """Why cells were not taken, told once: its code, the field, how many cells, some of their texts, and whether
    it is asked about."""

    code: str
    field: str
    says: str
    cells: int
    typed: list[str]
    asked: bool


class FileFirst(Shape):
    """The first rows of a sheet, of a file in which no list was found."""

    name: str
    rows: list[list[str]]


class TargetOut(Shape):
    """What a column may be."""

    name: str
    label: str


class CountsOut(Shape):
    """Rows of each kind, cells that change, cells that cannot be read, points that the file does not have."""

    added: int = 0
    changed: int = 0
    same: int = 0
    renamed: int = 0
    out: int = 0
    cells: int = 0
    wrong: int = 0
    unmatched: int = 0


class ToldFinding(Shape):
    """A finding that would come."""

    severity: str
    text: str
    rule: str


class ToldValue(Shape):
    """A value that would move at one level on the wires."""

    tag: str
    at: str
    was: str
    becomes: str


class DoesOut(Shape):
    """What a list would do beyond its cells: findings that come and go, values that move; the first of both."""

    opened: int
    closed: int
    moved: int
    findings: list[ToldFinding]
    values: list[ToldValue]


class JobOut(Shape):
    """A list being brought in. state: waiting, reading, planning, ready, taking in, done, failed, called off. tables: its
    lists; beside: what is none. questions: what is asked now, the dearest first; more: how many wait behind them. recalled:
    the list whose answers were taken. weighs: what it would do beyond its cells is still worked out. decimal: what marks decimals in the file, "" where nothing settles it."""

    id: int
    name: str
    state: str
    busy: bool
    done: float
    says: str
    sheets: list[FilePageOut]
    tables: list[FileList]
    beside: list[FileBeside]
    questions: list[FileQuestion]
    answered: list[FileQuestion]
    more: int
    recalled: str
    decimal: str
    first: list[FileFirst]
    reasons: list[FileReason]
    does: DoesOut | None
    weighs: bool
    counts: CountsOut
    choices: Choices
    seq: int


class LineOut(Shape):
    """What becomes of a row of the file. cells: field, what stands there, what comes; troubles: field, typed, why
    not, code. code: of a row that is left out, why. by_choice: left out because somebody wants it so."""

    sheet: int
    row: int
    kind: str
    tag: str
    point: int
    cells: list[list[str]]
    troubles: list[list[str]]
    code: str
    says: str
    by_choice: bool = False


class LinesOut(Shape):
    """Some rows of a kind, of how many."""

    count: int
    lines: list[LineOut]


class LinesQuery(Shape):
    """Which rows: of a kind, from which on."""

    kind: Literal["added", "changed", "same", "renamed", "out", "wrong", "unmatched"] = "changed"
    start: int = Field(0, ge=0, le=10_000_000)
    most: int = Field(100, ge=1, le=500)


class JobPath(Shape):
    """A list being brought in."""

    job: int = Field(ge=1, le=2**62)


class MappingIn(Shape):
    """Keep how the columns of this list are taken, under a name."""

    model_config = ConfigDict(extra="forbid")

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


class MappingPath(Shape):
    """A mapping by its name."""

    name: str = Field(min_length=1, max_length=60)


class MappingsOut(Shape):
    """Mappings that were kept, and everything that a column may be."""

    mappings: list[str]
    targets: list[TargetOut]


class ExportIn(Shape):
    """The list as a file: which columns and points, all of them if left out. A print (pdf) has columns of its own, on paper
    of a size."""

    model_config = ConfigDict(extra="forbid")

    form: Literal["csv", "xlsx", "ods", "pdf"] = "xlsx"
    paper: Literal["A4", "A3"] = "A3"
    fields: list[Annotated[str, Field(max_length=60)]] = Field(default_factory=list, max_length=200)
    points: list[Annotated[int, Field(ge=0, le=2**62)]] | None = Field(None, max_length=200_000)


@api.get("/project", responses={200: None})
@needs("read")
def project_file() -> Response:
    """The whole plant as a project file."""
    with shared().engine.connect() as connection:
        project = project_of(connection, shared().image(connection))
    response = Response(written_project(project), content_type="application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(project.name)}.canaleta.json"'
    return response


@api.get("/project/schema", responses={200: None})
@needs("read")
def project_schema() -> Response:
    """The JSON schema of the project file."""
    return jsonify(Project.model_json_schema())


@api.post("/export", responses={200: None})
@needs("look")
def export(body: ExportIn) -> Response:
    """The list as CSV, or as a workbook (XLSX, ODS) with findings and spares on sheets of their own; it comes as it is
    written."""
    names = body.fields or list_out.every_field()
    if (unknown := next((n for n in names if n not in {f.name for f in FIELDS}), None)) is not None:
        raise ProblemError(422, f"there is no column “{unknown}”", "nothing was written")
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        changed = temporary.listed(connection)
        live = _live(connection, image) if "now" in names else {}
        title = plant_name(connection)
    if body.form == "pdf":
        return _print(body, image, title)
    engine = shared().engine
    report: dict[int, list[str]] = {}
    if "checks" in names:
        for finding in findings_as_they_come(engine):
            for point in dict.fromkeys(cell["point"] for cell in finding["cells"]):
                report.setdefault(point, []).append(list_out.told(finding))
    sheet = list_out.list_sheet(image, names, body.points, report, live)
    if body.form == "csv":
        pieces: Iterator[bytes] = list_out.as_csv(sheet)
    else:
        sheets = [
            sheet,
            list_out.findings_sheet(image, findings_as_they_come(engine)),
            list_out.spares_sheet(image, _spares(image)),
            list_out.temporary_sheet(image, changed),
        ]
        pieces = streamed_workbook(sheets, body.form)
    response = Response(_begun_pieces(pieces), content_type=_KINDS[body.form])
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(title)}-{image.seq}.{body.form}"'
    return response


_KINDS = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "ods": "application/vnd.oasis.opendocument.spreadsheet",
}


def _print(body: ExportIn, image: PlantImage, title: str) -> Response:
    """The list on paper."""
    rows = range(len(image)) if body.points is None else [image.row_of(p) for p in body.points if image.has(p)]
    if len(rows) > MOST_PRINTED:
        raise ProblemError(
            422, f"{len(rows)} points; a print has {MOST_PRINTED} at most", "nothing was written",
            "filter the list to an area or a cabinet, and print what is shown; or print it whole under Handover, prints",
        )  # fmt: skip
    with shared().engine.connect() as connection:
        issued = next((r for r in revisions(connection) if r.state == "issued"), None)
        issue = Issue(issued.mark, points_of(document_of(connection, issued.id))) if issued else Issue()
    day = f"{datetime.now(UTC):%Y-%m-%d}"
    response = Response(printed_list(image, rows, title, day, issue, body.paper), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(title)}-{image.seq}.pdf"'
    return response


def _begun_pieces(pieces: Iterator[bytes]) -> Iterator[bytes]:
    """Pieces of a file, the first of them made already: what cannot begin is told as any other trouble."""
    first = next(pieces, b"")
    return itertools.chain((first,), pieces)


@api.post("/imports", responses={200: JobOut})
@needs("edit")
def bring_file(form: ListFile) -> Response:
    """Begin with a file; what comes of it is asked by its number."""
    data = form.file.read()
    return _begun(form.file.filename or "a list", data)


@api.post("/imports/text", responses={200: JobOut})
@needs("edit")
def bring_text(body: ListText) -> Response:
    """Begin with pasted text."""
    return _begun("pasted text", body.text.encode())


@api.get("/imports/<int:job>", responses={200: JobOut})
@needs("edit")
def job_now(path: JobPath) -> Response:
    """How far it is, and what was found."""
    return _told(path.job)


@api.get("/imports/<int:job>/lines", responses={200: LinesOut})
@needs("edit")
def job_lines(path: JobPath, query: LinesQuery) -> Response:
    """Rows of the file, cell by cell; or the points that it does not have."""
    _mine(path.job)
    planned = shared().jobs.lines(path.job)
    if query.kind == "unmatched":
        image = shared().image()
        points = [p for p in planned["unmatched"] if image.has(p)]
        shown = points[query.start : query.start + query.most]
        some = [Line(0, 0, "unmatched", image.label(image.row_of(p)), p).told() for p in shown]
        return jsonify({"count": len(points), "lines": some})
    lines = [
        line for line in planned["lines"] if (line[TROUBLES] if query.kind == "wrong" else line[KIND] == query.kind)
    ]
    some = [unpacked(line, planned["blocks"]) for line in lines[query.start : query.start + query.most]]
    return jsonify({"count": len(lines), "lines": some})


@api.put("/imports/<int:job>/choices", responses={200: JobOut})
@needs("edit")
def choose(path: JobPath, body: Choices) -> Response:
    """Plan it again: another sheet, other headings, other columns, rows and cells left out."""
    if unknown := no_target(body.answers):
        raise ProblemError(422, f"a column cannot be “{unknown}”", "nothing was changed")
    _ready(path.job)
    shared().jobs.choose(path.job, body)
    return _told(path.job)


@api.post("/imports/<int:job>/apply", responses={200: JobOut})
@needs("edit")
def take_in(path: JobPath) -> Response:
    """Take it in as one change set: all of it or nothing."""
    job = _ready(path.job)
    if job.says:
        raise ProblemError(409, job.says, "nothing was changed")
    shared().jobs.take_in(path.job)
    return _told(path.job)


@api.delete("/imports/<int:job>", responses={200: JobOut})
@needs("edit")
def call_off(path: JobPath) -> Response:
    """Call it off, at any time; nothing was changed unless it was done."""
    _mine(path.job)
    shared().jobs.stop(path.job)
    return _told(path.job)


@api.put("/imports/<int:job>/mapping", responses={200: MappingsOut})
@needs("edit")
def keep(path: JobPath, body: MappingIn) -> Response:
    """Keep how its columns are taken; a list that looks so is then taken so."""
    job = _mine(path.job)
    result = job.result
    if result is None:
        raise ProblemError(409, "the file is not read yet", remedy="wait a moment")
    with shared().engine.begin() as connection:
        keep_look(connection, body.name, session_now().account, *_mapping_of(job, result))
    return _mappings()


@api.get("/imports/<int:job>/mapping", responses={200: None})
@needs("edit")
def mapping_file(path: JobPath) -> Response:
    """How its columns are taken, as a file for the command line (import FILE --map THIS)."""
    job = _mine(path.job)
    if job.result is None:
        raise ProblemError(409, "the file is not read yet", remedy="wait a moment")
    keys, answers = _mapping_of(job, job.result)
    response = jsonify({"canaleta": "mapping", "version": 1, "look": keys, "answers": answers})
    response.headers["Content-Disposition"] = f'attachment; filename="{_file_name(job.name)}.mapping.json"'
    return response


@api.get("/mappings", responses={200: MappingsOut})
@needs("read")
def mappings() -> Response:
    """Mappings that were kept, and what a column may be."""
    return _mappings()


@api.delete("/mappings/<string:name>", responses={200: MappingsOut})
@needs("edit")
def drop_mapping(path: MappingPath) -> Response:
    """Let a mapping go."""
    with shared().engine.begin() as connection:
        gone = connection.execute(delete(t.mapping).where(t.mapping.c.name == path.name))
    if not gone.rowcount:
        raise ProblemError(404, f"there is no mapping “{path.name}”")
    return _mappings()


def _mapping_of(job: Job, result: dict[str, Any]) -> tuple[list[str], dict[str, str]]:
    """The look of a list, and all that makes its columns be read as they are: what was answered, and what was settled."""
    tables = [table["columns"] for table in result["tables"]]
    settled = {
        f"column@{c['key']}": c["target"] or LEFT_OUT for t in tables for c in t if c["why"] not in ("asked", "empty")
    }
    return look(tables), {**settled, **Choices.model_validate(job.choices).answers}


def _targets() -> list[dict[str, str]]:
    return [{"name": name, "label": target_words(name)} for name in TARGETS]


def _mappings() -> Response:
    with shared().engine.connect() as connection:
        names = sorted(kept["name"] for kept in stored_looks(connection))
    return jsonify({"mappings": names, "targets": _targets()})


def _begun(name: str, data: bytes) -> Response:
    try:
        return _told(shared().jobs.start(session_now().account, name, data))
    except TooManyJobsError as full:
        raise ProblemError(
            429, "two of your lists are still at work", "nothing was begun", "wait for one of them, or call it off"
        ) from full


def _mine(number: int) -> Job:
    """A job of one's own. Raises ProblemError for any other."""
    job = shared().jobs.job(number)
    if job is None or job.who != session_now().account:
        raise ProblemError(404, "there is no such list being brought in", remedy="choose the file again")
    return job


def _ready(number: int) -> Job:
    job = _mine(number)
    if job.state != "ready":
        why = "one moment: it is still at work" if job.state in BUSY else f"this one is {job.state}"
        raise ProblemError(409, why, "nothing was changed", "choose the file again" if job.state not in BUSY else "")
    return job


def _told(number: int) -> Response:
    job = _mine(number)
    found: dict[str, Any] = job.result or {}
    tables = [
        {**table, "first": table["top"][0], "top": table["top"][1], "doubts": table["top"][2]}
        for table in found.get("tables", [])
    ]
    beside = [{"sheet": sheet, "name": name, "says": says} for sheet, name, says in found.get("beside", [])]
    first = [{"name": name, "rows": rows} for name, rows in found.get("first", [])]
    body = {
        "sheets": [], "questions": [], "answered": [], "more": 0, "recalled": "", "decimal": "", "reasons": [],
        "does": None, "weighs": False, "counts": {}, "seq": 0, **found, "tables": tables, "beside": beside, "first": first,
        "id": job.id, "name": job.name, "state": job.state, "busy": job.state in BUSY, "done": job.done,
        "says": job.says, "choices": job.choices,
    }  # fmt: skip
    out = JobOut.model_validate(body)
    return jsonify(out.model_dump())


def _live(connection: Any, image: PlantImage) -> dict[int, str]:
    """Value, quality and count of every point that is read, as text: the raw beside the scaled. Stale ones say so."""
    out: dict[int, str] = {}
    now = shared().clock.looked_lately()
    for rack in image.layout.racks:
        block = read_block(connection, rack)
        if block is None:
            continue
        rows = zip(
            block.points.tolist(), block.value.tolist(), block.quality.tolist(), block.counts.tolist(), strict=True
        )
        stale = f"stale since {block.read_at:%Y-%m-%d %H:%M:%S} UTC" if is_stale(block, image, now) else ""
        for point, value, quality, counts in rows:
            says = stale or QUALITIES[quality]
            out[point] = f"{value:.6g} ({says}, {counts:.0f} counts)" if counts == counts else ""
    return out


def _spares(image: PlantImage) -> list[tuple[str, str, str]]:
    """Every channel that no point holds: address, module, and whether it is free, spare or wired spare."""
    used = used_channels(image)
    out = []
    for cabinet in image.layout.cabinets.values():
        racks = [rack.id for rack in image.layout.racks.values() if rack.cabinet == cabinet.id]
        modules = [module for rack in racks for module in image.layout.modules_of(rack)]
        kept = counted(image, [module.id for module in modules], used).spare
        free = [
            (module, channel)
            for module in modules
            for channel in range(image.layout.type_of(module.id).channels)
            if channel not in used.get(module.id, ())
        ]
        # What the policy holds is counted from the end: the first channels are anybody's.
        for number, (module, channel) in enumerate(free):
            wired = channel in module.wired
            word = "wired spare" if wired else "spare" if number >= len(free) - kept else "free"
            out.append((image.layout.address(module.id, channel), image.layout.type_of(module.id).title, word))
    return out


def _file_name(name: str) -> str:
    return "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower()).strip("-") or "plant"
