"""What was read at a test's steps, judged: against what is due, by what the instrument is worth, and what is signed of it."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import ConfigDict, Field

from canaleta.core.checks.days import has_passed
from canaleta.core.checks.doubts import doubts_in
from canaleta.core.checks.loopcheck import CheckStep, Outcome, TestOf, judged, steps_of
from canaleta.core.checks.uncertainty import Accuracy, Decided
from canaleta.core.checks.worth import StepWorth, loop_unit_of, worths_of
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError, shown
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.signal_types import Family
from canaleta.plant.records.instruments import range_for
from canaleta.web.checks.with_instrument import known_instrument, today
from canaleta.web.kit.figures import finite
from canaleta.web.kit.photos import MOST_PHOTO
from canaleta.web.kit.point import Figure
from canaleta.web.kit.problems import ProblemError
from canaleta.web.kit.routes import Shape

__all__ = [
    "KINDS",
    "MOST_RUNS",
    "OutcomeOut",
    "ReadIn",
    "ReadingsIn",
    "SignCheckIn",
    "StepOut",
    "TestName",
    "document_of",
    "judged_of",
    "outcome_out",
    "step_out",
    "unit_of",
]

Text = Annotated[str, Field(max_length=200)]
TestName = Literal["loop", "device", "channel"]
MOST_RUNS = 5
KINDS = {TestOf.LOOP: "loop check", TestOf.DEVICE: "device check", TestOf.CHANNEL: "channel check"}
"""What a record of each test is called."""


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


class ReadIn(Shape):
    """What was read at one step; none where nothing was yet. process: what a reference said of the quantity itself; signal: what
    the calibrator or the meter said; position, seconds: where an actuator came to rest, %, and after what time; at: when, ISO
    8601. from_scan: counts and value come from the scan, nobody typed them."""

    model_config = ConfigDict(extra="forbid")

    process: Figure | None = None
    signal: Figure | None = None
    counts: Figure | None = None
    value: Figure | None = None
    position: Figure | None = None
    seconds: Annotated[float, Field(ge=0, le=86_400)] | None = None
    at: str = Field("", max_length=40)
    from_scan: bool = False


class ReadingsIn(Shape):
    """What was read, step by step, and with which instrument: one that the plant keeps has an accuracy. test: of the whole loop,
    of the device alone or of the channel alone; runs: how often the steps are gone through."""

    model_config = ConfigDict(extra="forbid")

    readings: list[ReadIn] = Field(max_length=60)
    instrument: Text = ""
    test: TestName = "loop"
    runs: Annotated[int, Field(ge=1, le=MOST_RUNS)] = 1


class PartOut(Shape):
    """One share of an uncertainty: its standard uncertainty in the value's unit, its part of the sum of squares, and how it
    follows."""

    name: str
    standard: float
    part: float
    basis: str


class JudgedOut(Shape):
    """One step judged. error: in the unit of where the test reads, of_span: in % of the span there; passes: none where nothing
    was read; doubt, asks: what is asked about a figure that was typed, as a code and in words. Where the
    instrument's accuracy is known also: expanded uncertainty (k = 2) in the unit of the error, tolerance over that, how probable
    it is that the loop is within its tolerance, what the plant's rule makes of it, and every share."""

    error: str
    of_span: float | None
    passes: bool | None
    doubt: str = ""
    asks: str = ""
    expanded: float | None = None
    ratio: float | None = None
    probability: float | None = None
    decided: str = ""
    parts: list[PartOut] = Field(default_factory=list)


class OutcomeOut(Shape):
    """A whole check. worst, hysteresis, repeatability: % of span; passes: none until every step was read; says: in words;
    doubts: how many figures are asked about."""

    steps: list[JudgedOut]
    worst: float | None
    hysteresis: float | None
    repeatability: float | None
    tolerance: float
    complete: bool
    passes: bool | None
    says: str
    told: str = ""
    doubts: int = 0


