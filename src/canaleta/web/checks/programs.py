"""Code for the controller: generated, proved piece by piece, compared with what lies elsewhere, tried, fetched."""

from __future__ import annotations

import difflib
import hashlib
import hmac
import secrets
import tempfile
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import orjson
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.model.fields import Stored, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.program.points import Refusal
from canaleta.core.program.project import check_project
from canaleta.core.program.proof import PointProof, Proof, prove
from canaleta.core.program.trying import tried
from canaleta.core.program.unit import Scope, UnitText, by_hand, generate, rows_of, scopes_of
from canaleta.exchange.dossier.seal import plant_seal, seal_pdf
from canaleta.exchange.program_files import LANGUAGES, c_files, digest, program_files, proof_sheet, zipped
from canaleta.exchange.tc6 import Tc6Error, texts_of
from canaleta.plant.changes.revisions import issue_now
from canaleta.plant.records.plant import plant_name
from canaleta.plant.records.secrets import keep_first
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("programs", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_AT_ONCE = 12
"""Points whose proof one request works out."""
LARGEST_FILE = 3_000_000
LARGEST_PROJECT = 4_000_000
"""Characters; what is larger is held against the list at the command line, where nobody else waits."""
MOST_LINES = 4000
_KEY = "proofs of generated code"


class ScopeOut(Shape):
    """A part of the plant that code is made for."""

    kind: str
    name: str
    unit: str
    points: int


class ScopesOut(Shape):
    """Cabinets, then areas; and what the plant's rule says of its controllers."""

    scopes: list[ScopeOut]
    real: str
    rounding: str
    scan_ms: float
    longest_name: int
    prefix: str


class ProgramQuery(Shape):
    """A part of the plant by the name of its program."""

    unit: str = Field(max_length=120)


class CodeOut(Shape):
    """A point's code. lines: in the text, counted from 1. notes: what was renamed."""

    point: int
    tag: str
    name: str
    kind: str
    service: str
    lines: list[int]
    notes: list[str]


class NoCodeOut(Shape):
    """A point without code, and why."""

    point: int
    tag: str
    code: str
    says: str


class ProgramOut(Shape):
    """The code of a part of the plant. digest: SHA-256 of text and blocks. c: the same as C99; header: of it."""

    unit: str
    kind: str
    name: str
    file: str
    text: str
    blocks: str
    header: str
    c: str
    codes: list[CodeOut]
    refused: list[NoCodeOut]
    digest: str
    issue: str


class ProofIn(Shape):
    """Points whose code is to be proved."""

    model_config = ConfigDict(extra="forbid")

    unit: str = Field(max_length=120)
    points: list[Annotated[int, Field(ge=0, le=2**62)]] = Field(max_length=MOST_AT_ONCE)


class PointProofOut(Shape):
    """What was tried of a point: words, sequences of scans; the largest difference in its unit and in counts; what is wrong."""

    point: int
    tag: str
    name: str
    kind: str
    words: int
    sequences: int
    scans: int
    units: float
    counts: float
    at_word: int
    unit: str
    quality: int
    differ: int
    aside: int
    faults: list[str]
    wrong: list[str]
    says: str


class ProofOut(Shape):
    """The proof of some points, with the mapping of all. token: the server's word for it, asked for again by the sheet."""

    points: list[PointProofOut]
    mapped: int
    spares: dict[str, list[int]]
    wrong: list[str]
    digest: str
    token: str


class PieceIn(Shape):
    """A proof as it was answered, and the server's word for it."""

    model_config = ConfigDict(extra="forbid")

    points: list[PointProofOut] = Field(max_length=MOST_AT_ONCE)
    token: str = Field(max_length=100)


class SheetIn(Shape):
    """A proof to be signed: its pieces, a name and the password once more."""

    model_config = ConfigDict(extra="forbid")

    unit: str = Field(max_length=120)
    pieces: list[PieceIn] = Field(max_length=6000)
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)


