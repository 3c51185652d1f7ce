"""Trimming a channel while it runs: levels to put on, what was counted judged against the data sheet, accepted and taken
back; and the pair that a controller keeps itself."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.own_numbers import as_kept, must_be_of, pair_in_use, pairs_agree
from canaleta.core.checks.pair_uses import uses_of
from canaleta.core.checks.trim import (
    SHARES,
    Capture,
    Refused,
    Trim,
    kept_figure,
    levels_of,
    refusal_words,
    scatter_of,
    trimmed,
)
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.sources import driven
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError, shown
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import read_station, station_figure
from canaleta.core.signals.decodings import read_pair
from canaleta.core.signals.signal_types import Family
from canaleta.plant.changes import trims
from canaleta.plant.changes.apply import Planned
from canaleta.plant.checks import evidence
from canaleta.plant.live import temporary
from canaleta.web.checks.records import RecordOut, record_out
from canaleta.web.checks.with_instrument import refuse_instrument
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, applied_out, refused
from canaleta.web.kit.commands import asked
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import Figure, PointPath, found, rack_of, unchanged_since
from canaleta.web.kit.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("trims", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_LEVELS = 5
"""Counts that a controller's whole number may differ from the found one."""
_STANDS = ("transmitter simulating", "controller in manual", temporary.FORCE, temporary.SUBSTITUTE)
"""Temporary changes under which what is counted is not what stands on the wires."""


class LevelToPutOut(Shape):
    """A level to put on: as it is typed, and the count that the data sheet says of it."""

    signal: str
    specified: str


class UseOut(Shape):
    """Who uses the pair. follows: by itself; false where another keeps a copy."""

    what: str
    says: str
    counts: float | None
    follows: bool


class TrimOut(Shape):
    """What trimming a point asks for. driven: an output, whose signal is metered. levels: to put on, by how many there are.
    samples: of each level; scatter: the most standard deviation of them, counts. ends: counts at both ends of the signal by
    the data sheet; found: those in use. moving: what cannot be while one trims, in words. seq: the list it was worked out
    with."""

    seq: int
    why_not: str
    driven: bool
    thermocouple: bool
    unit: str
    levels: dict[str, list[LevelToPutOut]]
    samples: int
    scatter: float | None
    most_percent: float
    ends: list[float | None]
    found: list[float | None]
    trimmed: str
    period_s: float
    moving: list[str]
    trips: list[str]
    uses: list[UseOut]
    pair_at: str
    records: list[RecordOut]


class CaptureIn(Shape):
    """A level that was put on. signal: as typed, in the unit of the wires. counts: of each sample, none where it was of no
    good quality. junction: °C of the cold junction meanwhile, where it was measured."""

    model_config = ConfigDict(extra="forbid")

    signal: str = Field(max_length=40)
    counts: list[Figure | None] = Field(max_length=600)
    junction: Figure | None = None


class CapturesIn(Shape):
    """The levels so far."""

    model_config = ConfigDict(extra="forbid")

    captures: list[CaptureIn] = Field(max_length=MOST_LEVELS)


class RefusedOut(Shape):
    """Why something is not taken: a code, and the sentence."""

    code: str
    says: str


class LevelOut(Shape):
    """A level judged: counts and their scatter, and how far off, in counts and % of span."""

    signal: str
    specified: float | None
    mean: float | None
    sigma: float | None
    samples: int
    drift: float | None
    of_span: float | None
    refused: list[RefusedOut]


class TrimmedOut(Shape):
    """What the levels say; errors over `shares` of the span in % of the value's span, before and after. zero: counts that
    the low end moved; slope: %; residual: % of span."""

    levels: list[LevelOut]
    ends: list[float | None]
    found: list[float | None]
    zero: float | None
    slope: float | None
    residual: float | None
    shares: list[float]
    before: list[float | None]
    after: list[float | None]
    worst_before: float | None
    worst_after: float | None
    refused: list[RefusedOut]
    acceptable: bool
    says: str


class AcceptIn(CapturesIn):
    """Levels to be accepted, and who signs that."""

    seq: int = Field(ge=0, le=2**62)
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)
    instrument: Annotated[str, Field(max_length=200)] = ""
    serial: Annotated[str, Field(max_length=200)] = ""
    due: Annotated[str, Field(max_length=200)] = ""
    note: str = Field("", max_length=400)