class SignCheckIn(ReadingsIn):
    """A check to be signed: what was read, with which instrument, what became of the open wire, a name, and the
    password once more.

    seq: the list it was done with; another one must be looked at again. phase: how the loop stood. photo: a JPEG in
    base64. doubts_seen: whoever signs was asked about figures that look mistyped, and means them.
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
    doubts_seen: bool = False


def judged_of(image: PlantImage, row: int, body: ReadingsIn) -> Outcome:
    """What was read, judged. Raises ProblemError where the point has no range, or the readings are not of its steps."""
    try:
        steps = steps_of(image, row, runs=body.runs)
    except TextError as error:
        raise ProblemError(409, str(error), "nothing was judged", "give the point its range first") from error
    if len(body.readings) != len(steps):
        raise ProblemError(
            422,
            f"the check has {len(steps)} steps, not {len(body.readings)}",
            "nothing was judged",
            "reload the page",
        )
    signal, counts, value, process = (
        np.array([np.nan if (x := getattr(r, name)) is None else x for r in body.readings], dtype=np.float64)
        for name in ("signal", "counts", "value", "process")
    )
    return judged(image, row, steps, signal, counts, value, TestOf(body.test), process)


def unit_of(image: PlantImage, row: int, test: TestOf) -> str:
    """The unit of what a test reads."""
    return "counts" if test is TestOf.CHANNEL else describe(image, row)[STATIONS.index(test.station)].unit


def outcome_out(image: PlantImage, row: int, outcome: Outcome, body: ReadingsIn) -> OutcomeOut:
    """A judged check as it is told: with what the instrument is worth where that is known, and what looks mistyped."""
    unit = unit_of(image, row, outcome.test)
    worths, told = _worths(image, row, outcome, body.instrument)
    steps, each = [], worths or [None] * len(outcome.steps)
    # What a device alone gives is read off a meter, whatever else comes from the scan.
    typed = [outcome.test is TestOf.DEVICE or not read.from_scan for read in body.readings]
    doubts = doubts_in(image, row, outcome, typed)
    for j, one, doubt in zip(outcome.steps, each, doubts, strict=True):
        error = "" if np.isnan(j.error) else f"{_signed(image, row, j.error, outcome.test)} {unit}".strip()
        step = JudgedOut(error=error, of_span=finite(j.of_span), passes=j.passes)
        if doubt is not None:
            step.doubt, step.asks = doubt.code, doubt.says
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
    return OutcomeOut(
        steps=steps,
        worst=finite(outcome.worst),
        hysteresis=finite(outcome.hysteresis),
        repeatability=finite(outcome.repeatability),
        tolerance=outcome.tolerance,
        complete=outcome.complete,
        passes=passes,
        says=_says(image, outcome, [step.ratio for step in steps if step.ratio is not None]),
        told=told,
        doubts=sum(bool(step.doubt) for step in steps),
    )


def _says(image: PlantImage, outcome: Outcome, ratios: list[float]) -> str:
    if not outcome.complete:
        return "not every step was read yet"
    says = f"largest error {outcome.worst:.3f} % of span, tolerance {outcome.tolerance:g} % of span"
    if np.isfinite(outcome.hysteresis):
        says += f", hysteresis {outcome.hysteresis:.3f} % of span"
    if np.isfinite(outcome.repeatability):
        says += f", repeatability {outcome.repeatability:.3f} % of span"
    if ratios:
        says += f"; {image.conventions.testing.rule}, tolerance {min(ratios):.1f} times the uncertainty or more"
    return says


def _worths(image: PlantImage, row: int, outcome: Outcome, name: str) -> tuple[list[StepWorth | None], str]:
    """What each step is worth with an instrument, and what is to be known of it. Nothing for one without a record, for a
    contact, or where the plant says no accuracy of it."""
    if not name.strip() or image.family[row] == Family.CONTACT:
        return [], ""
    if (known := known_instrument(name)) is None:
        return [], ""
    if has_passed(known.due, today().isoformat()):
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


def _signed(image: PlantImage, row: int, error: float, test: TestOf = TestOf.LOOP) -> str:
    return ("+" if error > 0 else "") + shown(error, _decimals(image, row, test))


def _decimals(image: PlantImage, row: int, test: TestOf) -> int:
    """How many decimals a reading of a test is told with."""
    return 0 if test is TestOf.CHANNEL else describe(image, row)[STATIONS.index(test.station)].decimals + 1


def step_out(image: PlantImage, row: int, step: CheckStep) -> StepOut:
    """A step as it is told."""
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


def document_of(image: PlantImage, row: int, outcome: Outcome, body: SignCheckIn, out: OutcomeOut) -> dict[str, Any]:
    """Everything that is signed, in words and figures."""
    unit = describe(image, row)[5].unit
    lines = [
        f"range {image.text('device_low', row)} to {image.text('device_high', row)} {image.text('device_unit', row)}, "
        f"signal {image.text('signal', row)}, shown {image.text('value_low', row)} to {image.text('value_high', row)} {unit}",
        _stands(image, row) if image.landed[row] else "on no channel yet",
        f"instrument {body.instrument.strip() or 'none'}, serial {body.serial.strip() or 'not given'}, "
        f"calibration due {body.due.strip() or 'not given'}",
        f"errors are readings less what is due; percentages are of the {_OF[outcome.test]} span; "
        f"tolerance {outcome.tolerance:g} % of span",
        *_worth_lines(out, unit_of(image, row, outcome.test)),
        *(f"asked about and meant: {step.asks}" for step in out.steps if step.doubt),
        f"list at change {image.seq}",
    ]
    return {
        "tag": image.label(row), "service": image.text("service", row), "address": image.text("channel", row),
        "lines": lines, "table": _table(image, row, outcome, body, out), "test": str(outcome.test), "runs": body.runs,
        "readings": [r.model_dump() for r in body.readings], "worst": finite(outcome.worst),
        "hysteresis": finite(outcome.hysteresis), "repeatability": finite(outcome.repeatability),
        "tolerance": outcome.tolerance, "furthest": _furthest(outcome), "passes": out.passes,
        "worth": [step.model_dump() for step in out.steps if step.parts],
        "instrument": body.instrument.strip(), "serial": body.serial.strip(), "due": body.due.strip(),
        "inhibited": body.inhibited, "open_wire": body.open_wire, "note": body.note.strip(), "seq": image.seq,
        "phase": body.phase, "photo": body.photo,
    }  # fmt: skip


_OF = {TestOf.LOOP: "value's", TestOf.DEVICE: "signal's", TestOf.CHANNEL: "count's"}


def _table(image: PlantImage, row: int, outcome: Outcome, body: SignCheckIn, out: OutcomeOut) -> dict[str, Any]:
    """The steps as a table: what was put on, what was due where the test reads, what was read, and what it comes to."""
    test, unit = outcome.test, unit_of(image, row, outcome.test)
    told = [step_out(image, row, j.step) for j in outcome.steps]
    columns: list[tuple[str, int, list[str]]] = [
        ("% of range", 18, [f"{j.step.share:g} {j.step.way}" for j in outcome.steps])
    ]

    def column(head: str, width: int, texts: list[str]) -> None:
        if any(texts):
            columns.append((head, width, texts))

    def figures(name: str, decimals: int, of: str = "") -> list[str]:
        values = (getattr(r, name) for r in body.readings)
        return ["" if v is None else f"{shown(v, decimals)} {of}".strip() for v in values]

    value_unit = unit if test is TestOf.LOOP else ""
    if test is TestOf.DEVICE:
        column("put on", 24, [t.process for t in told])
        column("reference", 20, figures("process", describe(image, row)[0].decimals + 1))
        column("signal due", 22, [t.signal for t in told])
        column("signal read", 22, figures("signal", _decimals(image, row, test), unit))
    else:
        column("signal", 20, [t.signal for t in told])
        column("calibrator", 20, figures("signal", 4))
        column("count due", 18, [t.counts for t in told])
        if test is TestOf.LOOP:
            column("value due", 22, [t.value for t in told])
        column("count read", 18, figures("counts", 0))
        if test is TestOf.LOOP:
            column("value read", 22, figures("value", _decimals(image, row, test), value_unit))
    column("position, %", 18, figures("position", 1))
    column("after, s", 14, figures("seconds", 1))
    column("at", 22, [r.at[11:19] if image.family[row] == Family.CONTACT else "" for r in body.readings])
    errors = ["" if np.isnan(j.error) else _signed(image, row, j.error, test) for j in outcome.steps]
    column(f"error, {unit}", 18, errors)
    column("% of span", 16, ["" if np.isnan(j.of_span) else f"{j.of_span:+.3f}" for j in outcome.steps])
    columns.append(("", 12, ["pass" if step.passes else (step.decided or "FAIL") for step in out.steps]))
    return {
        "head": [head for head, _, _ in columns],
        "rows": [list(cells) for cells in zip(*(texts for *_, texts in columns), strict=True)],
        "widths": [width for _, width, _ in columns],
    }


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
