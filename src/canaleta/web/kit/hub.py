"""One listener a web worker: hears of news in the database, reads it once, hands the same bytes to all streams."""

from __future__ import annotations

import base64
import logging
import queue
import threading
import time
from collections.abc import Iterable
from typing import Any

import orjson
import psycopg
from sqlalchemy import Connection, Engine, select
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import short
from canaleta.plant.database import tables as t
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.database.connection import STOPPING_CHANNEL, servers_behind
from canaleta.plant.database.locks import LOCKS_CHANNEL, held
from canaleta.plant.database.room import Room
from canaleta.plant.database.standby import FINE, Standing, standing_of
from canaleta.plant.live.alarms import ALARMS_CHANNEL, most_urgent, open_alarms, waits
from canaleta.plant.live.blocks import COLUMNS, LiveBlock, read_block
from canaleta.plant.live.temporary import TEMPORARY_CHANNEL, listed
from canaleta.plant.live.walking import FOUND_CHANNEL
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web.kit.change_event import change_events
from canaleta.web.kit.point_now import advice_now, live_path, stations_now

__all__ = [
    "Hub",
    "Subscriber",
    "TooManyStreamsError",
    "changes_since",
    "event",
    "point_event",
    "stations_event",
]

log = logging.getLogger("web")
LONGEST_QUEUE = 256
HERE_CHANNEL = "canaleta_here"
HERE_S = 150.0
"""How long a screen that says nothing counts as being there."""


CHANNELS = (
    "canaleta_seq",
    "canaleta_live",
    LOCKS_CHANNEL,
    HERE_CHANNEL,
    ALARMS_CHANNEL,
    TEMPORARY_CHANNEL,
    FOUND_CHANNEL,
    STOPPING_CHANNEL,
)
ALARMS_EVERY_S = 0.5
"""Open alarms are told as a whole, at most so often: a flood of them is one event."""
STANDBY_EVERY_S = 3.0
AWAY = Standing(
    "away",
    "the database does not answer; what you see is as it was, and what you type waits here",
    "wait: it goes on by itself when the database, or its standby, takes over",
)
MOST_ALARMS = 1000
"""Open alarms that are told to screens; the most urgent, when there are more."""


class TooManyStreamsError(RuntimeError):
    """This worker holds as many streams as it can."""


class Subscriber:
    """One open stream. Changes queue up; of live blocks only the newest of each rack is kept."""

    def __init__(
        self, racks: frozenset[int], points: frozenset[int] = frozenset(), stations: frozenset[int] = frozenset()
    ) -> None:
        self.racks = racks
        self.points = points
        self.stations = stations
        self._events: queue.Queue[bytes] = queue.Queue(LONGEST_QUEUE)
        self._live: dict[int, bytes] = {}
        self._followed: dict[int, bytes] = {}
        self._figures: dict[int, bytes] = {}
        self._news = threading.Event()
        self.lost = False
        self.ended = False

    def change(self, data: bytes) -> None:
        """Queue a change; a reader too slow for its queue is told to reload."""
        try:
            self._events.put_nowait(data)
        except queue.Full:
            self.lost = True
        self._news.set()

    def live(self, rack: int, data: bytes) -> None:
        """Offer a block; it replaces an older one that was not taken yet."""
        if rack in self.racks:
            self._live[rack] = data
            self._news.set()

    def followed(self, point: int, data: bytes) -> None:
        """Offer what a followed point says; it replaces an older word that was not taken yet."""
        self._followed[point] = data
        self._news.set()

    def figures(self, rack: int, data: bytes) -> None:
        """Offer the six stations of a rack's points; they replace older ones that were not taken yet."""
        self._figures[rack] = data
        self._news.set()

    def end(self) -> None:
        """The stream ends now; its reader comes again by itself."""
        self.ended = True
        self._news.set()

    def take(self, seconds: float) -> list[bytes]:
        """Everything there is, waiting at most some seconds for the first piece."""
        self._news.wait(seconds)
        self._news.clear()
        out: list[bytes] = []
        while not self._events.empty():
            out.append(self._events.get_nowait())
        for rack in list(self._live):
            out.append(self._live.pop(rack))
        for point in list(self._followed):
            out.append(self._followed.pop(point))
        for rack in list(self._figures):
            out.append(self._figures.pop(rack))
        return out


