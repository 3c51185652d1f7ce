"""Signed records as they were signed, as JSON and PDF; loop-backs of outputs, judged and signed."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.progress import BY
from canaleta.core.checks.sweeps import SHARES, compared
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.climbing import Signing
from canaleta.plant.checks import evidence
from canaleta.plant.checks.evidence import Evidence, Wanted
from canaleta.plant.records.plant import plant_name
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import Figure, PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved, signed

__all__ = ["RecordOut", "api", "record_out"]

api = routes("records", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class RecordOut(Shape):
    """A signed record. sound: it is still what was signed. Of a loop check also: phase, as found or as left, '' if it was
    not said; worst: the largest error, and the tolerance, % of span."""

    id: int
    at: str
    kind: str
    who: str
    name: str
    verdict: str
    sound: bool
    phase: str
    worst: float | None
    tolerance: float | None


class SweepIn(Shape):
    """A loop-back to be judged, and signed if there is a name: what the output was given and the input read, % of
    span."""

    model_config = ConfigDict(extra="forbid")

    input: int = Field(ge=0, le=2**62)
    given: list[Figure] = Field(min_length=1, max_length=60)
    read: list[Figure | None] = Field(min_length=1, max_length=60)
    tolerance: float = Field(0.5, gt=0, le=20)
    name: str = Field("", max_length=80)
    password: str = Field("", max_length=200)


class SweepRow(Shape):
    """One level of a loop-back, % of span."""

    given: float
    read: float | None
    difference: float | None
    way: str


class SweepOut(Shape):
    """A loop-back judged. record: its number once signed, 0 before."""

    rows: list[SweepRow]
    shares: list[float]
    worst: float | None
    hysteresis: float | None
    passes: bool | None
    record: int


class RecordPath(Shape):
    """A record by its number."""

    number: int = Field(ge=0, le=2**62)


@api.post("/points/<int:point>/sweep", responses={200: SweepOut})
@needs("edit")
def sweep(path: PointPath, body: SweepIn) -> Response:
    """A loop-back from an output to an input: the table of differences, signed where a name is given."""
    image, row = found(path.point)
    _, into = found(body.input)
    if len(body.given) != len(body.read):
        raise ProblemError(422, "as many levels read as were given", "nothing was judged")
    read = [np.nan if x is None else x for x in body.read]
    result = compared(body.given, read, body.tolerance)
    record = 0
    if body.name.strip():
        if result.passes is None or list(body.given) != list(SHARES):
            raise ProblemError(
                409,
                f"a whole sweep has {len(SHARES)} levels, up and down, each read",
                "nothing was signed",
                "run the sweep again, to its end",
            )
        proved(body.password)
        rows = [[f"{r.given:.1f}", f"{r.read:.2f}", f"{r.difference:+.2f}", r.way] for r in result.rows]
        says = f"largest difference {result.worst:.2f} % of span, hysteresis {result.hysteresis:.2f} %"
        document: dict[str, Any] = {
            "tag": f"{image.label(row)} to {image.label(into)}",
            "service": image.text("service", row),
            "lines": [f"tolerance {body.tolerance:g} % of the input's span"],
            "seq": image.seq,
            "passes": result.passes,
            "table": {
                "head": ["given, %", "read, %", "difference, %", "way"],
                "rows": rows,
                "widths": [20, 20, 20, 14],
            },
        }
        verdict = f"{'passed' if result.passes else 'failed'}: {says}"
        record = signed(
            Signing("loop-back", (path.point,), verdict, document, result.passes is True, image.seq), body.name
        ).id
    return jsonify(
        SweepOut(
            rows=[
                SweepRow(given=r.given, read=finite(r.read), difference=finite(r.difference), way=r.way)
                for r in result.rows
            ],
            shares=list(SHARES),
            worst=finite(result.worst),
            hysteresis=finite(result.hysteresis),
            passes=result.passes,
            record=record,
        ).model_dump()
    )


class CountersignIn(Shape):
    """A name, the password once more, and a remark."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)
    remark: str = Field("", max_length=400)


class UnderSignatureOut(Shape):
    """Another person's signature under a record. sound: it is still what was signed."""

    at: str
    who: str
    name: str
    remark: str
    sound: bool


class WholeRecordOut(RecordOut):
    """A record with everything that was signed, its hash, and the signatures under it."""

    point: int
    hash: str
    body: dict[str, Any]
    signatures: list[UnderSignatureOut]


class RecordsQuery(Shape):
    """Which records are looked for; after: the number of the last one that was seen. area, cabinet, system: of points there."""

    model_config = ConfigDict(extra="forbid")

    kind: str = Field("", max_length=40)
    who: str = Field("", max_length=80)
    passes: Literal["", "yes", "no"] = ""
    since: str = Field("", pattern=r"^(\d{4}-\d{2}-\d{2})?$")
    until: str = Field("", pattern=r"^(\d{4}-\d{2}-\d{2})?$")
    area: str = Field("", max_length=60)
    cabinet: str = Field("", max_length=60)
    system: str = Field("", max_length=60)
    after: int = Field(0, ge=0, le=2**62)


class RecordLineOut(Shape):
    """A record in a list. tag: of the point as it is called now, '' for one that is no longer in the list."""

    id: int
    at: str
    kind: str
    point: int
    tag: str
    who: str
    name: str
    verdict: str
    passes: bool | None
    phase: str
    worst: float | None


