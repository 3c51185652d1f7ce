"""Putting a signal on the terminals of a stand-in, as a signal source would."""

from __future__ import annotations

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.injection import loop_unit, read_injection
from canaleta.core.hardware.settings import trips_of
from canaleta.core.notation.text import TextError
from canaleta.core.path.faults import kinds_for
from canaleta.core.signals.signal_types import Family, signal_named
from canaleta.core.signals.waveforms import FORMS
from canaleta.plant.live.commands import injection_of, wiring_of
from canaleta.web.kit.access import needs
from canaleta.web.kit.commands import asked
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes

__all__ = ["api"]

api = routes("injection", __name__, url_prefix="/api/points", abp_responses=PROBLEMS)


class FaultIn(Shape):
    """Something wrong at the device or on the wires: its kind and amount in words (core/path/faults.py)."""

    model_config = ConfigDict(extra="forbid")

    kind: str = Field(max_length=40)
    amount: str = Field("", max_length=40)


class InjectIn(Shape):
    """A signal to put on the terminals, as typed; '' and no fault takes everything off.

    form: how it moves (core/signals/waveforms.py), to the level `high`, as typed, within period_s. faults: put on in
    its place.
    """

    model_config = ConfigDict(extra="forbid")

    text: str = Field("", max_length=40)
    form: str = Field("fixed", max_length=20)
    high: str = Field("", max_length=40)
    period_s: float = Field(10.0, ge=0.1, le=86_400)
    faults: list[FaultIn] = Field(default_factory=list, max_length=4)


class FormOut(Shape):
    """A form of signal and what it does."""

    name: str
    says: str


class SourceFaultOut(Shape):
    """A fault that the point can have. amount: what it asks for, '' for nothing; usual: one that shows it."""

    name: str
    says: str
    amount: str
    usual: str


class SourceOut(Shape):
    """What can be put on the terminals of a point. why_not: why nothing can; trips: what the point can trip, told
    first. unit: of what stands on the wires; contact: it takes “open” and “closed”."""

    why_not: str
    unit: str
    contact: bool
    trips: list[str]
    forms: list[FormOut]
    faults: list[SourceFaultOut]


class WireIn(Shape):
    """An output that is led back to an input; none takes the wires off."""

    model_config = ConfigDict(extra="forbid")

    output: int | None = Field(None, ge=0, le=2**62)


class InjectOut(Shape):
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
        put = read_injection(
            image, row, body.text, body.form, body.high, body.period_s, [(f.kind, f.amount) for f in body.faults]
        )
    except TextError as error:
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it") from error
    rack, target = injection_of(image, row, put)
    asked(rack, "inject", target, "nothing was put on the terminals")
    return jsonify(InjectOut(result="done").model_dump())


@api.put("/<int:point>/wired", responses={200: InjectOut})
@needs("inject")
def wire(path: PointPath, body: WireIn) -> Response:
    """Lead an output back to this input of a stand-in, so that a loop-back can be proved there; or take it off."""
    image, row = found(path.point)
    output = None if body.output is None else found(body.output)[1]
    racks = [
        image.layout.modules[int(image.module[r])].rack if image.landed[r] else None
        for r in (row, *([] if output is None else [output]))
    ]
    if None in racks:
        raise ProblemError(409, "a point of the two holds no channel", remedy="land it on a channel first")
    if not all(image.layout.racks[int(rack or 0)].stand_in for rack in racks):
        raise ProblemError(409, "this rack is a real one", remedy="lead the wires there, at the terminals")
    rack, target = wiring_of(image, row, output)
    asked(rack, "inject", target, "the wires are as they were")
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
            why_not=why_not,
            unit=loop_unit(image, row),
            contact=family is Family.CONTACT,
            trips=list(trips_of(image, row)),
            forms=[FormOut(name=name, says=says) for name, says in FORMS.items()],
            faults=[
                SourceFaultOut(name=k.name, says=k.says, amount=k.amount, usual=k.usual) for k in kinds_for(family)
            ],
        ).model_dump()
    )
