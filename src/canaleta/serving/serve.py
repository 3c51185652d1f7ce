"""Serving: one process that holds the lease of a name, hears what agents write, and keeps its doors up to date.

Another that serves under the same name waits, on this machine or elsewhere, and opens its doors when the lease is free. A
door that fails is told and tried again; the others go on.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import math
import os
import secrets
import signal
import socket
import time
from collections.abc import Awaitable, Callable, Sequence
from datetime import datetime
from typing import Any, Protocol

import psycopg
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from canaleta.certificates import Certificate, made
from canaleta.core.hardware.commanding import CommandError, commanded
from canaleta.core.live.alarms import KINDS
from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import short
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.database.connection import servers_behind
from canaleta.plant.live import serving
from canaleta.plant.live.alarms import ALARMS_CHANNEL, journal_between, open_alarms
from canaleta.plant.live.blocks import LiveBlock, read_blocks
from canaleta.plant.live.commands import ask, awaited
from canaleta.plant.live.trends import read_raw
from canaleta.plant.people.accounts import Key, keys
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.secrets import keep_first, secret_of
from canaleta.serving.conditions import Alarm, Line
from canaleta.serving.doors import Doors
from canaleta.serving.modbus import ModbusDoor
from canaleta.serving.mqtt import MqttDoor
from canaleta.serving.opc import APPLICATION, OpcDoor
from canaleta.serving.people import Doorkeeper
from canaleta.serving.values import Values

__all__ = ["Server", "run"]

log = logging.getLogger("serve")
RENEW_S = 1.0
GATHER_S = 0.05
"""What agents write within so long is taken together."""
TEND_S = 0.5
KEYS_S = 5.0
OPENING_S = 30.0
"""How long the lease is taken for while doors are opened: a large tree keeps this process busy for seconds."""
WRITE_S = 10.0
OWN = "serving certificate"


class Door(Protocol):
    """One way out."""

    async def open(self, values: Values) -> None:
        """Begin. Raises OSError where it cannot."""

    async def renew(self, values: Values) -> None:
        """Follow a list that moved on."""

    async def take(self, values: Values, rows: Rows) -> None:
        """Some rows say something else."""

    async def give(self, points: frozenset[int]) -> None:
        """Which points may be written."""

    def says(self) -> dict[str, Any]:
        """How it is."""

    async def close(self) -> None:
        """End."""


class Server:
    """Serves while it holds the lease. engine: of the plant's database."""

    def __init__(self, engine: Engine, doors: Doors) -> None:
        self._engine, self._wanted = engine, doors
        self.holder = f"{socket.gethostname()}:{os.getpid()}:{secrets.token_hex(3)}"
        self._clock, self._cache = PlantClock.of(engine), ImageCache(engine)
        self._keeper = Doorkeeper(anybody=doors.open_to_all, noted=self._note)
        self._noted: dict[str, tuple[str, datetime]] = {}
        self._values: Values | None = None
        self._open: list[Door] = []
        self._failed: dict[str, str] = {}
        self._racks: set[int] = set()
        self._news, self._moved = asyncio.Event(), asyncio.Event()
        self._given: frozenset[int] = frozenset()
        self._given_moved = self._alarms_moved = self._all_moved = True
        self._held_until = self._keys_at = float("-inf")
        self._retry_at = 0.0
        self._away = False
        # The list and the doors that follow it move on together: nobody tells a door of rows that it does not know yet.
        self._turn = asyncio.Lock()
        self.serves = asyncio.Event()

    async def run(self) -> None:
        """Serve until cancelled."""
        listener = asyncio.create_task(self._listen())
        taker = asyncio.create_task(self._take_news())
        try:
            while True:
                await self._once(self._tend)
                self._moved.clear()
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(TEND_S):
                        await self._moved.wait()
        finally:
            for task in (listener, taker):
                task.cancel()
            await asyncio.gather(listener, taker, return_exceptions=True)
            await self._shut()
            with contextlib.suppress(SQLAlchemyError):
                await asyncio.to_thread(self._release)

    async def _once(self, work: Callable[[], Awaitable[None]]) -> None:
        """What fails is told and does not end the rest."""
        try:
            await work()
        except (SQLAlchemyError, LookupError) as error:
            log.warning("the plant cannot be read: %s", short(error))
        except Exception:
            log.exception("serving met what it does not know; it goes on")

    # The loop ------------------------------------------------------------------------------------------

    async def _tend(self) -> None:
        """Lease, list, doors, people, ages."""
        held = await self._holds()
        if held is None:
            return
        if not held:
            if self._open:
                log.warning("another serves under the name “%s” now: the doors are shut", self._wanted.name)
                await self._shut()
            return
        image = await asyncio.to_thread(self._cache.current)
        now = self._clock.now()
        if self._values is None or self._values.image is not image:
            async with self._turn:
                self._values = self._values.moved_to(image, now) if self._values else Values.of(image)
                self._all_moved = True
                for door in list(self._open):
                    await self._with(door, door.renew(self._values))
        if self._all_moved:
            self._all_moved = False
            await self._took(await asyncio.to_thread(self._blocks, None))
        if time.monotonic() - self._keys_at >= KEYS_S or self._given_moved:
            self._keys_at, self._given_moved = time.monotonic(), False
            known, trusted, given = await asyncio.to_thread(self._people)
            self._keeper.keys, self._keeper.trusted = known, trusted
            if given != self._given:
                self._given = given
                for door in list(self._open):
                    await self._with(door, door.give(given))
        await self._open_doors()
        if self._alarms_moved:
            self._alarms_moved = False
            alarms = await asyncio.to_thread(self._alarms)
            for door in list(self._open):
                if isinstance(door, OpcDoor):
                    await self._with(door, door.alarms(alarms))

    async def _holds(self) -> bool | None:
        """Whether the lease is ours; None while nobody can tell, for the database is away. Then what is read grows old by itself,
        and clients are told; but nobody publishes any more once another may."""
        try:
            mine = await asyncio.to_thread(self._lease)
        except SQLAlchemyError as error:
            if not self._away:
                log.warning("the database is away, values grow old: %s", short(error))
            self._away = True
            await self._age()
            if time.monotonic() > self._held_until:
                for door in [d for d in self._open if isinstance(d, MqttDoor)]:
                    self._open.remove(door)
                    await door.close()
            return None
        if self._away:
            self._away = False
            self._all_moved = self._given_moved = self._alarms_moved = True
            log.info("the database is back")
        if mine:
            self._held_until = time.monotonic() + serving.LEASE_S
        await self._age()
        return mine

    async def _age(self) -> None:
        async with self._turn:
            if self._values is not None:
                await self._put(self._values.age(self._clock.now()))

    async def _open_doors(self) -> None:
        """Open what is not open; what could not be is tried again after a while."""
        assert self._values is not None
        if time.monotonic() < self._retry_at or len(self._open) == len(self._kinds()):
            return
        self._retry_at = time.monotonic() + 5.0
        if not await asyncio.to_thread(self._lease, OPENING_S):
            return
        there = {type(door) for door in self._open}
        for kind, make in self._kinds().items():
            if kind in there:
                continue
            door = make()
            try:
                async with self._turn:
                    await door.open(self._values)
                    self._open.append(door)
            except OSError as error:
                if self._failed.get(kind.kind) != str(error):
                    log.error("%s: %s", kind.kind, short(error))
                self._failed[kind.kind] = short(error)
                continue
            self._failed.pop(kind.kind, None)
            log.info("%s: %s", kind.kind, door.says()["at"])
            await door.give(self._given)
            self._alarms_moved = True
        if len(self._open) == len(self._kinds()):
            self.serves.set()

    def _kinds(self) -> dict[Any, Callable[[], Any]]:
        wanted = self._wanted
        out: dict[Any, Callable[[], Any]] = {}
        if wanted.opc is not None:
            host, port = wanted.opc
            out[OpcDoor] = lambda: OpcDoor(
                host,
                port,
                self._own(),
                self._keeper,
                self._written_by_opc,
                self._history,
                self._journal,
                open_to_all=wanted.open_to_all,
            )
        if wanted.modbus is not None:
            at, number = wanted.modbus
            out[ModbusDoor] = lambda: ModbusDoor(at, number, self._written_by_modbus)
        if wanted.broker is not None:
            broker = wanted.broker
            out[MqttDoor] = lambda: MqttDoor(broker, wanted.prefix, wanted.node)
        return out

    async def _with(self, door: Door, work: Awaitable[None]) -> None:
        """A door that breaks is shut and opened anew; the others go on."""
        try:
            await work
        except Exception:
            log.exception("a door broke and is opened anew")
            self._open = [one for one in self._open if one is not door]
            self.serves.clear()
            with contextlib.suppress(Exception):
                await door.close()

    async def _shut(self) -> None:
        self.serves.clear()
        doors, self._open = self._open, []
        for door in doors:
            with contextlib.suppress(Exception):
                await door.close()

    # Values --------------------------------------------------------------------------------------------

    async def _listen(self) -> None:
        """Hear what agents wrote, and what moved."""
        while True:
            try:
                async with await servers_behind(self._engine).listen_async() as connection:
                    for channel in ("canaleta_live", "canaleta_seq", ALARMS_CHANNEL, serving.GIVEN_CHANNEL):
                        await connection.execute(f"listen {channel}")
                    self._given_moved = self._alarms_moved = self._all_moved = True
                    self._moved.set()
                    async for notice in connection.notifies():
                        if notice.channel == "canaleta_live":
                            self._racks.add(int(notice.payload.split(":")[0]))
                            self._news.set()
                            continue
                        self._given_moved |= notice.channel == serving.GIVEN_CHANNEL
                        self._alarms_moved |= notice.channel == ALARMS_CHANNEL
                        self._moved.set()
            except psycopg.Error as error:
                log.warning("nothing new is heard: %s", short(error))
            except Exception:
                log.exception("the listener met what it does not know; it listens again")
            await asyncio.sleep(1.0)

    async def _take_news(self) -> None:
        while True:
            await self._news.wait()
            await asyncio.sleep(GATHER_S)
            self._news.clear()
            racks, self._racks = self._racks, set()
            if self._open and self._values is not None and racks:
                await self._once(lambda racks=racks: self._read(racks))  # type: ignore[misc]

    async def _read(self, racks: set[int]) -> None:
        await self._took(await asyncio.to_thread(self._blocks, sorted(racks)))

    async def _took(self, blocks: Sequence[LiveBlock]) -> None:
        async with self._turn:
            assert self._values is not None
            await self._put(self._values.take(blocks, self._clock.now()))

    async def _put(self, rows: Rows) -> None:
        """All doors get what changed; one that publishes looks for itself whether it must tell everything."""
        assert self._values is not None
        for door in list(self._open):
            if len(rows) or isinstance(door, MqttDoor):
                await self._with(door, door.take(self._values, rows))

    # In threads ----------------------------------------------------------------------------------------

    def _lease(self, seconds: float = serving.LEASE_S) -> bool:
        self._clock.looked_lately()
        with self._engine.begin() as connection:
            mine = serving.take(connection, self._wanted.name, self.holder, seconds) is not None
            if mine:
                told = [door.says() for door in self._open]
                told += [{"kind": kind, "at": "", "clients": 0, "points": 0, "wrong": [{"point": 0, "says": says}]} for kind, says in self._failed.items()]  # fmt: skip
                serving.tell_outlets(connection, self._wanted.name, self.holder, told)
            return mine

    def _release(self) -> None:
        with self._engine.begin() as connection:
            serving.release(connection, self._wanted.name, self.holder)

    def _blocks(self, racks: Sequence[int] | None) -> list[LiveBlock]:
        with self._engine.connect() as connection:
            return read_blocks(connection, racks)

    def _people(self) -> tuple[dict[str, Key], frozenset[str], frozenset[int]]:
        noted, self._noted = self._noted, {}
        with self._engine.begin() as connection:
            for mark, (name, expires) in noted.items():
                serving.note_certificate(connection, mark, name, expires)
            trusted = frozenset(c.fingerprint for c in serving.certificates(connection) if c.trusted)
            return keys(connection), trusted, frozenset(g.point for g in serving.given_now(connection))

    def _alarms(self) -> list[Alarm]:
        with self._engine.connect() as connection:
            rows = open_alarms(connection)
        return [
            Alarm(
                r.point, r.kind, r.state, r.active, r.priority, r.since, _ALARM_WORDS.get(r.kind, r.kind),
                self._limit(r.point, r.kind),
            )
            for r in rows
            if r.kind in KINDS
        ]  # fmt: skip

    def _limit(self, point: int, kind: str) -> float | None:
        """The limit of an alarm of a level, in the point's unit."""
        image = self._values.image if self._values is not None else None
        if image is None or kind not in ALARM_LEVELS or not image.has(point):
            return None
        limit = float(image.number(f"alarm_{kind}")[image.row_of(point)])
        return limit if math.isfinite(limit) else None

    def _journal(
        self, begins: float, ends: float, behind: tuple[float, int] | None, most: int, backwards: bool
    ) -> list[Line]:
        with self._engine.connect() as connection:
            rows = journal_between(connection, begins, ends, behind, most, backwards=backwards)
        return [
            Line(r.id, Alarm.recorded(r.point, r.kind, r.becomes, r.priority, r.at, _ALARM_WORDS.get(r.kind, r.kind)))
            for r in rows
            if r.kind in KINDS
        ]

    def _note(self, mark: str, name: str, expires: datetime) -> None:
        """Kept with the next look at who may come in: the server waits for no database."""
        self._noted[mark] = (name, expires)
        self._given_moved = True
        self._moved.set()

    def _history(self, point: int, begins: float, ends: float) -> list[tuple[float, float, int]]:
        values = self._values
        if values is None or not values.image.has(point):
            return []
        rack = int(values.rack[values.image.row_of(point)])
        with self._engine.connect() as connection:
            hour = read_raw(connection, point, rack, begins, ends)
        return list(zip(hour.times.tolist(), hour.value.tolist(), hour.quality.tolist(), strict=True))

    def _own(self) -> Certificate:
        """Our certificate: made once a plant, so that clients who trust it need not again."""
        with self._engine.connect() as connection:
            kept = secret_of(connection, OWN)
        if not kept:
            new = made(APPLICATION)
            with self._engine.begin() as connection:
                kept = keep_first(connection, OWN, json.dumps({"certificate": new.certificate, "key": new.key}))
        return Certificate(**json.loads(kept))

    # Writing -------------------------------------------------------------------------------------------

    async def _written_by_opc(self, point: int, value: float, who: str) -> bool:
        return await asyncio.to_thread(self._write, point, value, who, OpcDoor.kind)

    async def _written_by_modbus(self, point: int, value: float) -> bool:
        return await asyncio.to_thread(self._write, point, value, "a client", ModbusDoor.kind)

    def _write(self, point: int, value: float, who: str, door: str) -> bool:
        """Give an output the value that another system wrote: as long as it is given away, and its rack armed. Every try is
        kept."""
        says, done = "", False
        try:
            with self._engine.connect() as connection:
                given = any(g.point == point for g in serving.given_now(connection))
            image = self._cache.current()
            if not given:
                says = "it is not given away any more"
            elif not image.has(point):
                says = "the point is gone"
            else:
                row = image.row_of(point)
                command = commanded(image, row, value, f"output {image.label(row)}: {value:g}, by {door}, {who}")
                with self._engine.begin() as connection:
                    number = ask(connection, who or door, command.rack, "force", command.target)
                outcome = awaited(self._engine, number, WRITE_S)
                done, says = outcome.done, outcome.says
            with self._engine.begin() as connection:
                serving.write_down(connection, point, who, door, f"{value:g}", done, says)
        except CommandError as error:
            with self._engine.begin() as connection:
                serving.write_down(connection, point, who, door, f"{value:g}", False, str(error))
        except SQLAlchemyError as error:
            log.warning("nothing was written to point %d: %s", point, short(error))
            return False
        return done


_ALARM_WORDS = {
    "ll": "low-low", "l": "low", "h": "high", "hh": "high-high", "dev": "deviation", "rate": "rate of change",
    "state": "state", "fault": "fault",
}  # fmt: skip


async def run(engine: Engine, doors: Doors) -> None:
    """Serve until SIGTERM or SIGINT."""
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    server = asyncio.create_task(Server(engine, doors).run())
    waits = asyncio.create_task(stop.wait())
    await asyncio.wait({server, waits}, return_when=asyncio.FIRST_COMPLETED)
    server.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await server
