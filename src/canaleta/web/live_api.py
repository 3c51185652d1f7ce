"""Live: what faults mean and what to do, boards that people choose, trends, noise, and timing strips."""

from __future__ import annotations

import time
from typing import Annotated

import numpy as np
from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert

from canaleta.core.alarming import KINDS
from canaleta.core.alarming import WORDS as ALARM_WORDS
from canaleta.core.bands import bands_of
from canaleta.core.causes import NOTHING_CONNECTED, Advice, advice_of, grade_of
from canaleta.core.fields import Station, Stored, field_named, read_cell
from canaleta.core.image import PlantImage
from canaleta.core.loads import expected_load_ma
from canaleta.core.noise import advised, noise_of
from canaleta.core.path import evaluate
from canaleta.core.quality import WORDS, Quality, Reason
from canaleta.core.text import TextError
from canaleta.core.timing import strip
from canaleta.plant import tables as t
from canaleta.plant.live import read_block
from canaleta.plant.trends import read_raw, read_trends
from canaleta.web.doors import needs, session_now
from canaleta.web.point import PointPath, finite, found
from canaleta.web.problems import PROBLEMS, ProblemError
from canaleta.web.shared import shared

__all__ = ["api"]

api = APIBlueprint("live", __name__, url_prefix="/api", abp_responses=PROBLEMS)
WEEK_S = 7 * 86_400.0
MOST_TRENDS = 60
STRIP_FIELDS = (
    "on_delay", "off_delay", "stretch", "acting", "chatter", "counts_on", "preset", "smoothing_s", "on_at", "off_at", "bands", "bands_deadband",
    "on_failure", "substitute", "fault_ends",
)  # fmt: skip


class ReasonOut(BaseModel):
    """One reason in words, the quality it gives, and how the plant takes it: bad, settle, note or off."""

    bit: int
    says: str
    quality: str
    grade: str


class WordsOut(BaseModel):
    """What the packed columns of a live block mean."""

    reasons: list[ReasonOut]
    alarm_states: list[str]
    alarm_kinds: dict[str, str]


class AdviceOut(BaseModel):
    """A fault in words, what it most likely comes from, and what to do next."""

    says: str
    grade: str
    causes: list[str]
    next: str


class AdvicesOut(BaseModel):
    """Every fault of a point now, worst first. shown: what the controller itself shows, and its difference. load_ma: the
    current through the load of an output that measures it, and what it takes by the list; none where unknown."""

    faults: list[AdviceOut]
    latched: bool
    band: str
    lamp: str
    shown: float | None
    difference: float | None
    load_ma: float | None
    expected_ma: float | None


KIND_WORDS = {
    "ll": "low-low", "l": "low", "h": "high", "hh": "high-high", "dev": "deviation", "rate": "rate of change",
    "state": "state", "fault": "signal failed",
}  # fmt: skip


@api.get("/live/words", responses={200: WordsOut})
@needs("read")
def words() -> Response:
    """What the packed columns of a live block mean, in this plant."""
    image = shared().image()
    reasons = [
        ReasonOut(bit=int(r), says=says, quality=q.name.lower(), grade=grade_of(image, r))
        for r, (q, says) in WORDS.items()
    ]
    return jsonify(
        WordsOut(
            reasons=reasons, alarm_states=list(ALARM_WORDS.values()), alarm_kinds={k: KIND_WORDS[k] for k in KINDS}
        ).model_dump()
    )


@api.get("/points/<int:point>/advice", responses={200: AdvicesOut})
@needs("read")
def advice(path: PointPath) -> Response:
    """What is wrong at a point now, what it most likely comes from, and what to do next."""
    image, row = found(path.point)
    nothing = AdvicesOut(
        faults=[],
        latched=False,
        band="",
        lamp="",
        shown=None,
        difference=None,
        load_ma=None,
        expected_ma=None,
    )
    if not image.landed[row]:
        return jsonify(nothing.model_dump())
    rack = image.layout.modules[int(image.module[row])].rack
    with shared().engine.connect() as connection:
        block = read_block(connection, rack)
    at = np.flatnonzero(block.points == path.point) if block else np.array([], dtype=np.int64)
    if block is None or not len(at):
        return jsonify(nothing.model_dump())
    k = int(at[0])
    reasons = int(block.reasons[k])
    told = advice_of(image, row, reasons)
    if reasons & Reason.OPEN_CIRCUIT and not image.filled("cable")[row] and image.text("status", row) == "":
        told = [NOTHING_CONNECTED, *(a for a in told if a.reason is not Reason.OPEN_CIRCUIT)]
    bands, index = bands_of(image.text("bands", row)), int(block.band[k])
    lamps = [part.strip() for part in image.text("bands_lamps", row).split(";")]
    shown = finite(float(block.shown[k]))
    flows = dict(zip(block.loaded.tolist(), block.load_ma.tolist(), strict=True)).get(path.point, float("nan"))
    return jsonify(
        AdvicesOut(
            faults=[_advice(a) for a in told], latched=bool(reasons & Reason.LATCHED),
            band=bands.names[index] if bands and 0 <= index < len(bands.names) else "",
            lamp=lamps[index] if 0 <= index < len(lamps) else "", shown=shown,
            difference=None if shown is None else finite(shown - float(block.value[k])), load_ma=finite(flows),
            expected_ma=finite(float(expected_load_ma(image, np.array([row]), block.counts[k : k + 1])[0])) if finite(flows) is not None else None,
        ).model_dump()
    )  # fmt: skip


