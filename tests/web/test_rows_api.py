"""New points, series, typicals, locks, views, presence and history by the API."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any

from tests.building.people import Person

Who = Callable[[str], Person]


def test_new_points_come_back_as_rows_with_what_follows(person: Who) -> None:
    ana = person("technician")
    shown = ana.send("POST", "/api/points/preview", {"count": 2, "cells": {"tag": "PSL-9001"}})
    assert [row["tag"] for row in shown.json["rows"]] == ["PSL-9001", "PSL-9002"]
    made = ana.send("POST", "/api/points", {"count": 2, "cells": {"tag": "PSL-9001", "wires": "nine"}}).json
    assert [row["cells"]["tag"] for row in made["change"]["added"]] == ["PSL-9001", "PSL-9002"]
    assert made["change"]["added"][0]["cells"]["meaning"] == "pressure switch, low"
    assert [(cell["point"], cell["field"]) for cell in made["left"]] == [
        (made["change"]["added"][k]["id"], "wires") for k in (0, 1)
    ]
    gone = ana.send("POST", "/api/points/remove", {"points": [row["id"] for row in made["change"]["added"]]}).json
    assert len(gone["change"]["removed"]) == 2
    assert ana.send("POST", "/api/points/remove", {"points": [99_999]}).status_code == 409
    assert ana.send("POST", "/api/points", {"count": 1, "cells": {"now": "5"}}).status_code == 422


def test_a_preview_of_removal_writes_nothing(person: Who) -> None:
    ana = person("technician")
    shown = ana.send("POST", "/api/points/remove", {"points": [1], "apply": False}).json
    assert (shown["applied"], shown["closed"]) == (False, ["R07:1"])
    assert ana.get("/api/points/1/path").status_code == 200


def test_series_answer_texts_or_a_sentence(person: Who) -> None:
    reader = person("reader")
    assert reader.send("POST", "/api/series", {"field": "tag", "texts": ["PT-9"], "count": 2}).json["texts"] == [
        "PT-10",
        "PT-11",
    ]
    full = reader.send("POST", "/api/series", {"field": "channel", "texts": ["KC-2·1·2·8"], "count": 40})
    assert full.status_code == 422
    assert "channels of this kind of module are free" in full.json["title"]


def test_a_paste_takes_what_can_be_read(person: Who) -> None:
    edits = [
        {"point": 1, "field": "value_high", "was": "500", "text": "600"},
        {"point": 1, "field": "device_high", "was": "600", "text": "much"},
    ]
    done = person("technician").send("POST", "/api/proposals", {"edits": edits, "partial": True}).json
    assert [cell["becomes"] for cell in done["cells"]] == ["600"]
    assert [(cell["field"], cell["typed"]) for cell in done["left"]] == [("device_high", "much")]


def test_typicals_are_made_previewed_changed_and_taken_away(person: Who) -> None:
    ana = person("technician")
    names = [one["name"] for one in ana.get("/api/typicals").json["typicals"]]
    assert "proximity switch, PNP" in names
    body: dict[str, Any] = {"says": "", "cells": {"signal": "4–20 mA", "wires": "2"}}
    assert ana.send("PUT", "/api/typicals/mine", body).status_code == 200
    point = ana.send("POST", "/api/points", {"count": 1, "typical": "mine", "cells": {"tag": "X-1"}}).json["change"][
        "added"
    ][0]["id"]
    change = body | {"cells": {"signal": "4–20 mA", "wires": "4"}}
    would = ana.send("POST", "/api/typicals/mine/preview", change).json
    assert [(c["point"], c["field"], c["was"], c["becomes"]) for c in would["cells"]] == [(point, "wires", "2", "4")]
    kept = ana.send("PUT", "/api/typicals/mine", change | {"points": [point]}).json
    assert [c["becomes"] for c in kept["cells"]] == ["4"]
    assert ana.send("PUT", "/api/typicals/mine", body | {"becomes": "proximity switch, PNP"}).status_code == 422
    assert ana.send("DELETE", "/api/typicals/mine").status_code == 200
    assert ana.send("DELETE", "/api/typicals/mine").status_code == 404
    history = ana.get("/api/history").json["sets"]
    assert history[0]["cells"][0]["tag"] == "typical mine"


def test_a_lock_is_told_and_holds(person: Who) -> None:
    ana, ben = person("technician"), person("engineer")
    locks = ana.send("PUT", "/api/points/1/lock", {"why": "loop test"}).json["locks"]
    assert [(lock["point"], lock["who"], lock["why"]) for lock in locks] == [(1, "technician", "loop test")]
    refused = ben.edit(1, "value_high", "500", "600")
    assert refused.status_code == 422
    assert refused.json["title"] == "technician has locked this row: loop test"
    assert ben.send("POST", "/api/points/remove", {"points": [1]}).status_code == 409
    assert ben.send("DELETE", "/api/points/1/lock").status_code == 409
    assert person("administrator").send("DELETE", "/api/points/1/lock").json["locks"] == []
    assert ben.edit(1, "value_high", "500", "600").status_code == 200


VIEW = {
    "columns": [{"field": "tag", "width": 90}, {"field": "alarm_h", "width": 60}],
    "sort": [{"field": "tag", "down": True}],
}


def test_views_are_ones_own_or_the_plants(person: Who) -> None:
    ana, engineer = person("technician"), person("engineer")
    assert ana.send("PUT", "/api/views/alarms", {"body": VIEW}).json["views"][0]["body"]["sort"][0]["down"]
    assert ana.send("PUT", "/api/views/all", {"body": VIEW, "plants": True}).status_code == 403
    assert engineer.send("PUT", "/api/views/all", {"body": VIEW, "plants": True}).status_code == 200
    assert [(v["name"], v["plants"]) for v in ana.get("/api/views").json["views"]] == [
        ("alarms", False),
        ("all", True),
    ]
    assert [v["name"] for v in engineer.get("/api/views").json["views"]] == ["all"]
    assert ana.send("DELETE", "/api/views/all").status_code == 404, "it is not one's own"
    bad = {"columns": [{"field": "nothing", "width": 90}]}
    assert ana.send("PUT", "/api/views/x", {"body": bad}).status_code == 422


def heard(body: Iterator[bytes], name: str) -> dict[str, Any]:
    """The next event of a name."""
    rest = ""
    for piece in body:
        rest += piece.decode()
        *whole, rest = rest.split("\n\n")
        for part in whole:
            if f"event: {name}\n" in f"{part}\n":
                found: dict[str, Any] = json.loads(part.split("data: ", 1)[1])
                return found
    raise AssertionError(f"no {name} came")


def test_others_hear_where_one_is_what_came_and_what_is_locked(person: Who) -> None:
    ana, ben = person("technician"), person("reader")
    answer = ben.client.get("/api/stream?since=0&racks=", buffered=False)
    body = iter(answer.response)
    assert heard(body, "locks") == {"locks": []}
    ana.send("POST", "/api/here", {"tab": "t1", "point": 5, "field": "tag"})
    assert heard(body, "here") == {"who": "technician", "tab": "t1", "point": 5, "field": "tag"}
    ana.send("PUT", "/api/points/5/lock", {"why": "test"})
    assert heard(body, "locks")["locks"][0]["point"] == 5
    ana.send("POST", "/api/points", {"count": 1, "cells": {"tag": "X-1"}})
    assert heard(body, "change")["added"][0]["cells"] == {
        "tag": "X-1",
        "meaning": "unclassified",
        "loop": "X-1",
        "cabinet": "",
        "terminals": "",
        "register": "",
        "direct": "",
    }
    answer.close()


def test_history_is_told_by_point_cell_person_and_source_and_a_cell_is_taken_back(person: Who) -> None:
    ana, ben = person("technician"), person("engineer")
    ana.edit(1, "value_high", "500", "600")
    ben.edit(1, "service", "burner gas header pressure", "gas")
    ben.edit(2, "service", "furnace draught", "draught")

    def seqs(query: str) -> list[int]:
        return [s["seq"] for s in ana.get(f"/api/history?{query}").json["sets"]]

    assert seqs("point=1") == [2, 1]
    assert seqs("point=1&field=value_high") == [1]
    assert seqs("who=engineer") == [3, 2]
    assert seqs("source=import") == []
    assert ana.get("/api/history").json["people"] == ["engineer", "technician"]
    back = ana.send("POST", "/api/history/2/revert", {"point": 1, "field": "service"}).json
    assert back["cells"][0]["becomes"] == "burner gas header pressure"
    assert ana.send("POST", "/api/history/2/revert", {}).status_code == 409
    assert ana.send("POST", "/api/history/99/revert", {}).status_code == 409


def test_a_set_of_thousands_is_told_by_its_first_and_their_number(person: Who) -> None:
    ana = person("technician")
    ana.send("POST", "/api/points", {"count": 500, "cells": {"tag": "X-1"}})
    first = ana.get("/api/history").json["sets"][0]
    assert (first["count"], len(first["cells"])) == (500, 60)


def test_letters_are_put_together_with_what_they_say_and_the_next_tag(person: Who) -> None:
    engineer = person("engineer")
    there = engineer.get("/api/tag-letters").json
    assert (there["variables"]["P"], there["functions"]["T"], there["levels"]["H"]) == (
        "pressure",
        "transmitter",
        "high",
    )
    told = engineer.get("/api/tag-letters/meaning?letters=psl").json
    assert told == {"meaning": "pressure switch, low", "tag": "PSL-3105"}
    edit = {"name": "tag_letters", "was": "", "text": "PSL gas pressure guard"}
    assert engineer.send("POST", "/api/conventions", {"edits": [edit]}).status_code == 200
    assert engineer.get("/api/tag-letters").json["own"] == {"PSL": "gas pressure guard"}
    assert engineer.get("/api/tag-letters/meaning?letters=PSL").json["meaning"] == "gas pressure guard"
    assert engineer.get("/api/tag-letters/meaning?letters=P9").status_code == 422
