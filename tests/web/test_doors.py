"""Doors: every route declares its right; a reader changes nothing through any of them; strangers stay out."""

from __future__ import annotations

import sys
from collections.abc import Callable

import pytest
from flask_openapi3.openapi import OpenAPI
from pydantic import BaseModel
from tests.building.people import PASSWORD, Person

from canaleta.web.kit.access import RIGHTS, right_of

CHANGES = [
    ("POST", "/api/proposals", {"edits": [{"point": 1, "field": "service", "was": "x", "text": "y"}]}),
    (
        "POST",
        "/api/proposals",
        {"edits": [{"point": 1, "field": "service", "was": "x", "text": "y"}], "apply": False},
    ),
    ("POST", "/api/undo", None),
    ("POST", "/api/redo", None),
    ("PUT", "/api/points/1/injection", {"text": "12"}),
    ("POST", "/api/imports", None),
    ("POST", "/api/imports/text", {"text": "tag\nX"}),
    ("PUT", "/api/imports/1/choices", {}),
    ("POST", "/api/imports/1/apply", None),
    ("DELETE", "/api/imports/1", None),
    ("PUT", "/api/imports/1/mapping", {"name": "x"}),
    ("DELETE", "/api/mappings/x", None),
    ("POST", "/api/conventions", {"edits": [{"name": "mains_hz", "was": "50", "text": "60"}]}),
    ("POST", "/api/hardware", {"operations": [{"do": "add cabinet", "name": "X"}]}),
    ("POST", "/api/racks/1/test", None),
    ("PUT", "/api/racks/1/armed", {"minutes": 5}),
    ("POST", "/api/racks/1/write", {"keys": ["holding registers 1.65535"]}),
    ("POST", "/api/racks/1/stand-in", None),
    ("POST", "/api/running/1", None),
    ("POST", "/api/served/trust", {"fingerprint": "ab" * 32, "trusted": True}),
    ("POST", "/api/served/give", {"points": [45], "why": "so", "minutes": 5}),
    ("POST", "/api/served/give/end", {"ids": [1]}),
    ("POST", "/api/served/map", None),
    ("POST", "/api/served/map/lay", {"points": [1], "first": 0}),
    ("POST", "/api/running/1/numbers", {"keys": ["1 found_low"]}),
    ("POST", "/api/running/keep", {"items": [{"point": 1, "field": "mode", "running": "x"}], "reason": "so"}),
    ("POST", "/api/running/keep/end", {"ids": [1]}),
    ("POST", "/api/points", {"count": 1}),
    ("POST", "/api/points/remove", {"points": [1]}),
    ("PUT", "/api/typicals/x", {"cells": {}}),
    ("DELETE", "/api/typicals/x", None),
    ("POST", "/api/findings/ways", {"keys": ["R07:1"]}),
    ("POST", "/api/waivers", {"keys": ["R07:1"], "reason": "so"}),
    ("POST", "/api/waivers/lift", {"keys": ["R07:1"]}),
    ("PUT", "/api/points/1/lock", {"why": "loop test"}),
    ("DELETE", "/api/points/1/lock", None),
    ("POST", "/api/history/1/revert", {}),
    ("POST", "/api/revisions", {"mark": "A"}),
    ("POST", "/api/revisions/1/signatures", {"meaning": "checked", "password": "x", "name": "xx"}),
    ("POST", "/api/accounts", {"name": "x"}),
    ("PUT", "/api/accounts/x", {"role": "administrator"}),
    ("POST", "/api/accounts/x/link", None),
    ("POST", "/api/alarms/say", {"word": "acknowledge", "alarms": [[1, "h"]]}),
    ("POST", "/api/faults/reset", {"points": [1]}),
    ("POST", "/api/faults/module-reset", {"point": 1}),
    ("POST", "/api/counters/zero", {"points": [1]}),
    ("POST", "/api/temporary", {"kind": "jumper", "point": 1, "what": "X1:1 to X1:2"}),
    ("POST", "/api/temporary/1/end", {}),
    ("POST", "/api/forces/release", {}),
    ("PUT", "/api/points/1/force", {"text": "250"}),
    ("PUT", "/api/points/1/substitute", {"text": "250"}),
    ("PUT", "/api/points/1/output", {"text": "50"}),
    ("PUT", "/api/points/1/wired", {}),
    ("PUT", "/api/instruments/x", {}),
    ("DELETE", "/api/instruments/x", None),
    ("POST", "/api/points/1/trim", {"seq": 0, "name": "x", "captures": []}),
    ("POST", "/api/points/1/trim/back", {}),
    ("POST", "/api/points/1/trim/pair", {}),
    ("POST", "/api/points/1/check/sign", {"seq": 0, "name": "x", "readings": []}),
    ("POST", "/api/points/1/sweep", {"input": 1, "given": [0], "read": [0]}),
    ("PUT", "/api/walk", {}),
    ("DELETE", "/api/walk", None),
    ("PUT", "/api/scripts/x", {"text": "0 s PT-3107 put 12 mA"}),
    ("DELETE", "/api/scripts/x", None),
    ("POST", "/api/scripts/run", {"text": "0 s PT-3107 put 12 mA"}),
    ("POST", "/api/script-runs/1/stop", None),
    ("POST", "/api/script-runs/1/sign", {"name": "x"}),
    ("POST", "/api/finder", {"host": "127.0.0.1"}),
    ("POST", "/api/module-types/try", {"host": "127.0.0.1", "body": {}}),
    ("POST", "/api/racks/1/browse", {}),
    ("PUT", "/api/racks/1/password", {"password": "clay"}),
    ("PUT", "/api/points/1/under-test", None),
    ("DELETE", "/api/points/1/under-test", None),
    ("POST", "/api/evidence/1/countersign", {"name": "x"}),
    ("POST", "/api/ladder", {"points": [1], "rung": "wired"}),
    ("POST", "/api/acceptance", {"points": [1], "name": "x"}),
    ("POST", "/api/dossiers", {"name": "x"}),
    ("POST", "/api/program/sheet", {"unit": "x", "pieces": [], "name": "x"}),
    ("POST", "/api/points/1/swap", {"serial": "1", "why": "x", "name": "x"}),
    ("POST", "/api/punches", {"what": "x", "severity": "A"}),
    ("POST", "/api/punches/1/clear", {"how": "x"}),
    ("POST", "/api/punches/1/close", {}),
    ("POST", "/api/punches/1/open", {"how": "x"}),
    ("PUT", "/api/packages/x", {"points": []}),
    ("DELETE", "/api/packages/x", None),
    ("POST", "/api/packages/x/away", {}),
    ("DELETE", "/api/packages/x/away", None),
    ("POST", "/api/away/bring", {"plant": "x", "package": "x"}),
    ("POST", "/api/away/waiting/abcdefgh/sign", {}),
    ("POST", "/api/away/waiting/abcdefgh/aside", {"why": "x"}),
]


