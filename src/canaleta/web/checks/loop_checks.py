"""Loop checks on one page: what is expected, what was read, signed and kept; loop-backs of outputs as well."""

from __future__ import annotations

import base64
import binascii
from datetime import UTC, datetime
from typing import Annotated, Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.loopcheck import CheckStep, Outcome, judged, steps_of
from canaleta.core.checks.uncertainty import Accuracy, Decided
from canaleta.core.checks.worth import StepWorth, loop_unit_of, worths_of
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError, shown
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.signal_types import Family
from canaleta.plant.checks import evidence
from canaleta.plant.live import temporary
from canaleta.plant.records.instruments import range_for
from canaleta.web.checks.records import RecordOut, record_out
from canaleta.web.checks.with_instrument import known_instrument, overdue, refuse_instrument
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import Figure, PointPath, found, unchanged_since
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("checks", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Text = Annotated[str, Field(max_length=200)]
MOST_PHOTO = 1_400_000
"""Characters of base64: about a megabyte of JPEG."""
JPEG = b"\xff\xd8\xff"


class StepOut(Shape):
    """One step of a check: what is put on and what must be read; figures as they are shown, with their units."""

    share: float
    way: str
    process: str
    signal: str
    counts: str
    value: str
    signal_number: float | None
    counts_number: float | None
    value_number: float | None


class CheckOut(Shape):
    """The loop check of a point: its steps, what it may be off, what it can trip, what is open at it, earlier
    records. seq: the list that the steps were worked out with."""

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


class ReadIn(Shape):
    """What was read at one step; none where nothing was yet. signal: what the calibrator itself said."""

    model_config = ConfigDict(extra="forbid")

    signal: Figure | None = None
    counts: Figure | None = None
    value: Figure | None = None


class ReadingsIn(Shape):
    """What was read, step by step, and with which instrument: one that the plant keeps has an accuracy."""

    model_config = ConfigDict(extra="forbid")

    readings: list[ReadIn] = Field(max_length=60)
    instrument: Text = ""


class PartOut(Shape):
    """One share of an uncertainty: its standard uncertainty in the value's unit, its part of the sum of squares, and how it
    follows."""

    name: str
    standard: float
    part: float
    basis: str


class JudgedOut(Shape):
    """One step judged. error: in the value's unit, of_span: in % of its span; passes: none where nothing was read. Where the
    instrument's accuracy is known also: expanded uncertainty (k = 2) in the value's unit, tolerance over that, how probable
    it is that the loop is within its tolerance, what the plant's rule makes of it, and every share."""

    error: str
    of_span: float | None
    passes: bool | None
    expanded: float | None = None
    ratio: float | None = None
    probability: float | None = None
    decided: str = ""
    parts: list[PartOut] = Field(default_factory=list)


class OutcomeOut(Shape):
    """A whole check. worst, hysteresis: % of span; passes: none until every step was read; says: in words."""

    steps: list[JudgedOut]
    worst: float | None
    hysteresis: float | None
    tolerance: float
    complete: bool
    passes: bool | None
    says: str
    told: str = ""


class SignCheckIn(ReadingsIn):
    """A check to be signed: what was read, with which instrument, what became of the open wire, a name, and the
    password once more.

    seq: the list it was done with; another one must be looked at again. phase: how the loop stood. photo: a JPEG in
    base64.
    """

    seq: int = Field(ge=0, le=2**62)
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)
    serial: Text = ""
    due: Text = ""
    inhibited: bool = False
    open_wire: dict[str, Text] = Field(default_factory=dict, max_length=8)
    note: str = Field("", max_length=400)
    phase: Literal["", "as found", "as left"] = ""
    photo: str = Field("", max_length=MOST_PHOTO, pattern=r"^[A-Za-z0-9+/]*={0,2}$")


