"""The application on a test database, and people with roles who use it."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from flask_openapi3.openapi import OpenAPI
from tests.building.database import Database
from tests.building.people import Person, app_on


@pytest.fixture
def app(database: Database) -> OpenAPI:
    return app_on(database)


@pytest.fixture
def person(app: OpenAPI) -> Callable[[str], Person]:
    return lambda name: Person(app, name)