class TakeBackIn(Shape):
    """Why a trim is taken back."""

    model_config = ConfigDict(extra="forbid")

    why: str = Field("", max_length=200)


class PairIn(Shape):
    """write: whether the found pair is written into the controller first."""

    model_config = ConfigDict(extra="forbid")

    write: bool = False


class PairOut(Shape):
    """The counts that the controller keeps for both ends, and those that it ought to keep."""

    at: str
    counts: list[float]
    ought: list[float | None]
    agrees: bool
    says: str


@api.get("/points/<int:point>/trim", responses={200: TrimOut})
@needs("read")
def trim(path: PointPath) -> Response:
    """What trimming the point asks for, who uses its pair, and how it was found before."""
    image, row = found(path.point)
    why_not = _why_not(image, row)
    with shared().engine.connect() as connection:
        open_ = temporary.open_of(connection, path.point)
        records = [record_out(r) for r in evidence.of_point(connection, path.point) if r.kind == trims.TRIM]
    levels: dict[str, list[LevelToPutOut]] = {}
    ends: tuple[float, float] = (np.nan, np.nan)
    if not why_not:
        levels = {str(n): _to_put(image, row, n) for n in (2, 3, 5)}
        ends = trimmed(image, row, []).ends
        if not levels["2"]:
            why_not = "no counts belong to its signal in this mode: look at device, mode and scaling first"
    allowed = image.conventions.trimming
    return jsonify(
        TrimOut(
            seq=image.seq,
            why_not=why_not,
            driven=bool(driven(image, np.array([row]))[0]),
            thermocouple=bool(image.family[row] == Family.THERMOCOUPLE),
            unit=describe(image, row)[STATIONS.index(Station.LOOP)].unit,
            levels=levels,
            samples=allowed.samples,
            scatter=None if why_not else finite(scatter_of(image, row)),
            most_percent=allowed.most_percent,
            ends=[finite(end) for end in ends],
            found=[finite(end) for end in pair_in_use(image, row, ends)],
            trimmed=image.text("trimmed", row),
            period_s=rack_of(image, row)[1],
            moving=[f"{x.kind}: {x.what}" for x in open_ if x.kind in _STANDS],
            trips=list(trips_of(image, row)),
            uses=[
                UseOut(what=u.what, says=u.says, counts=finite(u.counts), follows=u.ours) for u in uses_of(image, row)
            ]
            if not why_not
            else [],
            pair_at=image.text("pair_at", row),
            records=records,
        ).model_dump()
    )


@api.post("/points/<int:point>/trim/judge", responses={200: TrimmedOut})
@needs("look")
def judge(path: PointPath, body: CapturesIn) -> Response:
    """What the levels so far say."""
    image, row = found(path.point)
    return jsonify(_told(image, row, _trimmed(image, row, body)).model_dump())


@api.post("/points/<int:point>/trim", responses={200: RecordOut})
@needs("edit")
def accept(path: PointPath, body: AcceptIn) -> Response:
    """Take what was found for what the channel counts from now on, signed. It acts at once: the next reading uses it."""
    image, row = found(path.point)
    if not unchanged_since(image, row, body.seq):
        raise ProblemError(
            409,
            "the point was changed while it was trimmed",
            "nothing was accepted; what was counted is kept",
            "look at the page again: the data sheet may say something else now",
        )
    body = body.model_copy(update=refuse_instrument(body.instrument, body.serial, body.due))
    with shared().engine.connect() as connection:
        if open_ := [x for x in temporary.open_of(connection, path.point) if x.kind in _STANDS]:
            told = "; ".join(f"{x.kind} of {x.who}" for x in open_)
            raise ProblemError(
                409,
                f"what is counted is not what is on the wires: {told}",
                "nothing was accepted",
                "put it back first",
            )
    outcome = _trimmed(image, row, body)
    out = _told(image, row, outcome)
    if not outcome.acceptable:
        raise ProblemError(
            409, _refusals(out)[0].says, "nothing was accepted; what was counted is kept", "take the level again"
        )
    proved(body.password)
    span = abs(outcome.mode_found[1] - outcome.mode_found[0])
    kept = {
        name: str(kept_figure(count, span))
        for name, count in zip(("found_low", "found_high"), outcome.mode_found, strict=True)
    }
    done = trims.accept(
        shared().engine, shared().cache, path.point, kept, session_now().account, body.name.strip(),
        f"accepted: {out.says}", _document(image, row, outcome, out, body),
    )  # fmt: skip
    if isinstance(done, Planned):
        raise refused(done)
    return jsonify(record_out(done[1]).model_dump())


