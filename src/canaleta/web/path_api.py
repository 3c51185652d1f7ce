"""One point unfolded: its six stations from any of them, live or what-if, with faults in the field if asked."""

from __future__ import annotations

from dataclasses import asdict
from decimal import Decimal
from typing import Annotated, Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.document import DocumentError, path_schema, read_document
from canaleta.core.entry import read_station, station_figure, switch_words
from canaleta.core.faults import Fault, evaluate_faulted, faulted, read_fault, upset_of, words_of
from canaleta.core.fields import STATIONS, Station
from canaleta.core.image import PlantImage
from canaleta.core.path import describe, reasons_told, workings
from canaleta.core.quality import Quality, of_reasons
from canaleta.core.signals import Family
from canaleta.core.text import TextError
from canaleta.plant.live import read_block
from canaleta.web.doors import needs
from canaleta.web.point import PointPath, finite, found, words_in_hex
from canaleta.web.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.routes import Shape, routes
from canaleta.web.shared import shared

__all__ = ["api", "documents"]

documents = routes("paths", __name__, url_prefix="/api/paths", abp_responses=PROBLEMS)
api = routes("path", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)


class StationQuery(Shape):
    """Where the value comes from: live, or typed at a station; and what is wrong in the field meanwhile."""

    model_config = ConfigDict(extra="forbid")

    station: Literal["live", "PROCESS", "DEVICE", "LOOP", "INPUT", "COUNTS", "VALUE"] = "live"
    text: Annotated[str, Field(max_length=60)] = ""
    fault: Annotated[str, Field(max_length=40)] = ""
    amount: Annotated[str, Field(max_length=40)] = ""


class WorkingOut(Shape):
    """How a number came about."""

    formula: str
    figures: str
    source: str


class StationOut(Shape):
    """One station. figure: as shown, '' if unknown. typed: it is where the value was given."""

    name: str
    figure: str
    unit: str
    lines: list[str]
    given: bool
    working: WorkingOut | None


class PathOut(Shape):
    """The six stations of a point. live: a reading was at hand. age_s: of the reading, by server time."""

    point: int
    seq: int
    source: str
    stations: list[StationOut]
    quality: str
    reasons: list[str]
    age_s: float | None = None
    rack_state: str = ""
    injected: bool = False
    loop: float | None = None
    value: float | None = None
    fault: str = ""


class SetIn(Shape):
    """A value at a station, as typed."""

    model_config = ConfigDict(extra="forbid")

    station: Literal["PROCESS", "DEVICE", "LOOP", "INPUT", "COUNTS", "VALUE"]
    text: Annotated[str, Field(max_length=60)]


class PathIn(Shape):
    """A path that need not be in the list, as `convert path` reads it, and values at its stations."""

    model_config = ConfigDict(extra="forbid")

    document: dict[str, Any]
    set: list[SetIn] = Field(min_length=1, max_length=1000)


class FiguresOut(Shape):
    """All stations from one value: figures in the order of the stations, none where unknown, and their units."""

    station: str
    text: str
    figures: list[float | None]
    units: list[str]
    quality: str
    reasons: list[str]
    working: list[WorkingOut | None]


class PathsOut(Shape):
    """One answer a value, in order."""

    stations: list[str]
    answers: list[FiguresOut]


@documents.get("/schema", responses={200: None})
@needs("read")
def document_schema() -> Response:
    """The JSON schema of a path document."""
    return jsonify(path_schema())


@documents.post("", responses={200: PathsOut})
@needs("look")
def paths_of(body: PathIn) -> Response:
    """All stations of a described path from values at any of them. 422 says what cannot be read, and where."""
    try:
        image, faults = read_document(body.document, module_types())
        given = [(s, read_station(image, 0, Station(s.station), s.text)) for s in body.set]
    except (DocumentError, TextError) as error:
        raise ProblemError(422, str(error), remedy="GET /api/paths/schema says what a path looks like") from error
    by_row = {0: faults} if faults else {}
    as_it_is = faulted(image, by_row)
    units = [words.unit for words in describe(as_it_is, 0)]
    answers = []
    for asked, value in given:
        paths = evaluate_faulted(image, Station(asked.station), np.array([value]), by_row)
        why = workings(as_it_is, 0, Station(asked.station), value, upset_of(1, by_row))
        answers.append(
            FiguresOut(
                station=asked.station, text=asked.text, units=units,
                figures=[finite(x) for x in paths.stations[:, 0]],
                quality=Quality(int(paths.quality[0])).name.lower(),
                reasons=reasons_told(image, 0, int(paths.reasons[0])),
                working=[WorkingOut(**asdict(w)) if w else None for w in why],
            )
        )  # fmt: skip
    return jsonify(PathsOut(stations=[s.value for s in STATIONS], answers=answers).model_dump())


