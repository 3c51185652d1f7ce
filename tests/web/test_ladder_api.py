"""The ladder: what is signed records its rungs, what stands in the way of the last one, and who may take it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import func, text
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.plant.database import tables as t
from canaleta.plant.people import accounts

PT = 1
"""A pressure of 0 to 500 mbar on 4 to 20 mA; the demo plant says that it was loop-checked, and nobody signed that."""
FREE = 40
Who = Callable[[str], Person]


@pytest.fixture
def person(database: Database) -> Who:
    app = app_on(database)
    with database.engine.begin() as connection:
        for name in ("technician", "administrator"):
            accounts.set_password(connection, name, PASSWORD)
    return lambda name: Person(app, name)


def checked(who: Person, point: int = PT, off: float = 0.0, **more: Any) -> Any:
    """A loop check signed by somebody; off: how far the value is off, in its unit."""
    sheet = who.get(f"/api/points/{point}/check").json
    readings = [
        {"counts": s["counts_number"], "value": s["value_number"] + off, "from_scan": True} for s in sheet["steps"]
    ]
    body = {
        "readings": readings, "seq": sheet["seq"], "name": "Ana Serra", "password": PASSWORD, "instrument": "cal 3",
        "serial": "7731", "due": "2999-12",
    }  # fmt: skip
    return who.send("POST", f"/api/points/{point}/check/sign", body | more)


def ladder(who: Person, point: int = PT) -> Any:
    return who.get(f"/api/points/{point}/ladder").json


def codes(told: Any) -> list[str]:
    return [b["code"] for b in told["blockers"]]


def accept(who: Person, *points: int) -> Any:
    return who.send("POST", "/api/acceptance", {"points": points, "name": "B. Roca", "password": PASSWORD})


def test_a_check_that_passed_records_the_rungs_below_it_as_well(person: Who) -> None:
    engineer = person("engineer")
    assert codes(ladder(engineer)) == ["not checked"], "a status that the list brought is no record"
    number = checked(engineer).json["id"]
    told = ladder(engineer)
    assert [r["rung"] for r in told["rungs"] if r["reached"]] == ["wired", "continuity", "powered", "loop-checked"]
    assert {r["record"] for r in told["rungs"] if r["reached"]} == {number}
    assert told["status"] == "loop-checked"
    assert told["blockers"] == []
    failed = checked(engineer, off=50.0)
    assert failed.json["verdict"].startswith("failed")
    told = ladder(engineer)
    assert told["status"] == "powered"
    assert codes(told) == ["failed"]
    assert next((e["rung"], e["reached"]) for e in told["events"]) == ("loop-checked", False)


def test_what_a_record_proves_is_not_typed_and_not_undone(person: Who) -> None:
    engineer = person("engineer")
    refused = engineer.edit(2, "status", engineer.get("/api/points/2/ladder").json["status"], "accepted")
    assert "follows from what is signed" in str(refused.json)
    for rung in ("loop-checked", "accepted"):
        answer = engineer.send("POST", "/api/ladder", {"points": [2], "rung": rung})
        assert answer.status_code == 422
    checked(engineer)
    assert engineer.send("POST", "/api/undo").status_code == 409, "a signature is no slip of the hand"
    assert ladder(engineer)["status"] == "loop-checked"


def test_rungs_are_marked_by_hand_for_many_points_at_once(person: Who) -> None:
    engineer = person("engineer")
    points = [FREE, FREE + 1, FREE + 2]
    assert (
        engineer.send("POST", "/api/ladder", {"points": points, "rung": "wired", "note": "X1 done"}).json["points"]
        == 3
    )
    assert ladder(engineer, FREE)["status"] == "wired"
    assert ladder(engineer, FREE)["rungs"][0]["how"] == "X1 done"
    no_note = engineer.send("POST", "/api/ladder", {"points": [FREE], "rung": "function-tested"})
    assert no_note.status_code == 422
    back = engineer.send("POST", "/api/ladder", {"points": [FREE], "rung": "wired", "reached": False})
    assert back.status_code == 200
    assert ladder(engineer, FREE)["status"] == ""
    assert person("reader").send("POST", "/api/ladder", {"points": [FREE], "rung": "wired"}).status_code == 403


def test_nothing_is_accepted_with_an_open_a_a_temporary_change_or_a_change_since(person: Who) -> None:
    engineer, technician = person("engineer"), person("technician")
    checked(technician)
    assert accept(technician, PT).status_code == 403, "it takes an engineer"
    item = {"point": PT, "what": "gland is loose", "severity": "A", "owner": "Pau"}
    number = technician.send("POST", "/api/punches", item).json["id"]
    out = {"kind": "jumper", "point": PT, "what": "X1:1 to X1:2"}
    engineer.send("POST", "/api/temporary", out)
    (refused,) = accept(engineer, PT).json["refused"]
    assert [r["code"] for r in refused["reasons"]] == ["open A", "temporary"]
    assert ladder(engineer)["status"] == "loop-checked"
    technician.send("POST", f"/api/punches/{number}/clear", {"how": "tightened"})
    same = technician.send("POST", f"/api/punches/{number}/close", {"how": "looked"})
    assert same.status_code == 409
    assert "another person" in same.json["title"]
    assert engineer.send("POST", f"/api/punches/{number}/close", {"how": "looked"}).json["state"] == "closed"
    (entry,) = engineer.get("/api/temporary").json["open"]
    engineer.send("POST", f"/api/temporary/{entry['id']}/end", {"why": "taken out"})
    engineer.edit(PT, "device_high", "600", "500")
    (refused,) = accept(engineer, PT).json["refused"]
    assert [r["code"] for r in refused["reasons"]] == ["changed since"]
    assert checked(technician).status_code == 200
    (done,) = accept(engineer, PT).json["accepted"]
    assert ladder(engineer)["status"] == "accepted"
    record = engineer.get(f"/api/evidence/{done['record']}").json
    assert (record["kind"], record["name"], record["sound"]) == ("acceptance", "B. Roca", True)


def test_a_plant_may_want_a_second_persons_signature(person: Who) -> None:
    engineer, technician = person("engineer"), person("technician")
    edit = {"name": "testing.signatures", "was": "1", "text": "2"}
    assert engineer.send("POST", "/api/conventions", {"edits": [edit]}).status_code == 200
    number = checked(technician).json["id"]
    (refused,) = accept(engineer, PT).json["refused"]
    assert [r["code"] for r in refused["reasons"]] == ["second signature"]
    sign = {"name": "B. Roca", "password": PASSWORD}
    own = technician.send("POST", f"/api/evidence/{number}/countersign", sign)
    assert own.status_code == 409, "one person is one signature"
    told = engineer.send("POST", f"/api/evidence/{number}/countersign", sign).json
    assert [s["name"] for s in told["signatures"]] == ["B. Roca"]
    assert told["sound"]
    assert len(accept(engineer, PT).json["accepted"]) == 1
    assert engineer.send("POST", f"/api/evidence/{number}/countersign", sign).status_code == 409


def test_a_point_under_test_is_one_persons_until_it_is_signed(person: Who) -> None:
    engineer, technician = person("engineer"), person("technician")
    assert technician.send("PUT", f"/api/points/{PT}/under-test").json["who"] == "technician"
    assert engineer.get(f"/api/points/{PT}/check").json["under_test"] == "technician"
    assert engineer.send("PUT", f"/api/points/{PT}/under-test").status_code == 409
    assert checked(engineer).status_code == 409, "no work twice"
    refused = engineer.edit(PT, "device_high", "600", "500")
    assert "technician has locked this row" in str(refused.json)
    assert accept(engineer, PT).json["refused"][0]["reasons"][0]["code"] == "under test"
    assert checked(technician).status_code == 200
    assert engineer.send("PUT", f"/api/points/{PT}/under-test").json["who"] == "engineer"
    assert engineer.send("DELETE", f"/api/points/{PT}/under-test").json["who"] == ""


def test_how_far_the_plant_has_come_by_area_cabinet_system_and_kind(person: Who) -> None:
    engineer = person("engineer")
    engineer.send("POST", "/api/punches", {"point": PT, "what": "no label", "severity": "B"})
    engineer.send("POST", "/api/punches", {"place": "kiln hall", "what": "lamp out", "severity": "C"})
    before = engineer.get("/api/progress").json
    checked(engineer, FREE) if engineer.get(f"/api/points/{FREE}/check").json["why_not"] == "" else None
    for by in ("area", "cabinet", "system", "kind"):
        told = engineer.get(f"/api/progress?by={by}").json
        assert sum(g["points"] for g in told["groups"]) == told["whole"]["points"] == before["whole"]["points"]
        assert all(sum(g["counts"]) == g["points"] for g in told["groups"])
        assert sum(g["open_b"] for g in told["groups"]) == 1
    assert told["whole"]["open_c"] == 1, "what belongs to no point counts for the whole"
    assert engineer.get("/api/progress?by=colour").status_code == 422


def test_figures_that_look_mistyped_are_asked_about_before_they_are_signed(person: Who) -> None:
    """25 for 250: told, not corrected; whoever signs says that it was read so, and the record says that it was asked."""
    technician = person("technician")
    sheet = technician.get(f"/api/points/{PT}/check").json
    readings = [{"value": s["value_number"]} for s in sheet["steps"]]
    due = readings[2]["value"]
    readings[2]["value"] = due / 10
    body = {
        "readings": readings, "seq": sheet["seq"], "name": "Ana", "password": PASSWORD, "instrument": "cal 3",
        "due": "2999-12",
    }  # fmt: skip
    judged = technician.send("POST", f"/api/points/{PT}/check/judge", {"readings": readings}).json
    assert (judged["doubts"], judged["steps"][2]["doubt"]) == (1, "decimal point")
    path = f"/api/points/{PT}/check/sign"
    asked = technician.send("POST", path, body)
    assert asked.status_code == 409
    assert "decimal point" in asked.json["title"]
    signed = technician.send("POST", path, body | {"doubts_seen": True})
    assert signed.json["verdict"].startswith("failed")
    record = technician.get(f"/api/evidence/{signed.json['id']}").json["body"]
    assert record["readings"][2]["value"] == due / 10
    assert any("asked about and meant" in line for line in record["lines"])


def test_device_and_channel_are_tested_alone_each_with_its_own_tolerance(person: Who) -> None:
    """A transmitter 0.3 % high passes its own 0.5 % and moves no rung: at 12 mA due, 12.048 mA are 0.3 % of 16 mA."""
    technician = person("technician")
    sheet = technician.get(f"/api/points/{PT}/check?test=device").json
    assert sheet["unit"] == "mA"
    readings = [{"signal": s["signal_number"] + 0.048} for s in sheet["steps"]]
    body = {
        "readings": readings, "seq": sheet["seq"], "name": "Ana", "password": PASSWORD, "instrument": "cal 3",
        "due": "2999-12", "test": "device", "phase": "as found",
    }  # fmt: skip
    before = ladder(technician)["status"]
    signed = technician.send("POST", f"/api/points/{PT}/check/sign", body).json
    assert signed["kind"] == "device check"
    assert signed["verdict"].startswith("as found, passed: largest error 0.300 % of span")
    assert ladder(technician)["status"] == before
    assert codes(ladder(technician)) == ["not checked"]
    sheet = technician.get(f"/api/points/{PT}/check?test=channel&runs=3").json
    assert len(sheet["steps"]) == 27
    off = [0.0, 32.0, -32.0]
    readings = [{"counts": s["counts_number"] + off[k // 9], "from_scan": True} for k, s in enumerate(sheet["steps"])]
    judged = technician.send(
        "POST", f"/api/points/{PT}/check/judge", {"readings": readings, "test": "channel", "runs": 3}
    ).json
    assert judged["worst"] == pytest.approx(0.1), "32 counts of 32 000"
    assert judged["repeatability"] == pytest.approx(0.2)


def test_a_point_under_test_is_anybodys_again_after_a_shift(person: Who, database: Database) -> None:
    """A laptop that was shut: its lock holds for twelve hours and no longer."""
    engineer, technician = person("engineer"), person("technician")
    technician.send("PUT", f"/api/points/{PT}/under-test")
    for hours, status in ((11, 409), (13, 200)):
        with database.owner.begin() as connection:
            connection.execute(t.row_lock.update().values(at=func.now() - text(f"interval '{hours} hours'")))
        assert engineer.send("PUT", f"/api/points/{PT}/under-test").status_code == status
    assert technician.get(f"/api/points/{PT}/check").json["under_test"] == "engineer"


def test_a_device_that_was_exchanged_is_not_accepted_on_the_old_ones_check(person: Who) -> None:
    engineer = person("engineer")
    checked(engineer)
    swap = {"serial": "B-2207", "why": "membrane torn", "name": "E", "password": PASSWORD}
    engineer.send("POST", f"/api/points/{PT}/swap", swap)
    (refused,) = accept(engineer, PT).json["refused"]
    assert [r["code"] for r in refused["reasons"]] == ["swapped since"]
    checked(engineer)
    assert len(accept(engineer, PT).json["accepted"]) == 1


def test_a_check_of_a_list_that_a_backup_took_back_is_looked_at_again(person: Who) -> None:
    """Its number is one that this list has not reached: nobody knows what it said."""
    technician = person("technician")
    refused = checked(technician, seq=10**6)
    assert refused.status_code == 409
    assert "was changed while it was checked" in refused.json["title"]


def test_what_the_scan_read_is_no_slip_of_anybodys_hand(person: Who) -> None:
    """A loop that reads a tenth of what is due fails; with a typed calibrator's figure beside it nothing else is asked."""
    technician = person("technician")
    sheet = technician.get(f"/api/points/{PT}/check").json
    readings = [
        {"value": s["value_number"] / 10, "signal": s["signal_number"], "from_scan": True} for s in sheet["steps"]
    ]
    judged = technician.send("POST", f"/api/points/{PT}/check/judge", {"readings": readings}).json
    assert (judged["passes"], judged["doubts"]) == (False, 0)
    readings[2]["signal"] = 1.2
    judged = technician.send("POST", f"/api/points/{PT}/check/judge", {"readings": readings}).json
    assert [step["doubt"] for step in judged["steps"]].count("decimal point") == 1
