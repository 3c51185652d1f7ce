"""What real servers say of themselves: the head of a Modbus rack, a module's firmware, an OPC UA server; noted, turned, kept."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

import pytest
from pymodbus.pdu.device import ModbusControlBlock
from sqlalchemy import select
from tests.building.at_racks import Ask, at_a_rack, done
from tests.building.database import Database
from tests.building.issuing import issue

from canaleta.core.hardware.themselves import firmware_runs
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.server import HEAD, StandIns

SAYS = "Canaleta stand-in, 1.0"
FIRMWARE = {"table": "holding registers", "at": 400, "written": "parts in bytes", "oldest": "2.1"}


async def looked(ask: Ask, rack: int) -> Any:
    answer = await ask("POST", f"/api/running/{rack}")
    assert answer.status_code == 200, answer.json
    return answer.json


def apart(look: Any) -> list[tuple[str, str, str, str, str]]:
    return [(p["entity"], p["configured"], p["issued"], p["running"], p["stands"]) for p in look["parameters"]]


def test_the_head_of_a_rack_is_noted_issued_and_another_one_is_told(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        (head,) = [one for one in (await looked(ask, 1))["themselves"] if one["entity"] == "rack"]
        assert (head["says"], head["noted"], head["to_note"]) == (SAYS, "", True)
        await done(ask, {"do": "change", "what": "rack", "id": 1, "field": "head", "was": "", "text": SAYS})
        issue(database)
        assert apart(await looked(ask, 1)) == []
        # Somebody puts another head in: what the servers of this process say is one thing for all of them.
        monkeypatch.setitem(ModbusControlBlock().Identity.stat_data, 2, "1.1")
        (found,) = (await looked(ask, 1))["parameters"]
        assert (found["tag"], found["running"], found["stands"], found["apart"], found["writes"]) == (
            "rack 1", "Canaleta stand-in, 1.1", "another one in the rack", "running", False,
        )  # fmt: skip
        # It stays so for a while, with a reason; then it is adopted.
        item = {name: found[name] for name in ("entity", "entity_id", "field", "running")}
        until = (date.today() + timedelta(days=3)).isoformat()
        kept = await ask("POST", "/api/running/keep", {"items": [item], "reason": "a spare head", "until": until})
        assert [(k["entity"], k["entity_id"], k["reason"]) for k in kept.json["kept"]] == [
            ("rack", 1, "a spare head")
        ]
        assert (await looked(ask, 1))["parameters"][0]["kept"] == kept.json["kept"][0]["id"]
        assert next(r for r in (await ask("GET", "/api/running")).json["racks"] if r["rack"] == 1)["open"] == 0
        odd = await ask("POST", "/api/running/keep", {"items": [item | {"field": "mode"}], "reason": "so"})
        assert odd.status_code == 422
        gone = await ask("POST", "/api/running/keep", {"items": [item | {"entity_id": 4711}], "reason": "so"})
        assert gone.status_code == 409
        change = {"do": "change", "what": "rack", "id": 1, "field": "head", "was": SAYS, "text": found["running"]}
        await done(ask, change)
        (written,) = (await looked(ask, 1))["parameters"]
        assert (written["stands"], written["edited_by"]) == ("written, not issued", "engineer")
        # A head that says nothing any more is not one that agrees.
        for k in range(3):
            monkeypatch.setitem(ModbusControlBlock().Identity.stat_data, k, "")
        quiet = await looked(ask, 1)
        assert quiet["parameters"] == []
        assert quiet["missing"] == ["rack 1 head: Canaleta stand-in, 1.1 was noted, and it says nothing now"]

    monkeypatch.setitem(ModbusControlBlock().Identity.stat_data, 2, HEAD["MajorMinorRevision"])
    at_a_rack(database, visit)


def test_the_firmware_of_a_module_is_read_where_its_type_says(database: Database) -> None:
    """AI-8 U/I with a firmware in a holding register behind all settings; its stand-in has the oldest that the type takes."""

    async def visit(ask: Ask, made: StandIns) -> None:
        body = next(k for k in (await ask("GET", "/api/module-types")).json["types"] if k["key"] == "ai8-ui")["body"]
        await done(ask, {"do": "put type", "body": body | {"firmware": FIRMWARE}, "replace": True})
        assert (await ask("POST", "/api/racks/1/stand-in")).status_code == 200
        image = ImageCache(database.engine).current()
        (_, first, _), *_ = firmware_runs(image.layout, 1)
        module = next(m.id for m in image.layout.modules_of(1) if m.type_key == "ai8-ui")

        def mine(look: Any) -> Any:
            return next(x for x in look["themselves"] if (x["entity"], x["entity_id"]) == ("module", module))

        one = mine(await looked(ask, 1))
        assert (one["says"], one["noted"], one["oldest"], one["to_note"]) == ("2.1", "", "2.1", True)
        await done(ask, {"do": "call", "module": module, "firmware": "2.1"})
        assert apart(await looked(ask, 1)) == []
        # A spare from the shelf.
        await made.racks[1].server.async_setValues(1, 6, first, [0x0200])
        assert apart(await looked(ask, 1)) == [("module", "2.1", "", "2.0", "older than its type needs")]
        await made.racks[1].server.async_setValues(1, 6, first, [0x0202])
        assert apart(await looked(ask, 1)) == [("module", "2.1", "", "2.2", "list and rack apart")]
        # It comes back with the plant's file, and goes back with undo.
        await done(ask, {"do": "call", "module": module, "firmware": "2.2"})
        assert apart(await looked(ask, 1)) == []
        refused = await ask(
            "POST", "/api/hardware", {"operations": [{"do": "call", "module": module, "firmware": "2" * 41}]}
        )
        assert refused.status_code == 422
        with database.engine.connect() as connection:
            stored = connection.execute(select(t.module.c.firmware).where(t.module.c.id == module)).scalar_one()
        assert stored == "2.2"

    at_a_rack(database, visit)


def test_a_firmware_that_a_rack_will_not_tell_is_told_and_takes_nothing_else_along(database: Database) -> None:
    """The type says a register that this rack does not have: its stand-in stays as it is."""

    async def visit(ask: Ask, made: StandIns) -> None:
        stays = {"name": "stand_ins", "was": "follow the list", "text": "stay as they are"}
        assert (await ask("POST", "/api/conventions", {"edits": [stays], "apply": True})).status_code == 200
        body = next(k for k in (await ask("GET", "/api/module-types")).json["types"] if k["key"] == "ai8-ui")["body"]
        await done(ask, {"do": "put type", "body": body | {"firmware": FIRMWARE | {"at": 9000}}, "replace": True})
        look = await looked(ask, 1)
        assert (look["says"], look["parameters"]) == ("", [])
        (missing,) = look["missing"]
        assert missing.startswith("AI-8 U/I firmware, holding register 9000 (from 0): the rack has no such register")
        assert [one["says"] for one in look["themselves"] if one["entity"] == "module"] == [""]

    at_a_rack(database, visit)
