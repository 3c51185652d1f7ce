"""Packages taken along and brought back: merged by point and time, each result once, and nothing signed that does not hold."""

from __future__ import annotations

import io
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from pypdf import PdfReader
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.plant.changes import climbing
from canaleta.plant.people import accounts

PT, FT, TE = 1, 3, 6
Who = Callable[[str], Person]


@pytest.fixture
def person(database: Database) -> Who:
    app = app_on(database)
    with database.engine.begin() as connection:
        for name in ("technician", "administrator"):
            accounts.set_password(connection, name, PASSWORD)
    return lambda name: Person(app, name)


def taken(who: Person, *points: int, name: str = "kiln 2, Monday") -> Any:
    made = who.send(
        "PUT", f"/api/packages/{name}", {"points": points, "people": ["technician"], "begins": "2027-03-01"}
    )
    assert made.status_code == 200, made.json
    answer = who.send("POST", f"/api/packages/{name}/away", {})
    assert answer.status_code == 200, answer.json
    return answer.json


def ago(**time: float) -> str:
    return (datetime.now(UTC) - timedelta(**time)).isoformat()


READ = ago(hours=5)
TWO_DAYS = ago(days=2)


def result(away: Any, point: int, *, off: float = 0.0, key: str = "", **more: Any) -> dict[str, Any]:
    """A test as the page that was taken along writes it; off: how far every value is off."""
    one = next(p for p in away["points"] if p["id"] == point)
    readings = [{"value": s["due"] + off, "signal": s["signal_number"]} for s in one["steps"]]
    return {
        "key": key or f"key-of-{point:06}", "point": point, "tag": one["tag"], "read_at": READ, "tester": "Pau Riba",
        "seq": away["seq"], "readings": readings, "instrument": "cal 3", "serial": "7731", "due": "2999-12",
    } | more  # fmt: skip


def brought(who: Person, away: Any, *results: dict[str, Any], **more: Any) -> list[Any]:
    body = {"plant": away["plant"], "package": away["package"], "results": results, "password": PASSWORD} | more
    answer = who.send("POST", "/api/away/bring", body)
    assert answer.status_code == 200, answer.json
    return answer.json["results"]


def test_what_is_taken_along_needs_no_server(person: Who) -> None:
    """At 25 % of 0 to 600 mbar 8 mA are put on and 150 mbar are due; 0.01 mA beside that is 0.375 mbar."""
    away = taken(person("technician"), PT, TE)
    assert (away["format"], away["version"], away["package"]) == ("canaleta away", 1, "kiln 2, Monday")
    one = away["points"][0]
    assert (one["tag"], one["unit"], one["signal_unit"], one["cable"]) == ("PT-3107", "mbar", "mA", "W-PT-3107")
    step = one["steps"][1]
    assert (step["signal_number"], step["due"]) == (8.0, 150.0)
    assert step["per_signal"] == pytest.approx(500 / 16, rel=1e-3), "the list scales 0 to 500 mbar over 16 mA"


def test_the_pages_of_each_point_go_along(person: Who) -> None:
    """What one reads on the path, the wiring and the sheet at a desk: PT-3107, four wires, 8 mA at a quarter."""
    technician = person("technician")
    one, loose = taken(technician, PT, FT)["points"]
    page, wiring = one["page"], technician.get(f"/api/points/{PT}/wiring").json
    assert page["wiring"]["svg"] == wiring["svg"]
    assert [r["healthy"] for r in page["wiring"]["readings"]] == [r["healthy"] for r in wiring["readings"]]
    assert [f["title"] for f in page["facts"]] == [
        f["title"] for f in technician.get(f"/api/points/{PT}/sheet").json["facts"]
    ]
    settings = {one["label"]: (one["text"], one["unit"], one["follows"]) for one in page["settings"]}
    assert settings["tag"] == ("PT-3107", "", False)
    assert any(follows for _, _, follows in settings.values()), "what follows from elsewhere is told too"
    for setting in page["channel_settings"]:
        assert setting["of"] in {"mode", "filter", "open circuit", "enabled"}
        assert "register" in setting["where"] or "coil" in setting["where"]
    assert loose["page"]["facts"]