class RecordsOut(Shape):
    """Records, newest first, and how many there are in all."""

    records: list[RecordLineOut]
    count: int


class TimelineOut(Shape):
    """Every record that is looked for, day by day, oldest first: s since 1970; least and largest of the errors that were furthest
    off, % of span; how many were signed, and how many of them failed."""

    at: list[float]
    low: list[float | None]
    high: list[float | None]
    count: list[int]
    failed: list[int]


@api.get("/records", responses={200: RecordsOut})
@needs("read")
def records(query: RecordsQuery) -> Response:
    """Signed records, newest first, a page at a time."""
    image = shared().image()
    with shared().engine.connect() as connection:
        lines, count = evidence.search(connection, _wanted(image, query), after=query.after)
    out = [
        RecordLineOut(
            id=x.id,
            at=x.at.isoformat(),
            kind=x.kind,
            point=x.point,
            tag=image.label(image.row_of(x.point)) if image.has(x.point) else "",
            who=x.who,
            name=x.name,
            verdict=x.verdict,
            passes=x.passes,
            phase=x.phase or "",
            worst=x.worst,
        )
        for x in lines
    ]
    return jsonify(RecordsOut(records=out, count=count).model_dump())


@api.get("/records/timeline", responses={200: TimelineOut})
@needs("read")
def timeline(query: RecordsQuery) -> Response:
    """The errors of every record that is looked for, for a plot of them all."""
    image = shared().image()
    with shared().engine.connect() as connection:
        days = evidence.timeline(connection, _wanted(image, query))
    out = TimelineOut(
        at=[d.at.timestamp() for d in days],
        low=[d.low for d in days],
        high=[d.high for d in days],
        count=[d.count for d in days],
        failed=[d.failed for d in days],
    )
    return jsonify(out.model_dump())


def _wanted(image: PlantImage, query: RecordsQuery) -> Wanted:
    points: set[int] | None = None
    for by in ("area", "cabinet", "system"):
        if name := getattr(query, by).strip():
            here = {int(image.ids[row]) for row, part in enumerate(BY[by](image)) if part == name}
            points = here if points is None else points & here
    try:
        since, until = evidence.moments_of(query.since, query.until)
    except ValueError as error:
        raise ProblemError(422, "there is no such day", str(error), "write it as 2027-03-31") from error
    return Wanted(
        kind=query.kind.strip(), who=query.who.strip(), passes={"yes": True, "no": False}.get(query.passes), since=since,
        until=until, points=None if points is None else sorted(points),
    )  # fmt: skip


@api.get("/evidence/<int:number>", responses={200: WholeRecordOut})
@needs("read")
def record(path: RecordPath) -> Response:
    """A signed record as it was signed, and who signed under it."""
    return jsonify(_whole(_found_record(path.number)).model_dump())


@api.post("/evidence/<int:number>/countersign", responses={200: WholeRecordOut})
@needs("edit")
def countersign(path: RecordPath, body: CountersignIn) -> Response:
    """Sign under another person's record, with one's own password."""
    made = _found_record(path.number)
    if not made.sound:
        raise ProblemError(
            409, f"record {made.id} is not what was signed", "nothing was signed", "tell an administrator"
        )
    proved(body.password)
    try:
        with shared().engine.begin() as connection:
            evidence.countersign(connection, made, session_now().account, body.name.strip(), body.remark.strip())
    except ValueError as error:
        raise ProblemError(409, str(error), "nothing was signed") from error
    return jsonify(_whole(made).model_dump())


def _whole(made: Evidence) -> WholeRecordOut:
    with shared().engine.connect() as connection:
        under = evidence.countersignatures(connection, [made.id])
    signatures = [
        UnderSignatureOut(at=s.at.isoformat(), who=s.who, name=s.name, remark=s.remark, sound=s.sound_under(made))
        for s in under
    ]
    return WholeRecordOut(
        **record_out(made).model_dump(), point=made.point, hash=made.hash, body=made.body, signatures=signatures
    )


@api.get("/evidence/<int:number>/pdf", responses={200: {"content": {"application/pdf": {}}}})
@needs("read")
def record_pdf(path: RecordPath) -> Response:
    """A signed record as PDF."""
    # Taken in here: what draws it takes a fifth of a worker's start, and most workers draw none.
    from canaleta.exchange.check_pdf import check_pdf

    made = _found_record(path.number)
    with shared().engine.connect() as connection:
        plant = plant_name(connection)
    response = Response(check_pdf(made, plant), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="record-{made.id}.pdf"'
    return response


def _found_record(number: int) -> Evidence:
    with shared().engine.connect() as connection:
        made = evidence.one(connection, number)
    if made is None:
        raise ProblemError(404, "there is no such record")
    return made


def record_out(made: Evidence) -> RecordOut:
    return RecordOut(
        id=made.id,
        at=made.at.isoformat(),
        kind=made.kind,
        who=made.who,
        name=made.name,
        verdict=made.verdict,
        sound=made.sound,
        phase=str(made.body.get("phase", "")),
        worst=made.body.get("worst"),
        tolerance=made.body.get("tolerance"),
    )
