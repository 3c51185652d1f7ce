"""Putting a signal on the terminals of a stand-in, as a signal source would."""

from __future__ import annotations

import numpy as np
from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, ConfigDict, Field

from canaleta.core.entry import read_station
from canaleta.core.faults import kinds_for, read_fault
from canaleta.core.fields import STATIONS, Station
from canaleta.core.image import PlantImage
from canaleta.core.path import describe, evaluate
from canaleta.core.settings import trips_of
from canaleta.core.signals import Family, signal_named
from canaleta.core.text import TextError
from canaleta.core.waveforms import FORMS, waveform_of
from canaleta.web.asking import asked
from canaleta.web.doors import needs
from canaleta.web.point import PointPath, found
from canaleta.web.problems import PROBLEMS, ProblemError

__all__ = ["api"]

api = APIBlueprint("injection", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)


class FaultIn(BaseModel):
    """Something wrong at the device or on the wires: its kind and amount in words (core/faults.py)."""

    model_config = ConfigDict(extra="forbid")

    kind: str = Field(max_length=40)
    amount: str = Field("", max_length=40)


class InjectIn(BaseModel):
    """A signal to put on the terminals, as typed; '' and no fault takes everything off.

    form: how it moves (core/waveforms.py), to the level `high`, as typed, within period_s. faults: put on in its place.
    """

    model_config = ConfigDict(extra="forbid")

    text: str = Field("", max_length=40)
    form: str = Field("fixed", max_length=20)
    high: str = Field("", max_length=40)
    period_s: float = Field(10.0, ge=0.1, le=86_400)
    faults: list[FaultIn] = Field(default_factory=list, max_length=4)


class FormOut(BaseModel):
    """A form of signal and what it does."""

    name: str
    says: str


class SourceFaultOut(BaseModel):
    """A fault that the point can have. amount: what it asks for, '' for nothing; usual: one that shows it."""

    name: str
    says: str
    amount: str
    usual: str


class SourceOut(BaseModel):
    """What can be put on the terminals of a point. why_not: why nothing can; trips: what the point can trip, told first.
    unit: of what stands on the wires; contact: it takes “open” and “closed”."""

    why_not: str
    unit: str
    contact: bool
    trips: list[str]
    forms: list[FormOut]
    faults: list[SourceFaultOut]


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
        high = _injected_value(image, row, body.high) or 0.0
        if body.form != "fixed":
            waveform_of(body.form, value or 0.0, high, body.period_s)
        for fault in body.faults:
            read_fault(fault.kind, fault.amount)
    except TextError as error:
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it") from error
    module = image.layout.modules[int(image.module[row])]
    target = {
        "rack": module.rack, "place": module.place, "channel": int(image.channel[row]),
        "value": value, "unit": _loop_unit(image, row), "form": body.form, "high": high, "period_s": body.period_s,
        "faults": [(fault.kind, fault.amount) for fault in body.faults],
    }  # fmt: skip
    asked(module.rack, "inject", target, "nothing was put on the terminals")
    return jsonify(InjectOut(result="done").model_dump())


@api.get("/<int:point>/source", responses={200: SourceOut})
@needs("read")
def source(path: PointPath) -> Response:
    """What can be put on the terminals of a point, and what it can trip."""
    image, row = found(path.point)
    family = Family(int(image.family[row]))
    rack = image.layout.racks[image.layout.modules[int(image.module[row])].rack] if image.landed[row] else None
    why_not = "" if rack else "it holds no channel yet"
    if rack and not rack.stand_in:
        why_not = "this rack is a real one: put the signal on at the device, with a calibrator"
    return jsonify(
        SourceOut(
            why_not=why_not, unit=_loop_unit(image, row), contact=family is Family.CONTACT, trips=list(trips_of(image, row)),
            forms=[FormOut(name=name, says=says) for name, says in FORMS.items()],
            faults=[SourceFaultOut(name=k.name, says=k.says, amount=k.amount, usual=k.usual) for k in kinds_for(family)],
        ).model_dump()
    )  # fmt: skip


def _injected_value(image: PlantImage, row: int, text: str) -> float | None:
    typed = text.strip().lower()
    if not typed:
        return None
    if image.family[row] == Family.CONTACT and typed in ("closed", "open"):
        closed = evaluate(image, Station.DEVICE, float(typed == "closed"), np.array([row]))
        return float(closed.at(Station.LOOP)[0])
    return read_station(image, row, Station.LOOP, text)


def _loop_unit(image: PlantImage, row: int) -> str:
    """What stands on the wires of this point: V, mA, mV or Ω."""
    return describe(image, row)[STATIONS.index(Station.LOOP)].unit
