"""A rack's way over the API: chosen, refused with a reason, kept in a project file, taken back."""

from collections.abc import Callable
from typing import Any

from tests.building.people import Person

from canaleta.core.model.conventions import Conventions

Who = Callable[[str], Person]


def done(person: Person, **operation: Any) -> Any:
    return person.send("POST", "/api/hardware", {"operations": [operation], "apply": True})


def real_rack(person: Person) -> int:
    """A rack that is no stand-in."""
    before = {r["rack"] for r in racks(person)}
    assert done(person, do="add rack", cabinet=1, host="127.0.0.1", port=1600).status_code == 200
    (made,) = {r["rack"] for r in racks(person)} - before
    return int(made)


def changed(person: Person, number: int, **fields: Any) -> Any:
    return done(person, do="change", what="rack", id=number, **fields)


def racks(person: Person) -> list[dict[str, Any]]:
    return [r for cabinet in person.get("/api/cabinets").json["cabinets"] for r in cabinet["racks"]]


def rack(person: Person, number: int) -> dict[str, Any]:
    return next(r for r in racks(person) if r["rack"] == number)


def test_a_rack_moves_to_a_serial_port_and_back(person: Who) -> None:
    engineer = person("engineer")
    number = real_rack(engineer)
    before = rack(engineer, number)
    assert (before["link"], before["line"]) == ("Modbus TCP", "19200 8E1")
    answer = changed(engineer, number, field="link", text="Modbus RTU", host="/dev/ttyUSB0")
    assert answer.status_code == 200, answer.json
    assert changed(engineer, number, field="line", text="9600 baud, 8-N-2").status_code == 200
    now = rack(engineer, number)
    assert (now["link"], now["host"], now["address"]) == ("Modbus RTU", "/dev/ttyUSB0", "/dev/ttyUSB0, 9600 8N2")
    for _ in range(2):
        engineer.send("POST", "/api/undo")
    assert rack(engineer, number) == before


def test_what_is_no_way_is_refused_and_nothing_changes(person: Who) -> None:
    engineer = person("engineer")
    number = real_rack(engineer)
    before = rack(engineer, number)
    for fields, why in (
        ({"field": "link", "text": "carrier pigeon"}, "a rack is reached by Modbus TCP, Modbus RTU over TCP"),
        ({"field": "link", "text": "Modbus RTU"}, "is no serial port"),
        ({"field": "link", "text": "Modbus RTU", "host": "/etc/passwd"}, "is no serial port"),
        ({"field": "line", "text": "fast"}, "is not how a line works"),
        ({"field": "host", "text": "/dev/ttyUSB0"}, "is not a network address"),
    ):
        answer = changed(engineer, number, **fields)
        assert answer.status_code >= 400
        assert why in answer.json["title"], answer.json
    assert rack(engineer, number) == before


def test_a_stand_in_answers_no_frames_of_a_line(person: Who) -> None:
    answer = changed(person("engineer"), 1, field="link", text="Modbus RTU over TCP")
    assert answer.status_code >= 400
    assert "a stand-in answers Modbus TCP, OPC UA or MQTT" in answer.json["title"]


def test_all_that_hang_on_one_gateway_change_with_it_and_one_port_works_one_way(person: Who) -> None:
    engineer = person("engineer")
    rule = {"name": "rack_networks", "was": Conventions().rack_networks, "text": "127.0.0.0/8, 10.0.0.0/8 port 502"}
    allowed = person("administrator").send("POST", "/api/conventions", {"edits": [rule]})
    assert allowed.status_code == 200, allowed.json
    numbers = []
    for unit in (1, 2):
        before = {r["rack"] for r in racks(engineer)}
        made = done(engineer, do="add rack", cabinet=1, host="10.0.0.9", port=502, unit=unit)
        assert made.status_code == 200, made.json
        numbers += {r["rack"] for r in racks(engineer)} - before
    assert changed(engineer, numbers[0], field="link", text="Modbus RTU over TCP").status_code == 200
    assert [rack(engineer, n)["link"] for n in numbers] == ["Modbus RTU over TCP"] * 2
    other = done(engineer, do="add rack", cabinet=1, host="10.0.0.9", port=502, unit=3)
    assert other.status_code >= 400
    assert "10.0.0.9:502 works one way for all that hang on it" in other.json["title"]
    twice = done(engineer, do="add rack", cabinet=1, host="10.0.0.9", port=502, unit=2, link="Modbus RTU over TCP")
    assert "two racks are reached at 10.0.0.9:502, unit 2" in twice.json["title"]