@api.get("/points/<int:point>/check", responses={200: CheckOut})
@needs("read")
def check(path: PointPath) -> Response:
    """What a loop check of the point asks for."""
    image, row = found(path.point)
    why_not, steps = "" if image.landed[row] else "it holds no channel yet: there is nothing to read", []
    try:
        steps = steps_of(image, row)
    except TextError as error:
        why_not = why_not or str(error)
    units = [words.unit for words in describe(image, row)]
    with shared().engine.connect() as connection:
        open_ = [f"{x.kind}: {x.what}" for x in temporary.open_of(connection, path.point)]
        records = [record_out(r) for r in evidence.of_point(connection, path.point)]
    counts = [s.counts for s in steps if np.isfinite(s.counts)]
    outcome = judged(image, row, steps, *(np.full(len(steps), np.nan) for _ in range(3)))
    return jsonify(
        CheckOut(
            seq=image.seq,
            why_not=why_not,
            contact=image.family[row] == Family.CONTACT,
            steps=[_step(image, row, s) for s in steps],
            tolerance=outcome.tolerance,
            signal_unit=units[2],
            value_unit=units[5],
            count_span=max(counts) - min(counts) if counts else None,
            trips=list(trips_of(image, row)),
            open=open_,
            records=records,
        ).model_dump()
    )


@api.post("/points/<int:point>/check/judge", responses={200: OutcomeOut})
@needs("look")
def judge(path: PointPath, body: ReadingsIn) -> Response:
    """The errors of what was read so far."""
    image, row = found(path.point)
    return jsonify(_outcome(image, row, _judged(image, row, body), body.instrument).model_dump())


@api.post("/points/<int:point>/check/sign", responses={200: RecordOut})
@needs("edit")
def sign(path: PointPath, body: SignCheckIn) -> Response:
    """Sign a loop check. It never changes from then on; another one is a record of its own."""
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
    if body.photo and not _is_jpeg(body.photo):
        raise ProblemError(422, "the photo is no JPEG", "nothing was signed", "take another one, or leave it out")
    with shared().engine.connect() as connection:
        if open_ := temporary.open_of(connection, path.point):
            told = "; ".join(f"{x.kind} of {x.who}" for x in open_)
            raise ProblemError(
                409, f"a temporary change is open at this point: {told}", "nothing was signed", "put it back first"
            )
    outcome = _judged(image, row, body)
    out = _outcome(image, row, outcome, body.instrument)
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
    proved(body.password)
    with shared().engine.begin() as connection:
        found_ = f"{body.phase}, " if body.phase else ""
        verdict = f"{found_}{'passed' if out.passes else 'failed'}: {out.says}"
        document = _document(image, row, outcome, body, out)
        number = evidence.keep(
            connection, "loop check", path.point, session_now().account, body.name.strip(), verdict, document
        )
        made = evidence.one(connection, number)
    assert made is not None
    return jsonify(record_out(made).model_dump())


def _judged(image: PlantImage, row: int, body: ReadingsIn) -> Outcome:
    try:
        steps = steps_of(image, row)
    except TextError as error:
        raise ProblemError(409, str(error), "nothing was judged", "give the point its range first") from error
    if len(body.readings) != len(steps):
        raise ProblemError(
            422,
            f"the check has {len(steps)} steps, not {len(body.readings)}",
            "nothing was judged",
            "reload the page",
        )
    columns = [
        np.array([np.nan if (x := getattr(r, name)) is None else x for r in body.readings], dtype=np.float64)
        for name in ("signal", "counts", "value")
    ]
    return judged(image, row, steps, *columns)