def test_points_that_were_taken_along_are_nobody_elses(person: Who) -> None:
    technician, engineer = person("technician"), person("engineer")
    taken(technician, PT, FT)
    (told,) = engineer.get("/api/packages").json["packages"]
    assert (told["away"], told["checked"], told["twice"]) == ("technician", 2, [])
    refused = engineer.send("PUT", f"/api/points/{PT}/under-test")
    assert refused.status_code == 409
    assert "package kiln 2, Monday" in refused.json["title"]
    engineer.send("PUT", "/api/packages/again", {"points": [FT]})
    assert engineer.send("POST", "/api/packages/again/away", {}).status_code == 409
    assert [p["twice"] for p in engineer.get("/api/packages").json["packages"]] == [[FT], [FT]]
    assert technician.send("DELETE", "/api/packages/kiln 2, Monday/away").json["away"] == ""
    assert engineer.send("POST", "/api/packages/again/away", {}).status_code == 200


def test_results_are_signed_once_however_often_they_are_brought(person: Who) -> None:
    technician = person("technician")
    away = taken(technician, PT, TE)
    looked = technician.send(
        "POST", "/api/away/look", {"plant": away["plant"], "package": away["package"], "results": [result(away, PT)]}
    ).json
    assert [r["state"] for r in looked["results"]] == ["fresh"]
    assert technician.get(f"/api/points/{PT}/check").json["records"] == [], "looking signs nothing"
    first = brought(technician, away, result(away, PT), result(away, TE))
    assert [r["state"] for r in first] == ["signed", "signed"]
    again = brought(technician, away, result(away, PT), result(away, TE))
    assert [(r["state"], r["code"]) for r in again] == [("again", "again")] * 2
    assert [r["record"] for r in again] == [r["record"] for r in first]
    altered = brought(technician, away, result(away, PT, off=1.0))
    assert altered[0]["code"] == "altered"
    (record,) = technician.get(f"/api/points/{PT}/check").json["records"]
    body = technician.get(f"/api/evidence/{record['id']}").json
    assert (body["name"], body["who"]) == ("Pau Riba", "technician")
    assert any("read away from the network by Pau Riba" in line for line in body["body"]["lines"])
    assert technician.get("/api/packages").json["packages"][0]["away"] == "", "what was brought back is let go"


def test_a_tablet_that_comes_back_after_the_list_changed_signs_nothing_that_no_longer_holds(person: Who) -> None:
    technician, engineer = person("technician"), person("engineer")
    away = taken(technician, PT, TE)
    technician.send("DELETE", f"/api/packages/{away['package']}/away")
    assert engineer.edit(PT, "device_high", "600", "500").status_code == 200
    told = brought(technician, away, result(away, PT), result(away, TE))
    assert [(r["state"], r["code"]) for r in told] == [("waits", "changed"), ("signed", "")]
    (waits,) = technician.get("/api/away/waiting").json["results"]
    assert (waits["tag"], waits["tester"], waits["code"]) == ("PT-3107", "Pau Riba", "changed")
    path = f"/api/away/waiting/{waits['key']}"
    assert technician.send("POST", f"{path}/sign", {"password": PASSWORD}).status_code == 409
    assert technician.send("POST", f"{path}/aside", {"why": "range was wrong"}).status_code == 200
    assert technician.get("/api/away/waiting").json["results"] == []
    assert brought(technician, away, result(away, PT))[0]["says"] == "brought before: laid aside"


def test_what_others_signed_meanwhile_counts_by_when_it_was_read(person: Who) -> None:
    """Read away five hours ago and passed; failed at the cabinet an hour ago: the older one is kept and moves nothing."""
    technician, engineer = person("technician"), person("engineer")
    away = taken(technician, PT)
    technician.send("DELETE", f"/api/packages/{away['package']}/away")
    sheet = engineer.get(f"/api/points/{PT}/check").json
    readings = [{"value": s["value_number"] + 40, "from_scan": True} for s in sheet["steps"]]
    failed = engineer.send(
        "POST",
        f"/api/points/{PT}/check/sign",
        {
            "readings": readings,
            "seq": sheet["seq"],
            "name": "B",
            "password": PASSWORD,
            "instrument": "c",
            "due": "2999",
        }
        | {"due": "2999-01"},
    )
    assert failed.json["verdict"].startswith("failed")
    (told,) = brought(technician, away, result(away, PT))
    assert told["state"] == "signed"
    assert "is newer" in told["since"]
    ladder = engineer.get(f"/api/points/{PT}/ladder").json
    assert ladder["status"] != "loop-checked"
    assert [b["code"] for b in ladder["blockers"]] == ["failed"]


