"""Alarms: what is open, who said what about it, the journal, and what chatters or stands."""

from __future__ import annotations

from collections import defaultdict
from datetime import UTC, datetime, timedelta
from typing import Annotated, Any, Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.live.alarms import Event
from canaleta.core.model.image import PlantImage
from canaleta.core.model.resets import resets_of
from canaleta.plant.live import alarms
from canaleta.web.kit.access import needs
from canaleta.web.kit.commands import asked
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("alarms", __name__, url_prefix="/api", abp_responses=PROBLEMS)
SAID = {
    "acknowledge": Event.ACKNOWLEDGE,
    "reset": Event.RESET,
    "shelve": Event.SHELVE,
    "unshelve": Event.UNSHELVE,
    "take out of service": Event.OUT,
    "back in service": Event.BACK,
}
ASKS_WHY = ("shelve", "take out of service")
PAGE = 200
Kind = Literal["ll", "l", "h", "hh", "dev", "rate", "state", "fault"]
PointId = Annotated[int, Field(ge=0, le=2**62)]
AlarmPoint = Annotated[int, Field(ge=-(2**62), le=2**62)]
"""A point, or the number of a rack, negative: the alarm of the rack itself."""


class AlarmOut(Shape):
    """One alarm that is not normal. since: of its state; raised: when it came last; until: when a shelf ends."""

    point: int
    kind: str
    state: str
    active: bool
    priority: str
    since: str
    raised: str | None
    who: str
    why: str
    until: str | None
    value: float | None


class TroubleOut(Shape):
    """An alarm that comes too often, or stays too long. times: within one minute; hours: since it came."""

    point: int
    kind: str
    times: int
    hours: float


class AlarmsOut(Shape):
    """Every open alarm, and which chatter or stand."""

    alarms: list[AlarmOut]
    chattering: list[TroubleOut]
    standing: list[TroubleOut]


class SayIn(Shape):
    """What somebody says about some alarms. why: asked for where an alarm is put away. minutes: of a shelf, 0 for one
    without an end."""

    model_config = ConfigDict(extra="forbid")

    word: Literal["acknowledge", "reset", "shelve", "unshelve", "take out of service", "back in service"]
    alarms: list[tuple[AlarmPoint, Kind]] = Field(min_length=1, max_length=2000)
    why: str = Field("", max_length=200)
    minutes: int = Field(0, ge=0, le=10_080)


class SaidOut(Shape):
    """How many alarms it moved; the others were in a state that knows no such word."""

    moved: int
    asked: int


class PointsIn(Shape):
    """Some points."""

    model_config = ConfigDict(extra="forbid")

    points: list[PointId] = Field(min_length=1, max_length=2000)


class PointIn(Shape):
    """One point."""

    model_config = ConfigDict(extra="forbid")

    point: PointId


class ResetOut(Shape):
    """What was written, in words."""

    written: list[str]


class JournalQuery(Shape):
    """before: a line's number, for the page after it. point: 0 for all."""

    before: int = Field(0, ge=0, le=2**62)
    point: int = Field(0, ge=0, le=2**62)


class JournalLineOut(Shape):
    """One line of the journal."""

    id: int
    at: str
    point: int
    kind: str
    event: str
    was: str
    becomes: str
    priority: str
    who: str
    why: str
    value: float | None


class JournalOut(Shape):
    """A page of the journal, newest first. more: there are older lines."""

    lines: list[JournalLineOut]
    more: bool


@api.get("/alarms", responses={200: AlarmsOut})
@needs("read")
def open_alarms() -> Response:
    """Every alarm that is not normal; those that chatter and those that stand, by the plant's own limits."""
    conventions = shared().image().conventions
    now = _now()
    with shared().engine.connect() as connection:
        rows = alarms.open_alarms(connection)
        often = alarms.chattering(connection, conventions.chattering_alarm)
    told = [
        AlarmOut(
            point=a.point,
            kind=a.kind,
            state=a.state,
            active=a.active,
            priority=a.priority,
            since=a.since.isoformat(),
            raised=a.raised.isoformat() if a.raised else None,
            who=a.who,
            why=a.why,
            until=a.until.isoformat() if a.until else None,
            value=a.value,
        )
        for a in rows
    ]
    long = timedelta(hours=conventions.standing_h)
    standing = [
        TroubleOut(point=a.point, kind=a.kind, times=0, hours=round((now - a.raised).total_seconds() / 3600, 1))
        for a in rows
        if a.active and a.raised and now - a.raised >= long
    ]
    chatter = [
        TroubleOut(point=p, kind=k, times=n, hours=0) for (p, k), n in sorted(often.items(), key=lambda x: -x[1])
    ]
    return jsonify(AlarmsOut(alarms=told, chattering=chatter, standing=standing).model_dump())


