"""Prints asked for by the API: made apart, told how far they are, fetched; what cannot be printed is told before."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import pytest
from tests.building.people import Person
from tests.building.waiting import HANGS_S


def printed(person: Person, body: dict[str, Any]) -> tuple[dict[str, Any], bytes]:
    """A print once it is made, and its file."""
    asked = person.send("POST", "/api/prints", body)
    assert asked.status_code == 200, asked.json
    until = time.monotonic() + HANGS_S
    while (job := person.get(f"/api/prints/{asked.json['id']}").json)[
        "state"
    ] == "works" and time.monotonic() < until:
        time.sleep(0.1)
    return job, person.get(f"/api/prints/{job['id']}/file").data


def test_a_document_is_made_of_a_part_and_fetched(person: Callable[[str], Person]) -> None:
    reader = person("reader")
    job, body = printed(reader, {"document": "terminals", "paper": "A3", "part": "cabinet", "name": "KC-2"})
    assert (job["state"], job["says"], job["there"]) == ("done", "", True)
    assert body.startswith(b"%PDF-")
    told = reader.get("/api/prints").json
    assert (told["prints"][0]["document"], told["prints"][0]["who"]) == ("terminals", "reader")
    assert "KC-2" in told["cabinets"]
    assert told["areas"]


@pytest.mark.parametrize("document", ["list", "loops", "records", "labels devices"])
def test_each_way_of_making_one_ends_with_a_file(person: Callable[[str], Person], document: str) -> None:
    job, body = printed(person("technician"), {"document": document, "part": "area", "name": "kiln 2"})
    assert job["state"] == "done", job
    assert body.startswith(b"%PDF-")


def test_what_cannot_be_printed_is_told_before_anything_is_made(person: Callable[[str], Person]) -> None:
    engineer = person("engineer")
    for body, says in (
        ({"document": "list", "part": "area", "name": "the moon"}, "no point belongs to the area “the moon”"),
        ({"document": "labels devices", "stock": {"across": 9}}, "reach to 630"),
    ):
        refused = engineer.send("POST", "/api/prints", body)
        assert refused.status_code == 422
        assert says in refused.json["title"]
    assert engineer.send("POST", "/api/prints", {"document": "novel"}).status_code == 422
    assert engineer.get("/api/prints").json["prints"] == []
    assert engineer.get("/api/prints/77").status_code == 404
