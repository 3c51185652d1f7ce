"""Signed records as they were signed, as JSON and PDF; loop-backs of outputs, judged and signed."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field
from sqlalchemy import select

from canaleta.core.checks.sweeps import SHARES, compared
from canaleta.plant.checks import evidence
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.database import tables as t
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import Figure, PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

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
            "table": {
                "head": ["given, %", "read, %", "difference, %", "way"],
                "rows": rows,
                "widths": [20, 20, 20, 14],
            },
        }
        verdict = f"{'passed' if result.passes else 'failed'}: {says}"
        with shared().engine.begin() as connection:
            record = evidence.keep(
                connection, "loop-back", path.point, session_now().account, body.name.strip(), verdict, document
            )
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


@api.get("/evidence/<int:number>", responses={200: None})
@needs("read")
def record(path: RecordPath) -> Response:
    """A signed record as it was signed."""
    made = _foundrecord_out(path.number)
    return jsonify(record_out(made).model_dump() | {"point": made.point, "hash": made.hash, "body": made.body})


@api.get("/evidence/<int:number>/pdf", responses={200: {"content": {"application/pdf": {}}}})
@needs("read")
def record_pdf(path: RecordPath) -> Response:
    """A signed record as PDF."""
    # Taken in here: what draws it takes a fifth of a worker's start, and most workers draw none.
    from canaleta.exchange.check_pdf import check_pdf

    made = _foundrecord_out(path.number)
    response = Response(check_pdf(made, _plant_name()), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="record-{made.id}.pdf"'
    return response


def _plant_name() -> str:
    with shared().engine.connect() as connection:
        return str(connection.execute(select(t.plant.c.name)).scalar_one())


def _foundrecord_out(number: int) -> Evidence:
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