class ProgramFileIn(Shape):
    """A file as text: structured text, or PLCopen XML."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    text: str = Field(max_length=LARGEST_FILE)


class ProgramFilesIn(Shape):
    """Files of a project."""

    model_config = ConfigDict(extra="forbid")

    files: list[ProgramFileIn] = Field(min_length=1, max_length=60)


class CodeFindingOut(Shape):
    """What is wrong in a project, and where."""

    code: str
    rule: str
    file: str
    unit: str
    line: int
    says: str
    point: int
    tag: str


class ProjectOut(Shape):
    """What is wrong in a project; units: of this plant that are in it."""

    findings: list[CodeFindingOut]
    units: list[str]


class CodeDifferenceIn(Shape):
    """A text that was generated before, as it lies elsewhere."""

    model_config = ConfigDict(extra="forbid")

    unit: str = Field(max_length=120)
    text: str = Field(max_length=LARGEST_FILE)


class CodeDifferenceOut(Shape):
    """What a text made anew says otherwise: lines with + and -, as many as are told; count: lines of the
    new text that are others; same: those that are as they were. text: made anew, with what stood
    there by hand; lost: places of lines by hand that are gone."""

    lines: list[str]
    count: int
    same: int
    text: str
    lost: dict[str, list[str]]


class TriedCodeIn(Shape):
    """A train for a point's code: levels from times on, none where the signal has failed; the times of the scans; settings tried."""

    model_config = ConfigDict(extra="forbid")

    given: list[tuple[Annotated[float, Field(ge=0, le=3600)], Annotated[float, Field(ge=-1e9, le=1e9)] | None]] = (
        Field(min_length=1, max_length=200)
    )
    times: list[Annotated[float, Field(ge=0, le=3600)]] = Field(min_length=1, max_length=2000)
    cells: dict[str, str] = Field(default_factory=dict, max_length=16)


class TriedCodeOut(Shape):
    """What the code makes of it. lines: the code itself; refused: why there is none."""

    state: list[int]
    band: list[int]
    value: list[float | None]
    counted: list[float | None]
    lines: list[str]
    refused: str


def _scope(image: PlantImage, unit: str) -> Scope:
    found_scope = next((s for s in scopes_of(image) if s.unit == unit), None)
    if found_scope is None:
        raise ProblemError(404, f"there is no program {unit}", remedy="choose a cabinet or an area that the list has")
    return found_scope


def _unit(image: PlantImage, name: str, hand: dict[str, list[str]] | None = None) -> UnitText:
    with shared().engine.connect() as connection:
        issue = issue_now(connection)
    return generate(image, _scope(image, name), issue, hand)


@api.get("/program", responses={200: ScopesOut})
@needs("read")
def program_scopes() -> Response:
    """Cabinets and areas that code can be made for."""
    image = shared().image()
    p = image.conventions.program
    scopes = [
        ScopeOut(kind=s.kind, name=s.name, unit=s.unit, points=len(rows_of(image, s))) for s in scopes_of(image)
    ]
    return jsonify(
        ScopesOut(
            scopes=scopes,
            real=p.real,
            rounding=p.rounding,
            scan_ms=p.scan_ms,
            longest_name=p.longest_name,
            prefix=p.prefix,
        ).model_dump()
    )


@api.get("/program/text", responses={200: ProgramOut})
@needs("read")
def program_text(query: ProgramQuery) -> Response:
    """The code of a part of the plant, with the point that each line is of."""
    image = shared().image()
    unit = _unit(image, query.unit)
    lines: dict[int, list[int]] = {}
    for line, point in unit.point_of.items():
        lines.setdefault(point, []).append(line)
    services = image.texts("service")
    c = c_files(unit)
    with shared().engine.connect() as connection:
        issue = issue_now(connection)
    return jsonify(
        ProgramOut(
            unit=unit.scope.unit, kind=unit.scope.kind, name=unit.scope.name, file=unit.file, text=unit.text, blocks=unit.blocks,
            header=c[f"{unit.scope.unit}.h"], c=c[f"{unit.scope.unit}.c"],
            codes=[CodeOut(point=c.point, tag=c.tag, name=c.name, kind=c.kind, service=services[c.row], lines=lines.get(c.point, []), notes=list(c.notes)) for c in unit.codes],
            refused=[NoCodeOut(**asdict(r)) for r in unit.refused],
            digest=digest(unit), issue=issue,
        ).model_dump()
    )  # fmt: skip


