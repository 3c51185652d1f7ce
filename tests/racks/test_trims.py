"""A channel trimmed while it runs: a stand-in whose converter drifted, the API in front, a real agent between."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from pymodbus.client import AsyncModbusTcpClient
from sqlalchemy import select
from tests.building.at_racks import PT, Ask, at_a_rack, edit, until
from tests.building.database import Database
from tests.building.people import PASSWORD

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.plant.database import tables as t
from canaleta.plant.people import accounts
from canaleta.standins.server import StandIns

DRIFT = [{"kind": "zero off", "amount": "0.3"}, {"kind": "slope off", "amount": "-0.2"}]
"""Of 32 000 counts: 96 more at 4 mA, and 0.998 of them and 96, 32 032, at 20."""
SIGNER = {
    "name": "Ana Serra",
    "password": PASSWORD,
    "instrument": "loop calibrator",
    "serial": "7731",
    "due": "2999-12",
}


async def put(ask: Ask, signal: str) -> None:
    answer = await ask("PUT", f"/api/points/{PT}/injection", {"text": signal, "faults": DRIFT})
    assert answer.status_code == 200, answer.json


def counted(path: Any) -> float:
    figure: str = path["stations"][4]["figure"]
    return float(figure.replace("\u202f", "").replace("−", "-") or "nan")


async def level(ask: Ask, signal: str, count: float) -> dict[str, Any]:
    """What is counted once the signal stands on the wires."""
    await put(ask, signal)
    path = f"/api/points/{PT}/path"
    seen = await until(ask, path, lambda p: p["quality"] == "good" and abs(counted(p) - count) < 3)
    return {"signal": signal, "counts": [counted(seen)] * 20}


def test_a_drifted_converter_is_found_accepted_and_taken_back(database: Database) -> None:
    edit(database, PT, "value_high", "500")

    async def visit(ask: Ask, made: StandIns) -> None:
        with database.owner.begin() as connection:
            accounts.set_password(connection, "engineer", PASSWORD)
        trim = (await ask("GET", f"/api/points/{PT}/trim")).json
        assert trim["why_not"] == ""
        assert [one["signal"] for one in trim["levels"]["2"]] == ["4.000", "20.000"]
        assert trim["ends"] == [0, 32000] == trim["found"]
        low, high = await level(ask, "4", 96), await level(ask, "20", 32032)
        told = (await ask("POST", f"/api/points/{PT}/trim/judge", {"captures": [low, high]})).json
        assert told["acceptable"], told
        assert told["found"] == pytest.approx([96, 32032], abs=1)
        assert told["slope"] == pytest.approx(-0.2, abs=0.01)
        assert told["worst_before"] == pytest.approx(0.3, abs=0.01)
        assert told["worst_after"] < 0.001
        crossed = [low | {"signal": "20"}, high | {"signal": "4"}]
        refused = (await ask("POST", f"/api/points/{PT}/trim/judge", {"captures": crossed})).json
        assert [one["code"] for one in refused["refused"]] == ["exchanged"]
        body = SIGNER | {"seq": trim["seq"], "captures": [low, high]}
        assert (await ask("POST", f"/api/points/{PT}/trim", body | {"due": "2020-03"})).status_code == 409
        assert (await ask("POST", f"/api/points/{PT}/trim", body | {"captures": crossed})).status_code == 409
        standing = {"kind": "transmitter simulating", "point": PT, "what": "the transmitter itself gives 12 mA"}
        number = (await ask("POST", "/api/temporary", standing)).json["id"]
        simulated = await ask("POST", f"/api/points/{PT}/trim", body)
        assert "transmitter simulating of engineer" in simulated.json["title"]
        await ask("POST", f"/api/temporary/{number}/end", {"why": "out"})
        seq = (await ask("GET", "/api/plant")).json["seq"]
        assert seq == trim["seq"], "nothing of all that was kept"
        done = await ask("POST", f"/api/points/{PT}/trim", body)
        assert done.status_code == 200, done.json
        assert done.json["kind"] == "trim"
        # 12 mA count 16 064 there, and are the middle of 0 … 500 again.
        await put(ask, "12")
        shown = await until(ask, f"/api/points/{PT}/path", lambda p: p["value"] and abs(p["value"] - 250) < 0.05)
        assert counted(shown) == pytest.approx(16064, abs=1)
        now = (await ask("GET", f"/api/points/{PT}/trim")).json
        assert now["found"] == pytest.approx([96, 32032], abs=1)
        assert f"record {done.json['id']}" in now["trimmed"]
        assert [record["id"] for record in now["records"]] == [done.json["id"]]
        pdf = await ask("GET", f"/api/evidence/{done.json['id']}/pdf")
        assert pdf.data.startswith(b"%PDF")
        late = await ask("POST", f"/api/points/{PT}/trim", body)
        assert late.status_code == 409
        assert "changed while it was trimmed" in late.json["title"]
        back = await ask("POST", f"/api/points/{PT}/trim/back", {"why": "another module comes"})
        assert back.status_code == 200, back.json
        # By the data sheet 16 064 are 1 count in 500 too high: 251.
        await until(ask, f"/api/points/{PT}/path", lambda p: p["value"] and abs(p["value"] - 251) < 0.05)
        again = await ask("POST", f"/api/points/{PT}/trim/back", {})
        assert again.status_code == 409
        with database.owner.connect() as connection:
            kept = connection.execute(select(t.evidence.c.id).where(t.evidence.c.kind == "trim")).all()
        assert len(kept) == 1, "what was signed stays"

    at_a_rack(database, visit)


def test_the_controllers_own_pair_is_compared_and_written(database: Database) -> None:
    """Two holding registers that hold what one likes: the counts of forces that are not on. Another client sees them."""
    layout = layout_of(demo_plant())
    kind = layout.type_of(2)
    first = layout.first_settings[2] + kind.force_offset + kind.mask_words + 4
    edit(database, PT, "pair_at", f"holding {first} int, holding {first + 1} int")

    async def visit(ask: Ask, made: StandIns) -> None:
        read = await ask("POST", f"/api/points/{PT}/trim/pair", {})
        assert read.status_code == 200, read.json
        assert read.json["counts"] == [0, 0]
        assert read.json["ought"] == [0, 32000]
        assert not read.json["agrees"]
        found = [("found_low", "96"), ("found_high", "32032")]
        edits = [{"point": PT, "field": field, "was": "", "text": count} for field, count in found]
        assert (await ask("POST", "/api/proposals", {"edits": edits, "apply": True})).status_code == 200
        written = await ask("POST", f"/api/points/{PT}/trim/pair", {"write": True})
        assert written.status_code == 200, written.json
        assert written.json["counts"] == [96, 32032]
        assert written.json["agrees"]
        rack = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][0]
        async with AsyncModbusTcpClient("127.0.0.1", port=rack["port"]) as other:
            seen = await other.read_holding_registers(first, count=2)
        assert seen.registers == [96, 32032]
        uses = {use["what"]: use for use in (await ask("GET", f"/api/points/{PT}/trim")).json["uses"]}
        assert not uses["controller's pair at"]["follows"]
        assert uses["scaling"]["follows"]

    at_a_rack(database, visit)


def test_a_pair_that_cannot_be_is_told(database: Database) -> None:
    edit(database, PT, "pair_at", "input 3 int, holding 4 int")

    async def visit(ask: Ask, made: StandIns) -> None:
        wrong = await ask("POST", f"/api/points/{PT}/trim/pair", {})
        assert wrong.status_code == 422
        assert "write both ends" in wrong.json["title"]
        await asyncio.sleep(0)

    at_a_rack(database, visit)
