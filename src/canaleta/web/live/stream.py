"""The one stream: live blocks and changes, replayed from where the browser left off."""

from __future__ import annotations

import time
from collections.abc import Iterator

from flask import Response, request
from pydantic import Field
from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError

from canaleta.plant.database import tables as t
from canaleta.plant.live.blocks import read_block
from canaleta.plant.people.accounts import valid_session
from canaleta.web.kit.access import cookie_name, needs
from canaleta.web.kit.change_event import MOST_REPLAYED
from canaleta.web.kit.hub import (
    Subscriber,
    TooManyStreamsError,
    alarms_event,
    block_event,
    changes_since,
    event,
    locks_event,
    stations_event,
    temporary_event,
)
from canaleta.web.kit.point_now import stations_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.state import Shared

__all__ = ["api"]

api = routes("stream", __name__, url_prefix="/api", abp_responses=PROBLEMS)
BEAT_S = 5.0
SESSION_CHECK_S = 30.0


class StreamQuery(Shape):
    """since: the list's seq that the browser has. racks: ids of the racks it wants, with commas; points:
    of the points that it follows closely; stations: of those whose six stations it shows."""

    since: int = Field(ge=0, le=2**62)
    racks: str = Field("", max_length=4000, pattern=r"^(\d{1,9}(,\d{1,9})*)?$")
    points: str = Field("", max_length=400, pattern=r"^(\d{1,9}(,\d{1,9}){0,15})?$")
    stations: str = Field("", max_length=2000, pattern=r"^(\d{1,9}(,\d{1,9}){0,199})?$")


@api.get("/stream", responses={200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}}})
@needs("read")
def stream(query: StreamQuery) -> Response:
    """Events: `hello`, `change`, `live`, `point` (what is followed closely), `stations`, `alarms`, `temporary`,
    `found`, `locks`, `here`, `room`, `standby`, `beat` (server time), `reload` (too much was missed), `out`."""
    racks = [int(number) for number in query.racks.split(",") if number]
    points = [int(number) for number in query.points.split(",") if number]
    stations = [int(number) for number in query.stations.split(",") if number]
    try:
        subscriber = shared().hub.join(racks, points, stations)
    except TooManyStreamsError as full:
        raise ProblemError(
            503, "too many screens are open on this server", remedy="close some and try again"
        ) from full
    try:
        first = _first(shared(), subscriber, query.since)
    except (SQLAlchemyError, LookupError):
        shared().hub.leave(subscriber)
        raise
    token = request.cookies.get(cookie_name(), "")
    response = Response(_events(shared(), subscriber, first, token), content_type="text/event-stream")
    hub = shared().hub
    response.call_on_close(lambda: hub.leave(subscriber))
    response.headers["X-Accel-Buffering"] = "no"
    return response


def _first(state: Shared, subscriber: Subscriber, since: int) -> list[bytes]:
    """What was missed, and the newest block of each rack; or that too much was missed."""
    with state.engine.connect() as connection:
        seq = connection.execute(select(t.plant.c.seq)).scalar_one()
        if not 0 <= seq - since <= MOST_REPLAYED:
            return [_hello(state, seq), event("reload", {"seq": seq})]
        image = state.image(connection)
        missed = [data for _, data in changes_since(connection, image, since)]
        blocks = [read_block(connection, rack) for rack in sorted(subscriber.racks)]
        locks, alarms, temporary = locks_event(connection), alarms_event(connection), temporary_event(connection)
    now = state.clock.looked_lately()
    told = [block_event(block, now) for block in blocks if block]
    for block in blocks:
        if block and (figures := stations_now(image, block, subscriber.stations)):
            told.append(stations_event(figures))
    return [
        _hello(state, seq),
        *missed,
        locks,
        alarms,
        temporary,
        *state.hub.here(),
        state.hub.room(),
        state.hub.standby(),
        *told,
    ]


def _hello(state: Shared, seq: int) -> bytes:
    """Made last of all: the sooner its time arrives, the truer is the age that a screen tells."""
    return event("hello", {"seq": seq, "now": state.clock.looked_lately()})


def _events(state: Shared, subscriber: Subscriber, first: list[bytes], token: str) -> Iterator[bytes]:
    """The stream's body. It holds no database connection but for a moment's session check."""
    yield b"".join(first)
    checked = time.monotonic()
    while True:
        pieces = subscriber.take(BEAT_S)
        if subscriber.ended:
            return
        if subscriber.lost:
            yield event("reload", {"seq": 0})
            return
        if time.monotonic() - checked > SESSION_CHECK_S:
            checked = time.monotonic()
            if not _still_in(state, token):
                yield event("out", {})
                return
        yield b"".join(pieces) or event("beat", {"now": state.clock.looked_lately()})


def _still_in(state: Shared, token: str) -> bool:
    """Whether the session holds. A database that is away ends no stream: it is asked again later."""
    try:
        with state.engine.connect() as connection:
            return valid_session(connection, token) is not None
    except SQLAlchemyError:
        return True
