"""Temporary changes: the one log of them, and what acts: forces in the rack, values replaced here, outputs
commanded."""

from __future__ import annotations

import time
from typing import Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.hardware.commanding import CommandError, commanded
from canaleta.core.hardware.forcing import Write, agrees, force_writes, why_no_command
from canaleta.core.hardware.loads import expected_load_ma
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Rack
from canaleta.core.model.quality import Reason
from canaleta.core.model.sources import driven
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import evaluate
from canaleta.core.sheet.entry import read_station
from canaleta.plant.live import temporary
from canaleta.plant.live.blocks import read_block
from canaleta.plant.live.temporary import FORCE, SUBSTITUTE, Temporary
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.commands import asked
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, CellProblem, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("temporary", __name__, url_prefix="/api", abp_responses=PROBLEMS)
READBACK_S = 6.0
PATIENCE_S = 1.5
"""How long an output may take to do what it was told before that is a mismatch; two and a half scans if that is
more."""


class EntryOut(Shape):
    """One temporary change. due: when it ought to be over; ended_at: when it was."""

    id: int
    at: str
    kind: str
    point: int
    what: str
    why: str
    who: str
    given: str
    due: str | None
    ended_at: str | None
    ended_by: str
    ended_why: str


class TemporaryLogOut(Shape):
    """What is open, oldest first, and what ended lately, newest first."""

    open: list[EntryOut]
    ended: list[EntryOut]


class EnterIn(Shape):
    """A temporary change that somebody made with their own hands."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["lifted wire", "jumper", "inhibit", "transmitter simulating", "controller in manual"]
    point: int = Field(ge=0, le=2**62)
    what: str = Field(max_length=200)
    why: str = Field("", max_length=200)
    minutes: int = Field(0, ge=0, le=10_080)


class EndIn(Shape):
    """How it was put back."""

    model_config = ConfigDict(extra="forbid")

    why: str = Field("", max_length=200)


class EntryPath(Shape):
    """A temporary change by its number."""

    number: int = Field(ge=0, le=2**62)


class HoldIn(Shape):
    """A value to hold a point at, as typed, and why. minutes: until it is overdue, 0 for as long as the plant
    says."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=40)
    why: str = Field("", max_length=200)
    minutes: int = Field(0, ge=0, le=10_080)


class OfferOut(Shape):
    """What can be held at a point. force, output: why not, '' if it can; trips: what it can trip, told first.
    on_loss: what the device of an output does when its signal or its power is lost, in words."""

    force: str
    output: str
    armed_needed: bool
    trips: list[str]
    unit: str
    on_loss: str
    open: list[EntryOut]


