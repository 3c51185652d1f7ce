"""Finding where a signal stops, which way it must move, and what of an error is the source's, the shunt's, the
channel's."""

from __future__ import annotations

from typing import Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.loopcheck import split
from canaleta.core.checks.stimulus import expected, judged, stimuli_of
from canaleta.core.live.tracing import STAGES, stages_of, traced
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import trusted
from canaleta.core.notation.text import TextError, shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.sheet.entry import read_station
from canaleta.core.signals.signal_types import Family
from canaleta.plant.live.blocks import is_stale, read_block
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import Figure, PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("tracing", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)
NEAR = 0.02
"""Share of the span that a register or a value may be off and still shows what is in the pipe."""
Tick = Literal["seen", "not seen", ""]


class TraceIn(Shape):
    """What is in the pipe now, as typed ('' for what the count implies), and what was seen at each stage."""

    model_config = ConfigDict(extra="forbid")

    given: str = Field("", max_length=40)
    ticks: list[Tick] = Field(default_factory=list, max_length=len(STAGES))


class TraceStage(Shape):
    """A stage: where to look, what must be there, what is read there now ('' where nobody but a person can look), and
    whether it shows: seen by a person, or by the reading itself."""

    name: str
    look: str
    expected: str
    reads: str
    tick: Tick
    by_itself: bool


class TraceOut(Shape):
    """What the ticks say. between: the two stages the suspect lies between, -1 for before the device; none while
    nothing can be said. following: the stage to look at next, -1 for none."""

    given: str
    unit: str
    stages: list[TraceStage]
    between: list[int] | None
    says: str
    do: str
    following: int


class StimulusOut(Shape):
    """What can be done to the device by hand, and what the value must do then."""

    name: str
    says: str
    expected: str


class StimuliOut(Shape):
    """All of them, for the value there is now."""

    stimuli: list[StimulusOut]
    now: float | None


