"""Where a signal stops, over the API: register and value look by themselves, the rest is ticked."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

import pytest
from flask_openapi3.openapi import OpenAPI
from tests.building.database import Database
from tests.building.live_blocks import PT, XS, live
from tests.building.people import Person
from tests.building.words import block_of

from canaleta.plant.database.clock import PlantClock

FRESH = datetime.now(UTC) + timedelta(hours=1)
"""So that no slow machine makes a reading stale before it is asked for."""
Who = Callable[[str], Person]


def traced(who: Person, point: int, given: str, *ticks: str) -> dict:
    answer = who.send("POST", f"/api/points/{point}/trace", {"given": given, "ticks": list(ticks)})
    assert answer.status_code == 200, answer.json
    return answer.json


def test_register_and_value_look_by_themselves(person: Who, database: Database) -> None:
    """300 of 0…600 mbar must be count 16 000, and 250 mbar in the list, which shows 0…500. The register holds 4
    000."""
    live(database, block_of([PT], [4000.0], [62.5], read_at=FRESH))
    told = traced(person("technician"), PT, "300 mbar", "seen", "seen")
    ticks = [(s["tick"], s["by_itself"]) for s in told["stages"]]
    assert ticks == [
        ("seen", False),
        ("seen", False),
        ("", False),
        ("not seen", True),
        ("not seen", True),
        ("", False),
    ]
    assert (told["stages"][3]["expected"], told["stages"][3]["reads"]) == ("16\u202f000", "4\u202f000")
    assert told["between"] == [1, 3]
    assert (told["following"], "look at the module lamp" in told["do"]) == (2, True)
    dark = traced(person("technician"), PT, "300 mbar", "seen", "seen", "seen")
    assert "communication, slot or address" in dark["says"]


def test_what_was_read_too_long_ago_is_no_reading(person: Who, database: Database) -> None:
    """A dead agent leaves its last good figures behind; they show nothing of what arrives now."""
    live(database, block_of([PT], [16000.0], [250.0], read_at=datetime.now(UTC) - timedelta(seconds=30)))
    stages = traced(person("technician"), PT, "300 mbar", "seen", "seen")["stages"]
    assert [(s["tick"], s["reads"]) for s in stages[3:5]] == [("not seen", "nothing good is read")] * 2


def test_the_age_of_a_reading_is_told_by_the_database_s_time(app: OpenAPI, person: Who, database: Database) -> None:
    """The database is two hours ahead of the machine that serves: what that machine calls an hour ahead is an hour
    old."""
    app.extensions["canaleta"].clock = PlantClock(lambda: datetime.now(UTC).timestamp() + 7200.0)
    live(database, block_of([PT], [16000.0], [250.0], read_at=datetime.now(UTC) + timedelta(hours=1)))
    stages = traced(person("technician"), PT, "300 mbar", "seen", "seen")["stages"]
    assert stages[3]["reads"] == "nothing good is read"
    path = person("reader").get(f"/api/points/{PT}/path").json
    assert 3500 < path["age_s"] <= 3700
    stale = person("reader").send("POST", "/api/export", {"form": "csv", "fields": ["now"], "points": [PT]})
    assert "stale since" in stale.data.decode("utf-8-sig")


def test_what_arrives_is_told_and_a_person_may_say_otherwise(person: Who, database: Database) -> None:
    live(database, block_of([PT], [16000.0], [250.0], read_at=FRESH))
    told = traced(person("reader"), PT, "300 mbar", "seen", "seen", "seen", "", "", "seen")
    assert told["says"] == "it arrives everywhere"
    other = traced(person("reader"), PT, "300 mbar", "seen", "seen", "seen", "seen", "not seen", "not seen")
    assert other["between"] == [3, 4]


def test_without_a_quantity_nothing_is_judged_by_itself(person: Who, database: Database) -> None:
    live(database, block_of([PT], [16000.0], [250.0], read_at=FRESH))
    told = traced(person("reader"), PT, "")
    assert {s["tick"] for s in told["stages"]} == {""}
    assert told["given"] == "300.0 mbar", "what the count implies"
    wrong = person("reader").send("POST", f"/api/points/{PT}/trace", {"given": "12 parrots"})
    assert wrong.status_code == 422


def test_by_hand_the_value_must_go_the_right_way(person: Who, database: Database) -> None:
    """A push on 0…600 mbar raises it by 2 to 60 %: shown as 0…500 by 10, and at most to where the count stops,
    512."""
    live(database, block_of([PT], [16000.0], [250.0], read_at=FRESH))
    reader = person("reader")
    offers = reader.get(f"/api/points/{PT}/stimuli").json
    assert next((s["name"], s["expected"]) for s in offers["stimuli"]) == ("raise it", "up by 10.0 to 262.0 mbar")
    up = reader.send(
        "POST", f"/api/points/{PT}/stimuli/judge", {"name": "raise it", "before": 250.0, "after": 290.0}
    ).json
    assert up["right"] is True
    down = reader.send(
        "POST", f"/api/points/{PT}/stimuli/judge", {"name": "raise it", "before": 250.0, "after": 210.0}
    ).json
    assert (down["right"], "wrong way" in down["says"]) == (False, True)
    none = reader.send(
        "POST", f"/api/points/{PT}/stimuli/judge", {"name": "raise it", "before": None, "after": 210.0}
    ).json
    assert none["right"] is None
    nobody = reader.send("POST", f"/api/points/{PT}/stimuli/judge", {"name": "kick it", "before": 1.0, "after": 2.0})
    assert nobody.status_code == 422


def test_a_reference_meter_tells_whose_error_it_is(person: Who) -> None:
    """The source is set to 12 mA and gives 12.016: +0.1 % of 16 mA; 12.016 mA is count 16 032, read are 16 128: +0.3
    %."""
    body = {"asked_ma": 12.0, "measured_ma": 12.016, "counts": 16128.0}
    told = person("reader").send("POST", f"/api/points/{PT}/check/split", body).json
    assert (told["source"], told["shunt"]) == (pytest.approx(0.1), None)
    assert told["channel"] == pytest.approx(0.3)
    assert told["says"] == "most of it is the channel's: +0.300 % of span"
    assert person("reader").send("POST", f"/api/points/{XS}/check/split", body).status_code == 409
