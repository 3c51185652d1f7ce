"""A point over time: trends, how noisy it is and what filter would help, timing strips."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.live.timing import strip
from canaleta.core.model.fields import Station, Stored, field_named, read_cell
from canaleta.core.model.quality import trusted
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import evaluate
from canaleta.core.signals.bands import bands_of
from canaleta.core.signals.noise import advised, noise_of
from canaleta.plant.live.trends import RAW_S, read_raw, read_trends, want_newest
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import PointPath, found, rack_of
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("over_time", __name__, url_prefix="/api", abp_responses=PROBLEMS)
WEEK_S = 7 * 86_400.0
STRIP_FIELDS = (
    "debounce", "on_delay", "off_delay", "stretch", "acting", "chatter", "counts_on", "preset", "smoothing_s", "on_at", "off_at", "bands", "bands_deadband",
    "on_failure", "substitute", "fault_ends",
)  # fmt: skip


# Trends ------------------------------------------------------------------------------------------------


class TrendQuery(Shape):
    """points: ids with commas, 60 at most. seconds: how far back from `until` (s since 1970, 0 for now). columns: of
    the drawing."""

    points: str = Field(max_length=1200, pattern=r"^\d{1,18}(,\d{1,18}){0,59}$")
    seconds: float = Field(300.0, ge=10, le=WEEK_S)
    until: float = Field(0.0, ge=0, le=1e11)
    columns: int = Field(800, ge=20, le=4000)


class TrendOut(Shape):
    """One point's trend; none is a gap."""

    point: int
    least: list[float | None]
    most: list[float | None]
    mean: list[float | None]
    times: list[float]


class TrendsOut(Shape):
    """Trends of several points between two times, s since 1970."""

    begins: float
    ends: float
    trends: list[TrendOut]


@api.get("/trends", responses={200: TrendsOut})
@needs("read")
def trends(query: TrendQuery) -> Response:
    """Trends with gaps where there was no good value; least and most are kept when many readings share a column."""
    image = shared().image()
    ends = query.until or shared().clock.looked_lately()
    points = list(dict.fromkeys(int(p) for p in query.points.split(",")))
    if not all(image.has(point) for point in points):
        raise ProblemError(404, "there is no such point", remedy="it may have been removed; reload the list")
    places = {point: rack_of(image, image.row_of(point)) for point in points}
    racks = {point: rack for point, (rack, _) in places.items()}
    periods = {point: period for point, (_, period) in places.items()}
    with shared().engine.begin() as connection:
        if not query.until and query.seconds <= RAW_S:
            want_newest(connection, racks.values())
        found_ = read_trends(connection, racks, ends - query.seconds, ends, query.columns, periods)
    out = [
        TrendOut(
            point=point,
            times=[round(x, 3) for x in drawn.times.tolist()],
            least=[finite(x) for x in drawn.least.tolist()],
            most=[finite(x) for x in drawn.most.tolist()],
            mean=[finite(x) for x in drawn.mean.tolist()],
        )
        for point, drawn in found_.items()
    ]
    return jsonify(TrendsOut(begins=ends - query.seconds, ends=ends, trends=out).model_dump())


class NoiseQuery(Shape):
    """seconds: the window, up to now. wanted: standard deviation that would be fine, in units; 0 for 0.1 % of
    span."""

    seconds: float = Field(120.0, ge=5, le=7200)
    wanted: float = Field(0.0, ge=0, le=1e12)


class NoiseFigures(Shape):
    """least, most, mean, standard deviation, and the part of it that changes from reading to reading."""

    least: float | None
    most: float | None
    mean: float | None
    sigma: float | None
    fast: float | None


class TriedOut(Shape):
    """A filter tried on the window: what is left of the noise, and how long a step takes to show to 95 %."""

    smoothing_s: float
    sigma: float | None
    to_95_s: float


class NoiseOut(Shape):
    """The noise of a window in units and in counts, and what a filter would do."""

    readings: int
    units: NoiseFigures
    counts: NoiseFigures
    wanted: float
    tried: list[TriedOut]
    says: str