def _now() -> datetime:
    return datetime.fromtimestamp(shared().clock.looked_lately(), UTC)


@api.post("/alarms/say", responses={200: SaidOut})
@needs("edit")
def say(body: SayIn) -> Response:
    """Acknowledge, reset, shelve or take out of service some alarms. The agent that scans them does it."""
    if body.word in ASKS_WHY and not body.why.strip():
        raise ProblemError(422, f"to {body.word} it takes a reason", "nothing was changed", "say why, in a few words")
    until = None
    if body.word == "shelve" and body.minutes:
        until = _now() + timedelta(minutes=body.minutes)
    target = {
        "event": SAID[body.word].name,
        "why": body.why.strip(),
        "until": until.isoformat() if until else None,
    }
    image = shared().image()
    by_rack: dict[int, list[tuple[int, str]]] = defaultdict(list)
    for point, kind in body.alarms:
        by_rack[_rack_of(image, point)].append((point, kind))
    moved = _each(by_rack, "alarm", lambda some: target | {"alarms": some})
    return jsonify(SaidOut(moved=moved, asked=len(body.alarms)).model_dump())


@api.post("/faults/reset", responses={200: SaidOut})
@needs("edit")
def reset_faults(body: PointsIn) -> Response:
    """Reset latched faults. One that stands comes back with the next reading."""
    return jsonify(SaidOut(moved=_of_points(body.points, "reset"), asked=len(body.points)).model_dump())


@api.post("/faults/module-reset", responses={200: ResetOut})
@needs("inject")
def reset_in_module(body: PointIn) -> Response:
    """Write what resets the bits that latch in a point's module; of a real rack only while it is armed. What is still
    wrong comes back with the next readings."""
    image = shared().image()
    rack = image.layout.racks[_rack_of(image, body.point)]
    row = image.row_of(body.point)
    resets = resets_of(image.layout, int(image.module[row]), int(image.channel[row]))
    if not resets:
        raise ProblemError(
            409, "no bit of this channel latches in its module", "nothing was written", "see its module type"
        )
    target = {
        "writes": [[r.table, r.place, r.word, r.mask] for r in resets],
        "stand_in": rack.stand_in,
        "what": [f"{image.label(row)}: {r.says}" for r in resets],
    }
    asked(rack.id, "module reset", target, "nothing was written")
    return jsonify(ResetOut(written=[r.says for r in resets]).model_dump())


@api.post("/counters/zero", responses={200: SaidOut})
@needs("edit")
def zero(body: PointsIn) -> Response:
    """Set counters and totals back to zero."""
    return jsonify(SaidOut(moved=_of_points(body.points, "zero"), asked=len(body.points)).model_dump())


@api.get("/journal", responses={200: JournalOut})
@needs("read")
def journal(query: JournalQuery) -> Response:
    """The alarm journal, newest first."""
    with shared().engine.connect() as connection:
        rows = alarms.journal(connection, before=query.before or None, point=query.point or None, most=PAGE + 1)
    lines = [JournalLineOut(**(dict(r._mapping) | {"at": r.at.isoformat()})) for r in rows[:PAGE]]
    return jsonify(JournalOut(lines=lines, more=len(rows) > PAGE).model_dump())


def _of_points(points: list[int], kind: str) -> int:
    image = shared().image()
    by_rack: dict[int, list[int]] = defaultdict(list)
    for point in points:
        by_rack[_rack_of(image, point)].append(point)
    return _each(by_rack, kind, lambda some: {"points": some})


def _each(by_rack: dict[int, Any], kind: str, target: Any) -> int:
    """Ask each rack's agent; what it moved, all together."""
    return sum(int(asked(rack, kind, target(some)).get("moved", 0)) for rack, some in by_rack.items())


def _rack_of(image: PlantImage, point: int) -> int:
    if point < 0 and -point in image.layout.racks:
        return -point
    module = image.layout.modules.get(int(image.module[image.row_of(point)])) if image.has(point) else None
    if module is None:
        raise ProblemError(404, "one of these points holds no channel", "nothing was changed", "reload the page")
    return module.rack