def _advice(a: Advice) -> AdviceOut:
    return AdviceOut(says=a.says, grade=a.grade, causes=list(a.causes), next=a.next)


# Boards ------------------------------------------------------------------------------------------------

Points = Annotated[list[Annotated[int, Field(ge=0, le=2**62)]], Field(max_length=500)]


class BoardIn(BaseModel):
    """The points of a board, in their order. shared: for everybody."""

    model_config = ConfigDict(extra="forbid")

    points: Points
    shared: bool = False


class BoardPath(BaseModel):
    """A board by its name."""

    name: str = Field(min_length=1, max_length=40, pattern=r"^[^/]+$")


class BoardOut(BaseModel):
    """A board."""

    name: str
    points: list[int]
    shared: bool


class BoardsOut(BaseModel):
    """One's own boards and those for everybody."""

    boards: list[BoardOut]


@api.get("/boards", responses={200: BoardsOut})
@needs("read")
def boards() -> Response:
    """One's own boards and those for everybody."""
    return jsonify(_boards().model_dump())


def _boards() -> BoardsOut:
    with shared().engine.connect() as connection:
        rows = connection.execute(
            select(t.board).where(t.board.c.owner.in_(("", session_now().account))).order_by(t.board.c.name)
        ).all()
    out = [BoardOut(name=r.name, points=r.body["points"], shared=not r.owner) for r in rows]
    return BoardsOut(boards=out)


@api.put("/boards/<name>", responses={200: BoardOut})
@needs("self")
def keep_board(path: BoardPath, body: BoardIn) -> Response:
    """Keep a board; one for everybody takes a technician."""
    owner = "" if body.shared else session_now().account
    if body.shared and session_now().role == "reader":
        raise ProblemError(
            403, "a reader keeps boards for itself only", "nothing was kept", "leave “for everybody” off"
        )
    body_ = {"points": body.points}
    with shared().engine.begin() as connection:
        put = insert(t.board).values(owner=owner, name=path.name, body=body_)
        connection.execute(put.on_conflict_do_update(index_elements=["owner", "name"], set_={"body": body_}))
    return jsonify(BoardOut(name=path.name, points=body.points, shared=body.shared).model_dump())


@api.delete("/boards/<name>", responses={200: BoardsOut})
@needs("self")
def drop_board(path: BoardPath) -> Response:
    """Drop one's own board of that name, or, for a technician, the one for everybody."""
    owners = [session_now().account] + ([] if session_now().role == "reader" else [""])
    with shared().engine.begin() as connection:
        connection.execute(delete(t.board).where(t.board.c.name == path.name, t.board.c.owner.in_(owners)))
    return jsonify(_boards().model_dump())


# Trends ------------------------------------------------------------------------------------------------


class TrendQuery(BaseModel):
    """points: ids with commas, 60 at most. seconds: how far back from `until` (s since 1970, 0 for now). columns: of the
    drawing."""

    points: str = Field(max_length=1200, pattern=r"^\d{1,18}(,\d{1,18}){0,59}$")
    seconds: float = Field(300.0, ge=10, le=WEEK_S)
    until: float = Field(0.0, ge=0, le=1e11)
    columns: int = Field(800, ge=20, le=4000)


class TrendOut(BaseModel):
    """One point's trend; none is a gap."""

    point: int
    least: list[float | None]
    most: list[float | None]
    mean: list[float | None]
    times: list[float]


class TrendsOut(BaseModel):
    """Trends of several points between two times, s since 1970."""

    begins: float
    ends: float
    trends: list[TrendOut]


@api.get("/trends", responses={200: TrendsOut})
@needs("read")
def trends(query: TrendQuery) -> Response:
    """Trends with gaps where there was no good value; least and most are kept when many readings share a column."""
    image = shared().image()
    ends = query.until or time.time()
    points = list(dict.fromkeys(int(p) for p in query.points.split(",")))
    if not all(image.has(point) for point in points):
        raise ProblemError(404, "there is no such point", remedy="it may have been removed; reload the list")
    places = {point: _rack_of(image, image.row_of(point)) for point in points}
    racks = {point: rack for point, (rack, _) in places.items()}
    periods = {point: period for point, (_, period) in places.items()}
    with shared().engine.connect() as connection:
        found_ = read_trends(connection, racks, ends - query.seconds, ends, query.columns, periods)
    out = [
        TrendOut(
            point=point, times=[round(x, 3) for x in drawn.times.tolist()],
            least=[finite(x) for x in drawn.least.tolist()], most=[finite(x) for x in drawn.most.tolist()],
            mean=[finite(x) for x in drawn.mean.tolist()],
        )
        for point, drawn in found_.items()
    ]  # fmt: skip
    return jsonify(TrendsOut(begins=ends - query.seconds, ends=ends, trends=out).model_dump())


