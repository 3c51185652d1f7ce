"""Tables of a manual over the API: read, kept nowhere, and the map that a type has beside it."""

from collections.abc import Callable

from tests.building.people import Person

Who = Callable[[str], Person]

REGISTERS = "\n".join(
    f"{30000 + 2 * k - 1}\tChannel {k} value\n{30000 + 2 * k}\tChannel {k} status" for k in range(1, 5)
)


def test_a_pasted_table_comes_back_as_parts_of_a_type(person: Who) -> None:
    engineer = person("engineer")
    asked = {"what": "registers", "text": REGISTERS, "numbering": "with the table's digit"}
    found = engineer.send("POST", "/api/module-types/manual", asked).json
    assert found["parts"]["channels"] == 4
    assert found["parts"]["registers"][0]["step"] == 2
    assert found["troubles"] == []
    bits = engineer.send("POST", "/api/module-types/manual", {"what": "bits", "text": "0\twire break\nx\tfault"}).json
    assert [bit["means"] for bit in bits["parts"]["bits"]] == ["open circuit"]
    modes = engineer.send("POST", "/api/module-types/manual", {"what": "modes", "text": "5\t4…20 mA\t0…24000"}).json
    assert modes["codes"] == {"4…20 mA": 5}


def test_the_map_of_a_type_is_told_in_its_manuals_own_style(person: Who) -> None:
    engineer = person("engineer")
    body = next(t["body"] for t in engineer.send("GET", "/api/module-types").json["types"] if t["key"] == "ai8-ui")
    word = {"table": "holding registers", "at": 40, "bits": [{"bit": 3, "means": "open circuit", "latches": True}]}
    body |= {"numbering": "with the table's digit", "status_words": [word | {"reset": {"table": "coils", "at": 7}}]}
    lines = engineer.send("POST", "/api/module-types/preview", {"body": body}).json["map"]
    assert (lines[0]["table"], lines[0]["place"], lines[0]["says"]) == ("coils", "00008", "reset, written")
    first = next(line for line in lines if line["says"] == "number")
    assert (first["place"], first["channel"]) == ("30001", 0)
    assert first["also"] == "0 from 0 · 1 from 1 · 0x0000"
    open_bits = [line for line in lines if line["says"] == "open circuit"]
    assert [(line["place"], line["bit"]) for line in open_bits[:1]] == [("40041", 3)]


def test_a_bit_that_latches_without_a_reset_is_told(person: Who) -> None:
    engineer = person("engineer")
    body = next(t["body"] for t in engineer.send("GET", "/api/module-types").json["types"] if t["key"] == "ai8-ui")
    body["status_words"] = [{"at": 40, "bits": [{"bit": 3, "means": "fault", "latches": True}]}]
    found = engineer.send("POST", "/api/module-types/preview", {"body": body}).json
    assert "bit 3 latches: say what resets it" in found["says"]
    assert found["map"] == []


def test_a_map_that_lies_on_the_settings_of_its_rack_is_refused_before_it_is_kept(person: Who) -> None:
    """Every module here reports itself from holding register 0 on: a reset at 2 would be somebody's setting."""
    engineer = person("engineer")
    body = next(t["body"] for t in engineer.get("/api/module-types").json["types"] if t["key"] == "tc8")
    word = {"at": 40, "bits": [{"bit": 3, "means": "fault", "latches": True}], "reset": {"at": 2}}
    put = {"do": "put type", "body": body | {"status_words": [word]}, "replace": True}
    answer = engineer.send("POST", "/api/hardware", {"operations": [put], "apply": True})
    assert answer.status_code >= 400
    assert "holding register 2 of rack" in answer.json["title"]
    kept = next(t["body"] for t in engineer.get("/api/module-types").json["types"] if t["key"] == "tc8")
    assert kept == body