@api.post("/points/<int:point>/trim/back", responses={200: ChangedOut})
@needs("edit")
def take_back(path: PointPath, body: TakeBackIn) -> Response:
    """Let the channel count as its data sheet says again."""
    image, row = found(path.point)
    if not image.text("found_low", row):
        raise ProblemError(409, "this channel counts as its data sheet says already", "nothing was changed")
    done = trims.take_back(shared().engine, shared().cache, path.point, session_now().account, body.why.strip())
    if isinstance(done, Planned):
        raise refused(done)
    return applied_out(done)


@api.post("/points/<int:point>/trim/pair", responses={200: PairOut})
@needs("inject")
def pair(path: PointPath, body: PairIn) -> Response:
    """What the controller keeps for both ends; first written there, where that is asked: the plant runs on it at once."""
    image, row = found(path.point)
    at = image.text("pair_at", row)
    rack, _ = rack_of(image, row)
    if not at or not image.landed[row]:
        raise ProblemError(
            409,
            "nobody said where the controller keeps the pair",
            "nothing was read",
            "fill in “controller's pair at”",
        )
    try:
        places = read_pair(at)
        must_be_of(places, image.layout.racks[rack])
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was read", "mend “controller's pair at”") from error
    ends = trimmed(image, row, []).ends
    exact = pair_in_use(image, row, ends)
    ought = [as_kept(count, place) for count, place in zip(exact, places, strict=True)]
    target: dict[str, Any] = {"at": at, "stand_in": image.layout.racks[rack].stand_in}
    if body.write:
        if not np.isfinite(ought).all():
            raise ProblemError(
                409, "no counts belong to both ends", "nothing was written", "give the point a mode and a scaling"
            )
        target |= {"write": ought, "what": [f"{image.label(row)}: pair {ought[0]:g}, {ought[1]:g}"]}
    answer = asked(rack, "pair", target, "nothing was written" if body.write else "nothing was read")
    counts = [float(count) for count in answer["counts"]]
    agrees = pairs_agree(places, counts, ought)
    says = (
        "the controller keeps the same pair"
        if agrees
        else "the controller keeps another pair: what it shows is scaled by that"
    )
    if body.write:
        says = "written, and read back" if agrees else "written, and the controller kept another pair"
    return jsonify(
        PairOut(at=at, counts=counts, ought=[finite(x) for x in ought], agrees=agrees, says=says).model_dump()
    )


def _why_not(image: PlantImage, row: int) -> str:
    if not image.landed[row]:
        return "it holds no channel yet: there is nothing to count"
    if image.family[row] == Family.CONTACT:
        return "a contact has nothing to trim"
    if int(image.mode[row]) < 0:
        return "its channel has no mode yet: choose one, then its data sheet says what it counts"
    return "" if image.family[row] != Family.NONE else "choose the device's signal first"


def _to_put(image: PlantImage, row: int, count: int) -> list[LevelToPutOut]:
    signals = levels_of(image, row, count)
    outcome = trimmed(image, row, [Capture(signal, np.array([])) for signal in signals])
    decimals = 0 if abs(outcome.ends[1] - outcome.ends[0]) > 100 else 3
    words = describe(image, row)[STATIONS.index(Station.LOOP)]
    return [
        LevelToPutOut(
            signal=station_figure(image, row, STATIONS.index(Station.LOOP), level.signal, words.decimals).replace(
                "\u202f", ""
            ),
            specified=shown(level.specified, decimals),
        )
        for level in outcome.levels
    ]


def _trimmed(image: PlantImage, row: int, body: CapturesIn) -> Trim:
    if why_not := _why_not(image, row):
        raise ProblemError(409, why_not, "nothing was judged")
    captures = []
    for capture in body.captures:
        try:
            signal = read_station(image, row, Station.LOOP, capture.signal)
        except TextError as error:
            cell = CellProblem(point=int(image.ids[row]), field="LOOP", typed=capture.signal, says=str(error))
            raise ProblemError(422, str(error), remedy="what was typed is kept: mend it", cells=[cell]) from error
        counts: Floats = np.array([np.nan if x is None else x for x in capture.counts], dtype=np.float64)
        captures.append(Capture(signal, counts, np.nan if capture.junction is None else capture.junction))
    return trimmed(image, row, captures, driven=bool(driven(image, np.array([row]))[0]))