@api.post("/program/proof", responses={200: ProofOut})
@needs("look")
def program_proof(body: ProofIn) -> Response:
    """The proof of a few points: every count of theirs, and sequences of scans."""
    image = shared().image()
    unit = _unit(image, body.unit)
    proof = prove(image, unit, only=body.points)
    points = [_proof_out(p) for p in proof.points]
    of = digest(unit)
    wrong = [*proof.mapping.wrong, *(f"line {p.line}: {p.says}" for p in proof.problems)]
    return jsonify(
        ProofOut(
            points=points, mapped=proof.mapping.mapped, spares={name: list(some) for name, some in proof.mapping.spares.items()},
            wrong=wrong, digest=of, token=_token(of, points),
        ).model_dump()
    )  # fmt: skip


def _proof_out(p: PointProof) -> PointProofOut:
    body = asdict(p) | {"faults": list(p.faults), "wrong": list(p.wrong)}
    return PointProofOut(**body)


def _token(of: str, points: list[PointProofOut]) -> str:
    """The server's word for a proof of a text."""
    with shared().engine.begin() as connection:
        key = keep_first(connection, _KEY, secrets.token_hex(32))
    text = orjson.dumps([of, [p.model_dump() for p in points]])
    return hmac.new(bytes.fromhex(key), text, hashlib.sha256).hexdigest()


@api.post("/program/sheet")
@needs("edit")
def program_sheet(body: SheetIn) -> Response:
    """The proof of a part of the plant as PDF, signed by who asks and sealed by the plant."""
    image = shared().image()
    unit = _unit(image, body.unit)
    of = digest(unit)
    for piece in body.pieces:
        if not hmac.compare_digest(_token(of, piece.points), piece.token):
            raise ProblemError(
                409, "the list has changed since this was proved", "nothing was signed", "prove it again, then sign"
            )
    points = {p.point: p for piece in body.pieces for p in piece.points}
    missing = [c.tag for c in unit.codes if c.point not in points]
    if missing:
        raise ProblemError(
            422,
            f"{len(missing)} points are not proved yet, {missing[0]} among them",
            "nothing was signed",
            "prove all of them first",
        )
    whole = prove(image, unit, only=())
    wrong = [p.tag for p in points.values() if p.wrong]
    if wrong or not whole.holds:
        what = (
            f"{len(wrong)} points are not as the list says, {wrong[0]} among them"
            if wrong
            else "the mapping is not the list's"
        )
        raise ProblemError(422, what, "nothing was signed", "a sheet says that code is proved: settle these first")
    proved(body.password)
    mapping = whole.mapping
    proof = Proof(unit.scope.unit, tuple(_proof_in(points[c.point]) for c in unit.codes), mapping, ())
    with shared().engine.connect() as connection:
        plant = plant_name(connection)
    with tempfile.NamedTemporaryFile(suffix=".pdf") as file:
        path = Path(file.name)
        path.write_bytes(proof_sheet(plant, [unit], [proof], body.name, datetime.now(UTC).date().isoformat()))
        seal_pdf(path, plant_seal(shared().engine), body.name, "code proved")
        data = path.read_bytes()
    out = Response(data, mimetype="application/pdf")
    out.headers["Content-Disposition"] = f'attachment; filename="{unit.scope.unit}-proof.pdf"'
    return out


def _proof_in(p: PointProofOut) -> PointProof:
    body: dict[str, Any] = p.model_dump()
    return PointProof(**(body | {"faults": tuple(p.faults), "wrong": tuple(p.wrong)}))


@api.get("/program/files")
@needs("read")
def fetch_program(query: ProgramQuery) -> Response:
    """A part of the plant as files in a ZIP: structured text, PLCopen XML, C99, a table of parameters."""
    image = shared().image()
    unit = _unit(image, query.unit)
    with shared().engine.connect() as connection:
        plant = plant_name(connection)
    files = program_files([unit], LANGUAGES, plant)
    out = Response(zipped(files), mimetype="application/zip")
    out.headers["Content-Disposition"] = f'attachment; filename="{unit.scope.unit}.zip"'
    return out


