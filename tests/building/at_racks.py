"""Asking the API while a stand-in is read."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.server import StandIns
from tests.building.agents import in_a_loop_of_its_own, scanned
from tests.building.database import Database
from tests.building.people import Person, app_on
from tests.building.waiting import HANGS_S


def at_a_rack(database: Database, work: Callable[[Callable[..., Any], StandIns], Any]) -> None:
    """Run a visit: `work` gets a way to call the API from its own thread, and the stand-in."""
    engineer = Person(app_on(database), "engineer")

    async def run() -> None:
        async with scanned(database) as (made, _):
            await asyncio.sleep(0.3)

            async def ask(method: str, path: str, body: Any = None) -> Any:
                return await asyncio.to_thread(lambda: engineer.send(method, path, body))

            await work(ask, made)

    in_a_loop_of_its_own(run)


def edit(database: Database, point: int, field: str, text: str) -> None:
    from canaleta.plant.changes.apply import Edit, Proposal, apply

    cache = ImageCache(database.engine)
    image = cache.current()
    was = image.text(field, image.row_of(point))
    apply(database.engine, cache, Proposal((Edit(point, field, was, text),)), "ana")


PT, TE = 1, 6
"""PT-3107 on a module that can be forced; TE-2101 on one that cannot."""


Ask = Callable[..., Any]


async def until(ask: Ask, path: str, holds: Callable[[Any], bool], seconds: float = HANGS_S) -> Any:
    async with asyncio.timeout(seconds):
        while not holds(body := (await ask("GET", path)).json):
            await asyncio.sleep(0.05)
    return body
