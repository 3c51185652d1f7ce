"""A rack's way over the API: chosen, refused with a reason, kept in a project file, taken back."""

from collections.abc import Callable
from typing import Any

from tests.building.people import Person

Who = Callable[[str], Person]


def changed(person: Person, **fields: Any) -> Any:
    operation = {"do": "change", "what": "rack", "id": 1, **fields}
    return person.send("POST", "/api/hardware", {"operations": [operation], "apply": True})


def rack(person: Person) -> dict[str, Any]:
    found = [r for cabinet in person.get("/api/cabinets").json["cabinets"] for r in cabinet["racks"]]
    return next(r for r in found if r["rack"] == 1)


def test_a_rack_moves_to_a_serial_port_and_back(person: Who) -> None:
    engineer = person("engineer")
    before = rack(engineer)
    assert (before["link"], before["line"]) == ("Modbus TCP", "19200 8E1")
    answer = changed(engineer, field="link", text="Modbus RTU", host="/dev/ttyUSB0")
    assert answer.status_code == 200, answer.json
    assert changed(engineer, field="line", text="9600 baud, 8-N-2").status_code == 200
    now = rack(engineer)
    assert (now["link"], now["host"], now["address"]) == ("Modbus RTU", "/dev/ttyUSB0", "/dev/ttyUSB0, 9600 8N2")
    for _ in range(2):
        engineer.send("POST", "/api/undo")
    assert rack(engineer) == before


def test_what_is_no_way_is_refused_and_nothing_changes(person: Who) -> None:
    engineer = person("engineer")
    before = rack(engineer)
    for fields, why in (
        ({"field": "link", "text": "carrier pigeon"}, "a rack is reached by Modbus TCP, Modbus RTU over TCP"),
        ({"field": "link", "text": "Modbus RTU"}, "is no serial port"),
        ({"field": "link", "text": "Modbus RTU", "host": "/etc/passwd"}, "is no serial port"),
        ({"field": "line", "text": "fast"}, "is not how a line works"),
        ({"field": "host", "text": "/dev/ttyUSB0"}, "is not a network address"),
    ):
        answer = changed(engineer, **fields)
        assert answer.status_code >= 400
        assert why in answer.json["title"], answer.json
    assert rack(engineer) == before