def test_every_route_declares_a_right(app: OpenAPI) -> None:
    for rule in app.url_map.iter_rules():
        assert right_of(app, rule.endpoint) in RIGHTS, f"{rule} declares no right: it would be shut"


def test_no_two_bodies_of_the_api_have_one_name() -> None:
    """The document of the API keeps one of two schemas with one name, and forgets the other."""
    names: dict[str, str] = {}
    for module in [m for name, m in sys.modules.items() if name.startswith("canaleta.web.")]:
        for name, kind in vars(module).items():
            if isinstance(kind, type) and issubclass(kind, BaseModel) and kind.__module__ == module.__name__:
                assert names.setdefault(name, module.__name__) == module.__name__, f"{name} stands twice"


def test_only_sign_in_and_what_holds_no_plant_is_public(app: OpenAPI) -> None:
    public = {str(r) for r in app.url_map.iter_rules() if right_of(app, r.endpoint) == "public"}
    assert public == {"/api/session", "/api/session/link", "/api/openapi.json", "/api/health", "/", "/<path:name>"}


def test_a_reader_changes_nothing_through_any_door(app: OpenAPI, person: Callable[[str], Person]) -> None:
    routes = app.url_map.bind("localhost")
    tried = {(method, str(routes.match(path, method, return_rule=True)[0])) for method, path, _ in CHANGES}
    for rule in app.url_map.iter_rules():
        for method in (rule.methods or set()) - {"GET", "HEAD", "OPTIONS"}:
            own = right_of(app, rule.endpoint) in ("public", "self", "look")
            assert own or (method, str(rule)) in tried, f"{method} {rule} is not in this test"
    reader = person("reader")
    for method, path, body in CHANGES:
        answer = reader.send(method, path, body)
        assert answer.status_code == 403, path
        engineers = (
            "/api/conventions",
            "/api/hardware",
            "/api/racks/1/armed",
            "/api/racks/1/stand-in",
            "/api/revisions",
            "/api/revisions/1/signatures",
            "/api/waivers",
            "/api/waivers/lift",
            "/api/finder",
            "/api/module-types/try",
            "/api/racks/1/browse",
            "/api/racks/1/password",
            "/api/acceptance",
            "/api/running/keep",
            "/api/running/keep/end",
            "/api/served/trust",
            "/api/served/give",
        )
        needed = "administrator" if "accounts" in path else "engineer" if path in engineers else "technician"
        assert needed in answer.json["detail"]


