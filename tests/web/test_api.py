"""The API: the list in columns, edits, conflicts, one point unfolded; problems that say what to do."""

from __future__ import annotations

import base64
import gzip
import json
import re
import struct
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from flask_openapi3.openapi import OpenAPI
from tests.building.columns import unpacked
from tests.building.database import Database
from tests.building.people import Person, list_of
from tests.building.words import block_of

from canaleta.core.model.fields import FIELDS, STORED, Kind
from canaleta.plant.live.blocks import write_block
from canaleta.plant.live.leases import take_lease
from canaleta.web.app import create_app
from canaleta.web.kit.columns import packed

Who = Callable[[str], Person]


def test_the_plant_tells_its_fields_in_order(person: Who) -> None:
    plant = person("reader").get("/api/plant").json
    assert [f["name"] for f in plant["fields"]] == [f.name for f in FIELDS]
    assert plant["stations"] == ["PROCESS", "DEVICE", "LOOP", "INPUT", "COUNTS", "VALUE"]
    assert plant["points"] == 286


def test_a_column_of_few_texts_is_told_once_and_of_many_as_it_is() -> None:
    few = [f"kiln {k % 256}" for k in range(301)]
    many = [f"kiln {k}" for k in range(301)]
    ids, racks = list(range(1, 302)), [2] * 301
    data = packed(7, ids, racks, {"area": few, "tag": many}.items())
    assert unpacked(data) == (7, ids, racks, {"area": few, "tag": many})
    (size,) = struct.unpack_from("<I", data)
    head = json.loads(data[4 : 4 + size])
    assert head["columns"][0] == {"name": "area", "texts": [f"kiln {k}" for k in range(256)], "bits": 8}
    letters = sum(map(len, many)) + 300
    assert head["columns"][1] == {"name": "tag", "bytes": letters, "width": 1}
    assert len(data) == 4 + size + 2 * 4 * 301 + 301 + 301 + letters


