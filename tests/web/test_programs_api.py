"""Controller code over the API: text with its points, proof piece by piece, a signed sheet, projects that come back, trains tried."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import pytest
from tests.building.people import PASSWORD, Person

from canaleta.web.checks import programs

UNIT = "IO_KC_2"
ZS = "ZS-2207"


@pytest.fixture
def engineer(app: Any) -> Person:
    return Person(app, "engineer")


def text_of(who: Person, unit: str = UNIT) -> Any:
    return who.get(f"/api/program/text?unit={unit}").json


def test_parts_of_the_plant_and_the_rule_for_its_controllers(engineer: Person) -> None:
    told = engineer.get("/api/program").json
    assert {"kind": "cabinet", "name": "KC-2", "unit": UNIT, "points": 90} in told["scopes"]
    assert (told["real"], told["rounding"], told["scan_ms"]) == ("REAL", "half to even", 100.0)


def test_each_line_knows_its_point(engineer: Person) -> None:
    told = text_of(engineer)
    lines = told["text"].splitlines()
    code = next(c for c in told["codes"] if c["tag"] == "PT-3107")
    assert any(lines[n - 1].startswith("PT_3107_Line(") for n in code["lines"])
    assert all("PT_3107" in lines[n - 1] or "PT-3107" in lines[n - 1] for n in code["lines"])
    assert "void IO_KC_2_scan(" in told["header"]
    assert "FUNCTION_BLOCK CT_Check" in told["blocks"]


def test_a_program_of_nothing_is_told(engineer: Person) -> None:
    assert engineer.get("/api/program/text?unit=IO_Nowhere").status_code == 404


def test_points_are_proved_and_signed_only_whole_and_as_they_were_proved(engineer: Person) -> None:
    unit = "Area_stack"
    told = text_of(engineer, unit)
    points = [c["point"] for c in told["codes"]]
    pieces = []
    for point in points:
        answer = engineer.send("POST", "/api/program/proof", {"unit": unit, "points": [point]}).json
        assert [p["wrong"] for p in answer["points"]] == [[]]
        assert answer["points"][0]["words"] >= 2
        pieces.append({"points": answer["points"], "token": answer["token"]})
    body = {"unit": unit, "pieces": pieces, "name": "Ana Serra", "password": PASSWORD}
    assert engineer.send("POST", "/api/program/sheet", body | {"pieces": pieces[1:]}).status_code == 422
    assert engineer.send("POST", "/api/program/sheet", body | {"password": "not hers"}).status_code == 422
    forged = [pieces[0] | {"points": [pieces[0]["points"][0] | {"units": 0.0, "says": "better"}]}, *pieces[1:]]
    assert engineer.send("POST", "/api/program/sheet", body | {"pieces": forged}).status_code == 409
    answer = engineer.send("POST", "/api/program/sheet", body)
    assert (answer.status_code, answer.data[:5]) == (200, b"%PDF-")
    assert b"/ByteRange" in answer.data


def test_what_is_not_as_the_list_says_is_not_signed(engineer: Person, monkeypatch: pytest.MonkeyPatch) -> None:
    unit = "Area_stack"
    points = [c["point"] for c in text_of(engineer, unit)["codes"]]
    honest = programs._proof_out
    monkeypatch.setattr(programs, "_proof_out", lambda p: honest(p).model_copy(update={"wrong": ["value"]}))
    answer = engineer.send("POST", "/api/program/proof", {"unit": unit, "points": points}).json
    pieces = [{"points": answer["points"], "token": answer["token"]}]
    told = engineer.send(
        "POST", "/api/program/sheet", {"unit": unit, "pieces": pieces, "name": "Ana", "password": PASSWORD}
    )
    assert told.status_code == 422
    assert "not as the list says" in told.json["title"]


def test_only_engineers_sign(app: Any) -> None:
    reader = Person(app, "reader")
    body = {"unit": UNIT, "pieces": [], "name": "x", "password": ""}
    assert reader.send("POST", "/api/program/sheet", body).status_code == 403


def test_files_come_as_one(engineer: Person) -> None:
    data = engineer.get(f"/api/program/files?unit={UNIT}").data
    names = set(zipfile.ZipFile(io.BytesIO(data)).namelist())
    assert names == {
        "canaleta_blocks.st",
        f"{UNIT}.st",
        f"{UNIT}_whole.st",
        f"{UNIT}.c",
        f"{UNIT}.h",
        "canaleta.xml",
        "canaleta_fbd.xml",
        "canaleta_ld.xml",
        "parameters.csv",
    }
    assert engineer.get(f"/api/program/files?unit={UNIT}").data == data


def test_a_project_that_comes_back_is_held_against_the_list(engineer: Person) -> None:
    told = text_of(engineer)
    files = [{"name": "a.st", "text": told["text"]}, {"name": "b.st", "text": "\ufeff" + told["blocks"]}]
    assert engineer.send("POST", "/api/program/check", {"files": files}).json == {"findings": [], "units": [UNIT]}
    files[0]["text"] = told["text"].replace("V1 := 500.0", "V1 := 50.0", 1)
    found = engineer.send("POST", "/api/program/check", {"files": files}).json["findings"]
    assert [(f["code"], f["tag"], f["file"]) for f in found] == [("changed", "PT-3107", "a.st")]
    xml = (
        zipfile.ZipFile(io.BytesIO(engineer.get(f"/api/program/files?unit={UNIT}").data))
        .read("canaleta.xml")
        .decode()
    )
    assert (
        engineer.send("POST", "/api/program/check", {"files": [{"name": "p.xml", "text": xml}]}).json["findings"]
        == []
    )


@pytest.mark.parametrize("text", ["<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", "<html></html>", "<project"])
def test_a_document_that_is_no_project_is_told(engineer: Person, text: str) -> None:
    answer = engineer.send("POST", "/api/program/check", {"files": [{"name": "p.xml", "text": text}]})
    assert answer.status_code == 422
    assert answer.json["title"].startswith("p.xml")


def test_what_differs_from_a_text_made_before_and_what_stood_there_by_hand(engineer: Person) -> None:
    told = text_of(engineer)
    mine = (
        told["text"]
        .replace("(* by hand: at the end *)", "(* by hand: at the end *)\nMine := 1;")
        .replace("V1 := 500.0", "V1 := 50.0", 1)
    )
    found = engineer.send("POST", "/api/program/difference", {"unit": UNIT, "text": mine.replace("\n", "\r\n")}).json
    assert found["count"] == 1
    assert found["same"] == len(found["text"].splitlines()) - 1
    assert [line[0] for line in found["lines"]] == ["-", "+"]
    assert "V1 := 500.0" in found["lines"][1]
    assert "Mine := 1;" in found["text"]


def test_a_train_is_tried_on_the_code(engineer: Person) -> None:
    point = next(c["point"] for c in text_of(engineer)["codes"] if c["tag"] == ZS)
    times = [k * 0.05 for k in range(60)]
    given = [[0.0, 0], [0.5, 1], [1.5, 0]]
    answer = engineer.send(
        "POST",
        f"/api/points/{point}/tried-code",
        {"given": given, "times": times, "cells": {"debounce": "300", "on_delay": "", "off_delay": ""}},
    ).json
    state = answer["state"]
    # PNP NC, not reversed: closed is on. It goes over 300 ms after each edge.
    changes = [times[k] for k in range(1, 60) if state[k] != state[k - 1]]
    assert changes == pytest.approx([0.8, 1.8])
    assert any("Debounce := T#300ms" in line for line in answer["lines"])
    assert (
        engineer.send(
            "POST", f"/api/points/{point}/tried-code", {"given": given, "times": times, "cells": {"debounce": "soon"}}
        ).status_code
        == 422
    )


def test_a_point_without_a_channel_says_why_there_is_no_code(engineer: Person) -> None:
    point = next(c["point"] for c in text_of(engineer, "Area_stack")["refused"])
    answer = engineer.send(
        "POST", f"/api/points/{point}/tried-code", {"given": [[0.0, 1.0]], "times": [0.0, 0.1]}
    ).json
    assert answer["refused"] == "it has no channel yet"