@api.post("/program/check", responses={200: ProjectOut})
@needs("look")
def check_program(body: ProgramFilesIn) -> Response:
    """Hold a project that was brought back against the list."""
    texts: dict[str, str] = {}
    if sum(len(file.text) for file in body.files) > LARGEST_PROJECT:
        remedy = "bring back the units of this plant alone, or use ./canaleta check-code"
        raise ProblemError(422, f"more than {LARGEST_PROJECT} characters", "nothing was compared", remedy)
    for file in body.files:
        if file.name.lower().endswith(".xml") or file.text.lstrip("\ufeff \r\n\t").startswith("<"):
            try:
                texts |= texts_of(file.text.encode("utf-8"), file.name)
            except Tc6Error as error:
                where = f", line {error.line}" if error.line else ""
                raise ProblemError(
                    422,
                    f"{file.name}{where}: {error.says}",
                    "nothing was compared",
                    "export it as PLCopen XML, or as structured text",
                ) from error
        else:
            texts[file.name] = file.text.removeprefix("\ufeff")
    with shared().engine.connect() as connection:
        issue = issue_now(connection)
    findings, scopes = check_project(shared().image(), texts, issue)
    return jsonify(
        ProjectOut(
            findings=[CodeFindingOut(rule=f.rule, **asdict(f)) for f in findings], units=[s.unit for s in scopes]
        ).model_dump()
    )


@api.post("/program/difference", responses={200: CodeDifferenceOut})
@needs("look")
def program_difference(body: CodeDifferenceIn) -> Response:
    """What a text made anew says otherwise than one that lies elsewhere."""
    hand = by_hand(body.text)
    unit = _unit(shared().image(), body.unit, hand)
    old = body.text.replace("\r\n", "\n").splitlines()
    if len(old) > 10 * len(unit.text.splitlines()) + 1000:
        remedy = f"give {unit.file} as it was generated"
        raise ProblemError(
            422, f"{len(old)} lines: this is no earlier text of {unit.scope.unit}", "nothing was compared", remedy
        )
    diff = difflib.unified_diff(old, unit.text.splitlines(), lineterm="", n=0)
    changed = [line for line in diff if line[:1] in "+-" and line[:3] not in ("+++", "---")]
    came, all_lines = sum(line[0] == "+" for line in changed), len(unit.text.splitlines())
    gone = len(changed) - came
    out = CodeDifferenceOut(
        lines=changed[:MOST_LINES], count=max(came, gone), same=all_lines - came, text=unit.text, lost=unit.lost
    )
    return jsonify(out.model_dump())


@api.post("/points/<int:point>/tried-code", responses={200: TriedCodeOut})
@needs("look")
def try_code(path: PointPath, body: TriedCodeIn) -> Response:
    """What a point's generated code makes of a pulse train, before anything is set."""
    image, row = found(path.point)
    one = image.only(np.array([row]))
    cells: dict[tuple[int, str], Stored] = {}
    for name, text in body.cells.items():
        try:
            cells |= {(0, field): value for field, value in read_cell(field_named(name), text).items()}
        except (TextError, KeyError) as error:
            raise ProblemError(422, str(error), remedy="the strip shows the setting before it") from error
    given = sorted((at, np.nan if level is None else level) for at, level in body.given)
    made = tried(one.with_cells(cells), given, np.array(sorted(body.times)))
    if isinstance(made, Refusal):
        return jsonify(
            TriedCodeOut(state=[], band=[], value=[], counted=[], lines=[], refused=made.says).model_dump()
        )
    return jsonify(
        TriedCodeOut(
            state=made.state.tolist(), band=made.band.tolist(), value=[finite(x) for x in made.value.tolist()],
            counted=[finite(x) for x in made.counted.tolist()], lines=list(made.lines), refused="",
        ).model_dump()
    )  # fmt: skip