def test_a_technician_may_edit(person: Callable[[str], Person]) -> None:
    assert person("technician").edit(1, "service", "burner gas header pressure", "gas").status_code == 200


@pytest.mark.parametrize("path", ["/api/plant", "/api/list", "/api/findings", "/api/history", "/api/points/1/path",
                                  "/api/points/1/sheet", "/api/stream?since=0", "/api/session"])  # fmt: skip
def test_without_a_session_nothing_is_told(app: OpenAPI, path: str) -> None:
    answer = app.test_client().get(path)
    assert answer.status_code == 401
    assert answer.content_type == "application/problem+json"


def test_a_change_without_the_csrf_header_is_refused(person: Callable[[str], Person]) -> None:
    engineer = person("engineer")
    engineer.headers = {}
    assert engineer.send("POST", "/api/undo").status_code == 403


def test_a_change_from_another_site_is_refused(person: Callable[[str], Person]) -> None:
    engineer = person("engineer")
    engineer.headers["Origin"] = "http://elsewhere.example"
    assert engineer.send("POST", "/api/undo").status_code == 403


def test_a_host_name_that_is_not_ours_is_refused(app: OpenAPI) -> None:
    assert app.test_client().get("/api/health", headers={"Host": "elsewhere.example"}).status_code == 421


def test_sign_in_by_password_and_out_again(app: OpenAPI) -> None:
    client = app.test_client()
    answer = client.post("/api/session", json={"name": "engineer", "password": PASSWORD})
    assert answer.json["role"] == "engineer"
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert client.get("/api/session").status_code == 200
    client.delete("/api/session", headers={"X-Canaleta-Csrf": answer.json["csrf"]})
    assert client.get("/api/session").status_code == 401


def test_wrong_passwords_are_throttled(app: OpenAPI) -> None:
    client = app.test_client()
    codes = [
        client.post("/api/session", json={"name": "engineer", "password": "guess"}).status_code for _ in range(9)
    ]
    assert codes == [401] * 8 + [429]
    assert client.post("/api/session", json={"name": "engineer", "password": PASSWORD}).status_code == 429


def test_a_link_opens_once(app: OpenAPI, person: Callable[[str], Person]) -> None:
    answer = app.test_client().post("/api/session/link", json={"token": "x" * 32})
    assert answer.status_code == 401
    assert "user link" in answer.json["remedy"]


def test_every_answer_carries_the_policy(app: OpenAPI) -> None:
    headers = app.test_client().get("/api/health").headers
    assert "default-src 'self'" in headers["Content-Security-Policy"]
    assert headers["X-Content-Type-Options"] == "nosniff"


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [("POST", "/api/waivers", {"keys": ["R07:\x00"], "reason": "so"}), ("GET", "/api/script-runs?script=%00", None)],
)
def test_a_character_that_no_text_can_hold_is_refused_at_the_door(
    person: Callable[[str], Person], method: str, path: str, body: object
) -> None:
    answer = person("technician").send(method, path, body)
    assert answer.status_code == 422
    assert "character zero" in answer.json["title"]
