"""Live over the API: what faults mean, alarms and their journal, trends, noise, strips, walks, a loop to learn on."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from sqlalchemy import insert
from tests.building.database import Database
from tests.building.live_blocks import PDT, PT, XS, live
from tests.building.people import Person
from tests.building.words import block_of

from canaleta.core.live.alarms import WORDS, Event, State
from canaleta.core.live.trends import Part
from canaleta.core.model.quality import Reason
from canaleta.plant.database import tables as t
from canaleta.plant.live import alarms
from canaleta.plant.live.alarms import AlarmTransition
from canaleta.plant.live.blocks import LiveBlock
from canaleta.plant.live.trends import write_part
from canaleta.plant.live.walking import note_found
from canaleta.web.kit.hub import alarms_event

Who = Callable[[str], Person]


def passing(
    event: Event, was: State, becomes: State, seconds_ago: float = 0.0, kind: str = "h", point: int = PT
) -> AlarmTransition:
    at = datetime.now(UTC) - timedelta(seconds=seconds_ago)
    return AlarmTransition(point, kind, 1, event, was, becomes, "high", at, becomes is State.UNACKNOWLEDGED, 450.0)


def record(database: Database, *passed: AlarmTransition) -> None:
    with database.engine.begin() as connection:
        alarms.record(connection, passed)


def test_every_reason_has_words_and_a_grade(person: Who) -> None:
    words = person("reader").get("/api/live/words").json
    assert {r["bit"] for r in words["reasons"]} == {int(r) for r in Reason}
    assert words["alarm_states"][4:6] == ["latched, unacknowledged", "latched, acknowledged"]


def test_faults_are_told_apart_each_with_its_causes_and_what_to_do(person: Who, database: Database) -> None:
    """A failed loop and one that is out of range differ in words, in causes and in what comes next."""
    reader = person("reader")
    told = []
    for reason in (Reason.FAILED_LOW, Reason.UNDER_RANGE, Reason.CHANNEL_FAULT, Reason.RACK_SILENT, Reason.LATCHED):
        live(database, block_of([PT], [-8000], [-125.0], quality=[2], reasons=[int(reason)]))
        (fault,) = reader.get(f"/api/points/{PT}/advice").json["faults"]
        assert fault["causes"]
        told.append((fault["says"], fault["causes"][0], fault["next"]))
    assert all(len(set(column)) == len(told) for column in zip(*told, strict=True))


def test_the_plant_says_how_bad_a_fault_is(person: Who, database: Database) -> None:
    live(database, block_of([PT], [-8000], [-125.0], quality=[2], reasons=[int(Reason.FAILED_LOW)]))
    engineer = person("engineer")
    assert engineer.get(f"/api/points/{PT}/advice").json["faults"][0]["grade"] == "bad"
    edit = {"name": "fault_grades", "was": "", "text": "failed low or open note"}
    put = engineer.send("POST", "/api/conventions", {"edits": [edit], "apply": True})
    assert put.status_code == 200, put.json
    assert engineer.get(f"/api/points/{PT}/advice").json["faults"][0]["grade"] == "note"


def test_what_the_controller_shows_stands_with_its_difference(person: Who, database: Database) -> None:
    block = block_of([PT], [16000], [250.0])
    live(database, LiveBlock(**(block.__dict__ | {"shown": np.array([300.0])})))
    told = person("reader").get(f"/api/points/{PT}/advice").json
    assert (told["shown"], told["difference"]) == (300.0, 50.0)


def test_open_alarms_the_journal_and_what_chatters_or_stands(person: Who, database: Database) -> None:
    n, u, r = State.NORMAL, State.UNACKNOWLEDGED, State.RETURNED
    record(database, passing(Event.COMES, n, u, 90_000, kind="l"))
    for ago in (50, 30, 10):
        record(database, passing(Event.COMES, n if ago == 50 else r, u, ago), passing(Event.GOES, u, r, ago - 5))
    reader = person("reader")
    told = reader.get("/api/alarms").json
    assert {(a["kind"], a["state"]) for a in told["alarms"]} == {
        ("h", "returned, unacknowledged"),
        ("l", "unacknowledged"),
    }
    assert [(c["kind"], c["times"]) for c in told["chattering"]] == [("h", 3)]
    assert [(s["kind"], s["hours"]) for s in told["standing"]] == [("l", 25.0)]
    lines = reader.get(f"/api/journal?point={PT}").json["lines"]
    assert [line["event"] for line in lines][:2] == ["goes", "comes"]
    record(database, passing(Event.ACKNOWLEDGE, r, n))
    assert {a["kind"] for a in reader.get("/api/alarms").json["alarms"]} == {"l"}


def test_the_journal_comes_in_pages(person: Who, database: Database) -> None:
    rows = [
        {
            "at": datetime.now(UTC),
            "point": PT,
            "kind": "h",
            "event": "comes",
            "was": "normal",
            "becomes": "unacknowledged",
            "value": float(k),
        }
        for k in range(250)
    ]
    with database.engine.begin() as connection:
        connection.execute(insert(t.journal), rows)
    reader = person("reader")
    first = reader.get("/api/journal").json
    assert first["more"]
    second = reader.get(f"/api/journal?before={first['lines'][-1]['id']}").json
    assert [line["value"] for line in first["lines"] + second["lines"]] == [float(k) for k in range(249, -1, -1)]


@pytest.mark.parametrize(
    ("role", "body", "status", "says"),
    [
        ("reader", {"word": "acknowledge", "alarms": [[PT, "h"]]}, 403, "may not"),
        ("technician", {"word": "shelve", "alarms": [[PT, "h"]]}, 422, "takes a reason"),
        ("technician", {"word": "acknowledge", "alarms": [[999_999, "h"]]}, 404, "holds no channel"),
        ("technician", {"word": "silence", "alarms": [[PT, "h"]]}, 422, "not understood"),
    ],
)
def test_what_cannot_be_said_is_refused_in_words(
    person: Who, role: str, body: dict[str, Any], status: int, says: str
) -> None:
    answer = person(role).send("POST", "/api/alarms/say", body)
    assert answer.status_code == status
    assert says in answer.json["title"]


def trend(database: Database, seconds: int = 300) -> float:
    now = time.time()
    times = now - seconds + np.arange(float(seconds))
    random = np.random.default_rng(1)
    value = np.stack([250 + random.normal(0, 2.0, seconds), np.full(seconds, -12.0)], axis=1)
    quality = np.zeros((seconds, 2), np.uint8)
    quality[100:120, 0] = 2
    with database.engine.begin() as connection:
        write_part(connection, 1, Part(np.array([PT, PDT]), times, value * 64, value, quality))
    return now


def test_a_trend_has_gaps_where_there_was_no_good_value(person: Who, database: Database) -> None:
    trend(database)
    told = person("reader").get(f"/api/trends?points={PT},{PDT}&seconds=320").json
    bad, good = (x["mean"] for x in told["trends"])
    assert bad.count(None) == 20
    assert good.count(None) == 0
    assert set(good) == {-12.0}


def test_noise_is_told_in_units_and_counts_with_what_would_help(person: Who, database: Database) -> None:
    """σ = 2 mbar is 128 counts; 0.4 mbar needs white noise cut to a fifth: τ ≈ 12.5 s, so 20 s is the first that is
    enough."""
    trend(database)
    told = person("reader").get(f"/api/points/{PT}/noise?seconds=300&wanted=0.4").json
    assert told["units"]["sigma"] == pytest.approx(2.0, rel=0.12)
    assert told["counts"]["sigma"] == pytest.approx(128.0, rel=0.12)
    assert told["readings"] == pytest.approx(280, abs=2)
    assert "a smoothing of" in told["says"]


def test_a_strip_shows_a_setting_before_it_is_made(person: Who) -> None:
    technician = person("technician")
    body = {"given": [[0, 0], [1.0, 1], [1.18, 0]], "ends_s": 3.0, "cells": {"on_delay": "250"}}
    told = technician.send("POST", f"/api/points/{XS}/strip", body).json
    assert set(told["state"]) == {0}
    told = technician.send("POST", f"/api/points/{XS}/strip", body | {"cells": {"on_delay": "100"}}).json
    assert 1 in told["state"]
    wrong = technician.send("POST", f"/api/points/{XS}/strip", body | {"cells": {"on_delay": "soon"}})
    assert wrong.status_code == 422
    assert technician.get("/api/plant").json["seq"] == 0, "a strip sets nothing"


def test_boards_are_kept_for_oneself_or_for_everybody(person: Who) -> None:
    reader, technician = person("reader"), person("technician")
    assert reader.send("PUT", "/api/boards/mine", {"points": [3, 1]}).status_code == 200
    assert reader.send("PUT", "/api/boards/ours", {"points": [1], "shared": True}).status_code == 403
    assert technician.send("PUT", "/api/boards/kiln 2", {"points": [2], "shared": True}).status_code == 200
    assert [(b["name"], b["points"], b["shared"]) for b in reader.get("/api/boards").json["boards"]] == [
        ("kiln 2", [2], True),
        ("mine", [3, 1], False),
    ]
    assert [b["name"] for b in technician.send("DELETE", "/api/boards/kiln 2").json["boards"]] == []


def test_six_stations_come_with_the_stream(person: Who, database: Database) -> None:
    live(database, block_of([PT, PDT], [16000, 16000], [250.0, 0.0]))
    rack = block_of([PT], [16000], [250.0]).rack
    asked = f"/api/stream?since=0&racks={rack}&stations={PT},{PDT},999999"
    answer = person("reader").client.get(asked, buffered=False)
    told = next(answer.response).decode()
    answer.close()
    line = told[told.index("event: stations\ndata: ") :].splitlines()[1]
    stations = dict(json.loads(line.removeprefix("data: "))["stations"])
    assert stations[PT] == pytest.approx([300.0, 50.0, 12.0, 1.2, 16000.0, 250.0])
    assert set(stations) == {PT, PDT}


def test_a_walk_tells_what_was_found_and_whose_cores_may_be_swapped(person: Who, database: Database) -> None:
    technician = person("technician")
    assert technician.get("/api/walk").json["begins"] == ""
    assert technician.send("PUT", "/api/walk", {"expected": [999_999]}).status_code == 422
    technician.send("PUT", "/api/walk", {"expected": [PT, PDT]})
    begins = datetime.now(UTC)
    plateau = {"signal": 4.0, "sigma": 0.0, "counts": 0.0, "value": 0.0, "begins": 1.0, "ends": 5.0, "readings": 5}
    with database.engine.begin() as connection:
        note_found(connection, PDT, begins + timedelta(seconds=60), "staircase", [plateau] * 9)
        note_found(connection, PT, begins + timedelta(seconds=160), "staircase", [plateau] * 9)
    told = technician.get("/api/walk").json
    assert told["swapped"] == [{"one": PDT, "other": PT}]
    assert [f["takes"] for f in told["found"]] == [False, False]
    assert "PT-3107 was expected and PT-3108 moved" in told["found"][0]["says"]
    assert person("engineer").get("/api/walk").json["others"] == ["technician"]
    assert technician.send("DELETE", "/api/walk").json["begins"] == ""


# A loop to learn on ------------------------------------------------------------------------------------


def test_breaking_the_wire_fails_the_loop_and_raises_its_alarm(person: Who) -> None:
    reader = person("reader")
    healthy = reader.send("POST", "/api/learn", {"loop": "gas pressure", "share": 50}).json
    assert [s["figure"] for s in healthy["stations"]][2] == "12.000"
    assert healthy["quality"] == "good"
    broken = reader.send("POST", "/api/learn", {"share": 50, "faults": [{"kind": "open"}]}).json
    assert broken["quality"] == "bad"
    assert broken["stations"][0]["differs"] is False
    assert broken["stations"][2]["differs"] is True
    assert [a["state"] for a in broken["alarms"]] == ["normal", "unacknowledged"]
    seen = reader.send("POST", "/api/learn", {"share": 50, "alarms": broken["keep"], "word": "acknowledge"}).json
    assert [a["state"] for a in seen["alarms"]] == ["normal", "normal"], "mended and acknowledged"


def test_swapped_leads_of_a_thermocouple_move_the_wrong_way(person: Who) -> None:
    """Warmer is colder."""
    reader = person("reader")

    def shown(share: float) -> float:
        body = {"loop": "kiln thermocouple", "share": share, "faults": [{"kind": "reversed"}]}
        return float(
            reader.send("POST", "/api/learn", body).json["stations"][5]["figure"].replace("−", "-").replace(" ", "")
        )

    assert shown(12.0) < shown(10.0)


def test_the_learning_loop_refuses_what_it_does_not_know(person: Who) -> None:
    answer = person("reader").send("POST", "/api/learn", {"faults": [{"kind": "lightning"}]})
    assert answer.status_code == 422
    assert "lightning" in answer.json["title"]


def told_live(who: Person) -> dict[str, Any]:
    """What is told by rule, beside what records say (tests/web/test_told_api.py)."""
    return {f["rule"]: f for f in who.get("/api/findings/live").json["findings"] if f["rule"] != "R34"}


# What the plant itself tells ---------------------------------------------------------------------------


def test_what_is_held_latched_open_or_noisier_than_its_deadband_is_told(person: Who, database: Database) -> None:
    """R32, R33, R50, and R17: σ of 2 mbar against a deadband of 5 mbar: the plant's six σ are 12."""
    technician = person("technician")
    assert told_live(technician) == {}
    for field, text in (("alarm_h", "400"), ("alarm_h_deadband", "5")):
        assert technician.edit(PT, field, "", text).status_code == 200
    trend(database, 290)
    block = block_of([PT, PDT], [16000, 16000], [250.0, 0.0])
    live(database, LiveBlock(**(block.__dict__ | {"flags": np.array([0, 8], np.uint8)})))
    technician.send("PUT", f"/api/points/{PT}/substitute", {"text": "250"})
    technician.send("POST", "/api/temporary", {"kind": "jumper", "point": XS, "what": "X1:1 to X1:2"})
    told = told_live(technician)
    assert set(told) == {"R17", "R32", "R33", "R50"}
    assert "deadband of alarm H is 5 mbar, and the value trembled by σ 2" in told["R17"]["text"]
    # What was measured is put down as typed, and then the list's own rule tells it.
    sigma = float(told["R17"]["keeps"]["text"])
    assert 1.8 < sigma < 2.2
    assert told["R17"]["keeps"]["field"] == "noise"
    assert technician.edit(PT, "noise", "", "2.5").status_code == 200
    told = told_live(technician)
    assert told["R17"]["keeps"] is None
    assert told["R33"]["point"] == PDT
    assert "jumper, X1:1 to X1:2, by technician" in told["R50"]["text"]


