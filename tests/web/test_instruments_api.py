"""Instruments as records: kept, told before they are overdue, in the history and the project; a check signed with one."""

from __future__ import annotations

import json
from typing import Any

import pytest
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

PT = 1
"""A pressure of 0 to 500 mbar on 4 to 20 mA."""
RANGE = {"unit": "mA", "low": 0, "high": 24, "of_reading": 0.02, "of_span": 0, "digits": 2, "resolution": 0.001}
CALIBRATOR = {
    "make": "a maker's LC-2",
    "serial": "7731",
    "due": "2999-12",
    "certificate": "C 11-204",
    "ranges": [RANGE],
}


@pytest.fixture
def engineer(database: Database) -> Person:
    return Person(app_on(database), "engineer")


def kept(engineer: Person, name: str = "cal 3", **more: Any) -> Any:
    answer = engineer.send("PUT", f"/api/instruments/{name}", CALIBRATOR | more)
    assert answer.status_code == 200, answer.json
    return answer.json


def test_an_instrument_is_kept_changed_and_taken_away_and_each_is_undone(engineer: Person) -> None:
    kept(engineer)
    kept(engineer, due="2998-06-30")
    (one,) = engineer.get("/api/instruments").json["instruments"]
    assert (one["name"], one["serial"], one["due"], one["overdue"]) == ("cal 3", "7731", "2998-06-30", False)
    assert one["ranges"] == [RANGE]
    assert engineer.send("DELETE", "/api/instruments/cal 3").status_code == 200
    assert engineer.get("/api/instruments").json["instruments"] == []
    assert engineer.send("POST", "/api/undo").status_code == 200
    assert engineer.send("POST", "/api/undo").status_code == 200
    (one,) = engineer.get("/api/instruments").json["instruments"]
    assert one["due"] == "2999-12"
    told = engineer.get("/api/history").get_data(as_text=True)
    assert "instrument cal 3" in told
    assert "2998-06-30" in told


def test_what_cannot_be_an_instrument_is_told_and_nothing_is_kept(engineer: Person) -> None:
    kept(engineer)
    kept(engineer, "cal 4")
    for more, status in (
        ({"due": "next year"}, 422),
        ({"ranges": [RANGE | {"low": 24, "high": 0}]}, 422),
        ({"ranges": [RANGE | {"of_reading": -1}]}, 422),
        ({"becomes": "cal 4"}, 422),
    ):
        answer = engineer.send("PUT", "/api/instruments/cal 3", CALIBRATOR | more)
        assert answer.status_code == status, more
    assert engineer.send("DELETE", "/api/instruments/nobody").status_code == 404
    names = [one["name"] for one in engineer.get("/api/instruments").json["instruments"]]
    assert names == ["cal 3", "cal 4"]


def test_how_long_a_calibration_holds_is_told(engineer: Person) -> None:
    kept(engineer, "old", due="2020-02")
    kept(engineer, "new")
    kept(engineer, "nobody said", due="")
    told = {one["name"]: one for one in engineer.get("/api/instruments").json["instruments"]}
    assert told["old"]["overdue"]
    assert told["old"]["days"] < 0
    assert not told["new"]["overdue"]
    assert told["new"]["days"] > 300_000
    assert told["nobody said"]["days"] is None


def test_instruments_go_with_the_project(engineer: Person) -> None:
    kept(engineer)
    project = json.loads(engineer.get("/api/project").get_data(as_text=True))
    assert project["instruments"] == [{"name": "cal 3"} | CALIBRATOR]


def readings(engineer: Person, off: float = 0.0) -> list[dict[str, Any]]:
    steps = engineer.get(f"/api/points/{PT}/check").json["steps"]
    return [{"counts": s["counts_number"], "value": s["value_number"] + off} for s in steps]


def ruled(engineer: Person, rule: str) -> None:
    edit = {"name": "testing.rule", "was": "simple acceptance", "text": rule}
    assert engineer.send("POST", "/api/conventions", {"edits": [edit]}).status_code == 200


def test_a_check_with_a_known_instrument_says_what_it_is_worth(engineer: Person) -> None:
    """±0.0044 mA at 12 mA is ±0.1375 mbar of 500; expanded with the rest it is well under a tenth of the tolerance of 2.5."""
    kept(engineer)
    judge = f"/api/points/{PT}/check/judge"
    plain = engineer.send("POST", judge, {"readings": readings(engineer), "instrument": "another"}).json
    assert [step["ratio"] for step in plain["steps"]] == [None] * 9
    told = engineer.send("POST", judge, {"readings": readings(engineer), "instrument": "cal 3"}).json
    middle = told["steps"][2]
    assert middle["decided"] == "passes"
    assert middle["ratio"] > 10
    assert {part["name"] for part in middle["parts"]} == {"instrument", "converter", "display"}
    assert sum(part["part"] for part in middle["parts"]) == pytest.approx(1)
    assert "simple acceptance, tolerance" in told["says"]


def test_an_instrument_that_is_overdue_or_does_not_reach_is_told_before_it_is_used(engineer: Person) -> None:
    kept(engineer, "old", due="2020-02")
    kept(engineer, "short", ranges=[RANGE | {"high": 12}])
    judge = f"/api/points/{PT}/check/judge"
    old = engineer.send("POST", judge, {"readings": [{}] * 9, "instrument": "old"}).json
    assert old["told"] == "old is overdue since 2020-02: nothing measured with it can be signed"
    short = engineer.send("POST", judge, {"readings": [{}] * 9, "instrument": "short"}).json
    assert "short does not reach 16.000 mA: it has 0 to 12 mA" in short["told"]


def test_a_check_is_signed_by_the_rule_of_the_plant_with_its_shares(engineer: Person) -> None:
    kept(engineer)
    ruled(engineer, "guard band")
    seq = engineer.get("/api/plant").json["seq"]
    kept(engineer, "another of no matter here")
    body = {
        "readings": readings(engineer, 2.4), "seq": seq, "name": "Ana Serra", "password": PASSWORD, "instrument": "cal 3",
        "due": "", "inhibited": True,
    }  # fmt: skip
    signed = engineer.send("POST", f"/api/points/{PT}/check/sign", body)
    assert signed.status_code == 200, signed.json
    assert signed.json["verdict"].startswith("failed: largest error 0.480 % of span"), (
        "2.4 lies in the guard band of 2.5"
    )
    record = engineer.get(f"/api/evidence/{signed.json['id']}").json["body"]
    assert (record["serial"], record["due"]) == ("7731", "2999-12"), "those of the instrument, whatever was typed"
    assert {row[-1] for row in record["table"]["rows"]} == {"in the guard band"}
    assert any("expanded uncertainty (k = 2)" in line for line in record["lines"])
    kept(engineer, due="2020-02")
    late = engineer.send("POST", f"/api/points/{PT}/check/sign", body | {"due": "2999-12"})
    assert late.status_code == 409, "its own day counts, not the one that is typed"
