"""Generated requests against every route that the API document lists: none may end in a server error."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import ExitStack
from types import SimpleNamespace

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis import Case
from schemathesis.config import SchemathesisConfig
from sqlalchemy import func, select
from tests.building.database import Database, fresh_database
from tests.building.people import Person, app_on

from canaleta.host.check import LONG
from canaleta.host.cluster import Cluster
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import engine_for
from canaleta.plant.live.commands import awaited
from canaleta.web.app import create_app

FULL = 1000
"""Points beyond which a plant is left: thousands of them make no request another one, only slower."""
EXAMPLES, DEAR_EXAMPLES = (300, 60) if os.environ.get(LONG) else (16, 3)
DEAR = r"/api/program/(sheet|proof|check)"
"""Each of these proves the whole plant's code over every count: seconds of a core."""
pytestmark = pytest.mark.fuzz

# The document needs no database; the requests go to the application of the test below.
_document = create_app(engine_for("postgresql://nobody@127.0.0.1:1/none"), frozenset({"localhost"}))
_asked = SchemathesisConfig()
# Every border of every field, 9,000 requests: half a minute in each worker, only to make them up.
_asked.projects.default.phases.coverage.enabled = bool(os.environ.get(LONG))
_schema = schemathesis.openapi.from_wsgi("/api/openapi.json", _document, config=_asked).exclude(
    path_regex=r"/api/(stream|session)"
)


@_schema.exclude(path_regex=DEAR).parametrize()
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_ends_in_a_server_error(case: Case, signed_in: Person) -> None:
    _held(case, signed_in)


@_schema.include(path_regex=DEAR).parametrize()
@settings(max_examples=DEAR_EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_dear_request_ends_in_a_server_error(case: Case, signed_in: Person) -> None:
    _held(case, signed_in)


def _held(case: Case, signed_in: Person) -> None:
    kwargs = case.as_transport_kwargs(base_url="http://localhost")
    answer = signed_in.client.open(
        case.formatted_path,
        method=case.method,
        query_string=kwargs.get("params"),
        json=kwargs.get("json"),
        headers=signed_in.headers,
    )
    assert answer.status_code < 500, (case.method, case.formatted_path, answer.data)
    if answer.status_code >= 400:
        assert answer.json["title"]


class World:
    """A plant that requests are thrown at, one after the other. One that they have filled is left for a fresh one."""

    def __init__(self, cluster: Cluster) -> None:
        self._cluster = cluster
        self._left = ExitStack()
        self._now: tuple[Database, Person] | None = None

    def enter(self) -> Person:
        if self._now is not None:
            database, person = self._now
            with database.owner.connect() as connection:
                if connection.execute(select(func.count()).select_from(t.point)).scalar_one() <= FULL:
                    return person
            self.leave()
        database = self._left.enter_context(fresh_database(self._cluster, demo=True))
        self._now = database, Person(app_on(database), "engineer")
        return self._now[1]

    def leave(self) -> None:
        self._left.close()
        self._now = None


class _Made:
    """A process that ended well at once."""

    def __init__(self, *_: object, **__: object) -> None:
        pass

    def wait(self) -> int:
        return 0


@pytest.fixture(scope="module")
def world(cluster: Cluster) -> Iterator[World]:
    # No agent runs here: nothing is gained by waiting for one.
    with pytest.MonkeyPatch.context() as patch:
        for room in ("canaleta.web.kit.commands", "canaleta.plant.checks.running"):
            patch.setattr(f"{room}.awaited", lambda engine, command, _: awaited(engine, command, 0.02))
        # What is made apart has tests of its own: here it is asked for a hundred times.
        patch.setattr("canaleta.jobs.file_work.subprocess", SimpleNamespace(Popen=_Made, DEVNULL=None))
        made = World(cluster)
        yield made
        made.leave()


@pytest.fixture
def signed_in(world: World) -> Person:
    return world.enter()
