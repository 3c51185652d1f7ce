"""A module type held against a device by other hands, over the API: what its map makes of it, what is wrong, mended."""

from __future__ import annotations

from typing import Any

from tests.building.at_racks import Ask, at_a_rack
from tests.building.database import Database
from tests.building.line import Devices
from tests.building.stranger import Stranger

from canaleta.host.cluster import free_port
from canaleta.standins.server import StandIns

BODY: dict[str, Any] = {
    "key": "four", "title": "four thermometers", "channels": 4, "numbering": "with the table's digit",
    "modes": [{"name": "Pt100", "family": "resistance", "curve": "pt100", "signal_unit": "°C", "signal": [0, 100],
               "counts": [0, 1000], "least": -2000, "most": 8500}],
    "registers": [{"holds": "channel words", "table": "input registers", "at": 19, "step": 2, "count": 7}],
}  # fmt: skip
FOUR = {20 + k: word for k, word in enumerate([235, 0x8001, 236, 0x8001, 0xFF9C, 0x8001, 850, 0x8001])}


def test_a_map_off_by_one_is_found_on_the_device_itself_and_mended(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        server = Stranger(5, inputs={19: 0x7FFF} | FOUR)
        await server.begin()
        where = {"host": "127.0.0.1", "port": server.port, "unit": 5}
        found = (await ask("POST", "/api/module-types/try", where | {"body": BODY})).json
        assert (found["right"], found["of"], found["says"]) == (0, 4, "")
        assert found["lines"][0]["place"] == "30020"
        (doubt,) = [d for d in found["doubts"] if d["changes"] == {"at": 20}]
        run = BODY["registers"][0] | doubt["changes"]
        mended = (await ask("POST", "/api/module-types/try", where | {"body": BODY | {"registers": [run]}})).json
        assert (mended["right"], mended["of"], mended["doubts"]) == (4, 4, [])
        assert [line["means"] for line in mended["lines"]] == [
            "235, 23.5 °C", "236, 23.6 °C", "-100, −10.0 °C", "850, 85.0 °C",
        ]  # fmt: skip
        # The device was asked for no more than it has, and what it lacks is told at its line.
        del server.tables[4][26]
        less = (await ask("POST", "/api/module-types/try", where | {"body": BODY | {"registers": [run]}})).json
        assert [line["state"] for line in less["lines"]] == ["", "", "", "refused"]
        await server.cut()

    at_a_rack(database, visit)


def test_it_is_tried_over_a_gateway_too_and_nobody_there_is_told(database: Database) -> None:
    async def visit(ask: Ask, made: StandIns) -> None:
        devices = Devices({9: FOUR})
        where = {"host": "127.0.0.1", "port": await devices.on_tcp(), "unit": 9, "link": "Modbus RTU over TCP"}
        body = BODY | {"registers": [BODY["registers"][0] | {"at": 20, "table": "holding registers"}]}
        found = (await ask("POST", "/api/module-types/try", where | {"body": body})).json
        assert (found["right"], found["of"]) == (4, 4)
        devices.end()
        nobody = await ask("POST", "/api/module-types/try", {"host": "127.0.0.1", "port": free_port(), "body": BODY})
        assert nobody.status_code == 409
        assert "nothing answers" in nobody.json["title"]
        outside = await ask("POST", "/api/module-types/try", {"host": "10.1.2.3", "body": BODY})
        assert outside.status_code == 403
        no_type = await ask("POST", "/api/module-types/try", {"host": "127.0.0.1", "body": BODY | {"channels": 9}})
        assert no_type.status_code == 422
        no_port = await ask(
            "POST", "/api/module-types/try", {"host": "/etc/passwd", "link": "Modbus RTU", "body": BODY}
        )
        assert no_port.status_code == 422
        assert "no serial port" in no_port.json["title"]

    at_a_rack(database, visit)
