"""Configured, issued, running: what a real Modbus stand-in reports beside the list and its newest issue."""

from __future__ import annotations

import asyncio
import json
from datetime import date, timedelta
from typing import Any

import pytest
from tests.building.at_racks import PT, TE, at_a_rack, edit
from tests.building.database import Database
from tests.building.issuing import issue
from tests.building.people import Person, app_on

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.cli import main
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.server import StandIns

TE_2101 = layout_of(demo_plant()).first_settings[3] + 1
"""The register that the mode of the first thermocouple stands in."""
REAL_8, REAL_7_5 = [0x4100, 0x0000], [0x40F0, 0x0000]
"""8.0 and 7.5 by IEEE 754, the high word first."""


def told(answer: Any) -> list[tuple[str, str, str, str, str]]:
    return [(p["tag"], p["configured"], p["issued"], p["running"], p["stands"]) for p in answer.json["parameters"]]


def test_before_the_first_issue_list_and_rack_are_held_against_each_other(database: Database) -> None:
    edit(database, 1, "filter", "100 ms")

    async def visit(ask: Any, made: StandIns) -> None:
        assert told(await ask("POST", "/api/running/1")) == [
            ("PT-3107", "100 ms", "", "50 Hz", "list and rack apart")
        ]
        looks = (await ask("GET", "/api/running")).json
        one = next(r for r in looks["racks"] if r["rack"] == 1)
        assert (looks["issued"], one["open"], one["who"], one["says"]) == ("", 1, "engineer", "")
        other = next(r for r in looks["racks"] if r["rack"] != 1)
        assert other["at"] == "", "nobody looked at the others yet"

    at_a_rack(database, visit)


def test_what_was_turned_in_the_rack_waits_for_it_or_was_written_is_told_apart(database: Database) -> None:
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        assert told(await ask("POST", "/api/running/1")) == []
        # Behind the program's back.
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        # An edit that is not in the rack yet; with its author.
        edit(database, 1, "filter", "100 ms")
        answer = await ask("POST", "/api/running/1")
        assert told(answer) == [
            ("PT-3107", "100 ms", "", "50 Hz", "waits for the rack"),
            ("TE-2101", "TC K, 0.1 °C", "TC K, 0.1 °C", "TC T, 0.1 °C", "turned in the rack"),
        ]
        waits, turned = answer.json["parameters"]
        assert (waits["edited_by"], turned["edited_by"]) == ("ana", "")
        assert turned["takes"] == [{"field": "mode", "text": "TC T, 0.1 °C"}]
        # The edit is written: it runs, and is not issued. The other one is restored, and nothing else is touched.
        size = len(made.racks[1].field.settings_words())
        before = list(await made.racks[1].server.async_getValues(1, 3, 0, size))
        await ask("PUT", "/api/racks/1/armed", {"minutes": 5})
        written = (await ask("POST", "/api/racks/1/write", {"keys": [waits["key"], turned["key"]]})).json
        assert (written["done"], written["failed"]) == (2, 0)
        after = list(await made.racks[1].server.async_getValues(1, 3, 0, size))
        assert sum(a != b for a, b in zip(before, after, strict=True)) == 2
        assert told(await ask("POST", "/api/running/1")) == [
            ("PT-3107", "100 ms", "", "100 ms", "written, not issued")
        ]

    at_a_rack(database, visit)


def test_all_three_may_be_apart_and_what_is_adopted_is_no_longer_turned(database: Database) -> None:
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        edit(database, 6, "mode", "TC J, 0.1 °C")
        (one,) = (await ask("POST", "/api/running/1")).json["parameters"]
        assert one["stands"] == "all three apart"
        edit(database, 6, "mode", one["takes"][0]["text"])
        assert told(await ask("POST", "/api/running/1")) == [
            ("TE-2101", "TC T, 0.1 °C", "TC K, 0.1 °C", "TC T, 0.1 °C", "written, not issued")
        ]

    at_a_rack(database, visit)


