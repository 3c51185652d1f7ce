"""What a module itself tells of a channel, and keeps: a wire is pulled and put back, the bit stays, and is reset."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from sqlalchemy import update
from tests.building.at_racks import TE, Ask, at_a_rack, until
from tests.building.database import Database

from canaleta.plant.database import tables as t
from canaleta.standins.server import StandIns

OPEN = {"faults": [{"kind": "open", "amount": ""}]}
LATCHING = {
    "at": 10,
    "bits": [
        {"bit": 3, "means": "open circuit", "says": "wire break", "latches": True},
        {"bit": 4, "means": "module fault"},
    ],
    "reset": {"at": 300, "step": 1, "word": 2, "mask": 6},
}


async def with_status_words(ask: Ask, made: StandIns | None = None) -> None:
    """Give the thermocouple module of kiln 1 a status word a channel, and wait until the stand-in has it: what was put
    on before, it never saw."""
    types = (await ask("GET", "/api/module-types")).json["types"]
    body = next(t["body"] for t in types if t["key"] == "tc8") | {"status_words": [LATCHING]}
    answer = await ask(
        "POST", "/api/hardware", {"operations": [{"do": "put type", "body": body, "replace": True}], "apply": True}
    )
    assert answer.status_code == 200, answer.json
    while made is not None and not (1 in made.racks and made.racks[1].field.status.resets):
        await asyncio.sleep(0.05)


def told(path: Any) -> bool:
    return path["quality"] == "bad" and "open circuit" in path["reasons"]


def test_a_wire_break_latches_in_the_module_and_is_reset_from_here(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        path = f"/api/points/{TE}/path"
        await with_status_words(ask, made)
        await until(ask, path, lambda p: p["quality"] == "good")
        assert (await ask("PUT", f"/api/points/{TE}/injection", OPEN)).status_code == 200
        await until(ask, path, told)
        assert (await ask("PUT", f"/api/points/{TE}/injection", {"text": ""})).status_code == 200
        # The figure is back, and the module still says that the wire was off.
        await until(ask, path, lambda p: told(p) and p["value"] is not None and abs(p["value"] - 846) < 100)
        advice = (await ask("GET", f"/api/points/{TE}/advice")).json
        (written,) = advice["resets"]
        assert written.startswith("bits 0x0006 of holding register 30")
        answer = await ask("POST", "/api/faults/module-reset", {"point": TE})
        assert answer.json == {"written": [written]}
        await until(ask, path, lambda p: p["quality"] == "good")
        log = (await ask("GET", "/api/racks/1/log")).json["lines"]
        assert log[0]["kind"] == "module reset"
        assert written in log[0]["what"]

    at_a_rack(database, visit)


@pytest.mark.long
def test_what_is_still_wrong_comes_back_after_a_reset(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        path = f"/api/points/{TE}/path"
        await with_status_words(ask, made)
        assert (await ask("PUT", f"/api/points/{TE}/injection", OPEN)).status_code == 200
        await until(ask, path, told)
        field = made.racks[1].field
        place = next(r for r in field.status.resets if r.flags)
        reset = []
        let_go = field.status.reset
        field.status.reset = lambda which: (reset.append(which.place), let_go(which))  # type: ignore[method-assign]
        assert (await ask("POST", "/api/faults/module-reset", {"point": TE})).status_code == 200
        await until(ask, path, lambda p: bool(reset))
        assert reset == [place.place], "the first channel's, and no other's"
        turn = made.racks[1].turn
        await until(ask, path, lambda p: made.racks[1].turn > turn + 4)
        assert told((await ask("GET", path)).json)
        assert (await ask("PUT", f"/api/points/{TE}/injection", {"text": ""})).status_code == 200
        await until(ask, path, lambda p: p["value"] is not None and abs(p["value"] - 846) < 100)
        assert told((await ask("GET", path)).json), "it latched again"
        assert len(field.status.resets) == 8

    at_a_rack(database, visit)


def test_a_real_rack_is_reset_only_while_it_is_armed_and_a_channel_without_bits_never(database: Database) -> None:
    with database.owner.begin() as connection:
        connection.execute(update(t.rack).values(stand_in=False))

    async def visit(ask: Ask, made: StandIns) -> None:
        nothing = await ask("POST", "/api/faults/module-reset", {"point": TE})
        assert (nothing.status_code, nothing.json["title"]) == (409, "no bit of this channel latches in its module")
        await with_status_words(ask)
        refused = await ask("POST", "/api/faults/module-reset", {"point": TE})
        assert refused.status_code == 409
        assert "not armed" in refused.json["title"]
        await ask("PUT", "/api/racks/1/armed", {"minutes": 5})
        # This one stays as it is, and has no such register: the rack's own word comes back.
        away = await ask("POST", "/api/faults/module-reset", {"point": TE})
        assert away.status_code == 409
        assert "no such register" in away.json["title"]

    at_a_rack(database, visit)
