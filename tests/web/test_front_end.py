"""The built front end: deep links answer with the page, assets are kept for long, nothing else is served."""

from pathlib import Path

import pytest
from flask.testing import FlaskClient

from canaleta.plant.database.connection import engine_for
from canaleta.web.app import create_app


@pytest.fixture
def client(tmp_path: Path) -> FlaskClient:
    (tmp_path / "assets").mkdir()
    (tmp_path / "index.html").write_text("<div id=app></div>")
    (tmp_path / "assets" / "a.js").write_text("let a")
    (tmp_path / "assets" / "a.js.gz").write_bytes(b"squeezed")
    (tmp_path.parent / "secret.txt").write_text("secret")
    engine = engine_for("postgresql://nobody@127.0.0.1:1/none")
    return create_app(engine, frozenset({"localhost"}), dist=tmp_path).test_client()


@pytest.mark.parametrize("path", ["/", "/list", "/point/7", "/enter"])
def test_every_place_has_an_address(client: FlaskClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code == 200
    assert b"id=app" in answer.data
    assert answer.headers["Cache-Control"] == "no-cache"


def test_assets_are_kept_for_long_and_come_compressed(client: FlaskClient) -> None:
    plain = client.get("/assets/a.js")
    assert plain.data == b"let a"
    assert "immutable" in plain.headers["Cache-Control"]
    small = client.get("/assets/a.js", headers={"Accept-Encoding": "gzip"})
    assert (small.data, small.headers["Content-Encoding"]) == (b"squeezed", "gzip")
    assert "javascript" in small.headers["Content-Type"]


@pytest.mark.parametrize("path", ["/assets/missing.js", "/../secret.txt", "/%2e%2e/secret.txt", "/api/nothing"])
def test_nothing_else_is_served(client: FlaskClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code == 404
    assert b"secret" not in answer.data


def test_a_database_that_is_away_is_a_problem_with_a_remedy(client: FlaskClient) -> None:
    answer = client.get("/api/health")
    assert answer.status_code == 503
    assert answer.json["remedy"]
    assert answer.headers["Retry-After"] == "1"
