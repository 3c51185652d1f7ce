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

from canaleta.core.fields import Landing, field_named, written
from canaleta.core.layout import Layout
from canaleta.plant import tables as t
from canaleta.plant.cells import from_json
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.live import LiveBlock, read_block

__all__ = ["Hub", "Subscriber", "TooManyStreamsError", "changes_since", "event"]

log = logging.getLogger("web")
MOST_REPLAYED = 2000
LONGEST_QUEUE = 256


class TooManyStreamsError(RuntimeError):
    """This worker holds as many streams as it can."""


class Subscriber:
    """One open stream. Changes queue up; of live blocks only the newest of each rack is kept."""

    def __init__(self, racks: frozenset[int]) -> None:
        self.racks = racks
        self._events: queue.Queue[bytes] = queue.Queue(LONGEST_QUEUE)
        self._live: dict[int, bytes] = {}
        self._news = threading.Event()
        self.lost = False

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

    def take(self, seconds: float) -> list[bytes]:
        """Everything there is, waiting at most some seconds for the first piece."""
        self._news.wait(seconds)
        self._news.clear()
        out: list[bytes] = []
        while not self._events.empty():
            out.append(self._events.get_nowait())
        for rack in list(self._live):
            out.append(self._live.pop(rack))
        return out


class Hub:
    """Listens in a thread of its own, started at the first stream (that is, in the worker, after the fork)."""

    def __init__(self, engine: Engine, keeper: PlantKeeper, most_streams: int) -> None:
        self._engine = engine
        self._keeper = keeper
        self._most = most_streams
        self._streams: set[Subscriber] = set()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._seq = 0
        self._ready = threading.Event()

    def join(self, racks: Iterable[int]) -> Subscriber:
        """A new stream for these racks. Raises TooManyStreamsError.

        Returns once the listener listens: whatever is committed from now on reaches the stream.
        """
        with self._lock:
            if len(self._streams) >= self._most:
                raise TooManyStreamsError
            subscriber = Subscriber(frozenset(racks))
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
        wait = 0.2
        while True:
            try:
                with self._connection() as connection:
                    for channel in ("canaleta_seq", "canaleta_live"):
                        connection.execute(f"listen {channel}")
                    self._catch_up()
                    self._ready.set()
                    wait = 0.2
                    for notice in connection.notifies():
                        self._heard(notice.channel, notice.payload)
            except (psycopg.Error, SQLAlchemyError, LookupError) as error:
                log.warning("the database does not answer the listener, again in %.1f s: %s", wait, _short(error))
                time.sleep(wait)
                wait = min(wait * 2, 5.0)

    def _connection(self) -> psycopg.Connection[Any]:
        url = self._engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        return psycopg.connect(url, autocommit=True, connect_timeout=5)

    def _catch_up(self) -> None:
        with self._engine.connect() as connection:
            seq = connection.execute(select(t.plant.c.seq)).scalar_one_or_none() or 0
            if self._seq == 0:
                self._seq = seq
            self._publish_changes(connection)
            for rack in {rack for s in self._everyone() for rack in s.racks}:
                self._publish_block(connection, rack)

    def _heard(self, channel: str, payload: str) -> None:
        with self._engine.connect() as connection:
            if channel == "canaleta_seq":
                self._publish_changes(connection)
            else:
                self._publish_block(connection, int(payload.partition(":")[0]))

    def _publish_changes(self, connection: Connection) -> None:
        image = self._keeper.caught_up(connection)
        for seq, data in changes_since(connection, image.layout, self._seq):
            self._seq = seq
            for subscriber in self._everyone():
                subscriber.change(data)

    def _publish_block(self, connection: Connection, rack: int) -> None:
        block = read_block(connection, rack)
        if block is not None:
            data = block_event(block)
            for subscriber in self._everyone():
                subscriber.live(rack, data)

    def _everyone(self) -> list[Subscriber]:
        with self._lock:
            return list(self._streams)


def event(name: str, data: Any, number: int | None = None) -> bytes:
    """One event of a text/event-stream."""
    head = f"id: {number}\n" if number is not None else ""
    return f"{head}event: {name}\ndata: ".encode() + orjson.dumps(data) + b"\n\n"


def block_event(block: LiveBlock) -> bytes:
    """A live block as an event: packed arrays in base64, little endian."""
    arrays = {
        name: base64.b64encode(getattr(block, name).tobytes()).decode()
        for name in ("points", "counts", "value", "quality", "reasons", "injected")
    }
    return event(
        "live",
        {"rack": block.rack, "scan": block.scan, "seq": block.seq, "read_at": block.read_at, "state": block.state}
        | arrays,
    )


def changes_since(connection: Connection, layout: Layout, seq: int) -> list[tuple[int, bytes]]:
    """(seq, event) of every change set after `seq`, oldest first."""
    sets = connection.execute(select(t.change_set).where(t.change_set.c.seq > seq).order_by(t.change_set.c.seq)).all()
    if not sets:
        return []
    rows = connection.execute(select(t.change).where(t.change.c.seq > seq)).all()
    cells: dict[int, list[tuple[int, str, str]]] = {}
    anew: set[int] = set()
    for row in rows:
        if row.entity != "point":
            # Conventions and hardware change how everything else is written: the list is read anew.
            anew.add(row.seq)
            continue
        for name, (_, becomes) in row.fields.items():
            cells.setdefault(row.seq, []).append((row.entity_id, name, cell_text(layout, name, becomes)))
    return [
        (
            s.seq,
            event(
                "change",
                {
                    "seq": s.seq,
                    "at": s.at,
                    "who": s.who,
                    "source": s.source,
                    "cells": cells.get(s.seq, []),
                    "closed": s.findings_closed,
                    "opened": s.findings_opened,
                },
                s.seq,
            )
            + (event("reload", {"seq": s.seq}) if s.seq in anew else b""),
        )
        for s in sets
    ]


def cell_text(layout: Layout, name: str, value: Any) -> str:
    """A cell as history keeps it, as the text that the API carries."""
    stored = from_json(field_named(name), value)
    return layout.address(stored.module, stored.channel) if isinstance(stored, Landing) else written(stored)


def _short(error: Exception) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0][:200]