@api.get("/points/<int:point>/noise", responses={200: NoiseOut})
@needs("read")
def noise(path: PointPath, query: NoiseQuery) -> Response:
    """How noisy a point is, and what filter would help."""
    image, row = found(path.point)
    rack, _ = rack_of(image, row)
    now = shared().clock.looked_lately()
    with shared().engine.connect() as connection:
        hour = read_raw(connection, path.point, rack, now - query.seconds, now)
    good = trusted(hour.quality, hour.value)
    value, counts, times = hour.value[good], hour.counts[good], hour.times[good]
    span = abs(float(image.number("value_high")[row]) - float(image.number("value_low")[row]))
    wanted = query.wanted or (0.001 * span if np.isfinite(span) and span else 0.0)
    slowest = float(image.number("needs_s")[row])
    tries, says = advised(times, value, wanted, slowest if np.isfinite(slowest) else np.inf)
    return jsonify(
        NoiseOut(
            readings=len(value),
            units=_figures(value),
            counts=_figures(counts),
            wanted=wanted,
            says=says,
            tried=[TriedOut(smoothing_s=x.smoothing_s, sigma=finite(x.sigma), to_95_s=x.to_95_s) for x in tries],
        ).model_dump()
    )


def _figures(samples: np.ndarray) -> NoiseFigures:
    n = noise_of(samples)
    return NoiseFigures(
        least=finite(n.least), most=finite(n.most), mean=finite(n.mean), sigma=finite(n.sigma), fast=finite(n.fast)
    )


# Timing strips -----------------------------------------------------------------------------------------


class StripIn(Shape):
    """A strip to draw: levels from times on (none where the signal has failed), how long it is, and settings tried in
    place of the point's own, as texts."""

    model_config = ConfigDict(extra="forbid")

    given: list[tuple[Annotated[float, Field(ge=0, le=3600)], Annotated[float, Field(ge=-1e9, le=1e9)] | None]] = (
        Field(min_length=1, max_length=200)
    )
    ends_s: float = Field(ge=0.05, le=3600)
    cells: dict[str, str] = Field(default_factory=dict, max_length=16)


class StripOut(Shape):
    """What comes in and what is made of it. trusted: the value is not bad; waits: a fault is over and waits for a
    reset; chatters, done: it is said to chatter, its counter is done; counted: edges so far. low, high: the value at
    the ends of the device's output; bands: their names; words: of the states 0 and 1. period_s: how often the rack is
    looked at."""

    times: list[float]
    given: list[float | None]
    state: list[int]
    value: list[float | None]
    band: list[int]
    trusted: list[bool]
    waits: list[bool]
    chatters: list[bool]
    done: list[bool]
    counted: list[float]
    low: float | None
    high: float | None
    bands: list[str]
    words: list[str]
    period_s: float
    settings: dict[str, str]


@api.post("/points/<int:point>/strip", responses={200: StripOut})
@needs("look")
def draw_strip(path: PointPath, body: StripIn) -> Response:
    """The timing strip of a point: what its delays make of a pulse train, before anything is set."""
    image, row = found(path.point)
    cells: dict[tuple[int, str], Stored] = {}
    one = image.only(np.array([row]))
    for name, text in body.cells.items():
        if name not in STRIP_FIELDS:
            raise ProblemError(
                422, f"“{name}” has no part in a timing strip", remedy=f"try {', '.join(STRIP_FIELDS)}"
            )
        try:
            cells |= {(0, field): value for field, value in read_cell(field_named(name), text).items()}
        except TextError as error:
            raise ProblemError(422, str(error), remedy="the strip shows the setting before it") from error
    one = one.with_cells(cells)
    _, scan_s = rack_of(image, row)
    period = max(body.ends_s / 1500.0, min(scan_s, body.ends_s / 300.0))
    given = sorted((at, np.nan if level is None else level) for at, level in body.given)
    drawn = strip(one, 0, given, body.ends_s, period)
    bands = bands_of(one.text("bands", 0))
    low, high = (finite(float(evaluate(one, Station.DEVICE, share).at(Station.VALUE)[0])) for share in (0.0, 100.0))
    return jsonify(
        StripOut(
            times=[round(x, 4) for x in drawn.times.tolist()], given=[finite(x) for x in drawn.given.tolist()],
            state=drawn.state.tolist(), value=[finite(x) for x in drawn.value.tolist()], band=drawn.band.tolist(),
            trusted=drawn.trusted.tolist(), waits=drawn.waits.tolist(), chatters=drawn.chatters.tolist(), done=drawn.done.tolist(), counted=drawn.counted.tolist(),
            low=low, high=high, bands=list(bands.names) if bands else [], words=[one.text(f"text_{k}", 0) or str(k) for k in (0, 1)], period_s=scan_s,
            settings={name: one.text(name, 0) for name in STRIP_FIELDS},
        ).model_dump()
    )  # fmt: skip