def _rack_of(image: PlantImage, row: int) -> tuple[int, float]:
    module = image.layout.modules.get(int(image.module[row]))
    if module is None:
        return 0, 1.0
    return module.rack, image.layout.racks[module.rack].period_ms / 1000.0


class NoiseQuery(BaseModel):
    """seconds: the window, up to now. wanted: standard deviation that would be fine, in units; 0 for 0.1 % of span."""

    seconds: float = Field(120.0, ge=5, le=7200)
    wanted: float = Field(0.0, ge=0, le=1e12)


class NoiseFigures(BaseModel):
    """least, most, mean, standard deviation, and the part of it that changes from reading to reading."""

    least: float | None
    most: float | None
    mean: float | None
    sigma: float | None
    fast: float | None


class TriedOut(BaseModel):
    """A filter tried on the window: what is left of the noise, and how long a step takes to show to 95 %."""

    smoothing_s: float
    sigma: float | None
    to_95_s: float


class NoiseOut(BaseModel):
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
    rack, _ = _rack_of(image, row)
    now = time.time()
    with shared().engine.connect() as connection:
        hour = read_raw(connection, path.point, rack, now - query.seconds, now)
    good = (hour.quality <= Quality.DOUBTFUL) & np.isfinite(hour.value)
    value, counts, times = hour.value[good], hour.counts[good], hour.times[good]
    span = abs(float(image.number("value_high")[row]) - float(image.number("value_low")[row]))
    wanted = query.wanted or (0.001 * span if np.isfinite(span) and span else 0.0)
    slowest = float(image.number("needs_s")[row])
    tries, says = advised(times, value, wanted, slowest if np.isfinite(slowest) else np.inf)
    return jsonify(
        NoiseOut(
            readings=len(value), units=_figures(value), counts=_figures(counts), wanted=wanted, says=says,
            tried=[TriedOut(smoothing_s=x.smoothing_s, sigma=finite(x.sigma), to_95_s=x.to_95_s) for x in tries],
        ).model_dump()
    )  # fmt: skip


def _figures(samples: np.ndarray) -> NoiseFigures:
    n = noise_of(samples)
    return NoiseFigures(
        least=finite(n.least), most=finite(n.most), mean=finite(n.mean), sigma=finite(n.sigma), fast=finite(n.fast)
    )


# Timing strips -----------------------------------------------------------------------------------------


class StripIn(BaseModel):
    """A strip to draw: levels from times on (none where the signal has failed), how long it is, and settings tried in place
    of the point's own, as texts."""

    model_config = ConfigDict(extra="forbid")

    given: list[tuple[Annotated[float, Field(ge=0, le=3600)], Annotated[float, Field(ge=-1e9, le=1e9)] | None]] = (
        Field(min_length=1, max_length=200)
    )
    ends_s: float = Field(ge=0.05, le=3600)
    cells: dict[str, str] = Field(default_factory=dict, max_length=16)


class StripOut(BaseModel):
    """What comes in and what is made of it. trusted: the value is not bad; waits: a fault is over and waits for a reset; chatters,
    done: it is said to chatter, its counter is done;
    counted: edges so far. low, high: the value at the ends of the device's output; bands: their names; words: of the states 0 and
    1. period_s: how often the rack is looked at."""

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
    _, scan_s = _rack_of(image, row)
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


# Six stations of many ----------------------------------------------------------------------------------


class StationsIn(BaseModel):
    """Points whose six stations are wanted, each from the count it has now."""

    model_config = ConfigDict(extra="forbid")

    points: Points


class StationsOut(BaseModel):
    """{point: six figures}, none where unknown, from the newest counts."""

    stations: dict[int, list[float | None]]


@api.post("/live/stations", responses={200: StationsOut})
@needs("look")
def stations(body: StationsIn) -> Response:
    """The six stations of several points as they stand now."""
    image = shared().image()
    rows = np.array([image.row_of(p) for p in body.points if image.has(p)], dtype=np.int64)
    racks = {_rack_of(image, row)[0] for row in rows.tolist()} - {0}
    counts: dict[int, float] = {}
    with shared().engine.connect() as connection:
        for rack in racks:
            if block := read_block(connection, rack):
                counts |= dict(zip(block.points.tolist(), block.counts.tolist(), strict=True))
    given = np.array([counts.get(int(image.ids[row]), np.nan) for row in rows.tolist()])
    paths = evaluate(image, Station.COUNTS, given, rows)
    out = {
        int(image.ids[row]): [finite(float(x)) for x in paths.stations[:, k]] for k, row in enumerate(rows.tolist())
    }
    return jsonify(StationsOut(stations=out).model_dump())
