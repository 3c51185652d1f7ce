"""Generated requests against every route that the API document lists: none may end in a server error."""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis import Case
from tests.conftest import fresh_database
from tests.web.conftest import Person, app_on

from canaleta.host.check import LONG
from canaleta.host.cluster import Cluster
from canaleta.plant.database import engine_for
from canaleta.web.app import create_app

EXAMPLES = 300 if os.environ.get(LONG) else 25
pytestmark = pytest.mark.fuzz

# The document needs no database; the requests go to the application of the test below.
_document = create_app(engine_for("postgresql://nobody@127.0.0.1:1/none"), frozenset({"localhost"}))
_schema = schemathesis.openapi.from_wsgi("/api/openapi.json", _document).exclude(path_regex=r"/api/(stream|session)")


@_schema.parametrize()
@settings(max_examples=EXAMPLES, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_request_ends_in_a_server_error(case: Case, signed_in: Person) -> None:
    kwargs = case.as_transport_kwargs(base_url="http://localhost")
    answer = signed_in.client.open(
        case.formatted_path, method=case.method, query_string=kwargs.get("params"), json=kwargs.get("json"),
        headers=signed_in.headers,
    )  # fmt: skip
    assert answer.status_code < 500, (case.method, case.formatted_path, answer.data)
    if answer.status_code >= 400:
        assert answer.json["title"]


@pytest.fixture(scope="module")
def signed_in(cluster: Cluster) -> Iterator[Person]:
    # No agent runs here: nothing is gained by waiting for one.
    with fresh_database(cluster, demo=True) as database, pytest.MonkeyPatch.context() as patch:
        patch.setattr("canaleta.web.asking.WAIT_S", 0.05)
        yield Person(app_on(database), "engineer")