class Hub:
    """Listens in a thread of its own, started at the first stream (that is, in the worker, after the fork)."""

    def __init__(self, engine: Engine, cache: ImageCache, clock: PlantClock, most_streams: int) -> None:
        self._engine = engine
        self._cache = cache
        self._clock = clock
        self._most = most_streams
        self._streams: set[Subscriber] = set()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._seq = 0
        self._ready = threading.Event()
        self._here: dict[str, tuple[float, dict[str, Any]]] = {}
        self._alarms_told = 0.0
        self._alarms_due = False
        self._room = Room.of_environment()
        self._short = False
        self._standing, self._stood = FINE, float("-inf")
        self._stopping = threading.Event()

    def join(self, racks: Iterable[int], points: Iterable[int] = (), stations: Iterable[int] = ()) -> Subscriber:
        """A new stream for these racks, some points followed closely, and some whose stations are shown.

        Raises TooManyStreamsError.

        Returns once the listener listens: whatever is committed from now on reaches the stream.
        """
        with self._lock:
            if len(self._streams) >= self._most:
                raise TooManyStreamsError
            subscriber = Subscriber(frozenset(racks), frozenset(points), frozenset(stations))
            self._streams.add(subscriber)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, name="hub", daemon=True)
                self._thread.start()
        self._ready.wait(5.0)
        return subscriber

    def leave(self, subscriber: Subscriber) -> None:
        """The stream is closed."""
        with self._lock:
            self._streams.discard(subscriber)

    def _listen(self) -> None:
        """Listen as long as the worker lives: nothing that happens on the way ends it, and what does is told."""
        wait = 0.2
        while not self._stopping.is_set():
            try:
                with servers_behind(self._engine).listen() as connection:
                    for channel in CHANNELS:
                        connection.execute(f"listen {channel}")
                    self._catch_up()
                    self._look_at_standby()
                    self._ready.set()
                    wait = 0.2
                    while not self._stopping.is_set():
                        for notice in connection.notifies(timeout=ALARMS_EVERY_S):
                            self._heard(notice.channel, notice.payload)
                            self._tell_alarms()
                        self._tell_alarms()
                        self._tell_room()
                        self._look_at_standby()
            except (psycopg.Error, SQLAlchemyError) as error:
                self._stands(AWAY)
                # Once it answers, that is told at once.
                self._stood = float("-inf")
                log.warning("the database does not answer the listener, again in %.1f s: %s", wait, short(error))
            except Exception:
                log.exception("the listener met what it does not know; it reads anew in %.1f s", wait)
            self._tell_room()
            self._stopping.wait(wait)
            wait = min(wait * 2, 5.0)

    def stop(self) -> None:
        """End every stream now, as the worker is about to end; may be called from a signal handler."""
        self._stopping.set()
        for subscriber in list(self._streams):
            subscriber.end()

    def room(self) -> bytes:
        """Whether there is room on the disk, as an event."""
        says, remedy = self._room.says() if self._room.is_short() else ("", "")
        return event("room", {"says": says, "remedy": remedy})

    def standby(self) -> bytes:
        """How the database's standby is, as an event: words only where people feel it."""
        told = self._standing if self._standing.slow or self._standing is AWAY else FINE
        return event("standby", {"state": told.state, "says": told.says, "remedy": told.remedy})

    def _look_at_standby(self) -> None:
        now = time.monotonic()
        if now - self._stood >= STANDBY_EVERY_S:
            self._stood = now
            with self._engine.connect() as connection:
                self._stands(standing_of(connection))

    def _stands(self, standing: Standing) -> None:
        before = self.standby()
        self._standing = standing
        if (now := self.standby()) != before:
            self._tell(now)

    def _tell_room(self) -> None:
        short = self._room.is_short()
        if short != self._short:
            self._short = short
            self._tell(self.room())

    def _catch_up(self) -> None:
        with self._engine.connect() as connection:
            seq = connection.execute(select(t.plant.c.seq)).scalar_one_or_none() or 0
            if self._seq == 0:
                self._seq = seq
            self._publish_changes(connection)
            for rack in {rack for s in self._everyone() for rack in s.racks}:
                self._publish_block(connection, rack)

    def _heard(self, channel: str, payload: str) -> None:
        if channel == STOPPING_CHANNEL:
            self.stop()
            return
        if channel == HERE_CHANNEL:
            self._came(orjson.loads(payload))
            return
        with self._engine.connect() as connection:
            if channel == "canaleta_seq":
                self._publish_changes(connection)
            elif channel == LOCKS_CHANNEL:
                self._tell(locks_event(connection))
            elif channel == ALARMS_CHANNEL:
                self._alarms_due = True
            elif channel == TEMPORARY_CHANNEL:
                self._tell(temporary_event(connection))
            elif channel == FOUND_CHANNEL:
                self._tell(event("found", {"id": int(payload)}))
            else:
                self._publish_block(connection, int(payload.partition(":")[0]))

    def _tell_alarms(self) -> None:
        """Tell the open alarms if they moved and were not told just now."""
        now = time.monotonic()
        if self._alarms_due and now - self._alarms_told >= ALARMS_EVERY_S:
            self._alarms_due, self._alarms_told = False, now
            with self._engine.connect() as connection:
                self._tell(alarms_event(connection))

    def _publish_changes(self, connection: Connection) -> None:
        image = self._cache.caught_up(connection)
        for seq, data in changes_since(connection, image, self._seq):
            self._seq = seq
            for subscriber in self._everyone():
                subscriber.change(data)

    def here(self) -> list[bytes]:
        """Who is there now, as events."""
        now = time.monotonic()
        with self._lock:
            self._here = {tab: (at, data) for tab, (at, data) in self._here.items() if now - at < HERE_S}
            return [event("here", data) for _, data in self._here.values()]

    def _came(self, data: dict[str, Any]) -> None:
        with self._lock:
            self._here[data["tab"]] = (time.monotonic(), data)
        self._tell(event("here", data))

    def _tell(self, data: bytes) -> None:
        for subscriber in self._everyone():
            subscriber.change(data)

    def _publish_block(self, connection: Connection, rack: int) -> None:
        block = read_block(connection, rack)
        if block is not None:
            data = block_event(block, self._clock.looked_lately())
            for subscriber in self._everyone():
                subscriber.live(rack, data)
            self._tell_points(block)
            self._tell_stations(block)

    def _tell_points(self, block: LiveBlock) -> None:
        """Tell those who follow a point of a block what it says, worked out once for all of them."""
        wanted = {point for s in self._everyone() for point in s.points} & set(block.points.tolist())
        if not wanted:
            return
        image, now = self._cache.current(), self._clock.looked_lately()
        for point in wanted:
            if not image.has(point):
                continue
            data = point_event(image, point, block, now)
            for subscriber in self._everyone():
                if point in subscriber.points:
                    subscriber.followed(point, data)

    def _tell_stations(self, block: LiveBlock) -> None:
        """Tell those who show the stations of points of a block what these are, worked out once for all of them."""
        shown = [s for s in self._everyone() if s.stations]
        wanted = {point for s in shown for point in s.stations}.intersection(block.points.tolist())
        if not wanted:
            return
        figures = stations_now(self._cache.current(), block, wanted)
        for subscriber in shown:
            some = {point: figures[point] for point in subscriber.stations if point in figures}
            if some:
                subscriber.figures(block.rack, stations_event(some))

    def _everyone(self) -> list[Subscriber]:
        with self._lock:
            return list(self._streams)


