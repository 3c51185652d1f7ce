"""Putting a signal on the terminals of a stand-in, as a signal source would."""

from __future__ import annotations

import time

import numpy as np
from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict, Field

from canaleta.core.entry import read_station
from canaleta.core.fields import STATIONS, Station
from canaleta.core.image import PlantImage
from canaleta.core.path import describe, evaluate
from canaleta.core.signals import Family, signal_named
from canaleta.core.text import TextError
from canaleta.plant.commands import ask, outcome
from canaleta.web.doors import needs, session_now
from canaleta.web.point import PointPath, found
from canaleta.web.problems import PROBLEMS, ProblemError
from canaleta.web.shared import shared

__all__ = ["api", "wait_for"]

api = APIBlueprint("injection", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)
COMMAND_WAIT_S = 9.0


class InjectIn(BaseModel):
    """A signal to put on the terminals, as typed; '' takes it off."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=40)


class InjectOut(BaseModel):
    """What became of it."""

    result: str


@api.put("/<int:point>/injection", responses={200: InjectOut})
@needs("inject")
def inject(path: PointPath, body: InjectIn) -> Response:
    """Put a signal on the terminals of a stand-in, or take it off."""
    image, row = found(path.point)
    signal = signal_named(image.text("signal", row))
    if signal is None or not image.landed[row]:
        raise ProblemError(409, "this point holds no channel", remedy="land it on a channel first")
    try:
        value = _injected_value(image, row, body.text)
    except TextError as error:
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it") from error
    module = image.layout.modules[int(image.module[row])]
    target = {
        "rack": module.rack, "place": module.place, "channel": int(image.channel[row]),
        "value": value, "unit": _loop_unit(image, row),
    }  # fmt: skip
    with shared().engine.begin() as connection:
        number = ask(connection, session_now().account, module.rack, "inject", target)
    result = wait_for(number)
    if result != "done":
        raise ProblemError(409, result, "nothing was put on the terminals", "is the rack's agent running?")
    return jsonify(InjectOut(result=result).model_dump())


def _injected_value(image: PlantImage, row: int, text: str) -> float | None:
    typed = text.strip().lower()
    if not typed:
        return None
    if image.family[row] == Family.CONTACT and typed in ("closed", "open"):
        closed = evaluate(image, Station.DEVICE, float(typed == "closed"), np.array([row]))
        return float(closed.at(Station.LOOP)[0])
    return read_station(image, row, Station.LOOP, text)


def wait_for(command: int, seconds: float = COMMAND_WAIT_S) -> str:
    """The outcome of a command; polled, for a request holds no listener of its own."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        with shared().engine.connect() as connection:
            result = outcome(connection, command)
        if result is not None:
            return "no agent took it up in time" if result == "void" else result
        time.sleep(0.05)
    return "no agent took it up in time"


def _loop_unit(image: PlantImage, row: int) -> str:
    """What stands on the wires of this point: V, mA, mV or Ω."""
    return describe(image, row)[STATIONS.index(Station.LOOP)].unit
