"""The API of what is served: certificates, outputs given away, the register map out and back in."""

from __future__ import annotations

import io
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import pytest
from tests.building.database import Database
from tests.building.people import Person

from canaleta.plant.live import serving

ZV, PT, PSL = 45, 1, 8
"""ZV-2151, an output; PT-3107, an input; PSL-3101, a contact."""


@pytest.fixture
def engineer(person: Callable[[str], Person]) -> Person:
    return person("engineer")


def brought(person: Person, name: str, data: bytes) -> Any:
    return person.client.post(
        "/api/served/map",
        data={"file": (io.BytesIO(data), name)},
        headers=person.headers,
        content_type="multipart/form-data",
    )


def test_a_certificate_that_was_shown_is_trusted_and_no_more(engineer: Person, database: Database) -> None:
    mark = "0f" * 32
    with database.engine.begin() as connection:
        assert not serving.note_certificate(connection, mark, "urn:display", datetime(2030, 1, 1, tzinfo=UTC))
    (one,) = engineer.get("/api/served").json["certificates"]
    assert (one["fingerprint"], one["trusted"]) == (mark, False)
    told = engineer.send("POST", "/api/served/trust", {"fingerprint": mark, "trusted": True}).json
    assert [(c["trusted"], c["trusted_by"]) for c in told["certificates"]] == [(True, "engineer")]
    told = engineer.send("POST", "/api/served/trust", {"fingerprint": mark, "trusted": False}).json
    assert [(c["trusted"], c["trusted_by"]) for c in told["certificates"]] == [(False, "")]
    assert engineer.send("POST", "/api/served/trust", {"fingerprint": "00" * 32, "trusted": True}).status_code == 404


def test_of_certificates_that_nobody_trusts_only_the_newest_are_kept(database: Database) -> None:
    """A client that shows a new one each time fills nothing."""
    with database.engine.begin() as connection:
        for k in range(230):
            serving.note_certificate(connection, f"{k:064x}", "urn:odd", datetime(2030, 1, 1, tzinfo=UTC))
        assert len(serving.certificates(connection)) <= 201


def test_an_output_is_given_away_for_a_time_and_an_input_is_not(engineer: Person) -> None:
    for point, says in ((PT, "it is an input"), (277, "holds no channel"), (999_999, "gone")):
        refused = engineer.send("POST", "/api/served/give", {"points": [point], "why": "so", "minutes": 5})
        assert refused.status_code == 409
        assert says in refused.json["title"]
    told = engineer.send("POST", "/api/served/give", {"points": [ZV], "why": "panel 3", "minutes": 5}).json
    (one,) = told["given"]
    assert (one["tag"], one["who"], one["why"]) == ("ZV-2151", "engineer", "panel 3")
    again = engineer.send("POST", "/api/served/give", {"points": [ZV], "why": "panel 4", "minutes": 9}).json
    assert [g["why"] for g in again["given"]] == ["panel 4"], "the older one has ended"
    ended = engineer.send("POST", "/api/served/give/end", {"ids": [again["given"][0]["id"]]}).json
    assert ended["given"] == []


def test_the_map_goes_out_and_comes_back_as_the_same_points(engineer: Person) -> None:
    lay = engineer.send("POST", "/api/served/map/lay", {"points": [PT, PSL], "first": 400, "order": "CDAB"}).json
    assert [(e["tag"], e["becomes"]) for e in lay["edits"]] == [
        ("PT-3107", "holding 400 real CDAB"), ("PSL-3101", "holding 402 uint")
    ]  # fmt: skip
    edits = [{"point": e["point"], "field": e["field"], "was": "", "text": e["becomes"]} for e in lay["edits"]]
    assert engineer.send("POST", "/api/proposals", {"edits": edits, "apply": True}).status_code == 200
    rows = engineer.get("/api/served/map").json["rows"]
    assert [row[0] for row in rows] == ["PT-3107", "PSL-3101"]
    for form, begins in (("csv", b"\xef\xbb\xbf"), ("xlsx", b"PK"), ("json", b"{")):
        file = engineer.get(f"/api/served/map/{form}")
        assert file.data.startswith(begins)
        assert file.headers["Content-Disposition"].endswith(f'.{form}"')
        plan = brought(engineer, f"map.{form}", file.data).json
        assert (plan["edits"], plan["same"], plan["wrong"]) == ([], 2, []), form


def test_a_map_with_doubles_and_a_file_that_is_none_are_told(engineer: Person) -> None:
    told = brought(engineer, "map.csv", b"tag,published at\nPT-3107,holding 1 int\nPT-3107,holding 2 int\n").json
    assert told["edits"] == []
    assert [w["row"] for w in told["wrong"]] == [2, 3]
    for data in (b"", b"PK\x03\x04 no workbook", b'{"values": 3}', b"a,b\n1,2\n"):
        refused = brought(engineer, "map.csv", data)
        assert refused.status_code == 422, data
        assert refused.json["remedy"]


def test_registers_end_at_the_last_one_and_whoever_has_none_is_named(engineer: Person) -> None:
    told = engineer.send("POST", "/api/served/map/lay", {"points": [PT, 2, 3], "first": 65_533}).json
    assert [e["becomes"] for e in told["edits"]] == ["holding 65533 real"]
    assert {w["tag"] for w in told["wrong"]} == {"PT-3108", "FT-3110"}
