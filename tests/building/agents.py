"""Agents and stand-ins that run in a loop of their own."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from sqlalchemy import update

from canaleta.catalogue.demo import demo_plant
from canaleta.host.cluster import free_port
from canaleta.plant.database import tables as t
from canaleta.plant.live.blocks import LiveBlock, read_block
from canaleta.racks.agent import Agent
from canaleta.racks.source import SignalSource
from canaleta.standins.server import StandIns
from canaleta.standins.source_port import LONGEST_LINE, SourcePort
from tests.building.database import Database
from tests.building.waiting import HANGS_S

PERIOD_MS = 100


def in_a_loop_of_its_own(work: Callable[[], Coroutine[Any, Any, None]]) -> None:
    """Run in another thread: the browser tests keep a loop running in this one."""
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(work())).result()


TOKEN = "only for tests"


@contextlib.asynccontextmanager
async def standing_in(port: int, source_port: int, rack: int = 1) -> AsyncIterator[StandIns]:
    made = StandIns(demo_plant(), {rack: port}, seed=3)
    source = await asyncio.start_server(SourcePort(made, TOKEN).handle, "127.0.0.1", source_port, limit=LONGEST_LINE)
    await made.begin()
    await asyncio.sleep(0.1)
    try:
        yield made
    finally:
        source.close()
        await made.end()


@contextlib.asynccontextmanager
async def scanning(database: Database, source: SignalSource | None = None) -> AsyncIterator[None]:
    task = asyncio.create_task(Agent(database.engine, source).run())
    try:
        yield
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


@contextlib.asynccontextmanager
async def scanned(database: Database, rack: int = 1) -> AsyncIterator[tuple[StandIns, SignalSource]]:
    """A rack of the demo, its first one unless said otherwise, as a stand-in, scanned by an agent, with what puts signals on."""
    port, source_port = free_port(), free_port()
    on_port(database, port, rack)
    source = SignalSource(source_port, TOKEN)
    async with standing_in(port, source_port, rack) as made, scanning(database, source):
        yield made, source


def on_port(database: Database, port: int, rack: int = 1) -> None:
    with database.owner.begin() as connection:
        for each in range(1, 11):
            connection.execute(
                update(t.rack).where(t.rack.c.id == each).values(port=free_port(), period_ms=PERIOD_MS)
            )
        connection.execute(update(t.rack).where(t.rack.c.id == rack).values(port=port))


async def until(database: Database, holds: Callable[[LiveBlock], bool], seconds: float = HANGS_S) -> LiveBlock:
    """The first block that fits, or the last one seen in the error."""
    last = None
    async with asyncio.timeout(seconds):
        while True:
            with database.engine.connect() as connection:
                last = read_block(connection, 1)
            if last is not None and holds(last):
                return last
            await asyncio.sleep(0.02)


def value_of(block: LiveBlock, point: int) -> float:
    return float(block.value[np.flatnonzero(block.points == point)[0]])