@api.get("/<int:point>/path", responses={200: PathOut})
@needs("read")
def path_of(path: PointPath, query: StationQuery) -> Response:
    """The stations of a point, live or from a value typed at one of them."""
    image, row = found(path.point)
    if query.station == "live" and not query.fault:
        return jsonify(_live(image, row).model_dump())
    faults: tuple[Fault, ...] = ()
    station = Station.PROCESS if query.station == "live" else Station(query.station)
    try:
        if query.fault:
            faults = (read_fault(query.fault, query.amount),)
    except TextError as error:
        raise ProblemError(422, str(error), remedy="choose another fault or amount") from error
    try:
        value = read_station(image, row, station, query.text)
    except TextError as error:
        cell = CellProblem(point=path.point, field=station.value, typed=query.text, says=str(error))
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it", cells=[cell]) from error
    return jsonify(_from(image, row, station, value, "what-if", faults=faults).model_dump())


def _live(image: PlantImage, row: int) -> PathOut:
    """The path from the newest reading of the point's channel."""
    module = int(image.module[row])
    with shared().engine.connect() as connection:
        now = shared().clock.looked_lately()
        block = None
        if image.landed[row]:
            block = read_block(connection, image.layout.modules[module].rack)
    at = np.flatnonzero(block.points == image.ids[row]) if block else np.array([], dtype=np.int64)
    if block is None or not len(at) or np.isnan(block.counts[at[0]]):
        out = _from(image, row, Station.COUNTS, float("nan"), "live")
        held = "no reading yet" if image.landed[row] else "not landed on a channel: nothing is read"
        if image.text("enabled", row) == "no":
            held = "the channel is not enabled: it is not read"
        return out.model_copy(
            update={"reasons": [held], "rack_state": block.state if block else "", "quality": "none"}
        )
    k = int(at[0])
    # What the agent knows of time and of values before counts, as long as it worked with this very list.
    known = (int(block.reasons[k]), float(block.value[k])) if block.seq == image.seq else None
    out = _from(image, row, Station.COUNTS, float(block.counts[k]), "live", int(block.reasons[k]), known=known)
    return out.model_copy(
        update={
            "age_s": round(max(0.0, now - block.read_at.timestamp()), 3),
            "rack_state": block.state,
            "injected": bool(block.injected[k]),
            "source": "injected" if block.injected[k] else "live",
        }
    )


def _from(
    image: PlantImage,
    row: int,
    station: Station,
    value: float,
    source: str,
    extra: int = 0,
    faults: tuple[Fault, ...] = (),
    known: tuple[int, float] | None = None,
) -> PathOut:
    one = image.only(np.array([row]))
    by_row = {0: faults} if faults else {}
    paths = evaluate_faulted(one, station, np.array([value]), by_row)
    figures, words = paths.stations[:, 0], describe(faulted(one, by_row), 0)
    why = workings(faulted(one, by_row), 0, station, value, upset_of(1, by_row))
    reasons = paths.reasons | np.uint32(extra)
    if known is not None:
        reasons, figures[-1] = np.array([known[0]], dtype=np.uint32), known[1]
    quality = of_reasons(reasons, ~np.isnan(figures[-1:]))
    stations = []
    for k, name in enumerate(STATIONS):
        lines = [line for line in words[k].lines if line]
        given = name is station and not np.isnan(value)
        typed = source == "what-if"
        if name is Station.COUNTS and not np.isnan(figures[k]):
            lines = [words_in_hex(image, row, figures[k]), *lines]
        if name is Station.VALUE and (says := switch_words(image, row, float(figures[k]))):
            lines = [says, *lines]
        stations.append(
            StationOut(
                name=name.value,
                figure=station_figure(
                    image,
                    row,
                    k,
                    float(figures[k]),
                    max(words[k].decimals, _given_decimals(value)) if typed and given else words[k].decimals,
                ),
                unit=words[k].unit,
                lines=lines,
                given=given,
                working=WorkingOut(**asdict(worked)) if (worked := why[k]) else None,
            )
        )
    if source == "live" and image.family[row] == Family.LINEAR:
        stations[0].lines = ["implied by the range", *stations[0].lines]
    return PathOut(
        point=int(image.ids[row]),
        seq=image.seq,
        source=source,
        stations=stations,
        quality=Quality(int(quality[0])).name.lower(),
        reasons=reasons_told(image, row, int(reasons[0])),
        loop=finite(figures[2]),
        value=finite(figures[5]),
        fault=words_of(image, row, faults[0]) if faults else "",
    )


def _given_decimals(value: float) -> int:
    """As many decimals as were typed: a given figure is shown to the last digit."""
    return min(8, max(0, -int(Decimal(repr(value)).normalize().as_tuple().exponent)))