@pytest.mark.parametrize(
    ("more", "code"),
    [
        ({"read_at": "2999-01-01T10:00:00+00:00"}, "clock"),
        ({"read_at": "yesterday at about ten"}, "clock"),
        ({"read_at": "9999-12-31T23:59:59-23:59"}, "clock"),
        ({"due": "2020-01"}, "instrument"),
        ({"instrument": ""}, "instrument"),
        ({"point": 999_999}, "gone"),
        ({"photo": "AAAA"}, "photo"),
        ({"tag": "PT-9999"}, "other point"),
        ({"seq": 2**62}, "changed"),
    ],
)
def test_a_result_that_cannot_be_signed_waits_and_says_why(person: Who, more: dict[str, Any], code: str) -> None:
    technician = person("technician")
    away = taken(technician, PT)
    (told,) = brought(technician, away, result(away, PT) | more)
    assert (told["state"], told["code"]) == ("waits", code)
    assert told["says"]
    assert technician.get(f"/api/points/{PT}/check").json["records"] == []
    assert len(technician.get("/api/away/waiting").json["results"]) == 1


def test_a_figure_in_another_unit_waits_until_somebody_says_that_it_was_read_so(person: Who) -> None:
    technician = person("technician")
    away = taken(technician, PT)
    wrong = result(away, PT)
    wrong["readings"][4]["value"] = 0.6
    (told,) = brought(technician, away, wrong)
    assert (told["state"], told["code"]) == ("waits", "doubt")
    assert "600.0 mbar is due" in told["says"]
    path = f"/api/away/waiting/{told['key']}/sign"
    assert technician.send("POST", path, {"password": PASSWORD}).status_code == 409
    assert technician.send("POST", path, {"password": PASSWORD, "doubts_seen": True}).json["results"][0]["verdict"].startswith("failed")  # fmt: skip


def test_punch_items_and_marks_come_back_as_well_and_once(person: Who) -> None:
    technician = person("technician")
    away = taken(technician, 40)
    item = {"key": "punch-000001", "point": 40, "read_at": READ, "tester": "Pau", "what": "no gland", "severity": "A"}  # fmt: skip
    mark = {"key": "mark-0000001", "point": 40, "read_at": READ, "tester": "Pau", "rung": "wired"}
    for state in ("signed", "again"):
        told = brought(technician, away, punches=[item], marks=[mark])
        assert [r["state"] for r in told] == [state, state]
    assert len(technician.get("/api/punches").json["items"]) == 1
    assert technician.get("/api/points/40/ladder").json["rungs"][0]["reached"]


def test_packages_are_undone_and_go_with_the_project(person: Who) -> None:
    engineer = person("engineer")
    engineer.send("PUT", "/api/packages/a", {"points": [PT, TE], "people": ["Pau"], "begins": "2027-03-01"})
    assert "package a" in engineer.get("/api/history").get_data(as_text=True)
    project = engineer.get("/api/project").json
    assert project["packages"] == [
        {"name": "a", "people": ["Pau"], "begins": "2027-03-01", "ends": "", "points": [PT, TE], "note": ""}
    ]
    bad = {"points": [PT], "begins": "2027-03-02", "ends": "2027-03-01"}
    assert engineer.send("PUT", "/api/packages/b", bad).status_code == 422
    assert engineer.send("PUT", "/api/packages/b", {"points": [999_999]}).status_code == 422
    assert engineer.send("POST", "/api/undo").status_code == 200
    assert engineer.get("/api/packages").json["packages"] == []


def test_a_package_is_printed_a_page_a_point(person: Who) -> None:
    technician = person("technician")
    technician.send("PUT", "/api/packages/a", {"points": [PT, TE, 40], "people": ["Pau"]})
    sheets = technician.get("/api/packages/a/sheets.pdf").data
    pages = PdfReader(io.BytesIO(sheets)).pages
    assert len(pages) == 3
    assert all(len(page.images) >= 1 for page in pages), "each with its code"


