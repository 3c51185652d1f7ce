"""Issues: frozen, signed twice, never changed; accounts and sessions managed by who may."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from flask_openapi3.openapi import OpenAPI
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from tests.building.database import Database
from tests.building.people import PASSWORD, Person

from canaleta.plant.people import accounts

Who = Callable[[str], Person]


def put_up(person: Person, mark: str = "A", **more: str) -> Any:
    """With what the demo plant has wrong on purpose left open, unless a test says otherwise."""
    return person.send("POST", "/api/revisions", {"mark": mark, "open_reason": "meant to be wrong"} | more)


def sign(person: Person, number: int, meaning: str, password: str = PASSWORD) -> Any:
    body = {"meaning": meaning, "password": password, "name": "Eva Ferrer", "remark": "seen at the cabinet"}
    return person.send("POST", f"/api/revisions/{number}/signatures", body)


@pytest.fixture
def second(database: Database, app: OpenAPI, person: Who) -> Person:
    with database.engine.begin() as connection:
        accounts.add_account(connection, "second", "engineer")
        accounts.set_password(connection, "second", PASSWORD)
    return Person(app, "second")


def make_bad(person: Person) -> None:
    person.edit(2, "tag", "PT-3108", "PT-3107")


def test_a_revision_is_put_up_checked_by_another_and_issued(person: Who, second: Person) -> None:
    ana = person("engineer")
    told = put_up(ana, note="first issue").json
    one = told["revisions"][0]
    assert (one["mark"], one["state"], one["points"], told["next_mark"]) == ("A", "in check", 286, "B")
    assert sign(ana, one["id"], "issued").json["title"] == "revision A is in check: it is issued once it is checked"
    assert "does not check it" in sign(ana, one["id"], "checked").json["title"]
    assert sign(second, one["id"], "checked").status_code == 200
    told = sign(ana, one["id"], "issued").json
    assert (told["revisions"][0]["state"], told["issued"], told["changed"]) == ("issued", "A", 0)
    signed = told["revisions"][0]["signatures"]
    assert [(s["meaning"], s["who"], s["name"]) for s in signed] == [
        ("checked", "second", "Eva Ferrer"),
        ("issued", "engineer", "Eva Ferrer"),
    ]
    assert len({s["hash"] for s in signed} | {one["hash"]}) == 3
    assert sign(second, one["id"], "withdrawn").status_code == 409, "what is issued never changes"


def test_a_wrong_password_signs_nothing(person: Who, second: Person) -> None:
    number = put_up(person("engineer")).json["revisions"][0]["id"]
    assert sign(second, number, "checked", "not my password").status_code == 422
    assert person("reader").get("/api/revisions").json["revisions"][0]["signatures"] == []


def test_what_is_bad_blocks_an_issue_unless_it_is_said_why(person: Who) -> None:
    ana = person("engineer")
    make_bad(ana)
    blocked = put_up(ana, open_reason="")
    assert blocked.status_code == 409
    assert "4 findings are bad (2 points are called PT-3107" in blocked.json["title"]
    assert (
        put_up(ana, open_reason="renumbered next week").json["revisions"][0]["open_reason"] == "renumbered next week"
    )


def test_what_was_accepted_with_a_reason_blocks_no_issue(person: Who) -> None:
    ana = person("engineer")
    bad = [f["key"] for f in ana.get("/api/findings").json["findings"] if f["severity"] == "bad"]
    assert ana.send("POST", "/api/waivers", {"keys": bad, "reason": "for training"}).status_code == 200
    assert put_up(ana, open_reason="").status_code == 200


def test_one_revision_at_a_time_and_each_mark_once(person: Who) -> None:
    ana = person("engineer")
    number = put_up(ana).json["revisions"][0]["id"]
    assert "is still in check" in put_up(ana, "B").json["title"]
    assert sign(ana, number, "withdrawn").json["revisions"][0]["state"] == "withdrawn"
    assert put_up(ana, "A").status_code == 200, "a mark that was withdrawn is free again"
    assert "already" in put_up(ana, "a").json["title"]


def test_any_two_states_are_compared_in_words(person: Who, second: Person) -> None:
    ana = person("engineer")
    first = put_up(ana).json["revisions"][0]["id"]
    sign(second, first, "checked")
    sign(ana, first, "issued")
    ana.edit(1, "value_high", "500", "600")
    ana.send("POST", "/api/points", {"count": 1, "cells": {"tag": "PT-9001"}})
    ana.send("POST", "/api/points/remove", {"points": [2]})
    ana.send("POST", "/api/conventions", {"edits": [{"name": "mains_hz", "was": "50", "text": "60"}]})
    found = ana.get(f"/api/revisions/{first}/differences").json
    assert (found["was"], found["becomes"]) == ("revision A", "the list now")
    assert [(p["tag"], p["kind"]) for p in found["points"]] == [
        ("PT-3107", "changed"),
        ("PT-9001", "added"),
        ("PT-3108", "removed"),
    ]
    assert found["points"][0]["words"] == ["scaling 0…500 → 0…600 mbar"]
    assert found["others"] == ["rule mains_hz: 50 → 60"]
    assert ana.get("/api/revisions").json["changed"] == 3
    second_one = put_up(ana, "B").json["revisions"][0]["id"]
    between = ana.get(f"/api/revisions/{first}/differences?against={second_one}").json
    assert (between["becomes"], between["points"]) == ("revision B", found["points"])
    assert ana.get("/api/revisions/99/differences").status_code == 404


def test_the_document_is_the_list_as_it_was_signed(person: Who) -> None:
    ana = person("engineer")
    number = put_up(ana).json["revisions"][0]["id"]
    ana.edit(1, "value_high", "500", "600")
    body = person("reader").get(f"/api/revisions/{number}/document").json
    assert body["project"]["points"][0]["value_high"] == "500"
    assert {"conventions", "module_types", "cabinets", "typicals"} <= set(body["project"])
    assert body["findings"]


@pytest.mark.parametrize("table", ["revision", "signature"])
def test_no_role_can_change_what_is_signed(database: Database, person: Who, table: str) -> None:
    number = put_up(person("engineer")).json["revisions"][0]["id"]
    sign(person("engineer"), number, "withdrawn")
    for engine in (database.engine, database.owner):
        with engine.connect() as connection, pytest.raises(DBAPIError):
            connection.execute(text(f"update {table} set hash = 'x'"))


# Accounts ------------------------------------------------------------------------------------------


def test_an_administrator_makes_accounts_and_links_that_let_in_once(person: Who, app: OpenAPI) -> None:
    boss = person("administrator")
    made = boss.send("POST", "/api/accounts", {"name": "pere", "role": "technician"}).json
    token = made["link"].split("#")[1]
    assert next(a for a in made["accounts"] if a["name"] == "pere")["role"] == "technician"
    opened = app.test_client().post("/api/session/link", json={"token": token})
    assert opened.json["account"] == "pere"
    assert app.test_client().post("/api/session/link", json={"token": token}).status_code == 401
    assert boss.send("POST", "/api/accounts", {"name": "pere"}).status_code == 422


def test_a_role_takes_effect_at_once_and_a_shut_account_is_out(person: Who) -> None:
    boss, ana = person("administrator"), person("technician")
    boss.send("PUT", "/api/accounts/technician", {"role": "reader"})
    assert ana.edit(1, "value_high", "500", "600").status_code == 403
    boss.send("PUT", "/api/accounts/technician", {"active": False})
    assert ana.get("/api/plant").status_code == 401
    assert person("engineer").get("/api/accounts").status_code == 403


def test_the_last_administrator_stays(person: Who) -> None:
    boss = person("administrator")
    for body in ({"role": "reader"}, {"active": False}):
        assert boss.send("PUT", "/api/accounts/administrator", body).json["title"] == "this is the last administrator"
    boss.send("POST", "/api/accounts", {"name": "other", "role": "administrator"})
    assert (
        boss.send("PUT", "/api/accounts/administrator", {"active": False}).json["title"] == "nobody shuts himself out"
    )
    assert boss.send("PUT", "/api/accounts/administrator", {"role": "reader"}).status_code == 200


def test_sessions_are_ones_own_and_can_be_ended(person: Who) -> None:
    here, there, boss = person("technician"), person("technician"), person("administrator")
    mine = here.get("/api/sessions").json["sessions"]
    assert [s["mine"] for s in mine].count(True) == 1
    assert {s["account"] for s in mine} == {"technician"}
    other = next(s["key"] for s in mine if not s["mine"])
    assert here.send("DELETE", f"/api/sessions/{other}").status_code == 200
    assert there.get("/api/plant").status_code == 401
    everybody = boss.get("/api/sessions").json["sessions"]
    assert {s["account"] for s in everybody} == {"technician", "administrator"}
    bosses = next(s["key"] for s in everybody if s["mine"])
    assert here.send("DELETE", f"/api/sessions/{bosses}").status_code == 404, (
        "somebody else's is not one's own to end"
    )
