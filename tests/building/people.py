"""People who ask the API."""

from __future__ import annotations

import gzip
from typing import Any

from flask.testing import FlaskClient
from flask_openapi3.openapi import OpenAPI

from canaleta.plant.people import accounts
from canaleta.web.app import create_app
from canaleta.web.kit.access import CSRF_HEADER
from tests.building.columns import unpacked
from tests.building.database import Database

PASSWORD = "a long enough word"


def app_on(database: Database) -> OpenAPI:
    """The application on a database, with one account of each role."""
    with database.engine.begin() as connection:
        for role in accounts.ROLES:
            accounts.add_account(connection, role, role)
        accounts.set_password(connection, "engineer", PASSWORD)
    return create_app(database.engine, frozenset({"localhost"}), most_streams=4)


class Person:
    """A signed-in browser: sends the session cookie and the CSRF header."""

    def __init__(self, app: OpenAPI, name: str) -> None:
        self.client: FlaskClient = app.test_client()
        with app.extensions["canaleta"].engine.begin() as connection:
            token = accounts.make_link(connection, name)
        answer = self.client.post("/api/session/link", json={"token": token})
        assert answer.status_code == 200, answer.json
        self.headers = {CSRF_HEADER: answer.json["csrf"]}

    def get(self, path: str) -> Any:
        return self.client.get(path)

    def send(self, method: str, path: str, body: Any = None) -> Any:
        return self.client.open(path, method=method, json=body, headers=self.headers)

    def edit(self, point: int, field: str, was: str, text: str, *, apply: bool = True) -> Any:
        edit = {"point": point, "field": field, "was": was, "text": text}
        return self.send("POST", "/api/proposals", {"edits": [edit], "apply": apply})


def list_of(person: Person) -> tuple[list[int], dict[str, list[str]]]:
    """The ids of the points and the columns of the list, as a screen reads them."""
    _, ids, _, columns = unpacked(gzip.decompress(person.get("/api/list").data))
    return ids, columns
