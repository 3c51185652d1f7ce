"""A rack that is reached by name, from nothing to a live value: made, looked through, named, landed on, proved."""

from __future__ import annotations

import json
from typing import Any

import pytest
from sqlalchemy import select
from tests.building.at_racks import Ask, at_a_rack, done, landed, made_rack, moved, until
from tests.building.database import Database

from canaleta.plant.database import tables as t
from canaleta.racks import mqtt
from canaleta.standins.server import StandIns

PT, ZV = 1, 45
"""A pressure, and an output of 0…100 %."""


@pytest.mark.parametrize("link", ["OPC UA", pytest.param("MQTT", marks=pytest.mark.long)])
def test_a_value_by_name_goes_the_same_path_as_any_other(
    database: Database, link: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(mqtt, "LISTEN_S", 0.5)

    async def visit(ask: Ask, made: StandIns) -> None:
        rack, module = await made_rack(ask, link)
        top = (await ask("POST", f"/api/racks/{rack}/browse", {})).json
        if link == "OPC UA":
            (slot,) = [one for one in top["names"] if one["title"].startswith("1 ")]
            top = (await ask("POST", f"/api/racks/{rack}/browse", {"below": slot["name"]})).json
        names = [one["name"] for one in top["names"] if not one["leads"]]
        assert len(names) == 8, top
        await done(ask, {"do": "name channels", "module": module, "channel": 0, "names": names})
        await landed(ask, module)
        path = await until(ask, f"/api/points/{PT}/path", lambda p: p["quality"] == "good")
        assert path["value"] is not None
        told = (await ask("POST", f"/api/racks/{rack}/test")).json["says"]
        assert told.startswith("it answers")
        assert "all 8 names" in told
        # What is put on at its terminals comes over as well, and a wire that is off is the rack's own word.
        put = await ask("PUT", f"/api/points/{PT}/injection", {"text": "12 mA"})
        assert put.status_code == 200, put.json
        await until(ask, f"/api/points/{PT}/path", lambda p: p["injected"] and p["quality"] == "good")
        await ask("PUT", f"/api/points/{PT}/injection", {"faults": [{"kind": "open", "amount": ""}]})
        await until(ask, f"/api/points/{PT}/path", lambda p: p["quality"] == "bad")
        held = (
            await ask("POST", f"/api/racks/{rack}/browse", {"below": slot["name"] if link == "OPC UA" else ""})
        ).json
        assert next(one for one in held["names"] if one["name"] == names[0])["held"].endswith("·net·1·1")

    at_a_rack(database, visit)


@pytest.mark.long
def test_an_output_by_name_is_commanded_and_read_back(database: Database) -> None:
    """A valve of 0…100 % on an AO: 37.5 % come back as 37.5 %, and 250 % stop where the module does."""

    async def visit(ask: Ask, made: StandIns) -> None:
        rack, _ = await made_rack(ask, "OPC UA")
        await done(ask, {"do": "add module", "rack": rack, "type": "ao4"})
        module = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"][-1]["modules"][1]
        assert (await ask("POST", f"/api/racks/{rack}/stand-in")).status_code == 200
        (slot,) = [
            n
            for n in (await ask("POST", f"/api/racks/{rack}/browse", {})).json["names"]
            if n["title"].startswith("2 ")
        ]
        top = (await ask("POST", f"/api/racks/{rack}/browse", {"below": slot["name"]})).json["names"]
        await moved(ask, ZV, module["channels"][0]["address"])
        refused = await ask("PUT", f"/api/points/{ZV}/output", {"text": "10"})
        assert refused.status_code == 409
        assert "no name at its rack yet" in refused.json["title"]
        await done(ask, {"do": "name channels", "module": module["module"], "channel": 0, "names": [top[0]["name"]]})
        offered = (await ask("GET", f"/api/points/{ZV}/hold")).json
        assert offered["output"] == ""
        assert "no register" in offered["force"]
        assert (await ask("PUT", f"/api/points/{ZV}/force", {"text": "10"})).status_code == 409
        await until(ask, f"/api/points/{ZV}/path", lambda p: p["quality"] == "good")
        told = (await ask("PUT", f"/api/points/{ZV}/output", {"text": "37.5"})).json
        assert told["agrees"], told
        path = await until(
            ask, f"/api/points/{ZV}/path", lambda p: p["value"] is not None and abs(p["value"] - 37.5) < 0.1
        )
        assert path["quality"] == "good"
        over = (await ask("PUT", f"/api/points/{ZV}/output", {"text": "250"})).json
        assert "clamped" in over["says"]

    at_a_rack(database, visit)


@pytest.mark.long
def test_a_stand_in_has_the_names_of_the_list_and_no_settings(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        rack, module = await made_rack(ask, "MQTT")
        await done(ask, {"do": "name channels", "module": module, "channel": 0, "names": ["kiln/2/nobody", "kiln/2/state#/tt/1"]})  # fmt: skip
        await landed(ask, module)
        await until(ask, f"/api/points/{PT}/path", lambda p: p["quality"] == "good")
        refused = await ask("GET", f"/api/racks/{rack}/compare")
        assert refused.status_code == 409
        assert "no settings" in refused.json["title"]

    at_a_rack(database, visit)


@pytest.mark.long
def test_what_is_said_of_a_rack_by_name_is_kept_refused_told_and_forgotten(database: Database) -> None:
    """One rack, for making one takes a while: what cannot be, its password, what things are called and forgotten."""

    async def visit(ask: Ask, made: StandIns) -> None:
        rack, module = await made_rack(ask, "OPC UA")
        await cannot_be(ask, rack, module)
        await keeps_a_password(database, ask, rack)
        await forgets_what_things_were_called(ask, rack, module)

    at_a_rack(database, visit)


async def cannot_be(ask: Ask, rack: int, module: int) -> None:
    seq = (await ask("GET", "/api/cabinets")).json["seq"]
    for operation, says in (
        ({"do": "name channels", "module": module, "channel": 0, "names": ["TT-101"]}, "no node"),
        ({"do": "name channels", "module": module, "channel": 7, "names": ["i=1", "i=2"]}, "more than the module has"),
        ({"do": "name channels", "module": 1, "channel": 0, "names": ["i=1"]}, "has registers"),
        ({"do": "change", "what": "rack", "id": rack, "field": "security", "text": "TLS"}, "protected by none"),
        ({"do": "change", "what": "rack", "id": rack, "field": "trusted", "text": "abc"}, "no SHA-256"),
        ({"do": "change", "what": "rack", "id": rack, "field": "path", "text": "/a b"}, "no spaces"),
        ({"do": "change", "what": "rack", "id": rack, "field": "link", "text": "Modbus RTU"}, "a real one"),
        ({"do": "call", "module": module, "label": "x" * 41}, "40 characters"),
        ({"do": "call", "module": module, "channel": 9, "remark": "x"}, "no such channel"),
    ):  # fmt: skip
        answer = await ask("POST", "/api/hardware", {"operations": [operation], "apply": True})
        assert answer.status_code in (409, 422), operation
        assert says in answer.json["title"], answer.json
    assert (await ask("GET", "/api/cabinets")).json["seq"] == seq


async def keeps_a_password(database: Database, ask: Ask, rack: int) -> None:
    assert (await ask("GET", f"/api/racks/{rack}/password")).json == {"kept": False}
    assert (await ask("PUT", f"/api/racks/{rack}/password", {"password": "red clay"})).json == {"kept": True}
    assert (await ask("GET", f"/api/racks/{rack}/password")).json == {"kept": True}
    await done(ask, {"do": "change", "what": "rack", "id": rack, "field": "username", "text": "reader"})
    await done(ask, {"do": "change", "what": "rack", "id": rack, "field": "path", "text": "press/3"})
    project = (await ask("GET", "/api/project")).get_data(as_text=True)
    assert "red clay" not in project
    kept = next(r for c in json.loads(project)["cabinets"] for r in c["racks"] if r["name"] == "net")
    assert (kept["link"], kept["username"], kept["path"]) == ("OPC UA", "reader", "/press/3")
    with database.engine.connect() as connection:
        history = " ".join(str(row) for row in connection.execute(select(t.change.c.fields)).all())
    assert "red clay" not in history
    # Its own server lets in who comes without a name: this user it does not know.
    told = (await ask("POST", f"/api/racks/{rack}/test")).json
    assert "does not" in told["says"]
    assert (await ask("PUT", f"/api/racks/{rack}/password", {"password": ""})).json == {"kept": False}


async def forgets_what_things_were_called(ask: Ask, rack: int, module: int) -> None:
    await done(ask, {"do": "name channels", "module": module, "channel": 1, "names": ["ns=2;s=a"]})
    await done(ask, {"do": "call", "module": module, "label": "burners", "comment": "spare in store 3"})
    await done(ask, {"do": "call", "module": module, "channel": 2, "remark": "kept for the second fan"})

    async def now() -> Any:
        racks = (await ask("GET", "/api/cabinets")).json["cabinets"][0]["racks"]
        return next(r for r in racks if r["rack"] == rack)["modules"][0]

    told = await now()
    assert [c["name"] for c in told["channels"][:3]] == ["", "ns=2;s=a", ""]
    assert (told["label"], told["comment"]) == ("burners", "spare in store 3")
    assert told["channels"][2]["remark"] == "kept for the second fan"
    await done(ask, {"do": "change", "what": "rack", "id": rack, "field": "link", "text": "MQTT"})
    told = await now()
    assert [c["name"] for c in told["channels"]] == [""] * 8
    assert told["label"] == "burners"
