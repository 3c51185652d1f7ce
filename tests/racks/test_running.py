"""Configured, issued, running: what a real Modbus stand-in reports beside the list and its newest issue."""

from __future__ import annotations

import asyncio
import json
from datetime import date, timedelta
from typing import Any

import pytest
from sqlalchemy import insert
from tests.building.at_racks import at_a_rack, edit
from tests.building.database import Database
from tests.building.people import Person, app_on

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.cli import main
from canaleta.exchange.project import project_of
from canaleta.plant.changes.revisions import put_up
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.server import StandIns

TE_2101 = layout_of(demo_plant()).first_settings[3] + 1
"""The register that the mode of the first thermocouple stands in."""


def issue(database: Database) -> None:
    """The list as it stands, issued: signatures are another test's matter."""
    made = put_up(
        database.engine, ImageCache(database.engine), lambda c, image: project_of(c, image).model_dump(mode="json"),
        "A", "", "for trying", "ana",
    )  # fmt: skip
    with database.owner.begin() as connection:
        for meaning in ("checked", "issued"):
            connection.execute(
                insert(t.signature).values(revision=made.id, meaning=meaning, who="bru", name="Bru", hash="")
            )


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
        assert (waits["edited_by"], turned["edited_by"], turned["taken"]) == ("ana", "", "TC T, 0.1 °C")
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
        edit(database, 6, "mode", one["taken"])
        assert told(await ask("POST", "/api/running/1")) == [
            ("TE-2101", "TC T, 0.1 °C", "TC K, 0.1 °C", "TC T, 0.1 °C", "written, not issued")
        ]

    at_a_rack(database, visit)


def test_a_difference_is_kept_with_a_reason_until_its_day_or_until_it_is_another(database: Database) -> None:
    issue(database)

    async def visit(ask: Any, made: StandIns) -> None:
        await made.racks[1].server.async_setValues(1, 6, TE_2101, [41])
        (one,) = (await ask("POST", "/api/running/1")).json["parameters"]
        item = {name: one[name] for name in ("point", "field", "running")}
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


def test_a_rack_that_nobody_reads_says_so_and_keeps_what_was_known(database: Database) -> None:
    """No agent runs: the look is told as one that could not be, and its line is a finding."""
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
