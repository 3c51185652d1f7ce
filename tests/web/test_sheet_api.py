"""Sheet, what-if with faults, conventions and files through the API."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from typing import Any

import pytest
from tests.building.people import Person

from canaleta.exchange.project import read_project

Who = Callable[[str], Person]
OXYGEN = 16


def test_a_fault_in_the_what_if_tells_what_would_be_read(person: Who) -> None:
    reader = person("reader")
    answer = reader.get("/api/points/4/path?station=PROCESS&text=50&fault=open").json
    assert (answer["quality"], answer["fault"]) == ("bad", "open")
    assert answer["stations"][2]["figure"] == "0.000"
    wrong = reader.get("/api/points/6/path?station=PROCESS&text=500&fault=wrong sensor&amount=TC J").json
    assert wrong["value"] > 600, "type J makes more than type K"
    refused = reader.get("/api/points/4/path?station=PROCESS&text=50&fault=loose")
    assert (refused.status_code, "is not one of" in refused.json["title"]) == (422, True)


def test_the_sheet_shows_only_what_the_kind_needs(person: Who) -> None:
    reader = person("reader")
    by_point = {p: reader.get(f"/api/points/{p}/sheet").json for p in (1, 12, 13, 21, OXYGEN)}
    applies = {p: {s["field"] for s in sheet["settings"] if s["applies"]} for p, sheet in by_point.items()}
    assert "extension" in applies[12]
    assert "extension" not in applies[1] | applies[13]
    assert "lead_ohm" in applies[13]
    assert {f["name"] for f in by_point[12]["faults"]} >= {"wrong extension", "extension reversed", "wrong sensor"}
    loop = next(s for s in by_point[OXYGEN]["facts"] if s["title"] == "loop")
    assert loop["tone"] == "bad", "its own supply and a feeding terminal, or too little voltage"


def test_empty_fields_tell_what_they_follow(person: Who) -> None:
    settings = {s["field"]: s for s in person("reader").get(f"/api/points/{OXYGEN}/sheet").json["settings"]}
    assert (settings["counts_low"]["text"], settings["counts_low"]["derived"]) == ("", "4")
    assert settings["slope"]["derived"] == "1.5625"


def test_what_may_be_typed_into_a_cell_is_offered(person: Who) -> None:
    reader = person("reader")
    channels = reader.get("/api/points/4/offers/channel").json["offers"]
    assert channels
    assert all(offer["says"] for offer in channels)
    modes = {o["text"]: o for o in reader.get("/api/points/4/offers/mode").json["offers"]}
    assert modes["4–20 mA"]["fits"]
    assert not modes["0–10 V"]["fits"], "a current into a voltage input"
    assert reader.get("/api/points/4/offers/service").json == {"offers": []}
    assert reader.get("/api/points/4/offers/colour").status_code == 404


def test_a_changed_kind_is_one_set_and_is_undone(person: Who) -> None:
    engineer = person("engineer")
    done = engineer.edit(4, "signal", "4–20 mA", "0–10 V").json
    assert {c["field"]: c["becomes"] for c in done["cells"]} == {
        "signal": "0–10 V",
        "mode": "0–10 V",
        "counts_low": "",
        "counts_high": "",
    }
    back = engineer.send("POST", "/api/undo").json
    assert {c["field"]: c["becomes"] for c in back["cells"]}["mode"] == "4–20 mA"


def test_every_convention_can_be_read_and_an_engineer_changes_them(person: Who) -> None:
    engineer = person("engineer")
    before = {c["name"]: c for c in engineer.get("/api/conventions").json["conventions"]}
    assert before["thermocouple_colours"]["choices"][0] == "IEC 60584-3"
    body = {"edits": [{"name": "channel_base", "was": "1", "text": "0"}], "apply": False}
    seen = engineer.send("POST", "/api/conventions", body).json
    assert (seen["applied"], seen["renamed"][0]["becomes"]) == (False, "KC-2·1·2·0")
    done = engineer.send("POST", "/api/conventions", body | {"apply": True}).json
    assert (done["applied"], done["seq"]) == (True, 1)
    history = engineer.get("/api/history").json["sets"][0]
    assert history["cells"] == [{"point": 0, "tag": "the plant", "field": "channel_base", "was": "1", "became": "0"}]
    again = engineer.send("POST", "/api/conventions", body | {"apply": True})
    assert (again.status_code, "meanwhile" in again.json["title"]) == (409, True)
    bad = {"edits": [{"name": "mains_hz", "was": "50", "text": "55"}]}
    assert engineer.send("POST", "/api/conventions", bad).status_code == 422


def send_list(person: Person, text: str, *, apply: bool) -> Any:
    return person.client.post(
        "/api/lists",
        headers=person.headers,
        content_type="multipart/form-data",
        data={"file": (io.BytesIO(text.encode()), "list.csv"), "apply": str(apply).lower()},
    )


def test_the_project_file_comes_with_a_name_and_can_be_read(person: Who) -> None:
    answer = person("reader").get("/api/project")
    assert 'filename="vallroja-tileworks.canaleta.json"' in answer.headers["Content-Disposition"]
    assert len(read_project(json.loads(answer.data)).points) == 286
    assert person("reader").get("/api/project/schema").json["title"] == "Project"


@pytest.mark.parametrize(
    ("point", "text", "words"),
    [(21, "acted upon", "car here"), (21, "at rest", "no car"), (24, "acted upon", "closed")],
)
def test_switches_say_their_words(person: Who, point: int, text: str, words: str) -> None:
    stations = person("reader").get(f"/api/points/{point}/path?station=PROCESS&text={text}").json["stations"]
    assert stations[5]["figure"] == words


def test_a_path_that_is_not_in_the_list_is_worked_out(person: Who) -> None:
    """Type K at 350 °C with 24 °C in the cabinet: 14.2931, 13.3334 mV, 3500 tenths."""
    document = {"device": {"signal": "TC K"}, "input": {"module": "tc8", "mode": "TC K, 0.1 °C"}}
    body = {
        "document": document,
        "set": [{"station": "PROCESS", "text": "662 °F"}, {"station": "COUNTS", "text": "32767"}],
    }
    reader = person("reader")
    warm, opened = reader.send("POST", "/api/paths", body).json["answers"]
    assert warm["figures"] == pytest.approx([350, 14.2931, 13.3334, 14.2931, 3500, 350], abs=1e-4)
    assert warm["units"] == ["°C", "mV", "mV", "mV", "", "°C"]
    assert "E_K⁻¹" in warm["working"][4]["figures"]
    assert (opened["quality"], opened["reasons"][0], opened["figures"][0]) == ("bad", "open circuit", None)
    bad = reader.send("POST", "/api/paths", body | {"document": {"device": {"signal": "TC Q"}}})
    assert (bad.status_code, "device.signal" in bad.json["title"]) == (422, True)
    assert "device" in reader.get("/api/paths/schema").json["properties"]


def test_the_status_bit_and_its_mask_stand_at_the_input(person: Who) -> None:
    """The third channel of a module that counts its bits from 1 has bit 3 and mask 4; of one that counts from 0, bit
    0."""
    reader = person("reader")
    for point, bit, mask in ((15, "3", "4, 0x0004, 0000000000000100"), (21, "0", "1, 0x0001, 0000000000000001")):
        facts = reader.get(f"/api/points/{point}/sheet").json["facts"]
        rows = {r["label"]: r["figure"] for s in facts if s["title"] == "status word" for r in s["rows"]}
        assert (rows["bit"], rows["mask"]) == (bit, mask)


def test_modes_that_do_not_fit_are_offered_with_the_reason(person: Who) -> None:
    settings = {s["field"]: s for s in person("reader").get("/api/points/1/sheet").json["settings"]}
    assert set(settings["mode"]["unfit"]) == {"0–10 V"}
    assert settings["mode"]["unfit"]["0–10 V"] == "takes V; 4–20 mA gives mA"


def test_cabinets_come_with_their_modules_in_order_and_who_holds_what(person: Who) -> None:
    cabinet = person("reader").get("/api/cabinets").json["cabinets"][0]
    modules = cabinet["racks"][0]["modules"]
    assert [m["slot"] for m in modules] == list(range(1, 10))
    assert (cabinet["name"], cabinet["count"]["channels"], cabinet["count"]["used"]) == ("KC-2", 152, 90)
    first = modules[1]["channels"][0]
    assert (first["address"], first["terminals"], first["point"]) == ("KC-2·1·2·1", ["1", "2", "3"], 1)
    # Each module begins where the one before it ends: 1 word of bits, 8 + 1 words, 8 + 1 + 1 words …
    assert [m["first_register"] for m in modules[:4]] == [0, 1, 10, 20]


def test_a_point_is_held_against_every_module_of_a_rack(person: Who) -> None:
    reader = person("reader")
    fits = reader.get("/api/points/4/fits/1").json["fits"]
    assert [f["level"] for f in fits][:4] == ["refused", "warns", "refused", "refused"]
    assert fits[0]["reasons"] == ["DI-16 takes V; 4–20 mA gives mA"]
    assert reader.get("/api/points/4/fits/99").status_code == 404