def _outcome(image: PlantImage, row: int, outcome: Outcome, instrument: str = "") -> OutcomeOut:
    unit = describe(image, row)[5].unit
    worths, told = _worths(image, row, outcome, instrument)
    steps, each = [], worths or [None] * len(outcome.steps)
    for j, one in zip(outcome.steps, each, strict=True):
        error = "" if np.isnan(j.error) else f"{_signed(image, row, j.error)} {unit}".strip()
        step = JudgedOut(error=error, of_span=finite(j.of_span), passes=j.passes)
        if one is not None:
            step.expanded = one.worth.expanded
            step.parts = [
                PartOut(name=p.name, standard=p.standard, part=one.worth.part_of(p), basis=p.basis)
                for p in one.worth.parts
            ]
        if one is not None and one.decision is not None:
            step.ratio, step.probability, step.decided = (
                finite(one.decision.ratio),
                one.decision.probability,
                str(one.decision.decided),
            )
            step.passes = one.decision.decided is Decided.PASSES
        steps.append(step)
    passes = all(step.passes for step in steps) if outcome.complete else None
    says = "not every step was read yet"
    if outcome.complete:
        says = f"largest error {outcome.worst:.3f} % of span, tolerance {outcome.tolerance:g} % of span"
        if np.isfinite(outcome.hysteresis):
            says += f", hysteresis {outcome.hysteresis:.3f} % of span"
        if worths and (ratios := [step.ratio for step in steps if step.ratio is not None]):
            says += f"; {image.conventions.testing.rule}, tolerance {min(ratios):.1f} times the uncertainty or more"
    return OutcomeOut(
        steps=steps,
        worst=finite(outcome.worst),
        hysteresis=finite(outcome.hysteresis),
        tolerance=outcome.tolerance,
        complete=outcome.complete,
        passes=passes,
        says=says,
        told=told,
    )


def _worths(image: PlantImage, row: int, outcome: Outcome, name: str) -> tuple[list[StepWorth | None], str]:
    """What each step is worth with an instrument, and what is to be known of it. Nothing for one without a record, for a
    contact, or where the plant says no accuracy of it."""
    if not name.strip() or image.family[row] == Family.CONTACT or (known := known_instrument(name)) is None:
        return [], ""
    today = datetime.fromtimestamp(shared().clock.looked_lately(), UTC).date()
    if overdue(known.due, today):
        return [], f"{known.name} is overdue since {known.due}: nothing measured with it can be signed"
    unit = loop_unit_of(image, row)
    accuracies: list[Accuracy] = []
    for step in outcome.steps:
        signal = step.signal_read if np.isfinite(step.signal_read) else step.step.signal
        one = range_for(known, unit, signal)
        if one is None:
            has = ", ".join(f"{r.low:g} to {r.high:g} {r.unit}" for r in known.ranges) or "no range"
            return [], f"{known.name} does not reach {shown(signal, 3)} {unit}: it has {has}"
        accuracies.append(one)
    try:
        return [*worths_of(image, row, outcome, accuracies)], ""
    except ValueError:
        # Where the value does not follow the signal, nothing is claimed of what the test is worth.
        return [], ""


def _signed(image: PlantImage, row: int, error: float) -> str:
    decimals = describe(image, row)[5].decimals + 1
    return ("+" if error > 0 else "") + shown(error, decimals)


def _step(image: PlantImage, row: int, step: CheckStep) -> StepOut:
    words = describe(image, row)
    texts = {}
    for name, station in (
        ("process", Station.PROCESS),
        ("signal", Station.LOOP),
        ("counts", Station.COUNTS),
        ("value", Station.VALUE),
    ):
        k = STATIONS.index(station)
        figure = station_figure(image, row, k, getattr(step, name), words[k].decimals)
        texts[name] = f"{figure} {words[k].unit}".strip()
    return StepOut(
        share=step.share,
        way=step.way,
        **texts,
        signal_number=finite(step.signal),
        counts_number=finite(step.counts),
        value_number=finite(step.value),
    )


def _stands(image: PlantImage, row: int) -> str:
    """Where the point stands, so that whoever reads the record years later finds its terminals and its register."""
    module, channel = int(image.module[row]), int(image.channel[row])
    kind, rack = (
        image.layout.type_at(module, channel, image.text("mode", row)),
        image.layout.racks[image.layout.modules[module].rack],
    )
    found = addresses_of(image.layout, RackMap.of(image.layout, rack.id), module, channel, image.text("mode", row))
    marks = ", ".join(f"{mark} {role}" for mark, role in kind.terminal_marks(channel))
    at = found.told if rack.by_name else f"{found.told_fully}, unit {rack.unit}"
    return f"module {kind.title} in slot {image.layout.slots[module]}, terminals {marks or 'not told'}, {at} of {rack.reached_at}"


