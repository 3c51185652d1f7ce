"""A plant checked by eight people in one go: no point twice, nothing signed that is wrong, nothing accepted that failed."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from tests.building.database import Database
from tests.building.people import PASSWORD, Person, app_on

from canaleta.plant.people import accounts

PEOPLE = 8
POINTS = 260


@pytest.mark.long
def test_eight_people_check_a_plant_with_devices_that_are_wrong_on_purpose(database: Database) -> None:
    """Every seventh device is 2 % of span off; two people try every point, one of them gets it; what is wrong fails, and
    fails to be accepted."""
    app = app_on(database)
    with database.engine.begin() as connection:
        for k in range(PEOPLE):
            accounts.add_account(connection, f"hand-{k}", "technician")
            accounts.set_password(connection, f"hand-{k}", PASSWORD)
    hands = [Person(app, f"hand-{k}") for k in range(PEOPLE)]
    ids = Person(app, "reader").get("/api/project").json["points"]
    points = [p for p in range(1, len(ids) + 1) if hands[0].get(f"/api/points/{p}/check").json["why_not"] == ""][
        :POINTS
    ]
    assert len(points) == POINTS
    wrong = {point for point in points if point % 7 == 0}

    def goes_through(k: int) -> list[tuple[int, int]]:
        """Every point of one's own share and of the neighbour's: each point is tried by two."""
        mine = [p for n, p in enumerate(points) if n % PEOPLE in (k, (k + 1) % PEOPLE)]
        return [(p, check(hands[k], p)) for p in mine]

    def check(who: Person, point: int) -> int:
        if who.send("PUT", f"/api/points/{point}/under-test").status_code != 200:
            return 0
        sheet = who.get(f"/api/points/{point}/check").json
        if sheet["records"]:
            who.send("DELETE", f"/api/points/{point}/under-test")
            return 0
        readings = [read(sheet, step, point) for step in sheet["steps"]]
        body = {
            "readings": readings, "seq": sheet["seq"], "name": who_is(who), "password": PASSWORD, "instrument": "cal",
            "due": "2999-12", "inhibited": True,
        }  # fmt: skip
        answer = who.send("POST", f"/api/points/{point}/check/sign", body)
        assert answer.status_code == 200, answer.json
        return int(answer.json["id"])

    def read(sheet: Any, step: Any, point: int) -> dict[str, Any]:
        value = step["value_number"]
        if point in wrong:
            span = max(s["value_number"] for s in sheet["steps"]) - min(s["value_number"] for s in sheet["steps"])
            value = 1.0 - value if sheet["contact"] else value + 0.02 * span
        return {"value": value, "counts": step["counts_number"], "from_scan": True}

    with ThreadPoolExecutor(PEOPLE) as pool:
        signed = [pair for done in pool.map(goes_through, range(PEOPLE)) for pair in done if pair[1]]
    assert sorted(p for p, _ in signed) == points, "each once, none left out"
    engineer = Person(app, "engineer")
    told = {r["point"]: r["passes"] for r in all_records(engineer)}
    assert {p for p, passed in told.items() if not passed} == wrong
    out = engineer.send("POST", "/api/acceptance", {"points": points, "name": "E", "password": PASSWORD}).json
    assert {r["point"] for r in out["refused"]} == wrong
    assert {code["code"] for r in out["refused"] for code in r["reasons"]} == {"failed"}
    assert len(out["accepted"]) == POINTS - len(wrong)
    whole = engineer.get("/api/progress").json["whole"]
    assert whole["counts"][-1] == POINTS - len(wrong)


def who_is(who: Person) -> str:
    return str(who.get("/api/session").json["account"])


def all_records(who: Person) -> list[Any]:
    out: list[Any] = []
    after = 0
    while True:
        page = who.get(f"/api/records?kind=loop check&after={after}").json["records"]
        if not page:
            return out
        out += page
        after = page[-1]["id"]
