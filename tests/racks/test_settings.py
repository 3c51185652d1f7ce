"""Settings written to a rack and compared with it: a real Modbus stand-in, a real agent, the API in front."""

from __future__ import annotations

import asyncio
import socket
from typing import Any

from tests.building.at_racks import at_a_rack, edit
from tests.building.database import Database
from tests.building.people import Person, app_on

from canaleta.catalogue.demo import DemoModule, demo_plant, layout_of
from canaleta.catalogue.types import module_types
from canaleta.core.hardware.settings import differences, reported_modules, strangers
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table
from canaleta.host.cluster import free_port
from canaleta.plant.records.image_cache import ImageCache
from canaleta.standins.field import FieldRack
from canaleta.standins.server import StandIns


def block(words: list[int]) -> dict[tuple[Table, int], int]:
    return {(Table.HOLDING_REGISTERS, k): word for k, word in enumerate(words)}


def test_a_changed_setting_is_shown_armed_written_and_read_back(database: Database) -> None:
    """PT-3107 gets a filter by name; the number for it, 3, is the type's business."""
    edit(database, 1, "filter", "100 ms")

    async def visit(ask: Any, made: StandIns) -> None:
        compared = (await ask("GET", "/api/racks/1/compare")).json
        assert [(d["tag"], d["setting"], d["listed"], d["reported"], d["code"]) for d in compared["differences"]] == [
            ("PT-3107", "filter", "100 ms", "50 Hz", 3)
        ]
        assert compared["differences"][0]["trips"] == [
            "used by gas header pressure control PIC-3107",
            "tell kiln operator",
        ]
        registers = [d["key"] for d in compared["differences"]]
        refused = await ask("POST", "/api/racks/1/write", {"keys": registers})
        assert (refused.status_code, refused.json["title"]) == (409, "writing to this rack is not armed")
        assert (await ask("PUT", "/api/racks/1/armed", {"minutes": 5})).json["who"] == "engineer"
        written = (await ask("POST", "/api/racks/1/write", {"keys": registers})).json
        assert (written["done"], written["failed"], written["left"]) == (1, 0, [])
        line = (await ask("GET", "/api/racks/1/log")).json["lines"][0]
        assert (line["who"], line["result"]) == ("engineer", "1 of 1 done")
        assert "KC-2·1·2·1 filter: 50 Hz → 100 ms" in line["what"]

    at_a_rack(database, visit)


def test_a_setting_changed_at_the_rack_is_found(database: Database) -> None:
    """One register changed in the simulated device is one difference, with what the rack says."""

    async def visit(ask: Any, made: StandIns) -> None:
        assert (await ask("GET", "/api/racks/1/compare")).json["differences"] == []
        register = layout_of(demo_plant()).first_settings[3] + 1
        await made.racks[1].server.async_setValues(1, 6, register, [41])
        found = (await ask("GET", "/api/racks/1/compare")).json["differences"]
        assert [(d["tag"], d["setting"], d["listed"], d["reported"]) for d in found] == [
            ("TE-2101", "mode", "TC K, 0.1 °C", "TC T, 0.1 °C")
        ]

    at_a_rack(database, visit)


async def stays(ask: Any) -> None:
    """The plant keeps its stand-ins as they are, to practise differences on."""
    change = {"name": "stand_ins", "was": "follow the list", "text": "stay as they are"}
    done = await ask("POST", "/api/conventions", {"edits": [change]})
    assert done.status_code == 200, done.json


def test_a_stand_in_follows_the_list_by_itself_and_drops_nothing_that_was_put_on(database: Database) -> None:
    """A newcomer adds a module and sees it answer, without having been told of stand-ins."""

    async def visit(ask: Any, made: StandIns) -> None:
        put = await ask("PUT", "/api/points/1/injection", {"text": "12 mA"})
        assert put.status_code == 200, put.json
        other = dict(made.racks)
        await ask("POST", "/api/hardware", {"operations": [{"do": "add module", "rack": 1, "type": "ai4-iso"}]})
        while len(made.racks[1].field.settings_words() if 1 in made.racks else ()) != 209 + 18:
            await asyncio.sleep(0.05)
        assert made.racks[1].field.injected(), "what was put on stays"
        assert all(made.racks[rack] is stand_in for rack, stand_in in other.items() if rack != 1)
        assert (await ask("GET", "/api/racks/1/compare")).json["strangers"] == []

    at_a_rack(database, visit)