@pytest.mark.parametrize(("different", "each"), [(1, 0), (2, 8), (3, 4), (4, 4), (5, 2), (16, 2), (17, 1)])
def test_few_texts_take_few_bits_a_row(different: int, each: int) -> None:
    """each: rows a byte holds; 0 where none is needed."""
    texts = [f"kiln {k % different}" for k in range(103)]
    ids = list(range(103))
    data = packed(0, ids, ids, [("area", texts)])
    assert unpacked(data)[3] == {"area": texts}
    (size,) = struct.unpack_from("<I", data)
    assert len(data) - (4 + size + 2 * 4 * 103) == (-(-103 // each) if each else 0)


def test_a_long_text_is_as_long_as_it_is() -> None:
    for length in (255, 256, 70_000):
        texts = ["x" * length, *(str(k) for k in range(300))]
        ids = list(range(len(texts)))
        assert unpacked(packed(0, ids, ids, [("notes", texts)]))[3] == {"notes": texts}


def test_letters_that_a_browser_counts_twice_move_no_row() -> None:
    texts = ["🌡 crown", "", "Öl", *(str(k) for k in range(300))]
    ids = list(range(len(texts)))
    assert unpacked(packed(0, ids, ids, [("service", texts)]))[3] == {"service": texts}
    assert unpacked(packed(0, [], [], [("service", [])])) == (0, [], [], {"service": []})


def test_the_list_comes_in_columns_of_text(person: Who) -> None:
    answer = person("reader").get("/api/list")
    assert unpacked(gzip.decompress(answer.data))[0] == 0
    _, columns = list_of(person("reader"))
    assert {f.name for f in STORED if f.listed} <= set(columns)
    followed = {f.name for f in FIELDS if f.kind is Kind.FOLLOWS}
    assert followed <= set(columns) <= followed | {f.name for f in STORED}
    assert "shunt_ohm" not in columns, "a column without any text is left out"
    row = columns["tag"].index("PT-3111")
    assert columns["value_high"][row] == "10.00"
    assert columns["channel"][row] == "KC-2·1·2·4"
    assert columns["meaning"][row] == "pressure transmitter"
    assert columns["loop"][row] == "P-3111"
    assert columns["direct"][row] == "%IW1.4"


def test_a_browser_keeps_only_the_list_that_it_was_told_of(person: Who, app: OpenAPI) -> None:
    reader = person("reader")
    assert reader.get("/api/list").headers["Cache-Control"] == "no-store"
    digest = app.extensions["canaleta"].snapshots.kept.digest
    assert reader.get(f"/api/list?digest={digest}").headers["Cache-Control"] == "private, max-age=3600"
    engineer = person("engineer")
    ids, columns = list_of(reader)
    was = columns.get("notes", [""] * len(ids))[ids.index(2)]
    for k in range(13):
        assert engineer.edit(2, "notes", str(k - 1) if k else was, str(k)).status_code == 200
    later = reader.get(f"/api/list?digest={digest}")
    assert later.headers["Cache-Control"] == "no-store", "what the page meant is no longer what comes"
    assert unpacked(gzip.decompress(later.data))[0] == 13


def test_the_page_names_what_it_will_ask_for_to_those_who_were_signed_in(
    tmp_path: Path, database: Database, app: OpenAPI
) -> None:
    (tmp_path / "index.html").write_text("<head></head><div id=app></div>")
    front = create_app(database.engine, frozenset({"localhost"}), dist=tmp_path)
    assert b"preload" not in front.test_client().get("/list").data
    reader = Person(front, "reader")
    assert b"preload" not in reader.get("/list").data, "no list was made yet"
    reader.get("/api/list")
    page = reader.get("/list").data.decode()
    asked = re.findall(r'<link rel="preload" as="fetch" crossorigin href="([^"]+)">', page)
    assert asked[:2] == ["/api/session", "/api/plant"]
    assert reader.get(asked[2]).headers["Cache-Control"] == "private, max-age=3600"
    kept = reader.client.get_cookie("canaleta-80")
    assert kept
    reader.send("DELETE", "/api/session")
    reader.client.set_cookie("canaleta-80", kept.value)
    assert b"preload" not in reader.get("/list").data, "a browser would keep the refusals for after the sign-in"


def test_an_edit_answers_with_what_it_did(person: Who) -> None:
    done = person("engineer").edit(1, "value_high", "500", "600").json
    assert done["applied"]
    assert done["cells"] == [{"point": 1, "field": "value_high", "was": "500", "becomes": "600"}]
    assert done["moved"] == [{"point": 1, "at": "12 mA", "was": "250.0 mbar", "becomes": "300.0 mbar"}]
    assert done["closed"] == ["R07:1"]


def test_a_preview_applies_nothing(person: Who) -> None:
    engineer = person("engineer")
    assert engineer.edit(1, "value_high", "500", "600", apply=False).json["applied"] is False
    assert engineer.get("/api/history").json["sets"] == []


def test_an_unreadable_cell_is_named_with_what_was_typed(person: Who) -> None:
    answer = person("engineer").edit(1, "value_high", "500", "five hundred")
    assert answer.status_code == 422
    (cell,) = answer.json["cells"]
    assert (cell["point"], cell["field"], cell["typed"]) == (1, "value_high", "five hundred")
    assert "five hundred" in cell["says"]
    assert "nothing was changed" in answer.json["detail"]


def test_a_conflict_shows_theirs_and_who(person: Who) -> None:
    person("technician").edit(1, "value_high", "500", "600")
    answer = person("engineer").edit(1, "value_high", "500", "650")
    assert answer.status_code == 409
    assert answer.json["cells"][0]["theirs"] == "600"
    assert "technician" in answer.json["cells"][0]["says"]


def test_undo_and_history(person: Who) -> None:
    engineer = person("engineer")
    engineer.edit(1, "value_high", "500", "600")
    assert engineer.send("POST", "/api/undo").json["cells"][0]["becomes"] == "500"
    assert engineer.send("POST", "/api/undo").status_code == 409
    sets = engineer.get("/api/history?point=1").json["sets"]
    assert [(s["seq"], s["who"], s["source"], s["undoes"]) for s in sets] == [
        (2, "engineer", "undo", 1),
        (1, "engineer", "typed", None),
    ]


def test_a_point_unfolds_from_any_station(person: Who) -> None:
    reader = person("reader")
    path = reader.get("/api/points/1/path?station=LOOP&text=9").json
    assert [s["figure"] for s in path["stations"]] == ["187.5", "31.25", "9.000", "0.9000", "10\u202f000", "156.3"]
    assert [s["given"] for s in path["stations"]].index(True) == 2
    refused = reader.get("/api/points/1/path?station=COUNTS&text=1.5")
    assert refused.status_code == 422
    assert "whole" in refused.json["title"]
    assert reader.get("/api/points/999/path").status_code == 404


def test_check_points_mark_where_the_list_is_wrong(person: Who) -> None:
    rows = person("reader").get("/api/points/1/sheet").json["check_points"]
    half = next(r for r in rows if r["label"] == "50")
    assert (half["shows"], half["true"], half["wrong"], half["hex"]) == ("250.0", "300.0", True, "0x3E80")
    assert rows[0]["wrong"] is False
    high = next(r for r in rows if r["label"] == "21.0 mA")
    assert high["reasons"] == ["at or above 20.38 mA, cannot tell"]


def live_block(database: Database) -> None:
    with database.engine.begin() as connection:
        epoch = take_lease(connection, 1, "test") or 0
        block = block_of(
            [1, 2], [16000.0, np.nan], [250.0, np.nan], quality=[0, 3], injected=[1, 0], scan=5, epoch=epoch
        )
        assert write_block(connection, block, "test")


def test_live_is_the_newest_reading_with_its_age(person: Who, database: Database) -> None:
    reader = person("reader")
    assert reader.get("/api/points/1/path").json["reasons"] == ["no reading yet"]
    live_block(database)
    path = reader.get("/api/points/1/path").json
    assert path["stations"][5]["figure"] == "250.0"
    assert path["source"] == "injected"
    assert 0 <= path["age_s"] < 5


def events(body: Iterator[bytes], count: int) -> list[tuple[str, Any]]:
    out: list[tuple[str, Any]] = []
    text = ""
    while len(out) < count:
        text += next(body).decode()
        *whole, text = text.split("\n\n")
        for part in whole:
            lines = dict(line.split(": ", 1) for line in part.split("\n"))
            out.append((lines["event"], json.loads(lines["data"])))
    return out


def test_the_stream_replays_what_was_missed_then_tells_news(person: Who, database: Database) -> None:
    engineer = person("engineer")
    engineer.edit(1, "service", "burner gas header pressure", "gas")
    live_block(database)
    answer = engineer.client.get("/api/stream?since=0&racks=1", buffered=False)
    body = iter(answer.response)
    (hello, change, locks, alarms, temporary, room, standby, live) = events(body, 8)
    assert (hello[0], change[0], locks[0], live[0]) == ("hello", "change", "locks", "live")
    assert (alarms[1]["alarms"], temporary[1]["open"], room[1]["says"]) == ([], [], "")
    assert standby == ("standby", {"state": "none", "says": "", "remedy": ""})
    assert change[1]["cells"] == [[1, "service", "gas"]]
    assert np.frombuffer(base64.b64decode(live[1]["counts"]))[0] == 16000.0
    engineer.edit(1, "value_high", "500", "600")
    news = next(data for name, data in iter(lambda: events(body, 1)[0], None) if name == "change")
    assert news["seq"] == 2
    assert news["closed"] == ["R07:1"]
    answer.close()


def test_what_one_changed_oneself_is_told_as_everybody_is_told_of_it(person: Who) -> None:
    """Cells with what follows from them, where the point is read now, findings, points that come and go: word for
    word."""
    engineer = person("engineer")
    answer = engineer.client.get("/api/stream?since=0&racks=", buffered=False)
    body = iter(answer.response)
    first = "KC-2·1·2·1"
    done = [
        engineer.edit(1, "channel", first, ""),
        engineer.edit(1, "channel", "", first),
        engineer.send("POST", "/api/points", {"count": 1, "cells": {"tag": "X-1"}}),
        engineer.send("POST", "/api/undo"),
    ]
    heard: list[Any] = []
    while len(heard) < len(done):
        heard += [data for name, data in events(body, 1) if name == "change"]
    assert [one.json["change"] for one in done] == heard
    assert heard[0]["racks"] == [[1, 0]]
    assert heard[1]["racks"] == [[1, 1]]
    assert heard[2]["added"][0]["cells"]["tag"] == "X-1"
    assert heard[3]["removed"] == [heard[2]["added"][0]["id"]]
    assert engineer.edit(1, "channel", first, first).json["change"] is None, "nothing changed"
    answer.close()


def test_a_browser_that_missed_too_much_is_told_to_reload(person: Who) -> None:
    answer = person("reader").client.get("/api/stream?since=99", buffered=False)
    assert [name for name, _ in events(iter(answer.response), 2)] == ["hello", "reload"]
    answer.close()


def test_streams_have_a_limit_and_say_so(person: Who) -> None:
    reader = person("reader")
    held = [reader.client.get("/api/stream?since=0", buffered=False) for _ in range(4)]
    assert reader.get("/api/stream?since=0").status_code == 503
    for answer in held:
        answer.close()


def test_injection_without_an_agent_says_that_nobody_took_it(person: Who, monkeypatch: Any) -> None:
    monkeypatch.setattr("canaleta.web.kit.commands.WAIT_S", 0.1)
    answer = person("engineer").send("PUT", "/api/points/1/injection", {"text": "12 mA"})
    assert answer.status_code == 409
    assert "no agent" in answer.json["title"]


def test_a_request_that_does_not_fit_is_a_problem_that_names_the_field(person: Who) -> None:
    answer = person("engineer").send("POST", "/api/proposals", {"edits": "all"})
    assert answer.status_code == 422
    assert answer.json["detail"].startswith("edits")


def test_an_unknown_address_is_a_problem_not_a_page(app: OpenAPI) -> None:
    assert app.test_client().get("/api/nothing").status_code == 404
