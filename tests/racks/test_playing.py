"""A script is played on a real stand-in by a real agent: what was put on, what was seen, within what time, signed."""

from __future__ import annotations

from typing import Any

import pytest
from tests.building.at_racks import PT, TE, Ask, at_a_rack, until
from tests.building.database import Database
from tests.building.people import PASSWORD
from tests.building.waiting import HANGS_S

from canaleta.standins.server import StandIns

TEXT = """# PT-3107: 0…600 mbar on 4–20 mA, a scan a second
0 s     PT-3107   put 12 mA
0 s     PT-3107   see 250 ± 1 within 500 s
+3 s    PT-3107   make open
+0 s    PT-3107   see bad within 500 s
+0 s    PT-3107   see 300 ± 1 within 2 s
+6 s    PT-3107   take off
+0 s    PT-3107   see good within 500 s
"""


async def played(ask: Ask, text: str, seconds: float = HANGS_S, **more: Any) -> Any:
    begun = await ask("POST", "/api/scripts/run", {"text": text, "name": "header", "trips_known": True, **more})
    assert begun.status_code == 200, begun.json
    return await until(ask, f"/api/script-runs/{begun.json['id']}", lambda r: r["state"] != "runs", seconds)


@pytest.mark.long
def test_a_run_tells_what_was_put_on_and_what_was_seen_and_when(database: Database) -> None:
    """The break is seen at once as bad; that it would read 300 mbar with a wire off is not, and is told so."""

    async def visit(ask: Ask, made: StandIns) -> None:
        run = await played(ask, TEXT)
        assert (run["state"], run["says"]) == ("done", "1 of 4 not seen"), run
        lines = {line["line"]: line for line in run["lines"]}
        assert lines[2]["state"] == "put"
        assert (lines[3]["state"], lines[3]["read"].split(" ")[0]) == ("seen", "250.0")
        assert lines[3]["after"] >= 0.0
        assert (lines[5]["state"], lines[6]["state"], lines[8]["state"]) == ("seen", "not seen", "seen")
        assert "bad" in lines[5]["read"]
        assert all(lines[n]["began"] >= lines[n]["at"] for n in (2, 4, 7)), "not put on before it was due"
        assert made.racks[1].field.injected() == []
        signed = (
            await ask(
                "POST",
                f"/api/script-runs/{run['id']}/sign",
                {"name": "A. Serra", "note": "rehearsal", "password": PASSWORD},
            )
        ).json
        record = (await ask("GET", f"/api/evidence/{signed['record']}")).json
        assert record["verdict"] == "failed: 1 of 4 not seen"
        assert record["sound"]
        assert record["body"]["text"] == TEXT
        assert [row[3] for row in record["body"]["table"]["rows"]].count("not seen") == 1
        assert (await ask("GET", f"/api/evidence/{signed['record']}/pdf")).data.startswith(b"%PDF")
        again = await ask("POST", f"/api/script-runs/{run['id']}/sign", {"name": "A. Serra"})
        assert again.status_code == 409, "once is enough"
        check = (await ask("GET", f"/api/points/{PT}/check")).json
        assert [r["kind"] for r in check["records"]] == ["script"]

    at_a_rack(database, visit)


def test_what_is_put_on_is_taken_off_however_it_ends(database: Database) -> None:
    """Called off, or refused half way: nothing stays on the terminals, and what was seen till then is kept."""

    async def visit(ask: Ask, made: StandIns) -> None:
        endless = "0 PT-3107 put 12 mA\n0 TE-2101 put 20 mV\n0 PT-3107 see 250 ± 1 within 500 s\n60 PT-3107 take off"
        begun = (await ask("POST", "/api/scripts/run", {"text": endless, "trips_known": True})).json
        await until(
            ask,
            f"/api/script-runs/{begun['id']}",
            lambda r: [x["state"] for x in r["lines"]][:3] == ["put", "put", "seen"],
        )
        assert len(made.racks[1].field.injected()) == 2
        other = await ask("POST", "/api/scripts/run", {"text": "0 TE-2101 put 5 mV", "trips_known": True})
        assert other.status_code == 409, "two hands at one point"
        assert "engineer runs" in other.json["title"]
        assert (await ask("POST", f"/api/script-runs/{begun['id']}/stop")).json["state"] == "called off"
        await until(ask, f"/api/points/{PT}/path", lambda _: made.racks[1].field.injected() == [])
        ended = await until(ask, f"/api/script-runs/{begun['id']}", lambda r: r["lines"][2]["state"] == "seen")
        assert ended["lines"][3]["state"] == "waits"
        refused = await ask("POST", f"/api/script-runs/{begun['id']}/sign", {"name": "A. Serra"})
        assert refused.status_code == 409

    at_a_rack(database, visit)


def test_scripts_are_kept_by_name_and_nobody_writes_over_another(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        path = "/api/scripts/header check"
        first = (await ask("PUT", path, {"text": "0 PT-3107 put 12 mA"})).json
        assert (first["version"], first["who"]) == (1, "engineer")
        assert (await ask("PUT", path, {"text": "x"})).status_code == 409, "a new one of the same name"
        second = await ask("PUT", path, {"text": "half a li", "version": 1})
        assert second.status_code == 200, "what cannot be read yet is kept as well"
        late = await ask("PUT", path, {"text": "late", "version": 1})
        assert "engineer changed" in late.json["title"]
        assert [s["text"] for s in (await ask("GET", "/api/scripts")).json["scripts"]] == ["half a li"]
        told = (
            await ask("POST", "/api/scripts/read", {"text": f"half a li\n0 PT-3107 put 12 mA\n0 P-{TE} see bad"})
        ).json
        assert [p["line"] for p in told["problems"]] == [1, 3]
        assert any("PIC-3107" in line for line in told["trips"])
        asked = await ask("POST", "/api/scripts/run", {"text": "0 PT-3107 put 12 mA"})
        assert asked.status_code == 409, "what it can trip is said first"
        assert (await ask("POST", "/api/scripts/run", {"text": "half a li"})).status_code == 422
        assert (await ask("DELETE", path)).json["scripts"] == []

    at_a_rack(database, visit)