class OutputIn(Shape):
    """A value to give an output, as typed."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=40)


class OutputOut(Shape):
    """What became of a command: the count that was given, whether it was clamped, what is read back, and in words
    whether both agree. load_ma: the current through the load, expected_ma: what it takes by the list; none where
    unknown."""

    given: float
    clamped: bool
    readback: float | None
    agrees: bool
    says: str
    load_ma: float | None
    expected_ma: float | None


class ReleasedOut(Shape):
    """How many were let go, and what could not be, in words."""

    released: int
    failed: list[str]


@api.get("/temporary", responses={200: TemporaryLogOut})
@needs("read")
def log() -> Response:
    """The log of temporary changes."""
    with shared().engine.connect() as connection:
        open_, ended = temporary.listed(connection), temporary.listed(connection, ended=True, most=200)
    return jsonify(TemporaryLogOut(open=[entry(x) for x in open_], ended=[entry(x) for x in ended]).model_dump())


@api.post("/temporary", responses={200: EntryOut})
@needs("edit")
def enter(body: EnterIn) -> Response:
    """Enter a temporary change."""
    image, _ = found(body.point)
    if not body.what.strip():
        raise ProblemError(
            422, "what was changed? a few words are asked for", "nothing was entered", "say which wire, or what"
        )
    minutes = body.minutes or image.conventions.longest_force_min
    with shared().engine.begin() as connection:
        number = temporary.enter(
            connection,
            body.kind,
            body.point,
            body.what.strip(),
            session_now().account,
            why=body.why.strip(),
            minutes=minutes,
        )
        made = next(x for x in temporary.listed(connection) if x.id == number)
    return jsonify(entry(made).model_dump())


@api.post("/temporary/<int:number>/end", responses={200: ReleasedOut})
@needs("edit")
def end(path: EntryPath, body: EndIn) -> Response:
    """Put a temporary change back: a force is let go in the rack first."""
    with shared().engine.connect() as connection:
        open_ = next((x for x in temporary.listed(connection) if x.id == path.number), None)
    if open_ is None:
        raise ProblemError(404, "this temporary change is over already", "nothing was changed", "reload the log")
    return jsonify(_release([open_], body.why.strip()).model_dump())


@api.post("/forces/release", responses={200: ReleasedOut})
@needs("edit")
def release_all(body: EndIn) -> Response:
    """Let go of every force and every value that is replaced here."""
    with shared().engine.connect() as connection:
        held = [x for x in temporary.listed(connection) if x.kind in (FORCE, SUBSTITUTE)]
    return jsonify(_release(held, body.why.strip()).model_dump())


def _release(entries: list[Temporary], why: str) -> ReleasedOut:
    failed, done = [], 0
    for x in entries:
        image = shared().image()
        try:
            if x.kind == FORCE and image.has(x.point):
                _force(image, image.row_of(x.point), None)
        except ProblemError as error:
            label = image.label(image.row_of(x.point))
            failed.append(f"{label}: {error}")
            continue
        with shared().engine.begin() as connection:
            done += temporary.end(connection, x.id, session_now().account, why)
    return ReleasedOut(released=done, failed=failed)


@api.get("/points/<int:point>/hold", responses={200: OfferOut})
@needs("read")
def offers(path: PointPath) -> Response:
    """What can be held at a point: only where there is a register for it."""
    image, row = found(path.point)
    module = int(image.module[row])
    with shared().engine.connect() as connection:
        open_ = temporary.open_of(connection, path.point)
    force = output = "it holds no channel yet" if not image.landed[row] else ""
    armed = False
    if image.landed[row]:
        kind, rack = image.layout.type_of(module), image.layout.racks[image.layout.modules[module].rack]
        armed = not rack.stand_in
        by_name = f"a rack that is reached by {rack.link} has no register by which a channel could be forced"
        none = f"{kind.title} has no register by which a channel could be forced"
        force = by_name if rack.by_name else "" if kind.forces else none
        output = why_no_command(image.layout, module, int(image.channel[row]), image.text("mode", row))
    return jsonify(
        OfferOut(
            force=force,
            output=output,
            armed_needed=armed,
            trips=list(trips_of(image, row)),
            unit=image.text("value_unit", row),
            on_loss=_on_loss(image, row),
            open=[entry(x) for x in open_],
        ).model_dump()
    )


@api.put("/points/<int:point>/force", responses={200: EntryOut})
@needs("inject")
def force(path: PointPath, body: HoldIn) -> Response:
    """Hold a channel at a value in the rack. The controller sees it as if it came from the field."""
    image, row = found(path.point)
    value = _value(image, row, body.text)
    counts = _counts(image, row, value)
    _force(image, row, counts)
    return _entered(image, row, FORCE, body, f"held at {body.text.strip()} in the rack, count {counts:g}", value)


@api.put("/points/<int:point>/substitute", responses={200: EntryOut})
@needs("edit")
def substitute(path: PointPath, body: HoldIn) -> Response:
    """Replace a value in our view alone: the controller does not see it."""
    image, row = found(path.point)
    value = _value(image, row, body.text)
    return _entered(
        image, row, SUBSTITUTE, body, f"shows {body.text.strip()} here; the controller does not see it", value
    )


def _entered(image: PlantImage, row: int, kind: str, body: HoldIn, what: str, value: float) -> Response:
    point = int(image.ids[row])
    minutes = body.minutes or image.conventions.longest_force_min
    who = session_now().account
    with shared().engine.begin() as connection:
        for before in temporary.open_of(connection, point, kind):
            temporary.end(connection, before.id, who, "another value took its place")
        number = temporary.enter(
            connection, kind, point, what, who, why=body.why.strip(), given=repr(value), minutes=minutes
        )
        made = next(x for x in temporary.listed(connection) if x.id == number)
    return jsonify(entry(made).model_dump())


def _force(image: PlantImage, row: int, counts: float | None) -> None:
    module, rack = _place(image, row)
    try:
        if rack.by_name:
            raise LookupError(
                f"a rack that is reached by {rack.link} has no register by which a channel could be forced"
            )
        writes = force_writes(image.layout, module, int(image.channel[row]), counts)
    except (LookupError, ValueError) as error:
        raise ProblemError(
            409, str(error), "nothing is forced", "“substitute here” replaces the value in our view"
        ) from error
    held = "nothing" if counts is None else f"count {counts:g}"
    _written(rack, writes, f"force {image.label(row)}: {held}")


@api.put("/points/<int:point>/output", responses={200: OutputOut})
@needs("inject")
def command(path: PointPath, body: OutputIn) -> Response:
    """Give an output a value, and read back what became of it."""
    image, row = found(path.point)
    _, rack = _place(image, row)
    value = _value(image, row, body.text)
    _counts(image, row, value)
    try:
        given = commanded(image, row, value, f"output {image.label(row)}: {body.text.strip()}")
    except CommandError as error:
        raise ProblemError(409, str(error), "nothing was commanded") from error
    began = shared().clock.looked_lately()
    asked(rack.id, "force", given.target, "nothing was written")
    clamped = abs(given.value - value) > _step(image, row)
    return jsonify(_readback(image, row, rack, given.counts, clamped, began).model_dump())


def _readback(image: PlantImage, row: int, rack: Rack, counts: float, clamped: bool, since: float) -> OutputOut:
    """What the next readings say: agreement as soon as it comes, a mismatch only after a delay."""
    point, read, failing, flows = int(image.ids[row]), None, False, None
    expected = finite(float(expected_load_ma(image, np.array([row]), np.array([counts]))[0]))
    until = time.monotonic() + READBACK_S
    patience = since + max(PATIENCE_S, 2.5 * rack.period_ms / 1000.0)
    while time.monotonic() < until:
        with shared().engine.connect() as connection:
            block = read_block(connection, rack.id)
        at = np.flatnonzero(block.points == point).tolist() if block else []
        if block is not None and len(at) and block.read_at.timestamp() > since:
            k = at[0]
            read, failing = (
                finite(float(block.counts[k])),
                bool(int(block.reasons[k]) & (Reason.CHANNEL_FAULT | Reason.OPEN_CIRCUIT)),
            )
            flows = dict(zip(block.loaded.tolist(), block.load_ma.tolist(), strict=True)).get(point)
            if (read is not None and agrees(read, counts) and not failing) or block.read_at.timestamp() > patience:
                break
        time.sleep(0.05)
    same = read is not None and agrees(read, counts) and not failing
    says = "the rack reads back what was commanded"
    if read is None:
        says = "nothing was read back: does the rack answer?"
    elif failing:
        says = "commanded, and the module reports a fault: the load is open, or it draws too much"
    elif not same:
        says = f"commanded count {counts:g}, read back {read:g}: is the output forced, or its module faulty?"
    if clamped:
        says += "; clamped at the end of the range"
    if flows is not None:
        says += f"; {flows:.0f} mA flow" + (f", {expected:.0f} mA by the list" if expected is not None else "")
    return OutputOut(
        given=counts, clamped=clamped, readback=read, agrees=same, says=says, load_ma=flows, expected_ma=expected
    )


def _on_loss(image: PlantImage, row: int) -> str:
    """What the device of an output does on loss; '' for an input."""
    module = image.layout.modules.get(int(image.module[row]))
    if module is None or not driven(image, np.array([row]))[0]:
        return ""
    does = image.text("on_loss", row)
    return f"on loss of signal or power it {does}" if does else "what it does on loss of signal or power is not said"


def _step(image: PlantImage, row: int) -> float:
    """What one count is worth: below that nothing was clamped."""
    two = evaluate(image, Station.COUNTS, np.array([0.0, 1.0]), np.array([row, row])).at(Station.VALUE)
    return float(abs(two[1] - two[0])) * 1.01 + 1e-9


def _value(image: PlantImage, row: int, text: str) -> float:
    try:
        return read_station(image, row, Station.VALUE, text)
    except TextError as error:
        cell = CellProblem(point=int(image.ids[row]), field="VALUE", typed=text, says=str(error))
        raise ProblemError(422, str(error), remedy="what was typed is kept: mend it", cells=[cell]) from error


def _counts(image: PlantImage, row: int, value: float) -> float:
    counts = float(evaluate(image, Station.VALUE, value, np.array([row])).at(Station.COUNTS)[0])
    if np.isnan(counts):
        raise ProblemError(
            409, "no count belongs to this value", "nothing was written", "give the point a scaling and a mode"
        )
    return counts


def _place(image: PlantImage, row: int) -> tuple[int, Rack]:
    if not image.landed[row]:
        raise ProblemError(409, "this point holds no channel", "nothing was written", "land it on a channel first")
    module = int(image.module[row])
    return module, image.layout.racks[image.layout.modules[module].rack]


def _written(rack: Rack, writes: list[Write], what: str) -> None:
    target = {
        "writes": [[w.register, w.word, w.mask] for w in writes],
        "stand_in": rack.stand_in,
        "what": [what],
    }
    asked(rack.id, "force", target, "nothing was written")


def entry(x: Temporary) -> EntryOut:
    """A temporary change as the API carries it."""
    moment = {name: getattr(x, name).isoformat() if getattr(x, name) else None for name in ("due", "ended_at")}
    return EntryOut(
        id=x.id, at=x.at.isoformat(), kind=x.kind, point=x.point, what=x.what, why=x.why, who=x.who, given=x.given,
        ended_by=x.ended_by, ended_why=x.ended_why, **moment,
    )  # fmt: skip
