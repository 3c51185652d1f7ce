"""What records tell through the API: tests that are missing, failed or run out, drift, alarms that stand or never came."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import insert
from tests.building.database import Database
from tests.building.live_blocks import PDT, PT
from tests.building.people import Person, app_on

from canaleta.core.live.alarms import EVENT_WORDS, WORDS, Event, State
from canaleta.plant.database import tables as t


@pytest.fixture
def told(database: Database) -> Any:
    """What is told beside the line of the test's plant itself, whose list came with words and no records."""
    person = Person(app_on(database), "technician")

    def now() -> list[tuple[str, str, str]]:
        found = [(f["rule"], f["severity"], f["text"]) for f in person.get("/api/findings/live").json["findings"]]
        return [one for one in found if "no signed record says so" not in one[2]]

    return now


def test_what_came_as_checked_without_a_record_is_one_line(database: Database) -> None:
    """Four points of the test's plant."""
    person = Person(app_on(database), "technician")
    (one,) = person.get("/api/findings/live").json["findings"]
    assert one["rule"] == "R34"
    assert one["text"].startswith("4 points are said to be checked, and no signed record says so: PT-3107")
    signed(database, one["points"][0], 10)
    (one,) = person.get("/api/findings/live").json["findings"]
    assert one["text"].startswith("3 points are said to be checked")


def signed(database: Database, point: int, days_ago: float, *, passes: bool = True, error: float = 0.01) -> None:
    body = {"passes": passes, "furthest": error, "worst": abs(error), "tolerance": 0.5}
    at = datetime.now(UTC) - timedelta(days=days_ago)
    with database.owner.begin() as connection:
        connection.execute(
            insert(t.evidence).values(
                at=at, kind="loop check", point=point, who="ana", name="Ana", verdict="", hash="", body=body
            )
        )


def test_a_check_that_failed_or_ran_out_is_told(database: Database, told: Any) -> None:
    signed(database, PT, 400)
    signed(database, PDT, 2, passes=False, error=3.0)
    rules = told()
    assert [(rule, severity) for rule, severity, _ in rules if rule == "R34"] == [("R34", "settle")] * 2
    texts = " ".join(text for _, _, text in rules)
    assert "its last check failed" in texts
    assert "its check ran out 35 days ago" in texts


def test_a_check_that_holds_is_silent(database: Database, told: Any) -> None:
    signed(database, PT, 100)
    assert told() == []


def test_drift_out_of_tolerance_is_told(database: Database, told: Any) -> None:
    """0.2 % of span a year; found at 0.6 % where ±0.5 % is allowed, so that the next may be out."""
    for years, error in ((3.0, 0.0), (2.0, 0.2), (1.0, 0.4), (0.01, 0.6)):
        signed(database, PT, 365.25 * years, error=error)
    assert ("R95", "settle") in [(rule, severity) for rule, severity, _ in told()]


def alarm(database: Database, point: int, kind: str, hours: float, state: State) -> None:
    at = datetime.now(UTC) - timedelta(hours=hours)
    with database.owner.begin() as connection:
        connection.execute(
            insert(t.alarm).values(
                point=point,
                kind=kind,
                rack=1,
                state=WORDS[state],
                active=True,
                priority="high",
                since=at,
                raised=at,
                who="",
                why="",
            )
        )


def test_an_alarm_that_stands_is_told_and_one_out_of_service_is_not(database: Database, told: Any) -> None:
    alarm(database, PT, "h", 100, State.ACKNOWLEDGED)
    alarm(database, PDT, "h", 100, State.OUT_OF_SERVICE)
    assert [rule for rule, _, _ in told()] == ["R93"]


def test_alarms_that_never_came_are_asked_about_once_the_journal_is_old_enough(database: Database, told: Any) -> None:
    def came(days: float) -> None:
        with database.owner.begin() as connection:
            connection.execute(
                insert(t.journal).values(
                    at=datetime.now(UTC) - timedelta(days=days), point=PDT, kind="h", event=EVENT_WORDS[Event.COMES],
                    was="normal", becomes="unacknowledged", priority="high",
                )
            )  # fmt: skip

    with database.owner.begin() as connection:
        connection.execute(t.point.update().where(t.point.c.id == PT).values(alarm_h=400))
        connection.execute(t.plant.update().values(seq=t.plant.c.seq + 1))
    came(100)
    assert told() == []
    came(370)
    assert [rule for rule, _, _ in told()] == ["R94"]
