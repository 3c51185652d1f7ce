"""The scan agent: takes its share of the racks by lease and scans them side by side until it ends.

One task a rack (racks/scanner.py): a slow or silent one holds up no other. Here are what all of them share: leases,
the newest list, who is injected where, which points keep others quiet.
"""

from __future__ import annotations

import asyncio
import logging
import signal
from collections import defaultdict
from datetime import timedelta
from typing import Any

import numpy as np
import psycopg
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.live.conditioning import UNKNOWN
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import BAD_SIGNAL
from canaleta.core.notation.text import short
from canaleta.plant.database.connection import servers_behind
from canaleta.plant.live import commands, leases
from canaleta.plant.live.blocks import is_stale, read_block
from canaleta.plant.live.temporary import TEMPORARY_CHANNEL, substitutes
from canaleta.plant.live.trends import TREND_CHANNEL, borne_out, forget_before
from canaleta.plant.live.walking import forget_found_before
from canaleta.racks.context import Context
from canaleta.racks.digesting import Digester
from canaleta.racks.nightly import NightlyLooks
from canaleta.racks.scanner import Scanner
from canaleta.racks.sharing import bundles, over_share, to_take
from canaleta.racks.source import SignalSource

__all__ = ["Agent", "run"]

log = logging.getLogger("scan")
TEND_S = 1.0
LOOK_S = 5.0
"""How often commands are looked for without having been told of one."""
FORGET_S = 3600.0
DAILY_S = 30.0
"""How often one asks whether it is time to look at the racks again."""


