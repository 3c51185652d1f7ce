"""Cabinets, hardware, module types, wiring and places through the API."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from xml.etree import ElementTree

import pytest
from tests.building.module_types import FOUR
from tests.building.people import Person, list_of

Who = Callable[[str], Person]
AI8 = {"do": "add module", "rack": 1, "type": "ai8-ui", "place": 0}


def hardware(person: Person, *operations: dict[str, Any], apply: bool = True) -> Any:
    return person.send("POST", "/api/hardware", {"operations": list(operations), "apply": apply})


def point_called(person: Person, tag: str) -> int:
    ids, columns = list_of(person)
    return ids[columns["tag"].index(tag)]


def setting(person: Person, point: int, field: str) -> Any:
    return next(s for s in person.get(f"/api/points/{point}/sheet").json["settings"] if s["field"] == field)


def test_one_cabinet_comes_with_counts_by_class_and_loads(person: Who) -> None:
    """KC-1: 24 analog inputs of which 19 are used; 20 % of them are 5 spares, so none is free."""
    told = person("reader").get("/api/cabinets?cabinet=2").json
    (cabinet,) = told["cabinets"]
    assert [c["name"] for c in told["names"]] == ["KC-2", "KC-1", "SD-1", "GL-1"]
    analog = next(c["count"] for c in cabinet["classes"] if c["name"] == "AI")
    assert (analog["channels"], analog["used"], analog["spare"], analog["free"]) == (24, 19, 5, 0)
    bus = cabinet["racks"][0]["loads"][0]
    assert (bus["ma"], bus["rating_ma"]) == (410.0, 2500.0), "80 + 110 + 110 + 110 mA, a PS-10 gives 2500"
    passive = cabinet["racks"][0]["modules"][0]
    assert (passive["title"], passive["slot"], passive["channels"]) == ("PS-10", 0, [])


def test_who_waits_is_told_and_leaves_the_list_when_it_lands(person: Who) -> None:
    """Five of the demo plant wait; a second claim on a held channel waits as well."""
    engineer = person("engineer")
    before = engineer.get("/api/cabinets?cabinet=1").json
    assert (before["waiting_count"], len(before["waiting"])) == (5, 5)
    point = before["waiting"][0]
    assert engineer.edit(point, "channel", "", "KC-2·1·2·8").status_code == 200
    assert engineer.get("/api/cabinets?cabinet=1").json["waiting_count"] == 4
    assert engineer.edit(point, "channel", "KC-2·1·2·8", "KC-2·1·2·1").status_code == 200
    assert point in engineer.get("/api/cabinets?cabinet=1").json["waiting"]


def test_a_channel_has_all_its_addresses(person: Who) -> None:
    modules = person("reader").get("/api/cabinets?cabinet=1").json["cabinets"][0]["racks"][0]["modules"]
    channel = modules[1]["channels"][0]
    assert (channel["direct"], channel["register_at"]) == ("%IW1.1", "register 1 from 0, 2 from 1, 0x0001, 30002")
    assert modules[0]["channels"][3]["direct"] == "%IX1.0.3"


def test_hardware_is_shown_first_and_changed_then(person: Who) -> None:
    engineer = person("engineer")
    shown = hardware(engineer, AI8, apply=False).json
    assert (shown["applied"], shown["renumbered_count"]) == (False, 24)
    assert shown["renumbered"][0]["becomes"] == "KC-2·1·3·1"
    done = hardware(engineer, AI8).json
    assert done["seq"] == shown["seq"] + 1
    history = engineer.get("/api/history").json["sets"][0]
    assert (history["who"], history["source"]) == ("engineer", "hardware")
    assert any(cell["field"] == "place" for cell in history["cells"])
    assert engineer.send("POST", "/api/undo").status_code == 200


def test_a_technician_lands_points_and_leaves_hardware_alone(person: Who) -> None:
    assert hardware(person("technician"), AI8).status_code == 403


@pytest.mark.parametrize(
    ("operation", "status", "says"),
    [
        ({"do": "explode"}, 422, "not something that can be done"),
        ({"do": "add module", "rack": "first"}, 422, "not understood"),
        ({"do": "remove module", "module": 9999}, 409, "no longer there"),
        ({"do": "put type", "body": {"key": "", "title": "x", "channels": 1}}, 422, "title: it needs one"),
        ({"do": "change", "what": "rack", "id": 1, "field": "host", "text": "kiln"}, 422, "not a network address"),
    ],
)
def test_an_operation_that_cannot_be_done_says_why(
    person: Who, operation: dict[str, Any], status: int, says: str
) -> None:
    answer = hardware(person("engineer"), operation)
    assert (answer.status_code, says in answer.json["title"]) == (status, True), answer.json


def test_types_of_plant_and_catalogue_are_told_apart(person: Who) -> None:
    types = {t["key"]: t for t in person("reader").get("/api/module-types").json["types"]}
    assert types["ai8-ui"]["used"] == 5
    assert types["ai8-ui"]["in_plant"]
    assert (types["ai8-ui"]["body"]["takes_slot"], types["spacer"]["body"]["takes_slot"]) == (True, False)
    assert (types["ps-bus"]["in_plant"], types["ps-bus"]["in_catalogue"]) == (False, True)


def test_a_type_is_previewed_before_it_is_kept(person: Who) -> None:
    """Half of 4–20 mA on 800 … 4000 counts is 2400, 0.6 V over 50 Ω."""
    reader = person("reader")
    told = reader.send("POST", "/api/module-types/preview", {"body": FOUR}).json
    assert told["terminals"][3]["terminals"] == [["7", "plus"], ["8", "minus"]]
    assert told["modes"][0]["rows"][1] == ["50.00 %", "12.000 mA", "0.6000 V", "2\u202f400"]
    wrong = reader.send("POST", "/api/module-types/preview", {"body": FOUR | {"channels": 9}}).json
    assert wrong["says"] == "registers: 9 channels need 9 registers of channel words, not 4"


def test_the_schema_of_types_is_published(person: Who) -> None:
    schema = person("reader").get("/api/module-types/schema").json
    assert schema["$schema"].endswith("2020-12/schema")
    assert {"modes", "registers", "settings", "filters"} <= schema["properties"].keys()


def test_a_filter_is_offered_by_name_and_a_fixed_one_says_why(person: Who) -> None:
    reader = person("reader")
    assert setting(reader, 1, "filter")["choices"][:2] == ["50 Hz", "60 Hz"]
    mains = point_called(reader, "YS-5102")
    assert setting(reader, mains, "filter")["fixed"].startswith("30 ms, set by the hardware")
    assert setting(reader, 8, "mode")["fixed"] == "the hardware takes 24 V DC and nothing else"
    assert setting(reader, 1, "mode")["fixed"] == ""


def test_a_filter_that_the_module_has_not_is_refused_with_those_it_has(person: Who) -> None:
    answer = person("technician").edit(1, "filter", "", "7 s")
    assert answer.status_code == 422
    assert "50 Hz, 60 Hz" in answer.json["title"]


def test_the_wiring_of_a_point_comes_drawn_and_in_words(person: Who) -> None:
    reader = person("reader")
    told = reader.get("/api/points/1/wiring").json
    assert told["closes"]
    assert told["way"][0] == "terminal 1 (24 V out)"
    assert told["safe"] == ["tell kiln operator"]
    picture = reader.get("/api/points/1/wiring.svg")
    assert picture.content_type == "image/svg+xml"
    assert ElementTree.fromstring(picture.data).tag.endswith("svg")
    waits = point_called(reader, "PT-2143")
    assert reader.get(f"/api/points/{waits}/wiring").status_code == 409


def test_cables_tell_their_used_and_spare_cores(person: Who) -> None:
    cables = {c["name"]: c for c in person("reader").get("/api/cables").json["cables"]}
    assert cables["W-JB-21"]["spare"] == 12, "24 cores, twelve roller sections"
    first = cables["W-PT-3107"]["cores"][0]
    assert (first["colour"], first["points"]) == ("white", [1])


def test_places_are_proposed_and_nothing_is_landed(person: Who) -> None:
    reader = person("reader")
    waits = point_called(reader, "TE-1726")
    (place,) = reader.send("POST", "/api/places", {"points": [waits], "cabinets": [4]}).json["places"]
    assert place["address"].startswith("GL-1·2·3·")
    assert place["mode"] == "Pt100, 0.1 °C"
    assert setting(reader, waits, "channel")["text"] == ""


def test_a_landing_tells_the_load_on_its_supply(person: Who) -> None:
    fits = {f["module"]: f for f in person("reader").get("/api/points/4/fits/1").json["fits"]}
    assert fits[2]["supply"] == "its supply: 66 of 250 mA", (
        "three transmitters of KC-2 slot 2 are fed, this one among them"
    )


def test_channel_facts_are_told_at_input(person: Who) -> None:
    facts = {s["title"]: s for s in person("reader").get("/api/points/6/sheet").json["facts"]}
    assert facts["open circuit"]["verdict"] == "up-scale: zone 1 burners go off"
    assert facts["filter"]["rows"][3]["figure"] == "less by 100 dB or more"
    assert facts["addresses"]["verdict"] == "%IW1.10"
