"""Tests on one page: of a whole loop, of its device alone or its channel alone; what is expected, what was read, signed."""

from __future__ import annotations

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.loopcheck import TestOf, judged, span_of, steps_of
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.sources import driven
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe
from canaleta.core.signals.signal_types import Family
from canaleta.plant.changes.climbing import Signing
from canaleta.plant.checks import evidence
from canaleta.plant.database.locks import TEST_LOCK, held, hold, let_go, refuse_locked
from canaleta.plant.live import temporary
from canaleta.web.checks.judging import (
    KINDS,
    MOST_RUNS,
    OutcomeOut,
    ReadingsIn,
    SignCheckIn,
    StepOut,
    TestName,
    document_of,
    judged_of,
    outcome_out,
    step_out,
    unit_of,
)
from canaleta.web.checks.records import RecordOut, record_out
from canaleta.web.checks.with_instrument import refuse_instrument
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.photos import refuse_photo
from canaleta.web.kit.point import PointPath, found, unchanged_since
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved, signed

__all__ = ["api"]

api = routes("checks", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class CheckQuery(Shape):
    """What is tested, and how often its steps are gone through."""

    model_config = ConfigDict(extra="forbid")

    test: TestName = "loop"
    runs: int = Field(1, ge=1, le=MOST_RUNS)


class UnderTestOut(Shape):
    """Who has a point under test, '' for nobody."""

    who: str


class CheckOut(Shape):
    """The loop check of a point: its steps, what it may be off, what it can trip, what is open at it, earlier
    records. seq: the list that the steps were worked out with. test: what is tested; unit: of what is read; output: the point
    is driven, so that its steps are commanded; under_test: who is at it besides, '' for nobody."""

    seq: int
    why_not: str
    contact: bool
    steps: list[StepOut]
    tolerance: float
    signal_unit: str
    value_unit: str
    count_span: float | None
    trips: list[str]
    open: list[str]
    records: list[RecordOut]
    test: TestName
    unit: str
    output: bool
    under_test: str


@api.get("/points/<int:point>/check", responses={200: CheckOut})
@needs("read")
def check(path: PointPath, query: CheckQuery) -> Response:
    """What a test of the point asks for."""
    image, row = found(path.point)
    test, steps = TestOf(query.test), []
    alone = test is TestOf.DEVICE
    why_not = "" if image.landed[row] or alone else "it holds no channel yet: there is nothing to read"
    try:
        steps = steps_of(image, row, runs=query.runs)
    except TextError as error:
        why_not = why_not or str(error)
    units = [words.unit for words in describe(image, row)]
    with shared().engine.connect() as connection:
        open_ = [f"{x.kind}: {x.what}" for x in temporary.open_of(connection, path.point)]
        records = [record_out(r) for r in evidence.of_point(connection, path.point)]
        lock = held(connection).get(path.point)
    counts = [s.counts for s in steps if np.isfinite(s.counts)]
    nothing = np.full(len(steps), np.nan)
    outcome = judged(image, row, steps, nothing, nothing, nothing, test)
    if not why_not and not np.isfinite(span_of(image, row, test)):
        why_not = f"nothing is known of the {KINDS[test]}: give the point its signal, its channel and its mode"
    if not why_not and (unknown := sum(not np.isfinite(step.due(test)) for step in steps)):
        why_not = f"nothing certain is due at {unknown} of its {len(steps)} steps: settle what is found at it first"
    return jsonify(
        CheckOut(
            seq=image.seq,
            why_not=why_not,
            contact=image.family[row] == Family.CONTACT,
            steps=[step_out(image, row, s) for s in steps],
            tolerance=outcome.tolerance,
            signal_unit=units[2],
            value_unit=units[5],
            count_span=max(counts) - min(counts) if counts else None,
            trips=list(trips_of(image, row)),
            open=open_,
            records=records,
            test=query.test,
            unit=unit_of(image, row, test),
            output=bool(driven(image, np.array([row]))[0]),
            under_test=lock.who if lock is not None and lock.who != session_now().account else "",
        ).model_dump()
    )


@api.post("/points/<int:point>/check/judge", responses={200: OutcomeOut})
@needs("look")
def judge(path: PointPath, body: ReadingsIn) -> Response:
    """The errors of what was read so far."""
    image, row = found(path.point)
    return jsonify(outcome_out(image, row, judged_of(image, row, body), body).model_dump())


@api.post("/points/<int:point>/check/sign", responses={200: RecordOut})
@needs("edit")
def sign(path: PointPath, body: SignCheckIn) -> Response:
    """Sign a test. It never changes from then on; another one is a record of its own."""
    image, row = found(path.point)
    if not unchanged_since(image, row, body.seq):
        raise ProblemError(
            409,
            "the point was changed while it was checked",
            "nothing was signed; what was read is kept",
            "look at the page again: what is expected may be another",
        )
    if image.family[row] != Family.CONTACT:
        body = body.model_copy(update=refuse_instrument(body.instrument, body.serial, body.due))
    if trips_of(image, row) and image.text("trips", row) and not body.inhibited:
        raise ProblemError(
            409,
            f"{image.label(row)} shuts {image.text('trips', row)}",
            "nothing was signed",
            "say that it was inhibited, or that tripping was agreed on",
        )
    refuse_photo(body.photo)
    with shared().engine.connect() as connection:
        refuse_locked(connection, [path.point], session_now().account)
        if open_ := temporary.open_of(connection, path.point):
            told = "; ".join(f"{x.kind} of {x.who}" for x in open_)
            raise ProblemError(
                409, f"a temporary change is open at this point: {told}", "nothing was signed", "put it back first"
            )
    outcome = judged_of(image, row, body)
    out = outcome_out(image, row, outcome, body)
    if not outcome.complete:
        raise ProblemError(
            409,
            "not every step was read",
            "nothing was signed; what was read is kept",
            "take the steps that are open",
        )
    if out.told:
        raise ProblemError(
            409, out.told, "nothing was signed; what was read is kept", "use another instrument, or mend its record"
        )
    if out.doubts and not body.doubts_seen:
        raise ProblemError(
            409,
            next(step.asks for step in out.steps if step.doubt),
            f"{out.doubts} of the figures may be mistyped; nothing was signed, what was read is kept",
            "mend it, or say that it was read so",
        )
    proved(body.password)
    found_ = f"{body.phase}, " if body.phase else ""
    verdict = f"{found_}{'passed' if out.passes else 'failed'}: {out.says}"
    document = document_of(image, row, outcome, body, out)
    made = signed(
        Signing(KINDS[outcome.test], (path.point,), verdict, document, out.passes is True, image.seq), body.name
    )
    return jsonify(record_out(made).model_dump())


@api.put("/points/<int:point>/under-test", responses={200: UnderTestOut})
@needs("edit")
def begin(path: PointPath) -> Response:
    """Have a point under test: nobody else changes or signs it until it is signed, or let go."""
    found(path.point)
    with shared().engine.begin() as connection:
        hold(connection, [path.point], session_now().account, "under test", TEST_LOCK)
    return jsonify(UnderTestOut(who=session_now().account).model_dump())


@api.delete("/points/<int:point>/under-test", responses={200: UnderTestOut})
@needs("edit")
def end(path: PointPath) -> Response:
    """Let go of a point that one had under test; what was read stays in the browser."""
    with shared().engine.begin() as connection:
        let_go(connection, [path.point], session_now().account, TEST_LOCK)
        lock = held(connection).get(path.point)
    return jsonify(UnderTestOut(who=lock.who if lock else "").model_dump())