class Agent:
    """Scans the racks it can lease. source: the signal source of the stand-ins, None where there is none."""

    def __init__(self, engine: Engine, source: SignalSource | None) -> None:
        self.context = Context(engine, source)
        self.digester = Digester(self.context)
        self.held: dict[int, int] = {}
        self._seq_moved = asyncio.Event()
        self._temporary_moved = True
        self._renewed = self._forgotten = self._looked_at = self._compared = 0.0
        self._nightly = NightlyLooks(self.context)

    async def run(self) -> None:
        """Scan until cancelled. Racks that appear or vanish are taken up or let go at the next look."""
        tasks: dict[int, asyncio.Task[None]] = {}
        listener = asyncio.create_task(self._listen())
        try:
            while True:
                try:
                    await self._tend(tasks)
                except (SQLAlchemyError, LookupError) as error:
                    log.warning("the plant cannot be read yet: %s", short(error))
                except Exception:
                    log.exception("the agent met what it does not know; it looks again")
                self._seq_moved.clear()
                try:
                    async with asyncio.timeout(TEND_S):
                        await self._seq_moved.wait()
                except TimeoutError:
                    pass
        finally:
            await _ended({listener, *tasks.values()})
            try:
                # Shielded by being last: the racks are free for others at once.
                with self.context.engine.begin() as connection:
                    leases.gone(connection, self.context.holder)
            except SQLAlchemyError as error:
                log.warning("the leases run out by themselves: %s", short(error))

    async def _tend(self, tasks: dict[int, asyncio.Task[None]]) -> None:
        """Bring list, leases and tasks up to date."""
        before = self.context.image
        self.context.image = image = await asyncio.to_thread(self.context.cache.current)
        if before is None or image is not before:
            tags = {tag: int(p) for tag, p in zip(image.cells["tag"], image.ids, strict=True)}
            named = {image.text("quiet_while", row) for row in image.filled("quiet_while").nonzero()[0].tolist()}
            self.context.suppressors = {tags[name] for name in named if name in tags}
        loop = asyncio.get_running_loop()
        if loop.time() - self._renewed >= leases.RENEW_S or set(self.held) - set(image.layout.racks):
            self._renewed = loop.time()
            self.held, over = await asyncio.to_thread(self._lease, bundles(image.layout))
            for rack in over:
                await self._let_go(rack, tasks)
            if self.context.suppressors:
                self.context.switches |= await asyncio.to_thread(self._switches_elsewhere, image)
        if self._temporary_moved:
            self._temporary_moved = False
            self.context.substitutes = await asyncio.to_thread(self._substitutes)
        if loop.time() - self._looked_at >= LOOK_S:
            self._looked_at = loop.time()
            for rack in await asyncio.to_thread(self._racks_asked):
                self.context.asked[rack].set()
        for rack, epoch in self.held.items():
            if rack not in tasks or tasks[rack].done():
                tasks[rack] = asyncio.create_task(Scanner(self.context, self.digester, rack, epoch).run())
        for rack in set(tasks) - set(self.held):
            await _ended({tasks.pop(rack)})
        if loop.time() - self._compared >= DAILY_S and self.held:
            self._compared = loop.time()
            self._nightly.begin(image, self.held)
        if loop.time() - self._forgotten >= FORGET_S:
            self._forgotten = loop.time()
            await asyncio.to_thread(self._forget, image.conventions.trend_days)

    async def _let_go(self, rack: int, tasks: dict[int, asyncio.Task[None]]) -> None:
        """Give a rack back that is over one's share; its scanner keeps its state first."""
        if rack in tasks:
            await _ended({tasks.pop(rack)})
        self.held.pop(rack, None)
        await asyncio.to_thread(self._free, rack)
        log.info("rack %d is left to another agent", rack)

    async def _listen(self) -> None:
        """Hear of commands, so that a rack need not wait for its next scan to do one, and of a list that moved on."""
        while True:
            try:
                async with await servers_behind(self.context.engine).listen_async() as connection:
                    for channel in ("canaleta_command", "canaleta_seq", TEMPORARY_CHANNEL, TREND_CHANNEL):
                        await connection.execute(f"listen {channel}")
                    self._temporary_moved = True
                    async for notice in connection.notifies():
                        if notice.channel == "canaleta_command":
                            self.context.asked[int(notice.payload)].set()
                            continue
                        if notice.channel == TREND_CHANNEL:
                            self.context.trends_wanted.add(int(notice.payload))
                            continue
                        self._temporary_moved |= notice.channel == TEMPORARY_CHANNEL
                        self._seq_moved.set()
            except psycopg.Error as error:
                log.warning("commands wait for the next scan: %s", short(error))
            except Exception:
                log.exception("the listener met what it does not know; commands wait for the next scan")
            await asyncio.sleep(TEND_S)

    # In threads ----------------------------------------------------------------------------------------

    def _lease(self, together: dict[int, tuple[int, ...]]) -> tuple[dict[int, int], list[int]]:
        """(what is held now, racks to let go): racks of one line are one agent's."""
        self.context.clock.look()
        whole, racks = together, [rack for some in together.values() for rack in some]
        with self.context.engine.begin() as connection:
            leases.beat(connection, self.context.holder, len(self.held))
            share = leases.share_of(connection, len(racks))
            held = leases.renew(connection, self.context.holder)
            # A free one, or what is left of its line when another has it: one looks until one has one's share.
            tried: set[int] = set()
            while untried := [rack for rack in to_take(together, held, share) if rack not in tried]:
                rack = untried[0]
                tried.add(rack)
                if (epoch := leases.take_lease(connection, rack, self.context.holder)) is not None:
                    held[rack] = epoch
                elif rack in together:
                    together = {lead: some for lead, some in together.items() if lead != rack}
        held = {rack: epoch for rack, epoch in held.items() if rack in set(racks)}
        return held, over_share(whole, held, share)

    def _free(self, rack: int) -> None:
        with self.context.engine.begin() as connection:
            leases.let_go(connection, rack, self.context.holder)

    def _racks_asked(self) -> set[int]:
        with self.context.engine.connect() as connection:
            return commands.racks_with_commands(connection)

    def _substitutes(self) -> dict[int, float]:
        with self.context.engine.connect() as connection:
            return substitutes(connection)

    def _switches_elsewhere(self, image: PlantImage) -> dict[int, int]:
        """The states of points that keep others quiet and that another agent scans: -1 where it is not known now."""
        out: dict[int, int] = {}
        rack_of = {m.id: m.rack for m in image.layout.modules.values()}
        wanted = defaultdict(set)
        for point in self.context.suppressors:
            wanted[rack_of.get(int(image.module[image.row_of(point)]), 0)].add(point)
        with self.context.engine.connect() as connection:
            for rack, points in wanted.items():
                if rack in self.held or (block := read_block(connection, rack)) is None:
                    continue
                lost = is_stale(block, image, self.context.clock.now())
                unknown = ((block.reasons & BAD_SIGNAL) != 0) | lost
                states = np.where(unknown, UNKNOWN, block.switch)
                for k in np.flatnonzero(np.isin(block.points, list(points))).tolist():
                    out[int(block.points[k])] = int(states[k])
        return out

    def _forget(self, days: int) -> None:
        with self.context.engine.begin() as connection:
            day = borne_out(connection, self.context.clock.when()) - timedelta(days=days)
            forget_before(connection, day)
            forget_found_before(connection, day)


async def _ended(tasks: set[asyncio.Task[Any]]) -> None:
    """Cancel tasks until they have ended: a wait inside a library may swallow a cancellation that crosses an
    answer."""
    while tasks:
        for task in tasks:
            task.cancel()
        _, tasks = await asyncio.wait(tasks, timeout=0.5)


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