def test_a_deadband_of_more_than_six_sigma_is_wide_enough(person: Who, database: Database) -> None:
    technician = person("technician")
    for field, text in (("alarm_h", "400"), ("alarm_h_deadband", "16")):
        technician.edit(PT, field, "", text)
    trend(database, 290)
    assert told_live(technician) == {}


def test_a_flood_tells_the_most_urgent_and_how_many_there_are(person: Who, database: Database) -> None:
    """1,003 alarms: an old one of high priority that waits comes first, a newer one of low priority that was seen
    last."""
    now = datetime.now(UTC)

    def row(kind: str, point: int, state: State, priority: str, ago: float) -> dict[str, Any]:
        return {
            "point": point,
            "kind": kind,
            "rack": 1,
            "state": WORDS[state],
            "active": True,
            "priority": priority,
            "since": now - timedelta(seconds=ago),
        }

    rows = [row("h", 1000 + k, State.UNACKNOWLEDGED, "medium", 50.0 + k) for k in range(1000)]
    rows += [
        row("hh", 1, State.UNACKNOWLEDGED, "high", 9000.0),
        row("hh", 2, State.RETURNED, "high", 20.0),
        row("l", 3, State.ACKNOWLEDGED, "high", 1.0),
    ]
    with database.engine.begin() as connection:
        connection.execute(insert(t.alarm), rows)
        told = json.loads(alarms_event(connection).split(b"data: ")[1])
    assert (told["all"], told["waiting"], len(told["alarms"])) == (1003, 1002, 1000)
    assert [a["point"] for a in told["alarms"][:3]] == [2, 1, 1000]
    assert 3 not in {a["point"] for a in told["alarms"]}