class StimulusIn(Shape):
    """What was done, and the value before and after."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=20)
    before: Figure | None
    after: Figure | None


class StimulusSeen(Shape):
    """Whether it moved as it must, none where that cannot be told, and in words."""

    right: bool | None
    says: str


class SplitIn(Shape):
    """A reference reading: what the source was set to and what a reference meter reads, mA; volts over the shunt,
    none without one; the count read."""

    model_config = ConfigDict(extra="forbid")

    asked_ma: Figure
    measured_ma: Figure
    volts: Figure | None = None
    counts: Figure


class SplitOut(Shape):
    """Errors in % of span, none where they cannot be told: of the source, the shunt and the channel; the greatest in
    words."""

    source: float | None
    shunt: float | None
    channel: float | None
    says: str


@api.post("/<int:point>/trace", responses={200: TraceOut})
@needs("look")
def trace(path: PointPath, body: TraceIn) -> Response:
    """Where the signal stops, by what was seen at each stage; register and named point are looked at here."""
    image, row = found(path.point)
    counts, value, good = _now(image, row)
    words = describe(image, row)
    process = _given(image, row, body.given, counts)
    stages = stages_of(image, row, process)
    ticks: list[Tick] = [*body.ticks, *[""] * (len(STAGES) - len(body.ticks))]  # type: ignore[list-item]
    out = []
    spans = _spans(image, row)
    for k, stage in enumerate(stages):
        read = {STAGES.index("register"): counts, STAGES.index("named point"): value}.get(k)
        tick, by_itself, reads = ticks[k], False, ""
        if read is not None:
            station = Station.COUNTS if k == STAGES.index("register") else Station.VALUE
            decimals = words[STATIONS.index(station)].decimals
            reads = shown(read, decimals) if np.isfinite(read) else "nothing good is read"
            if not tick and body.given:
                near = np.isfinite(read) and good and abs(read - stage.figure) <= NEAR * spans[station] + 1e-9
                tick, by_itself = ("seen" if near else "not seen"), True
        out.append(
            TraceStage(
                name=stage.name, look=stage.look, expected=stage.expected, reads=reads, tick=tick, by_itself=by_itself
            )
        )
    report = traced([{"seen": True, "not seen": False, "": None}[stage.tick] for stage in out])
    return jsonify(
        TraceOut(
            given=stages[0].expected,
            unit=words[0].unit,
            stages=out,
            between=list(report.suspect) if report.suspect else None,
            says=report.says,
            do=report.do,
            following=report.following,
        ).model_dump()
    )


@api.get("/<int:point>/stimuli", responses={200: StimuliOut})
@needs("read")
def stimuli(path: PointPath) -> Response:
    """What can be done to the device by hand, and which way the value must go then."""
    image, row = found(path.point)
    counts, value, _ = _now(image, row)
    words = describe(image, row)[-1]
    out = []
    for one in stimuli_of(image, row):
        due = expected(image, row, one, counts)
        far = f"{'up' if due.way > 0 else 'down'} by {shown(due.least, words.decimals)} to {shown(due.most, words.decimals)} {words.unit}"
        says = far if np.isfinite(due.least) else "nothing can be said: no good count is read"
        if one.least == one.most:
            says = f"it becomes {image.text(f'text_{int(due.way > 0)}', row) or int(due.way > 0)}"
        out.append(StimulusOut(name=one.name, says=one.says, expected=says))
    return jsonify(StimuliOut(stimuli=out, now=finite(value)).model_dump())


@api.post("/<int:point>/stimuli/judge", responses={200: StimulusSeen})
@needs("look")
def moved(path: PointPath, body: StimulusIn) -> Response:
    """Whether the value moved as it must."""
    image, row = found(path.point)
    one = next((s for s in stimuli_of(image, row) if s.name == body.name), None)
    if one is None:
        raise ProblemError(422, f"nobody can “{body.name}” here", remedy="choose one of those offered")
    before, after = (np.nan if x is None else x for x in (body.before, body.after))
    counts = float(evaluate(image, Station.VALUE, before, np.array([row])).at(Station.COUNTS)[0])
    right, says = judged(image, row, expected(image, row, one, counts), before, after)
    return jsonify(StimulusSeen(right=right, says=says).model_dump())


@api.post("/<int:point>/check/split", responses={200: SplitOut})
@needs("look")
def reference(path: PointPath, body: SplitIn) -> Response:
    """What of an error is the source's, the shunt's and the channel's, by a reference meter."""
    image, row = found(path.point)
    if image.family[row] != Family.LINEAR or describe(image, row)[STATIONS.index(Station.LOOP)].unit != "mA":
        raise ProblemError(
            409, "there is no current to measure at this point", remedy="the check itself compares with the source"
        )
    source = 100.0 * (body.measured_ma - body.asked_ma) / 16.0
    shunt, channel = split(image, row, body.measured_ma, np.nan if body.volts is None else body.volts, body.counts)
    named = {"the source": source, "the shunt": shunt, "the channel": channel}
    known = {name: error for name, error in named.items() if np.isfinite(error)}
    worst = max(known, key=lambda name: abs(known[name]))
    says = (
        f"most of it is {worst}'s: {known[worst]:+.3f} % of span"
        if abs(known[worst]) > 0.005
        else "none of them is off"
    )
    return jsonify(
        SplitOut(source=finite(source), shunt=finite(shunt), channel=finite(channel), says=says).model_dump()
    )


def _now(image: PlantImage, row: int) -> tuple[float, float, bool]:
    """(count, value, whether it is good) as read last; NaN where nothing was, or too long ago."""
    if not image.landed[row]:
        raise ProblemError(409, "it holds no channel yet", remedy="land it on a channel first")
    with shared().engine.connect() as connection:
        block = read_block(connection, image.layout.modules[int(image.module[row])].rack)
    at = np.flatnonzero(block.points == int(image.ids[row])).tolist() if block else []
    if block is None or not at or is_stale(block, image, shared().clock.looked_lately()):
        return float("nan"), float("nan"), False
    k = at[0]
    return float(block.counts[k]), float(block.value[k]), bool(trusted(block.quality, block.value)[k])


def _given(image: PlantImage, row: int, text: str, counts: float) -> float:
    if text.strip():
        try:
            return read_station(image, row, Station.PROCESS, text)
        except TextError as error:
            raise ProblemError(422, str(error), remedy="say what is in the pipe now") from error
    implied = float(evaluate(image, Station.COUNTS, counts, np.array([row])).at(Station.PROCESS)[0])
    return implied if np.isfinite(implied) else 0.0


def _spans(image: PlantImage, row: int) -> dict[Station, float]:
    """How far the count and the value go from end to end of the device's output."""
    ends = evaluate(image, Station.DEVICE, np.array([0.0, 100.0]), np.array([row, row]))
    return {s: abs(float(np.nan_to_num(np.diff(ends.at(s))[0]))) for s in (Station.COUNTS, Station.VALUE)}