def test_a_breakdown_in_the_middle_loses_nothing_and_signs_nothing_twice(
    person: Who, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The server ends between two results of one file; the file is brought again, two days after it was read."""
    technician = person("technician")
    away = taken(technician, PT, FT, TE)
    results = [result(away, p, read_at=TWO_DAYS) for p in (PT, FT, TE)]
    kept, count = climbing.keep_signed, 0

    def breaks(*given: Any) -> Any:
        nonlocal count
        count += 1
        made = kept(*given)
        if count == 2:
            raise KeyboardInterrupt("killed after it was written and before it was committed")
        return made

    monkeypatch.setattr("canaleta.web.checks.away.keep_signed", breaks)
    with pytest.raises(KeyboardInterrupt):
        brought(technician, away, *results)
    monkeypatch.undo()
    assert len(technician.get(f"/api/points/{FT}/check").json["records"]) == 0, "nothing is half written"
    told = brought(technician, away, *results)
    assert [r["state"] for r in told] == ["again", "signed", "signed"]
    for point in (PT, FT, TE):
        assert len(technician.get(f"/api/points/{point}/check").json["records"]) == 1


def test_an_administrator_lets_go_of_what_a_lost_tablet_holds(person: Who) -> None:
    away = taken(person("technician"), PT)
    path = f"/api/packages/{away['package']}/away"
    assert person("engineer").send("DELETE", path).json["away"] == "technician"
    assert person("administrator").send("DELETE", path).json["away"] == ""


def test_what_hinders_one_item_of_a_file_does_not_hinder_the_rest(person: Who) -> None:
    """A mark at a point that somebody else has, an item with a photo that is none: each is told, the rest is taken."""
    technician, engineer = person("technician"), person("engineer")
    away = taken(technician, PT)
    engineer.send("PUT", "/api/points/40/under-test")
    common = {"point": 40, "read_at": READ, "tester": "Pau"}
    mark = common | {"key": "mark-0000002", "rung": "wired"}
    items = [
        common | {"key": f"punch-00000{k}", "what": "no gland", "severity": "B", "photo": p}
        for k, p in enumerate(("AAAA", ""))
    ]
    told = brought(technician, away, punches=items, marks=[mark])
    assert [(r["state"], r["code"]) for r in told] == [("signed", ""), ("signed", ""), ("waits", "held")]
    assert "kept without it" in told[0]["says"]
    engineer.send("DELETE", "/api/points/40/under-test")
    assert [r["state"] for r in brought(technician, away, marks=[mark])] == ["signed"]


def test_a_moment_in_any_iso_form_is_kept_in_one(person: Who) -> None:
    """ISO 8601 has weeks and a form without dashes; what is signed has neither, and the point's page goes on."""
    technician = person("technician")
    away = taken(technician, PT, TE)
    for point, read_at in ((PT, "2026-W40-1T10:00:00Z"), (TE, "20261001T100000Z")):
        (told,) = brought(technician, away, result(away, point, read_at=read_at))
        assert told["state"] == "signed"
        record = technician.get(f"/api/evidence/{told['record']}").json["body"]
        assert record["read_at"].startswith("2026-")
        assert record["read_at"].endswith("T10:00:00+00:00")
        assert technician.get(f"/api/points/{point}/ladder").json["status"] == "loop-checked"


def test_results_of_another_plant_are_none_of_this_one(person: Who) -> None:
    """Its points have the same numbers and are other points."""
    technician = person("technician")
    away = taken(technician, PT)
    for path in ("look", "bring"):
        body = {"plant": "another works", "package": away["package"], "results": [result(away, PT)]}
        refused = technician.send(
            "POST", f"/api/away/{path}", body | ({"password": PASSWORD} if path == "bring" else {})
        )
        assert refused.status_code == 409
        assert "these results are of another works" in refused.json["title"]
    assert technician.get(f"/api/points/{PT}/check").json["records"] == []


def test_what_was_read_of_a_device_that_is_gone_moves_nothing(person: Who) -> None:
    """Read on Monday, the device exchanged on Tuesday, brought back on Wednesday."""
    technician, engineer = person("technician"), person("engineer")
    away = taken(technician, PT)
    technician.send("DELETE", f"/api/packages/{away['package']}/away")
    swap = {"serial": "B-2207", "why": "membrane torn", "name": "E", "password": PASSWORD}
    assert engineer.send("POST", f"/api/points/{PT}/swap", swap).status_code == 200
    (told,) = brought(technician, away, result(away, PT))
    assert told["state"] == "signed"
    assert "is newer" in told["since"]
    ladder = engineer.get(f"/api/points/{PT}/ladder").json
    assert not next(r for r in ladder["rungs"] if r["rung"] == "loop-checked")["reached"]
    assert "swapped since" in [b["code"] for b in ladder["blockers"]]