def _refused_out(codes: tuple[Refused, ...]) -> list[RefusedOut]:
    return [RefusedOut(code=str(code), says=refusal_words(code)) for code in codes]


def _refusals(out: TrimmedOut) -> list[RefusedOut]:
    return [*(r for level in out.levels for r in level.refused), *out.refused]


def _told(image: PlantImage, row: int, outcome: Trim) -> TrimmedOut:
    unit = describe(image, row)[STATIONS.index(Station.LOOP)].unit
    levels = [
        LevelOut(
            signal=f"{shown(level.signal, 4)} {unit}".strip(), specified=finite(level.specified), mean=finite(level.mean), sigma=finite(level.sigma),
            samples=level.samples, drift=finite(level.drift), of_span=finite(level.of_span), refused=_refused_out(level.refused),
        )
        for level in outcome.levels
    ]  # fmt: skip
    before, after = (
        float(np.nanmax(np.abs(errors))) if np.isfinite(errors).any() else float("nan")
        for errors in (outcome.before, outcome.after)
    )
    says = ""
    if np.isfinite(outcome.found[0]):
        says = (
            f"found {shown(outcome.found[0], 2)} … {shown(outcome.found[1], 2)} where the data sheet says {shown(outcome.ends[0], 2)}"
            f" … {shown(outcome.ends[1], 2)}; zero {_signed(outcome.zero, 2)} counts, slope {_signed(outcome.slope, 3)} %; the value was"
            f" {before:.3f} % of span off, and is {after:.3f} % now"
        )
    return TrimmedOut(
        levels=levels, ends=[finite(x) for x in outcome.ends], found=[finite(x) for x in outcome.found], zero=finite(outcome.zero),
        slope=finite(outcome.slope), residual=finite(outcome.residual), shares=list(SHARES), before=[finite(x) for x in outcome.before],
        after=[finite(x) for x in outcome.after], worst_before=finite(before), worst_after=finite(after),
        refused=_refused_out(outcome.refused), acceptable=outcome.acceptable, says=says,
    )  # fmt: skip


def _signed(number: float, decimals: int) -> str:
    """A difference, with its sign either way."""
    rounded = round(number, decimals) + 0.0
    return ("+" if rounded >= 0 else "") + shown(rounded, decimals)


def _document(image: PlantImage, row: int, outcome: Trim, out: TrimmedOut, body: AcceptIn) -> dict[str, Any]:
    """Everything that is signed, in words and figures."""
    rows = [
        [
            level.signal,
            shown(j.specified, 2),
            shown(j.mean, 2),
            shown(j.sigma, 2),
            str(j.samples),
            _signed(j.drift, 2),
            _signed(j.of_span, 3),
        ]
        for level, j in zip(out.levels, outcome.levels, strict=True)
    ]
    head = ["put on", "data sheet says", "mean counted", "scatter", "samples", "off, counts", "off, % of span"]
    lines = [
        f"channel {image.text('channel', row)}, mode {image.text('mode', row)}, signal {image.text('signal', row)}",
        f"instrument {body.instrument.strip()}, serial {body.serial.strip() or 'not given'}, calibration due {body.due.strip()}",
        f"kept: {shown(outcome.mode_found[0], 3)} … {shown(outcome.mode_found[1], 3)} counts at the ends of the mode",
        f"levels lie {outcome.residual:.4f} % of span from one line at most" if len(rows) > 2 else "two levels",
        f"list at change {image.seq}",
    ]
    return {
        "tag": image.label(row), "service": image.text("service", row), "address": image.text("channel", row), "lines": lines,
        "table": {"head": head, "rows": rows, "widths": [22, 26, 26, 18, 16, 20, 24]},
        "captures": [c.model_dump() for c in body.captures], "ends": out.ends, "found": out.found, "zero": out.zero, "slope": out.slope,
        "residual": out.residual, "before": out.worst_before, "after": out.worst_after, "instrument": body.instrument.strip(),
        "serial": body.serial.strip(), "due": body.due.strip(), "note": body.note.strip(), "seq": image.seq,
    }  # fmt: skip