def test_a_rack_with_other_modules_than_the_list_is_explained_and_not_written(database: Database) -> None:
    async def visit(ask: Any, made: StandIns) -> None:
        await stays(ask)
        order = list(range(1, 10))
        swapped = [2, 1, *order[2:]]
        await ask(
            "POST", "/api/hardware", {"operations": [{"do": "order", "rack": 1, "modules": swapped, "was": order}]}
        )
        compared = (await ask("GET", "/api/racks/1/compare")).json
        assert compared["says"] == "slots 1 and 2 are the other way round in the rack"
        assert compared["differences"] == []
        await ask("PUT", "/api/racks/1/armed", {"minutes": 5})
        refused = await ask("POST", "/api/racks/1/write", {"keys": ["holding registers 1.65535"]})
        assert refused.status_code == 409
        tested = (await ask("POST", "/api/racks/1/test")).json
        assert tested["says"].startswith("it answers")
        assert "slots 1 and 2 are the other way round" in tested["says"]
        assert tested["strangers"]

    at_a_rack(database, visit)


def test_the_stand_in_keeps_its_own_layout_until_it_is_told(database: Database) -> None:
    async def visit(ask: Any, made: StandIns) -> None:
        await stays(ask)
        await ask("POST", "/api/hardware", {"operations": [{"do": "add module", "rack": 1, "type": "ai4-iso"}]})
        assert len(made.racks[1].field.settings_words()) == 209
        done = await ask("POST", "/api/racks/1/stand-in")
        assert done.status_code == 200, done.json
        assert len(made.racks[1].field.settings_words()) == 209 + 18, (
            "an AI-4 N: 1 + 3 · 4 for settings, 1 + 4 for forces"
        )

    at_a_rack(database, visit)


def test_a_stand_in_that_cannot_listen_is_told(database: Database) -> None:
    """Somebody else is on the port that the list gives the second rack; the first one answers all the same."""

    async def visit(ask: Any, made: StandIns) -> None:
        with socket.create_server(("127.0.0.1", 0)) as other:
            taken = other.getsockname()[1]
            move = {"do": "change", "what": "rack", "id": 2, "field": "port", "text": str(taken)}
            await ask("POST", "/api/hardware", {"operations": [move]})
            told = await ask("POST", "/api/racks/2/stand-in")
        assert told.status_code == 409
        assert f"rack 2 cannot answer on port {taken}" in told.json["title"]
        assert 1 in made.racks

    at_a_rack(database, visit)


def test_a_connection_test_says_in_words_that_nobody_listens(database: Database) -> None:
    async def visit(ask: Any, made: StandIns) -> None:
        free = {"do": "change", "what": "rack", "id": 2, "field": "port", "text": str(free_port())}
        await ask("POST", "/api/hardware", {"operations": [free]})
        told = (await ask("POST", "/api/racks/2/test")).json
        assert told["says"].startswith("nobody listens at 127.0.0.1")
        assert "address, port, cable" in told["look"]
        line = (await ask("GET", "/api/racks/2/log")).json["lines"][0]
        assert (line["who"], line["kind"]) == ("engineer", "test")
        assert line["result"].startswith("nobody listens")

    at_a_rack(database, visit)


def test_a_wrong_unit_number_is_named_as_the_likely_cause(database: Database) -> None:
    async def visit(ask: Any, made: StandIns) -> None:
        other = {"do": "change", "what": "rack", "id": 1, "field": "unit", "text": "9"}
        await ask("POST", "/api/hardware", {"operations": [other]})
        told = (await ask("POST", "/api/racks/1/test")).json
        assert "unit" in told["says"] + told["look"]

    at_a_rack(database, visit)


def test_a_rack_outside_the_allowed_networks_is_refused(database: Database) -> None:
    engineer = Person(app_on(database), "engineer")
    for host in ("169.254.1.1", "8.8.8.8"):
        refused = engineer.send(
            "POST", "/api/hardware", {"operations": [{"do": "add rack", "cabinet": 1, "host": host}]}
        )
        assert (refused.status_code, refused.json["title"]) == (
            403,
            f"{host}:502 is outside the networks and ports that racks may be in",
        )


def test_only_an_administrator_says_which_networks_those_are(database: Database) -> None:
    app = app_on(database)
    change = {
        "edits": [
            {"name": "rack_networks", "was": Conventions().rack_networks, "text": "127.0.0.0/8, 10.1.0.0/16 port 502"}
        ]
    }
    assert Person(app, "engineer").send("POST", "/api/conventions", change).status_code == 403
    assert Person(app, "administrator").send("POST", "/api/conventions", change).status_code == 200


# Without a network -------------------------------------------------------------------------------------------