def event(name: str, data: Any, number: int | None = None) -> bytes:
    """One event of a text/event-stream."""
    head = f"id: {number}\n" if number is not None else ""
    return f"{head}event: {name}\ndata: ".encode() + orjson.dumps(data) + b"\n\n"


def locks_event(connection: Connection) -> bytes:
    """Every locked row, as an event."""
    return event("locks", {"locks": [lock.__dict__ for lock in held(connection).values()]})


def alarms_event(connection: Connection) -> bytes:
    """Every alarm that is not normal, as an event. all, waiting: how many there are, told or not."""
    rows = most_urgent(open_alarms(connection))
    told = [
        {
            "point": a.point, "kind": a.kind, "state": a.state, "active": a.active, "priority": a.priority, "since": a.since,
            "raised": a.raised, "who": a.who, "why": a.why, "until": a.until, "value": a.value,
        }
        for a in rows[:MOST_ALARMS]
    ]  # fmt: skip
    return event("alarms", {"alarms": told, "all": len(rows), "waiting": sum(waits(a) for a in rows)})


def temporary_event(connection: Connection) -> bytes:
    """Every temporary change that is open, as an event."""
    return event("temporary", {"open": [entry.__dict__ for entry in listed(connection)]})


def point_event(image: PlantImage, point: int, block: LiveBlock | None, now: float) -> bytes:
    """What one point says now, as an event: its stations, and what is wrong."""
    row = image.row_of(point)
    told = {
        "path": live_path(image, row, block, now).model_dump(),
        "advice": advice_now(image, row, block).model_dump(),
    }
    return event("point", {"point": point, **told})


def stations_event(figures: dict[int, list[float | None]]) -> bytes:
    """The six stations of points as they stand now, as an event: pairs of a point and its figures."""
    return event("stations", {"stations": list(figures.items())})


def block_event(block: LiveBlock, now: float) -> bytes:
    """A live block as an event: packed arrays in base64, little endian. now: the plant's time, s, that ages are told
    by."""
    arrays = {name: base64.b64encode(getattr(block, name).tobytes()).decode() for name in COLUMNS}
    return event(
        "live",
        {
            "rack": block.rack,
            "scan": block.scan,
            "seq": block.seq,
            "read_at": block.read_at,
            "state": block.state,
            "says": block.says,
            "now": now,
        }
        | arrays,
    )


def changes_since(connection: Connection, image: PlantImage, seq: int) -> list[tuple[int, bytes]]:
    """(seq, event) of every change set after `seq`, oldest first; see changes_told."""
    return [
        (
            change["seq"],
            event("change", change, change["seq"])
            + (event("reload", {"seq": change["seq"]}) if change["anew"] else b""),
        )
        for change in change_events(connection, image, seq)
    ]
