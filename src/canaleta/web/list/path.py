"""One point unfolded: its six stations from any of them, live or what-if, with faults in the field if asked."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, reason_messages, workings
from canaleta.core.path.faults import Fault, evaluate_faulted, faulted, read_fault, upset_of
from canaleta.core.sheet.document import DocumentError, path_schema, read_document
from canaleta.core.sheet.entry import read_station
from canaleta.plant.live.blocks import LiveBlock, read_block
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import PointPath, found, rack_of
from canaleta.web.kit.point_now import PathOut, WorkingOut, live_path, path_from
from canaleta.web.kit.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

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
                station=asked.station,
                text=asked.text,
                units=units,
                figures=[finite(x) for x in paths.stations[:, 0]],
                quality=Quality(int(paths.quality[0])).name.lower(),
                reasons=reason_messages(image, 0, int(paths.reasons[0])),
                working=[WorkingOut(**asdict(w)) if w else None for w in why],
            )
        )
    return jsonify(PathsOut(stations=[s.value for s in STATIONS], answers=answers).model_dump())


@api.get("/<int:point>/path", responses={200: PathOut})
@needs("read")
def path_of(path: PointPath, query: StationQuery) -> Response:
    """The stations of a point, live or from a value typed at one of them."""
    image, row = found(path.point)
    if query.station == "live" and not query.fault:
        return jsonify(live_path(image, row, _newest(image, row), shared().clock.looked_lately()).model_dump())
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
    return jsonify(path_from(image, row, station, value, "what-if", faults=faults).model_dump())


def _newest(image: PlantImage, row: int) -> LiveBlock | None:
    """The newest block of the rack of a point, None where it has none."""
    if not image.landed[row]:
        return None
    with shared().engine.connect() as connection:
        return read_block(connection, rack_of(image, row)[0])
