"""The scan agent: holds leases on racks, reads each at its own period, writes live blocks, does commands.

Racks are read side by side: a slow or silent one holds up no other. A silent rack keeps its last block,
whose age tells on every screen that it is stale; only its state in words is renewed.
"""

from __future__ import annotations

import asyncio
import json
import logging
import os
import signal
import socket
from collections import defaultdict
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import psycopg
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.layout import Layout, Rack
from canaleta.core.registers import RackMap
from canaleta.core.settings import settings_size
from canaleta.plant.arming import armed
from canaleta.plant.commands import DONE, Command, finish, start_waiting
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.live import LiveBlock, read_block, take_lease, write_block
from canaleta.racks.reader import RackReader, RackSilentError, tested
from canaleta.racks.scan import FailureWatch, ScanPlan
from canaleta.racks.source import SignalSource, SourceError

__all__ = ["Agent", "run"]

log = logging.getLogger("scan")
LEASE_CHECK_S = 3.0
WAIT_AFTER_TROUBLE_S = 1.0


class Agent:
    """Scans the racks it can lease. source: the signal source of the stand-ins, None where there is none."""

    def __init__(self, engine: Engine, source: SignalSource | None) -> None:
        self._engine = engine
        self._keeper = PlantKeeper(engine)
        self._source = source
        self._holder = f"{socket.gethostname()}:{os.getpid()}"
        self._asked: defaultdict[int, asyncio.Event] = defaultdict(asyncio.Event)

    async def run(self) -> None:
        """Scan until cancelled. Racks that appear or vanish are taken up or let go at the next look."""
        tasks: dict[int, asyncio.Task[None]] = {}
        listener = asyncio.create_task(self._listen())
        try:
            while True:
                try:
                    image = await asyncio.to_thread(self._keeper.current)
                except (SQLAlchemyError, LookupError) as error:
                    log.warning("the plant cannot be read yet: %s", _short(error))
                    await asyncio.sleep(WAIT_AFTER_TROUBLE_S)
                    continue
                for rack in image.layout.racks:
                    if rack not in tasks or tasks[rack].done():
                        tasks[rack] = asyncio.create_task(self._rack(rack))
                for gone in set(tasks) - set(image.layout.racks):
                    tasks.pop(gone).cancel()
                await asyncio.sleep(LEASE_CHECK_S)
        finally:
            await _ended({listener, *tasks.values()})

    async def _listen(self) -> None:
        """Hear of commands, so that a rack need not wait for its next scan to do one."""
        url = self._engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(url, autocommit=True) as connection:
                    await connection.execute("listen canaleta_command")
                    async for notice in connection.notifies():
                        self._asked[int(notice.payload)].set()
            except psycopg.Error as error:
                log.warning("commands wait for the next scan: %s", _short(error))
                await asyncio.sleep(WAIT_AFTER_TROUBLE_S)

    async def _rack(self, rack: int) -> None:
        """Hold one rack's lease and scan it; trouble with the database is waited out."""
        while True:
            try:
                await self._hold(rack)
            except SQLAlchemyError as error:
                log.warning("rack %d: the database does not answer: %s", rack, _short(error))
            await asyncio.sleep(WAIT_AFTER_TROUBLE_S)

    async def _hold(self, rack_id: int) -> None:
        epoch = await asyncio.to_thread(self._lease, rack_id)
        if epoch is None:
            return
        image = await asyncio.to_thread(self._keeper.current)
        rack = image.layout.racks.get(rack_id)
        if rack is None:
            return
        layout = image.layout
        rack_map = RackMap.of(layout, rack_id)
        last = await asyncio.to_thread(self._last_block, rack_id)
        log.info("rack %d at %s:%d is ours, %d channels", rack_id, rack.host, rack.port, len(rack_map))
        async with RackReader(rack, rack_map, timeout_s=min(1.0, rack.period_ms / 1000)) as reader:
            await self._scan(rack, layout, reader, rack_map, epoch, last)

    async def _scan(
        self,
        rack: Rack,
        layout: Layout,
        reader: RackReader,
        rack_map: RackMap,
        epoch: int,
        last: LiveBlock | None,
    ) -> None:
        """Read, work out, write; once a period, until the lease is lost or the hardware changes."""
        loop = asyncio.get_running_loop()
        period = rack.period_ms / 1000.0
        scan = last.scan if last else 0
        plan: ScanPlan | None = None
        watch = FailureWatch()
        due = renewed = loop.time()
        silent = ""
        while True:
            await self._commands(rack.id, epoch)
            image = await asyncio.to_thread(self._keeper.current)
            if image.layout is not layout:
                return
            if plan is None or plan.image is not image:
                plan = ScanPlan.of(image, rack.id, rack_map)
            if loop.time() - renewed > LEASE_CHECK_S:
                if await asyncio.to_thread(self._lease, rack.id) != epoch:
                    return
                renewed = loop.time()
            scan += 1
            try:
                words = await reader.read()
                injected = await self._injected(rack.id, layout)
                last = plan.block(
                    words,
                    injected,
                    rack=rack.id,
                    scan=scan,
                    epoch=epoch,
                    read_at=datetime.now(UTC),
                    before=last,
                    watch=watch,
                )
                if silent:
                    log.info("rack %d answers again", rack.id)
                silent = ""
            except RackSilentError as error:
                if silent != str(error):
                    log.warning("rack %d: %s", rack.id, error)
                silent = str(error)
                last = replace(last or plan.unread(rack=rack.id, epoch=epoch), scan=scan, epoch=epoch, state=silent)
            if not await asyncio.to_thread(self._write, last):
                return
            due = max(due + period, loop.time())
            if await self._woken(rack.id, due - loop.time()):
                due = loop.time()

    async def _woken(self, rack: int, seconds: float) -> bool:
        """Wait for the next scan; whether a command came before it."""
        asked = self._asked[rack]
        try:
            async with asyncio.timeout(seconds):
                await asked.wait()
        except TimeoutError:
            return False
        asked.clear()
        return True

    async def _commands(self, rack: int, epoch: int) -> None:
        for command in await asyncio.to_thread(self._waiting, rack, epoch):
            result = await self._do(command)
            await asyncio.to_thread(self._finish, command.id, result)
            log.info("command %d of %s: %s %s: %s", command.id, command.who, command.kind, command.target, result)

    async def _do(self, command: Command) -> str:
        try:
            if command.kind == "inject":
                return await self._inject(command.target)
            if command.kind == "become":
                return await self._become(command.target)
            return await self._settings(command)
        except (SourceError, RackSilentError) as error:
            return str(error)

    async def _inject(self, target: dict[str, Any]) -> str:
        if self._source is None:
            return "this rack has no signal source"
        at = target["rack"], target["place"], target["channel"]
        await self._source.inject(at, target["value"], target["unit"])
        return DONE

    async def _become(self, target: dict[str, Any]) -> str:
        if self._source is None:
            return "there is no stand-in on this machine"
        await self._source.become(target["document"], {int(rack): port for rack, port in target["ports"].items()})
        return DONE

    async def _settings(self, command: Command) -> str:
        """Read the settings of a rack, test the way to it, or write settings while it is armed: one after the other,
        each read back, so that the answer tells of each what became of it."""
        image = await asyncio.to_thread(self._keeper.current)
        rack = image.layout.racks.get(command.rack)
        if rack is None:
            return "there is no such rack"
        rack_map, size = RackMap.of(image.layout, rack.id), settings_size(image.layout, rack.id)
        if command.kind == "test":
            says, look, words = await tested(rack, rack_map, size)
            return json.dumps({"says": says, "look": look, "words": words})
        async with RackReader(rack, rack_map, timeout_s=2.0) as reader:
            if command.kind == "write" and not await asyncio.to_thread(self._armed, rack.id):
                return "writing to this rack is not armed any more: nothing was written"
            results = []
            for write in command.target.get("writes", []):
                results.append(await _written(reader, int(write["register"]), int(write["word"])))
            return json.dumps({"words": await reader.read_settings(size), "results": results})

    def _armed(self, rack: int) -> bool:
        with self._engine.connect() as connection:
            return armed(connection, rack) is not None

    async def _injected(self, rack: int, layout: Layout) -> set[tuple[int, int]]:
        """(module, channel) of each signal that is put on terminals of this rack, as the list places them."""
        if self._source is None:
            return set()
        module_at = {m.place: m.id for m in layout.modules_of(rack)}
        try:
            put = await self._source.injected()
        except SourceError:
            return set()
        return {(module_at[place], channel) for r, place, channel in put if r == rack and place in module_at}

    def _lease(self, rack: int) -> int | None:
        with self._engine.begin() as connection:
            return take_lease(connection, rack, self._holder)

    def _last_block(self, rack: int) -> LiveBlock | None:
        with self._engine.connect() as connection:
            return read_block(connection, rack)

    def _write(self, block: LiveBlock) -> bool:
        with self._engine.begin() as connection:
            return write_block(connection, block, self._holder)

    def _waiting(self, rack: int, epoch: int) -> list[Command]:
        with self._engine.begin() as connection:
            return start_waiting(connection, rack, epoch)

    def _finish(self, command: int, result: str) -> None:
        with self._engine.begin() as connection:
            finish(connection, command, result)


async def _ended(tasks: set[asyncio.Task[None]]) -> None:
    """Cancel tasks until they have ended: a wait inside a library may swallow a cancellation that crosses an answer."""
    while tasks:
        for task in tasks:
            task.cancel()
        _, tasks = await asyncio.wait(tasks, timeout=0.5)


async def _written(reader: RackReader, register: int, word: int) -> str:
    """Write one setting and read it back: DONE, or what became of it in words."""
    try:
        await reader.write_setting(register, word)
        now = (await reader.read_settings(register + 1))[register]
    except RackSilentError as error:
        return str(error)
    return DONE if now == word else f"the rack kept {now}"


async def run(engine: Engine, source: SignalSource | None) -> None:
    """Run an agent until SIGTERM or SIGINT."""
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    agent = asyncio.create_task(Agent(engine, source).run())
    stopped = asyncio.create_task(stop.wait())
    await asyncio.wait({agent, stopped}, return_when=asyncio.FIRST_COMPLETED)
    agent.cancel()
    if not stop.is_set():
        agent.result()
    await asyncio.gather(agent, return_exceptions=True)


def _short(error: Exception) -> str:
    return str(error).splitlines()[0][:200]