def test_a_difference_is_kept_with_a_reason_until_its_day_or_until_it_is_another(database: Database) -> None:
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        (one,) = (await ask("POST", "/api/running/1")).json["parameters"]
        item = {name: one[name] for name in ("entity_id", "field", "running")}
        for until, says in (("soon", "is no day"), ("2020-01-01", "has passed")):
            refused = await ask("POST", "/api/running/keep", {"items": [item], "reason": "a T is in", "until": until})
            assert refused.status_code == 422
            assert says in refused.json["title"]
        odd = await ask("POST", "/api/running/keep", {"items": [item | {"field": "tag"}], "reason": "so"})
        assert (odd.status_code, odd.json["title"]) == (422, "“tag” is no setting that a rack reports")
        day = (date.today() + timedelta(days=30)).isoformat()
        kept = await ask("POST", "/api/running/keep", {"items": [item], "reason": "a T is in", "until": day})
        assert [(k["reason"], k["who"], k["until"], k["over"]) for k in kept.json["kept"]] == [
            ("a T is in", "engineer", day, False)
        ]
        (again,) = (await ask("POST", "/api/running/1")).json["parameters"]
        assert again["kept"] == kept.json["kept"][0]["id"]
        racks = (await ask("GET", "/api/running")).json["racks"]
        assert next(r for r in racks if r["rack"] == 1)["open"] == 0
        # Another one than was kept is open.
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [42])
        (other,) = (await ask("POST", "/api/running/1")).json["parameters"]
        assert other["kept"] == 0
        # The day passes.
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        with database.owner.begin() as connection:
            connection.execute(t.kept_apart.update().values(until="2020-01-01"))
        (late,) = (await ask("POST", "/api/running/1")).json["parameters"]
        assert late["kept"] == 0
        assert (await ask("GET", "/api/running")).json["kept"][0]["over"] is True
        # It is lifted by hand.
        with database.owner.begin() as connection:
            connection.execute(t.kept_apart.update().values(until=""))
        assert (await ask("POST", "/api/running/1")).json["parameters"][0]["kept"] != 0
        ended = await ask("POST", "/api/running/keep/end", {"ids": [kept.json["kept"][0]["id"]]})
        assert ended.json["kept"] == []
        assert (await ask("POST", "/api/running/1")).json["parameters"][0]["kept"] == 0

    at_a_rack(database, visit)


def test_what_runs_apart_is_a_finding_until_a_look_finds_it_clean(database: Database) -> None:
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        def of(body: Any) -> list[str]:
            return [f["text"] for f in body["findings"] if f["rule"] == "R31"]

        (was,) = await made.racks[1].server.async_getValues(1, 3, TE_2101, 1)
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        await ask("POST", "/api/running/1")
        assert of((await ask("GET", "/api/findings/live")).json) == [
            "rack 1 of KC-2: one setting is not what the list and its issue say, looked at today"
        ]
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [was])
        await ask("POST", "/api/running/1")
        assert of((await ask("GET", "/api/findings/live")).json) == []

    at_a_rack(database, visit)


def free_registers() -> int:
    """Four holding registers of PT-3107's module that hold what one likes: the counts of forces that are not on."""
    layout = layout_of(demo_plant())
    kind = layout.type_of(2)
    return layout.first_settings[2] + kind.force_offset + kind.mask_words + 4


def test_a_pair_and_a_limit_turned_in_the_controller_are_told_adopted_and_written(database: Database) -> None:
    """4 to 20 mA count 0 to 32 000 by the data sheet. Written by another client: 96 and 32 032, and 7.5 where 8 was issued."""
    at = free_registers()
    edit(database, PT, "pair_at", f"holding {at} int, holding {at + 1} int")
    edit(database, PT, "limits_at", f"HH holding {at + 2} real")
    edit(database, PT, "alarm_hh", "8")
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        server = made.racks[1].server
        await server.async_setValues(1, 6, at, [0, 32000, *REAL_8])
        assert told(await ask("POST", "/api/running/1")) == []
        await server.async_setValues(1, 6, at, [96, 32032, *REAL_7_5])
        answer = (await ask("POST", "/api/running/1")).json
        pair, limit = answer["parameters"]
        assert [
            (p["tag"], p["setting"], p["configured"], p["issued"], p["running"], p["stands"]) for p in (pair, limit)
        ] == [
            ("PT-3107", "pair of counts", "0 and 32000", "0 and 32000", "96 and 32032", "turned in the rack"),
            ("PT-3107", "limit HH", "8 mbar", "8 mbar", "7.5 mbar", "turned in the rack"),
        ]
        assert pair["takes"][:2] == [{"field": "found_low", "text": "96"}, {"field": "found_high", "text": "32032"}]
        assert limit["takes"] == [{"field": "alarm_hh", "text": "7.5"}]
        # Nobody writes while it is not armed.
        body = {"keys": [pair["key"], limit["key"]]}
        assert (await ask("POST", "/api/running/1/numbers", body)).status_code == 409
        # The limit is adopted, the pair restored; what stands around them is as it was.
        edit(database, PT, "alarm_hh", "7.5")
        size = len(made.racks[1].field.settings_words())
        before = list(await server.async_getValues(1, 3, 0, size))
        await ask("PUT", "/api/racks/1/armed", {"minutes": 5})
        written = (await ask("POST", "/api/running/1/numbers", body)).json
        assert (written["done"], written["failed"]) == (2, 0), (
            "what is not apart from the issue alone is written as well"
        )
        after = list(await server.async_getValues(1, 3, 0, size))
        assert [k for k in range(size) if before[k] != after[k]] == [at, at + 1]
        assert told(await ask("POST", "/api/running/1")) == [
            ("PT-3107", "7.5 mbar", "8 mbar", "7.5 mbar", "written, not issued")
        ]

    at_a_rack(database, visit)


