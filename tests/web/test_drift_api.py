"""Drift of a point from its signed checks: the line, where it breaks, and what is said of too little."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import insert
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.checks.histories import seen_in
from canaleta.plant.database import tables as t
from canaleta.web.app import create_app

PT = 1
START = datetime(2023, 1, 1, tzinfo=UTC)


def record(number: int, years: float, error: float, phase: str = "", kind: str = "loop check") -> Evidence:
    body: dict[str, Any] = {"furthest": error, "worst": abs(error), "phase": phase, "tolerance": 0.5}
    at = START + timedelta(days=years * 365.25)
    return Evidence(number, at, kind, PT, "ana", "Ana", "", "", body)


def test_what_was_left_and_what_follows_a_trim_begin_anew() -> None:
    records = [
        record(3, 2, 0.05, "as left"), record(1, 1, 0.1), record(2, 2, 0.2, "as found"), record(4, 3, 0.0, kind="trim"),
        record(5, 3, 0.01), record(6, 4, -0.02),
    ]  # fmt: skip
    seen = seen_in(records)
    assert [one.error for one in seen] == [0.1, 0.2, 0.05, 0.01, -0.02]
    assert [one.begins for one in seen] == [False, False, True, True, False]


def test_a_record_of_an_earlier_version_has_no_sign() -> None:
    (one,) = seen_in([Evidence(1, START, "loop check", PT, "ana", "Ana", "", "", {"worst": 0.3})])
    assert one.error == 0.3


@pytest.fixture
def checked(database: Database) -> Any:
    def with_checks(*errors: tuple[float, float]) -> Any:
        with database.owner.begin() as connection:
            for number, (years, error) in enumerate(errors, start=1):
                one = record(number, years, error)
                values = {
                    n: getattr(one, n) for n in ("at", "kind", "point", "who", "name", "verdict", "hash", "body")
                }
                connection.execute(insert(t.evidence).values(**values))
        return Person(app_on(database), "reader").get(f"/api/points/{PT}/drift").json

    return with_checks


def test_the_line_says_when_it_leaves_the_tolerance(checked: Any) -> None:
    """0.1 % of span a year from nought at the beginning of 2023: ±0.5 % at the end of 2027."""
    told = checked((0, 0.0), (1, 0.1), (2, 0.2))
    assert told["rate"] == pytest.approx(0.1)
    assert told["tolerance"] == 0.5
    assert told["leaves_at"] == told["by_line"]
    assert told["leaves_at"][:7] in ("2027-12", "2028-01")
    assert "check it again within 1095 days" in told["says"]
    assert told["line"][-1] > 0.5
    assert len(told["days"]) == len(told["line"]) == len(told["high"])


def test_of_two_checks_only_the_line_is_known(checked: Any) -> None:
    told = checked((0, 0.0), (1, 0.1))
    assert told["leaves_at"] is None
    assert told["by_line"] is not None
    assert "a third check says how sure that is" in told["says"]
    assert told["low"] == [None] * len(told["days"])


def test_of_one_check_nothing_is_said(checked: Any) -> None:
    assert "two checks on different days" in checked((0, 0.1))["says"]


def test_without_a_check_there_is_nothing_to_say(checked: Any) -> None:
    told = checked()
    assert (told["says"], told["errors"]) == ("", [])


def test_points_are_due_after_the_interval_or_sooner_by_their_drift(database: Database, checked: Any) -> None:
    """0.1 % a year from nought: ±0.5 % is reached at the end of 2027, but the plant's interval of a year is sooner; at 0.4 % a
    year it is out within half a year after the third check."""
    checked((0, 0.0), (1, 0.1), (2, 0.2))
    reader = Person(app_of(database), "reader")
    (one,) = reader.get("/api/due").json["points"]
    assert (one["tag"], one["day"], one["because"]) == ("PT-3107", "2025-12-31", "interval")
    with database.owner.begin() as connection:
        for number, (years, error) in enumerate(((0, -0.4), (1, 0.0), (2, 0.4)), start=11):
            made = record(number, years, error)
            values = {n: getattr(made, n) for n in ("at", "kind", "who", "name", "verdict", "hash")}
            body = made.body | {"passes": True}
            connection.execute(insert(t.evidence).values(point=3, body=body, **values))
    other = next(p for p in reader.get("/api/due").json["points"] if p["point"] == 3)
    assert (other["because"], other["day"][:7]) == ("drift", "2025-04")


def app_of(database: Database) -> Any:
    return create_app(database.engine, frozenset({"localhost"}), most_streams=4)


def test_another_device_breaks_the_line_and_is_to_be_checked(database: Database) -> None:
    engineer = Person(app_on(database), "engineer")
    offer = engineer.get(f"/api/points/{PT}/swap").json
    assert {s["name"]: s["text"] for s in offer["settings"]}["device_high"] == "600"
    body = {"serial": "B-2207", "why": "membrane torn", "name": "Ana", "password": PASSWORD}
    signed = engineer.send("POST", f"/api/points/{PT}/swap", body).json
    assert (signed["kind"], signed["verdict"]) == ("device swap", "the old device gave way to B-2207, like for like")
    assert engineer.get(f"/api/points/{PT}/swap").json["serial"] == "B-2207"
    again = engineer.send("POST", f"/api/points/{PT}/swap", body)
    assert again.status_code == 422
    seen = seen_in([record(1, 0, 0.4), record(2, 1, 0, kind="device swap"), record(3, 1, 0.01)])
    assert [one.begins for one in seen] == [False, True]
