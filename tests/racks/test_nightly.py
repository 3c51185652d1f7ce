"""A look at each rack once a day, by the agent that reads it: when it is due, and that it tells."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import pytest
from sqlalchemy import update
from tests.building.at_racks import Ask, at_a_rack, edit, until
from tests.building.database import Database
from tests.building.people import Person, app_on

from canaleta.plant.checks.running import Look
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from canaleta.racks import agent, nightly
from canaleta.racks.context import Context
from canaleta.racks.nightly import WHO, last_time
from canaleta.standins.server import StandIns

CET = timezone(timedelta(hours=1))


@pytest.mark.parametrize(
    ("clock", "now", "last"),
    [
        ("02:30", datetime(2026, 12, 1, 9, 0, tzinfo=CET), datetime(2026, 12, 1, 2, 30, tzinfo=CET)),
        ("02:30", datetime(2026, 12, 1, 2, 30, tzinfo=CET), datetime(2026, 12, 1, 2, 30, tzinfo=CET)),
        ("02:30", datetime(2026, 12, 1, 2, 29, 59, tzinfo=CET), datetime(2026, 11, 30, 2, 30, tzinfo=CET)),
        ("23:59", datetime(2026, 1, 1, 0, 0, tzinfo=UTC), datetime(2025, 12, 31, 23, 59, tzinfo=UTC)),
    ],
)
def test_the_last_time_that_it_was_so_late(clock: str, now: datetime, last: datetime) -> None:
    assert last_time(clock, now) == last


def test_what_was_turned_by_night_is_told_in_the_morning(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(agent, "DAILY_S", 0.1)
    edit(database, 1, "filter", "100 ms")

    def of_rack(looks: Any) -> Any:
        return next(r for r in looks["racks"] if r["rack"] == 1)

    async def visit(ask: Ask, made: StandIns) -> None:
        assert of_rack((await ask("GET", "/api/running")).json)["at"] == "", "nobody said that it is to be"
        change = {"name": "racks_looked_at", "was": "", "text": "24:00"}
        refused = await ask("POST", "/api/conventions", {"edits": [change], "apply": True})
        assert refused.status_code == 422
        await ask("POST", "/api/conventions", {"edits": [change | {"text": "00:00"}], "apply": True})
        told = await until(ask, "/api/running", lambda looks: of_rack(looks)["at"] != "")
        one = of_rack(told)
        assert (one["who"], one["open"], one["says"]) == (WHO, 1, "")
        live = (await ask("GET", "/api/findings/live")).json["findings"]
        assert [f["text"] for f in live if f["rule"] == "R31" and f["text"].startswith("rack 1 of KC-2")] == [
            "rack 1 of KC-2: one setting is not what the list and its issue say, looked at today"
        ]
        # It was looked at since: nothing is due, until the look is of the day before.
        edit(database, 1, "filter", "50 Hz")
        with database.owner.begin() as connection:
            connection.execute(update(t.rack_look).values(at=t.rack_look.c.at - timedelta(days=1)))
        again = await until(ask, "/api/running", lambda looks: of_rack(looks)["open"] == 0)
        assert of_rack(again)["at"] > one["at"]

    at_a_rack(database, visit)


def test_a_look_that_breaks_is_told_once_a_day_and_no_other_rack_goes_without(
    database: Database, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    change = {"name": "racks_looked_at", "was": "", "text": "00:00"}
    engineer = Person(app_on(database), "engineer")
    assert engineer.send("POST", "/api/conventions", {"edits": [change], "apply": True}).status_code == 200
    asked: list[int] = []

    def breaks(engine: Any, image: Any, issued: Any, rack: int, who: str, types: Any) -> Look:
        asked.append(rack)
        if rack == 1:
            raise KeyError("what nobody thought of")
        return Look(rack, 0, "", (), ())

    monkeypatch.setattr(nightly, "look_at", breaks)
    looks = nightly.NightlyLooks(Context(database.engine, None))
    image = ImageCache(database.engine).current()
    for _ in range(2):
        looks.begin(image, [1, 2])
        assert looks._thread is not None
        looks._thread.join()
    assert (asked.count(1), asked.count(2)) == (1, 2), "nothing was kept of the second rack here, so it is due again"
    assert [r.message for r in caplog.records if r.levelname == "ERROR"] == [
        "rack 1: a look at it met what it does not know"
    ]