def test_a_pair_that_is_adopted_reads_as_it_runs_and_back_again(database: Database) -> None:
    at = free_registers()
    edit(database, PT, "pair_at", f"holding {at} int, holding {at + 1} int")

    async def visit(ask: Any, made: StandIns) -> None:
        server = made.racks[1].server
        for pair, texts in (
            ([96, 32032], ["96", "32032", "adopted from the controller"]),
            ([0, 32000], ["", "", ""]),
        ):
            await server.async_setValues(1, 6, at, pair)
            (one,) = (await ask("POST", "/api/running/1")).json["parameters"]
            assert [taken["text"] for taken in one["takes"]] == texts
            plant = ImageCache(database.engine).current()
            edits = [
                {"point": PT, "was": plant.text(taken["field"], plant.row_of(PT)), **taken} for taken in one["takes"]
            ]
            assert (await ask("POST", "/api/proposals", {"edits": edits, "apply": True})).status_code == 200
            assert told(await ask("POST", "/api/running/1")) == []

    at_a_rack(database, visit)


def test_what_a_rack_refuses_and_what_cannot_be_read_is_told_and_the_rest_is_compared(database: Database) -> None:
    edit(database, PT, "pair_at", "holding 60000 int, holding 60001 int")
    edit(database, TE, "limits_at", "HH at 12")
    edit(database, PT, "limits_at", "H at 13")
    edit(database, PT, "filter", "100 ms")

    async def visit(ask: Any, made: StandIns) -> None:
        answer = (await ask("POST", "/api/running/1")).json
        assert [p["setting"] for p in answer["parameters"]] == ["filter"]
        beside, unreadable, refused = answer["missing"]
        assert beside.startswith("PT-3107: “at 13”: write where it stands"), "its pair is looked for nevertheless"
        assert unreadable.startswith("TE-2101: “at 12”: write where it stands")
        assert refused.startswith(
            "PT-3107 pair of counts, holding register 60000 (from 0) and holding register 60001 (from 0): "
        )
        looks = (await ask("GET", "/api/running")).json["racks"]
        assert next(r for r in looks if r["rack"] == 1)["missing"] == 3

    at_a_rack(database, visit)


def test_a_rack_that_nobody_reads_says_so_and_keeps_what_was_known(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No agent runs: the look is told as one that could not be, and its line is a finding."""
    # Nobody is there to be patient with.
    monkeypatch.setenv("CANALETA_PATIENCE", "0.1")
    engineer = Person(app_on(database), "engineer")
    found = engineer.send("POST", "/api/running/1", None).json
    assert found["parameters"] == []
    assert "no agent took it up in time" in found["says"]
    live = engineer.get("/api/findings/live").json["findings"]
    assert any(f["rule"] == "R31" and "could not be compared" in f["text"] for f in live)
    assert engineer.send("POST", "/api/running/999", None).status_code == 404


def test_a_nights_timer_tells_what_is_apart_by_its_exit(
    database: Database, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """0 clean, 3 apart, 5 where a rack could not be compared: here the racks of the other cabinets, which nobody reads."""
    monkeypatch.setenv("CANALETA_DATABASE_URL", database.owner.url.render_as_string(hide_password=False))
    issue(database)

    async def compared(*options: str) -> tuple[int, str]:
        capsys.readouterr()
        status = await asyncio.to_thread(main, ["compare", *options])
        return status, capsys.readouterr().out

    async def visit(ask: Any, made: StandIns) -> None:
        cabinet = ("--cabinet", "kc-2", "--json")
        racks = (await ask("GET", "/api/running")).json["racks"]
        alone = [r["rack"] for r in racks if r["cabinet"] == "KC-2"] == [1]
        clean, _ = await compared(*cabinet)
        assert clean == (0 if alone else 5)
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        status, said = await compared(*cabinet)
        assert status == (3 if alone else 5)
        one = next(r for r in json.loads(said) if r["rack"] == "KC-2 rack 1")
        assert [(p["tag"], p["stands"]) for p in one["parameters"]] == [("TE-2101", "turned in the rack")]
        status, said = await compared("--cabinet", "KC-2")
        assert "TE-2101 mode: list TC K, 0.1 °C, issued TC K, 0.1 °C, rack TC T, 0.1 °C: turned in the rack" in said

    at_a_rack(database, visit)


def test_a_cabinet_that_is_not_there_is_named(
    database: Database, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("CANALETA_DATABASE_URL", database.owner.url.render_as_string(hide_password=False))
    assert main(["compare", "--cabinet", "KC-99"]) not in (0, 3, 5)
    told = capsys.readouterr()
    assert "there is no cabinet KC-99" in told.out + told.err