def _document(image: PlantImage, row: int, outcome: Outcome, body: SignCheckIn, out: OutcomeOut) -> dict[str, Any]:
    """Everything that is signed, in words and figures."""
    unit = describe(image, row)[5].unit
    rows = []
    for j, step in zip(outcome.steps, out.steps, strict=True):
        told = _step(image, row, j.step)
        read = "" if np.isnan(j.value_read) else shown(j.value_read, describe(image, row)[5].decimals + 1)
        counts = "" if np.isnan(j.counts_read) else shown(j.counts_read, 0)
        rows.append(
            [f"{j.step.share:g} {j.step.way}", told.signal, told.counts, told.value, counts, f"{read} {unit}".strip(),
             _signed(image, row, j.error), f"{j.of_span:+.3f}", "pass" if step.passes else (step.decided or "FAIL")]
        )  # fmt: skip
    head = [
        "% of range",
        "signal",
        "count due",
        "value due",
        "count read",
        "value read",
        f"error, {unit}",
        "% of span",
        "",
    ]
    lines = [
        f"range {image.text('device_low', row)} to {image.text('device_high', row)} {image.text('device_unit', row)}, "
        f"signal {image.text('signal', row)}, shown {image.text('value_low', row)} to {image.text('value_high', row)} {unit}",
        _stands(image, row),
        f"instrument {body.instrument.strip() or 'none'}, serial {body.serial.strip() or 'not given'}, "
        f"calibration due {body.due.strip() or 'not given'}",
        f"errors are readings less what is due; percentages are of the value's span; tolerance {outcome.tolerance:g} % of span",
        *_worth_lines(out, unit),
        f"list at change {image.seq}",
    ]
    return {
        "tag": image.label(row), "service": image.text("service", row), "address": image.text("channel", row),
        "lines": lines, "table": {"head": head, "rows": rows, "widths": [18, 20, 18, 22, 18, 22, 18, 16, 12]},
        "readings": [r.model_dump() for r in body.readings], "worst": finite(outcome.worst),
        "hysteresis": finite(outcome.hysteresis), "tolerance": outcome.tolerance, "furthest": _furthest(outcome), "passes": out.passes, "worth": [step.model_dump() for step in out.steps if step.parts],
        "instrument": body.instrument.strip(), "serial": body.serial.strip(), "due": body.due.strip(),
        "inhibited": body.inhibited, "open_wire": body.open_wire, "note": body.note.strip(), "seq": image.seq,
        "phase": body.phase, "photo": body.photo,
    }  # fmt: skip


def _furthest(outcome: Outcome) -> float | None:
    """The error that is furthest off, with its sign, % of span: what drifts from check to check."""
    return finite(max((j.of_span for j in outcome.steps), key=abs, default=float("nan")))


def _worth_lines(out: OutcomeOut, unit: str) -> list[str]:
    """What the test was worth at its poorest step, with every share; nothing where the instrument states no accuracy."""
    known = [step for step in out.steps if step.ratio is not None]
    if not known:
        return []
    poorest = min(known, key=lambda step: step.ratio or 0.0)
    shares = "; ".join(f"{p.name} {p.standard:.4g} {unit}, {100 * p.part:.0f} %: {p.basis}" for p in poorest.parts)
    return [
        f"at the poorest step the expanded uncertainty (k = 2) is {poorest.expanded:.4g} {unit}, the tolerance {poorest.ratio:.1f} times that",
        f"standard uncertainties there: {shares}",
    ]


def _is_jpeg(text: str) -> bool:
    try:
        return base64.b64decode(text, validate=True).startswith(JPEG)
    except binascii.Error:
        return False
