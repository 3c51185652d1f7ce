"""Settings in places of their own, on a live rack: compared, written while armed, applied, read back."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from tests.building.at_racks import TE, Ask, at_a_rack, edit, until
from tests.building.database import Database

from canaleta.standins.server import StandIns

AFTER = [{"name": "apply", "at": 400, "word": 165}]


async def with_places(ask: Ask, made: StandIns, after: list[dict[str, Any]]) -> None:
    """The thermocouple module's settings stand in places of their own: modes as four bits a channel, filters as coils."""
    types = (await ask("GET", "/api/module-types")).json["types"]
    body = next(t["body"] for t in types if t["key"] == "tc8")
    settings = []
    for setting in body["settings"]:
        if setting["of"] == "mode":
            setting |= {"at": 390, "step": 1}
        settings.append(setting)
    body |= {"settings": settings, "after_settings": after}
    answer = await ask("POST", "/api/hardware", {"operations": [{"do": "put type", "body": body, "replace": True}], "apply": True})  # fmt: skip
    assert answer.status_code == 200, answer.json
    while not (1 in made.racks and made.racks[1].field.named_places):
        await asyncio.sleep(0.05)


def test_a_mode_is_written_where_the_manual_has_it_and_acts_when_it_is_applied(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        await with_places(ask, made, AFTER)
        assert (await ask("GET", "/api/racks/1/compare")).json["differences"] == []
        change = {"name": "stand_ins", "was": "follow the list", "text": "stay as they are"}
        await ask("POST", "/api/conventions", {"edits": [change]})
        await asyncio.to_thread(edit, database, TE, "mode", "TC J, 0.1 °C")
        (told,) = (await ask("GET", "/api/racks/1/compare")).json["differences"]
        assert (told["setting"], told["listed"]) == ("mode", "TC J, 0.1 °C")
        assert told["where"].startswith("holding register ")
        await ask("PUT", "/api/racks/1/armed", {"minutes": 5})
        written = (await ask("POST", "/api/racks/1/write", {"keys": [told["key"]]})).json
        assert (written["done"], written["failed"], written["after"]) == (1, 0, ["apply"])
        assert written["left"] == []
        # It acts in the device: the count that a type J gives comes for the same temperature.
        field = made.racks[1].field
        row = next(r for (m, c), r in field._rows_of.items() if field._devices[r].at.endswith("·3·1"))
        while field._image.text("mode", row) != "TC J, 0.1 °C":
            await asyncio.sleep(0.02)
        await until(ask, f"/api/points/{TE}/path", lambda p: p["value"] is not None)

    at_a_rack(database, visit)


@pytest.mark.long
def test_what_is_not_applied_does_not_act(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        await with_places(ask, made, AFTER)
        field, stand_in = made.racks[1].field, made.racks[1]
        one = field._named[0]
        before = field._codes[0]
        other = next(code for code in one.setting.codes.values() if code != before)
        await stand_in.server.async_setValues(1, 3, one.place, [other])  # type: ignore[union-attr]
        turn = stand_in.turn
        while stand_in.turn < turn + 3:
            await asyncio.sleep(0.02)
        assert field._codes[0] == before
        _, place, word = field.after[0]
        await stand_in.server.async_setValues(1, 3, place, [word])  # type: ignore[union-attr]
        while field._codes[0] != other:
            await asyncio.sleep(0.02)

    at_a_rack(database, visit)
