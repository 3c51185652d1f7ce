"""Asking the API while a stand-in is read."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.server import StandIns
from tests.building.agents import in_a_loop_of_its_own, scanned
from tests.building.database import Database
from tests.building.named import free_port
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


async def done(ask: Ask, *operations: dict[str, Any]) -> Any:
    answer = await ask("POST", "/api/hardware", {"operations": list(operations), "apply": True})
    assert answer.status_code == 200, answer.json
    return answer.json


async def made_rack(ask: Ask, link: str) -> tuple[int, int]:
    """(rack, module) of a new stand-in rack with eight inputs."""
    await done(ask, {"do": "add rack", "cabinet": 1, "name": "net", "stand_in": True, "link": link, "port": free_port(), "period_ms": 100})  # fmt: skip
    rack = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][-1]["rack"]
    await done(ask, {"do": "add module", "rack": rack, "type": "ai8-ui"})
    (module,) = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][-1]["modules"]
    assert (await ask("POST", f"/api/racks/{rack}/stand-in")).status_code == 200
    return rack, module["module"]


async def landed(ask: Ask, module: int) -> None:
    """The pressure of the burner goes over to the first channel."""
    await moved(ask, PT, (await channels_of(ask, module))[0]["address"])


async def channels_of(ask: Ask, module: int) -> Any:
    cabinets = (await ask("GET", "/api/cabinets")).json["cabinets"]
    return next(m["channels"] for c in cabinets for r in c["racks"] for m in r["modules"] if m["module"] == module)


async def moved(ask: Ask, point: int, to: str) -> None:
    """A point goes over to another channel."""
    cabinets = (await ask("GET", "/api/cabinets")).json["cabinets"]
    every = [ch for c in cabinets for r in c["racks"] for m in r["modules"] for ch in m["channels"]]
    was = next(ch["address"] for ch in every if ch["point"] == point)
    edit = {"point": point, "field": "channel", "was": was, "text": to}
    answer = await ask("POST", "/api/proposals", {"edits": [edit], "apply": True})
    assert answer.status_code == 200, answer.json