def test_a_written_mode_changes_what_the_stand_in_reads() -> None:
    """12 mA on 4–20 mA is 16 000 counts; on 0–20 mA it is 19 200."""
    plant = demo_plant()
    field = FieldRack(plant, layout_of(plant), 1, 3)
    words = field.settings_words()
    register = layout_of(plant).first_settings[2] + 1
    assert words[register] == 16, "the AI-8's number for 4–20 mA"
    field.inject(2, 0, 12.0, "mA")
    assert field.step(0)[1] == 16000
    words[register] = 17
    field.take_settings(words)
    assert field.step(0)[1] == 19200


def test_a_module_without_settings_moves_no_setting_of_those_behind_it() -> None:
    """One whose manual has no such register, put before the AI-8: the stand-in's words are where the list says."""
    plant = demo_plant()
    run = {"holds": "channel words", "table": "input registers", "at": 0, "count": 4}
    body = layout_of(plant).types["ai8-ui"].model_dump() | {
        "key": "bare", "channels": 4, "ident_code": None, "settings": (), "forces": False, "registers": (run,), "status": None,
    }  # fmt: skip
    cabinet = plant.cabinets[0]
    first = cabinet.racks[0]
    modules = (first.modules[0], DemoModule(slot=2, type="bare"), DemoModule(slot=3, type="ai8-ui"))
    racks = (first.model_copy(update={"modules": modules}), *cabinet.racks[1:])
    changed = plant.model_copy(
        update={
            "cabinets": (cabinet.model_copy(update={"racks": racks}), *plant.cabinets[1:]),
            "types": (*plant.types, ModuleType.model_validate(body)),
            "field": (),
        }
    )
    layout = layout_of(changed)
    _, bare, behind = layout.modules_of(1)
    assert layout.first_settings[bare.id] == layout.first_settings[behind.id] > 0
    words = FieldRack(changed, layout, 1, 3).settings_words()
    assert words[layout.first_settings[behind.id]] == layout.type_of(behind.id).ident_code


def test_a_number_that_means_nothing_changes_nothing() -> None:
    plant = demo_plant()
    field = FieldRack(plant, layout_of(plant), 1, 3)
    words = field.settings_words()
    layout = layout_of(plant)
    kinds = [(layout.first_settings[m.id], layout.type_of(m.id)) for m in layout.modules_of(1)]
    settings = {first + k for first, kind in kinds for k in range(kind.force_offset if not kind.passive else 0)}
    field.take_settings([99 if k in settings else word for k, word in enumerate(words)])
    assert field.settings_words() == words


def test_modules_the_other_way_round_are_recognised_by_their_numbers() -> None:
    layout = layout_of(demo_plant())
    known = {kind.title: kind.ident_code for kind in layout.types.values() if kind.ident_code is not None}
    words = FieldRack(demo_plant(), layout, 1, 3).settings_words()
    assert strangers(layout, 1, words, known) == []
    words[layout.first_settings[2]] = 4208
    (odd,) = strangers(layout, 1, words, known)
    assert (odd.slot, odd.expected, odd.is_like) == (2, "AI-8 U/I", "TC-8")


def test_a_rack_with_a_module_less_is_told_as_what_it_has() -> None:
    """The rack has one TC-8 less: everything behind it stands elsewhere and is recognised all the same."""
    layout = layout_of(demo_plant())
    words = FieldRack(demo_plant(), layout, 2, 3).settings_words()
    without = words[: layout.first_settings[12]] + words[layout.first_settings[13] :]
    assert reported_modules(layout, 2, words, layout.types.values()) == ""
    assert reported_modules(layout, 2, without, layout.types.values()) == (
        "the rack has TC-8, TC-4 N, AI-4 N, AO-4; the list has TC-8, TC-8, TC-4 N, AI-4 N, AO-4"
    )


def test_every_type_of_the_catalogue_has_a_number_of_its_own() -> None:
    """But for those that report none: a controller's own inputs, values by name, and two whose manuals lay out every
    place."""
    numbers = {kind.key: kind.ident_code for kind in module_types().values() if not kind.passive}
    silent = {key for key, number in numbers.items() if number is None}
    assert silent == {"ci6", "fx8", "mx10", "vn16"}
    told = [number for number in numbers.values() if number is not None]
    assert len(set(told)) == len(told)


def test_list_and_field_of_the_demo_plant_agree_in_every_setting(database: Database) -> None:
    image, plant = ImageCache(database.engine).current(), demo_plant()
    layout = layout_of(plant)
    for rack in layout.racks:
        told = differences(image, rack, block(FieldRack(plant, layout, rack, 1).settings_words()))
        assert [(d.tag, d.setting) for d in told] == []
