"""A type held against what a device really has: told line by line, and what looks wrong is found out."""

from typing import Any

import pytest

from canaleta.core.hardware.type_try import Tried, reads_of, tried
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table

INPUT = Table.INPUT_REGISTERS
PT100 = {
    "name": "Pt100", "family": "resistance", "curve": "pt100", "signal_unit": "°C",
    "signal": [0, 100], "counts": [0, 1000], "least": -2000, "most": 8500, "open_counts": 32767,
}  # fmt: skip


def kind(**change: Any) -> ModuleType:
    document = {
        "key": "k", "title": "k", "channels": 3, "modes": [PT100],
        "registers": [{"holds": "channel words", "table": "input registers", "at": 10, "count": 3}],
    }  # fmt: skip
    return ModuleType.model_validate(document | change)


def at(first: int, *words: int) -> dict[Table, dict[int, int]]:
    return {INPUT: {first + k: word for k, word in enumerate(words)}}


def told(found: Tried) -> list[tuple[str, str, str]]:
    return [(line.raw, line.means, line.state) for line in found.lines]


def test_each_line_says_what_stands_there_and_what_it_means() -> None:
    """235 is 23.5 °C, 0xFF9C is −100 and −10.0 °C; 32767 is what the manual has for an open circuit."""
    found = tried(kind(), at(10, 235, 0xFF9C, 32767))
    assert told(found) == [
        ("00EB", "235, 23.5 °C", ""),
        ("FF9C", "-100, −10.0 °C", ""),
        ("7FFF", "32767, 3\u202f276.7 °C", ""),
    ]
    assert (found.right, found.of, found.doubts) == (3, 3, [])


def test_what_the_device_does_not_have_is_told_at_its_line() -> None:
    found = tried(kind(), at(10, 235, 236))
    assert told(found)[2] == ("", "the device does not have it", "refused")
    assert (found.right, found.of) == (2, 2)


def test_a_map_that_is_off_by_one_is_found_out() -> None:
    """At 9 stands a status of 0x8080; the numbers begin at 11."""
    found = tried(kind(), at(9, 0x8080, 0x8080, 235, 236, 237))
    assert found.doubts[0].changes == {"at": 11}
    assert "one place later: then 3 of 3 channels can be right, now 2" in found.doubts[0].says


@pytest.mark.parametrize(
    ("form", "words", "changes"),
    [
        # 23.5 is 0x41BC0000: the device sends the low word first.
        ({"kind": "float", "bits": 32}, [0x0000, 0x41BC] * 3, {"order": "CDAB"}),
        # 235 with its bytes swapped.
        ({}, [0xEB00] * 3, {"order": "BADC"}),
        # −100 read as unsigned is 65436.
        ({"coding": "unsigned"}, [0xFF9C, 0xFF9C, 235], {"coding": "two's complement"}),
        # 235 above the middle of an offset binary converter.
        ({}, [0x80EB] * 3, {"coding": "offset binary"}),
    ],
)
def test_the_order_and_the_sign_are_found_out(
    form: dict[str, Any], words: list[int], changes: dict[str, str]
) -> None:
    size = 2 if form.get("bits") == 32 else 1
    run = {"holds": "channel words", "table": "input registers", "at": 10, "count": 3 * size, "form": form}
    mode = PT100 | ({"counts": [0, 100], "least": 1, "most": 850, "open_counts": None} if form.get("kind") else {})
    found = tried(kind(registers=[run], modes=[mode]), at(10, *words))
    assert found.right < 3
    (doubt,) = [d for d in found.doubts if changes.items() <= d.changes.get("form", {}).items()]
    assert doubt.run == 0
    mended = run | {"form": doubt.changes["form"]}
    assert tried(kind(registers=[mended], modes=[mode]), at(10, *words)).right == 3


def test_a_bit_that_tells_a_fault_everywhere_is_asked_about() -> None:
    word = {"table": "input registers", "at": 20, "step": 1, "bits": [{"bit": 7, "means": "not calibrated"}]}
    words = at(10, 235, 236, 237)
    words[INPUT] |= dict.fromkeys((20, 21, 22), 0x0080)
    (doubt,) = tried(kind(status_words=[word]), words).doubts
    assert (doubt.word, doubt.bit, doubt.changes) == (0, 0, {"one_means": "healthy"})
    words[INPUT][21] = 0
    assert tried(kind(status_words=[word]), words).doubts == [], "one that is well says that the others are not"


def test_what_is_read_is_the_map_and_the_places_beside_its_numbers() -> None:
    assert reads_of(kind()) == [(INPUT, 10, 3), (INPUT, 9, 1), (INPUT, 13, 1)]
    first = {"holds": "channel words", "table": "input registers", "at": 0, "count": 3}
    assert reads_of(kind(registers=[first])) == [(INPUT, 0, 3), (INPUT, 3, 1)], "nothing stands before the first"
