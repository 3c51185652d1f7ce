"""Issues of the list: put up, checked, issued; any two compared in the words of the trade."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field, StringConstraints
from sqlalchemy import Connection

from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import as_written_now
from canaleta.core.sheet.differences import differences
from canaleta.exchange.project import project_of
from canaleta.plant.changes.revisions import (
    Revision,
    RevisionError,
    changed_since,
    document_of,
    points_of,
    put_up,
    revisions,
    sign,
)
from canaleta.plant.records.findings import accepted, stored_findings
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import counted_try

__all__ = ["api"]

api = routes("revisions", __name__, url_prefix="/api/revisions", abp_responses=PROBLEMS)
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)]


class SignatureOut(Shape):
    """A signature."""

    meaning: str
    who: str
    name: str
    remark: str
    at: str
    hash: str


class RevisionOut(Shape):
    """A frozen state of the list. state: in check, checked, issued, withdrawn."""

    id: int
    mark: str
    state: str
    seq: int
    who: str
    at: str
    note: str
    open_reason: str
    points: int
    findings: int
    hash: str
    signatures: list[SignatureOut]


class RevisionsOut(Shape):
    """Every revision, newest first. changed: points changed since the last issued one. next_mark: what comes next."""

    revisions: list[RevisionOut]
    issued: str
    changed: int
    bad: int
    next_mark: str


class PutUpIn(Shape):
    """A revision to put up for check."""

    model_config = ConfigDict(extra="forbid")

    mark: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=20)]
    note: Words = ""
    open_reason: Words = ""


class SignatureIn(Shape):
    """A signature: the password once more, what it means, the name it is given under."""

    model_config = ConfigDict(extra="forbid")

    meaning: Literal["checked", "issued", "withdrawn"]
    password: str = Field(max_length=200)
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=2, max_length=80)]
    remark: Words = ""


class RevisionPath(Shape):
    """A revision; 0 is the list as it stands."""

    revision: int = Field(ge=0, le=2**62)


class Against(Shape):
    """What it is compared with: another revision, 0 for the list as it stands."""

    against: int = Field(0, ge=0, le=2**62)


class PointDifferenceOut(Shape):
    """What became of a point. cells: field, was, becomes; words: the same as one tells it; moves: what moves with
    it."""

    point: int
    tag: str
    kind: str
    cells: list[list[str]]
    words: list[str]
    moves: str


class DifferencesOut(Shape):
    """Points that differ, and what else: conventions, hardware."""

    was: str
    becomes: str
    points: list[PointDifferenceOut]
    others: list[str]


@api.get("", responses={200: RevisionsOut})
@needs("read")
def all_revisions() -> Response:
    """Every revision, and how far the list is from the last issued one."""
    return _told()


@api.post("", responses={200: RevisionsOut})
@needs("engineer")
def put_up_for_check(body: PutUpIn) -> Response:
    """Freeze the list as it stands, for check."""

    def project(connection: Connection, image: PlantImage) -> Mapping[str, Any]:
        return project_of(connection, image).model_dump(mode="json")

    try:
        put_up(
            shared().engine, shared().cache, project, body.mark, body.note, body.open_reason, session_now().account
        )
    except RevisionError as error:
        raise ProblemError(409, str(error), "nothing was frozen") from error
    return _told()


@api.post("/<int:revision>/signatures", responses={200: RevisionsOut})
@needs("engineer")
def give_signature(path: RevisionPath, body: SignatureIn) -> Response:
    """Sign: the password is asked once more, and tries are counted."""
    who = session_now().account
    counted_try()
    with shared().engine.begin() as connection:
        second = shared().image(connection).conventions.second_signature == "asked"
    try:
        sign(
            shared().engine,
            path.revision,
            body.meaning,
            who,
            body.password,
            body.name,
            body.remark,
            second_person=second,
        )
    except RevisionError as error:
        raise ProblemError(409, str(error), "nothing was signed") from error
    except LookupError as error:
        raise ProblemError(404, str(error), "nothing was signed") from error
    return _told()


@api.get("/<int:revision>/differences", responses={200: DifferencesOut})
@needs("read")
def compared(path: RevisionPath, query: Against) -> Response:
    """What became of a revision in another one, or in the list as it stands."""
    was_name, was, was_project = _state(path.revision)
    name, becomes, project = _state(query.against)
    out = DifferencesOut(
        was=was_name,
        becomes=name,
        others=_others(was_project, project),
        points=[
            PointDifferenceOut(
                point=d.point,
                tag=d.tag,
                kind=d.kind,
                cells=[list(cell) for cell in d.cells],
                words=list(d.words),
                moves=d.moves,
            )
            for d in differences(was, becomes)
        ],
    )
    return jsonify(out.model_dump())


@api.get("/<int:revision>/document", responses={200: None})
@needs("read")
def document(path: RevisionPath) -> Response:
    """The frozen document of a revision, as it was signed."""
    with shared().engine.connect() as connection:
        try:
            body = document_of(connection, path.revision)
        except LookupError as error:
            raise ProblemError(404, str(error)) from error
    response = jsonify(body)
    response.headers["Content-Disposition"] = f'attachment; filename="revision-{path.revision}.json"'
    return response


def _state(number: int) -> tuple[str, dict[int, dict[str, str]], Mapping[str, Any]]:
    """(name, points, project) of a revision, or of the list as it stands, whose points are only there."""
    with shared().engine.connect() as connection:
        if number == 0:
            image = shared().image(connection)
            now = project_of(connection, image)
            points = dict(zip(image.ids.tolist(), now.points, strict=True))
            return "the list now", points, now.model_dump(mode="json", exclude={"points"})
        try:
            body = document_of(connection, number)
        except LookupError as error:
            raise ProblemError(404, str(error)) from error
    return f"revision {body['mark']}", points_of(body), body["project"]


def _others(was: Mapping[str, Any], becomes: Mapping[str, Any]) -> list[str]:
    """What differs besides points: conventions one by one, racks module by module, types and cables by name."""
    out = [
        f"rule {name}: {then} → {becomes['conventions'].get(name)}"
        for name, then in was["conventions"].items()
        if becomes["conventions"].get(name) != then
    ]
    then, now = _racks(was), _racks(becomes)
    out += [f"{rack}: new" for rack in now if rack not in then]
    out += [f"{rack}: taken away" for rack in then if rack not in now]
    for rack in now.keys() & then.keys():
        if now[rack] != then[rack]:
            out.append(f"{rack}: {_modules(then[rack])} → {_modules(now[rack])}")
    for key, title in (("module_types", "module type"), ("cables", "cable"), ("typicals", "typical")):
        field = "key" if key == "module_types" else "name"
        written = as_written_now if key == "module_types" else _as_it_is
        old, new = ({x[field]: written(x) for x in p.get(key, [])} for p in (was, becomes))
        out += [f"{title} {name}: new" for name in new if name not in old]
        out += [f"{title} {name}: taken away" for name in old if name not in new]
        out += [f"{title} {name}: changed" for name in new if name in old and new[name] != old[name]]
    return out


def _as_it_is(document: Any) -> Any:
    return document


def _racks(project: Mapping[str, Any]) -> dict[str, Any]:
    return {f"{c['name']} rack {r['name']}": r for c in project["cabinets"] for r in c["racks"]}


def _modules(rack: Mapping[str, Any]) -> str:
    return f"{rack['host']}:{rack['port']} " + " · ".join(m["type"] for m in rack["modules"])


def _told() -> Response:
    with shared().engine.connect() as connection:
        known = revisions(connection)
        issued = next((r for r in known if r.state == "issued"), None)
        changed = changed_since(connection, issued.seq) if issued else 0
        bad = _bad(connection)
    out = RevisionsOut(
        revisions=[_out(r) for r in known],
        issued=issued.mark if issued else "",
        changed=changed,
        bad=bad,
        next_mark=_next_mark([r.mark for r in known]),
    )
    return jsonify(out.model_dump())


def _bad(connection: Connection) -> int:
    return sum(body["severity"] == "bad" and not accepted(body) for body in stored_findings(connection))


def _out(r: Revision) -> RevisionOut:
    return RevisionOut(
        id=r.id, mark=r.mark, state=r.state, seq=r.seq, who=r.who, at=r.at, note=r.note, open_reason=r.open_reason,
        points=r.points, findings=r.findings, hash=r.hash, signatures=[SignatureOut(**s.__dict__) for s in r.signatures],
    )  # fmt: skip


def _next_mark(marks: list[str]) -> str:
    """A, B … Z, AA; or the number after the last one."""
    if not marks:
        return "A"
    last = marks[0]
    if last.isdecimal():
        return str(int(last) + 1)
    if not (last.isalpha() and last.isascii()):
        return f"{last}-2"
    letters = [ord(c) - 65 for c in last.upper()]
    at = len(letters) - 1
    while at >= 0 and letters[at] == 25:
        letters[at] = 0
        at -= 1
    if at < 0:
        return "A" * (len(letters) + 1)
    letters[at] += 1
    return "".join(chr(65 + n) for n in letters)
