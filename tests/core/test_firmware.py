"""Firmware as modules say it, which of two is older, and what a rack says of itself beside what was noted and issued."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from pydantic import ValidationError
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.running import Stands
from canaleta.core.hardware.themselves import IssuedHardware, firmware_runs, not_as_noted, told_of_themselves
from canaleta.core.model.firmware import Firmware, is_older
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table

INPUT, HOLDING = Table.INPUT_REGISTERS, Table.HOLDING_REGISTERS


@pytest.mark.parametrize(
    ("written", "words", "says"),
    [
        ("parts in bytes", [0x0203], "2.3"),
        ("parts in bytes", [0x0203, 0x0011], "2.3.0.17"),
        ("parts in registers", [2, 13], "2.13"),
        ("number", [203], "203"),
        ("number", [1, 0], "65536"),
        ("hundredths", [203], "2.03"),
        ("hundredths", [1000], "10.00"),
        # "V2.3b", the last octet unused.
        ("text", [0x5632, 0x2E33, 0x6200], "V2.3b"),
    ],
)
def test_a_version_is_read_as_the_manual_writes_it_and_written_the_same_way(
    written: Any, words: list[int], says: str
) -> None:
    place = Firmware(at=100, words=len(words), written=written)
    assert place.read(words) == says
    assert place.words_of(says) == words


@pytest.mark.parametrize("words", [[0, 0], [0xFFFF, 0xFFFF]])
def test_registers_in_which_nothing_was_written_say_nothing(words: list[int]) -> None:
    for written in ("parts in bytes", "parts in registers", "number", "text"):
        assert Firmware(at=0, words=2, written=written).read(words) == ""  # type: ignore[arg-type]


def test_a_text_that_nobody_can_print_says_nothing() -> None:
    assert Firmware(at=0, words=1, written="text").read([0x0102]) == ""


@pytest.mark.parametrize(
    ("version", "than", "older"),
    [
        ("2.9", "2.10", True),
        ("2.10", "2.9", False),
        ("2.3", "2.3.0", False),
        ("2.3", "2.3.1", True),
        ("V1.04 b", "1.5", True),
        ("3", "2.99", False),
        ("unknown", "2.0", False),
        ("2.0", "", False),
    ],
)
def test_versions_are_compared_part_by_part_as_numbers(version: str, than: str, older: bool) -> None:
    assert is_older(version, than) is older


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"oldest": "newest"}, "written in figures"),
        ({"written": "number", "words": 3}, "one register or in two"),
        ({"at": 65_535, "words": 2}, "over the end"),
    ],
)
def test_a_place_that_cannot_be_is_refused_in_words(wrong: dict[str, Any], says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Firmware.model_validate({"at": 10} | wrong)


def told(kind: ModuleType, **place: Any) -> ModuleType:
    return ModuleType.model_validate(kind.model_dump(mode="json") | {"key": "told", "firmware": {"at": 20, **place}})


def test_no_register_is_a_count_and_a_firmware() -> None:
    """AI-8 U/I has its counts in the first eight input registers."""
    kind = module_types()["ai8-ui"]
    with pytest.raises(ValidationError, match="the firmware"):
        told(kind, at=7)
    assert told(kind, at=20).extents()[INPUT] == 21, "the next module begins behind it"


def rack_with(*, noted: str = "", head: str = "", **place: Any) -> Layout:
    """TC-1 rack 1 with AI-8 U/I that says its firmware 20 places from its first, in slots 4 and 5; slot 5 has nothing noted."""
    kind = told(module_types()["ai8-ui"], **place)
    layout = layout_with([kind, kind])
    modules = dict(layout.modules)
    modules[4] = replace(modules[4], firmware=noted)
    racks = {1: replace(layout.racks[1], head=head)}
    return Layout(layout.cabinets, racks, modules, layout.types, layout.channel_base)


def test_each_module_is_asked_in_its_own_place() -> None:
    """Before slot 4 there are one word of DI-16, eight counts and a status of AI-8 U/I, and TC-8's."""
    layout = rack_with()
    before = layout.first_places(1)[4][INPUT]
    assert firmware_runs(layout, 1) == [(INPUT, before + 20, 1), (INPUT, before + 21 + 20, 1)]
    holding = rack_with(table="holding registers", words=2)
    assert firmware_runs(holding, 1) == [(HOLDING, 20, 2), (HOLDING, 22 + 20, 2)]


ISSUED = ("TC-1", "1", 4, "told")


def stands(noted: str, issued: str | None, runs: int | None, oldest: str = "") -> tuple[str, str, str, str] | None:
    """How the firmware of slot 4 stands. issued: None for a list that was never issued. runs: the register."""
    layout = rack_with(noted=noted, oldest=oldest)
    (_, first, _), _ = firmware_runs(layout, 1)
    was = IssuedHardware() if issued is None else IssuedHardware({}, {ISSUED: issued}, known=True)
    said = told_of_themselves(layout, 1, "", {} if runs is None else {(INPUT, first): runs}, was)
    found = not_as_noted(said, known=was.known)
    return (found[0].configured, found[0].issued, found[0].running, found[0].stands) if found else None


@pytest.mark.parametrize(
    ("noted", "issued", "runs", "expected"),
    [
        ("2.3", "2.3", 0x0203, None),
        ("2.3", None, 0x0203, None),
        ("2.3", None, 0x0204, ("2.3", "", "2.4", Stands.UNISSUED)),
        ("2.3", "2.3", 0x0204, ("2.3", "2.3", "2.4", Stands.ANOTHER)),
        ("2.4", "2.3", 0x0203, ("2.4", "2.3", "2.3", Stands.WAITS)),
        ("2.4", "2.3", 0x0204, ("2.4", "2.3", "2.4", Stands.WRITTEN)),
        ("2.4", "2.3", 0x0205, ("2.4", "2.3", "2.5", Stands.APART)),
        ("2.3", "", 0x0203, ("2.3", "", "2.3", Stands.WRITTEN)),
        # What nobody noted is only told; and a module that says nothing now tells nothing.
        ("", "", 0x0203, None),
        ("2.3", "2.3", None, None),
        ("2.3", "2.3", 0, None),
    ],
)
def test_firmware_stands_in_three_columns(
    noted: str, issued: str | None, runs: int | None, expected: tuple[str, str, str, str] | None
) -> None:
    assert stands(noted, issued, runs) == expected


def test_a_firmware_older_than_the_type_needs_is_told_whatever_was_noted() -> None:
    assert stands("", None, 0x0203, "2.4") == ("2.4 or newer", "", "2.3", Stands.OLDER)
    assert stands("2.3", "2.3", 0x0203, "2.4") == ("2.3", "2.3", "2.3", Stands.OLDER)
    assert stands("2.4", "2.4", 0x0203, "2.4") == ("2.4", "2.4", "2.3", Stands.OLDER)
    assert stands("", None, 0x0204, "2.4") is None


def test_a_head_is_told_where_it_says_anything_and_is_another_when_it_says_otherwise() -> None:
    quiet = told_of_themselves(rack_with(), 1, "", {}, IssuedHardware())
    assert [one.entity for one in quiet] == ["module", "module"]
    fresh = told_of_themselves(rack_with(), 1, "Rote Wand RK-2, 1.4", {}, IssuedHardware())[0]
    assert (fresh.entity, fresh.to_note, fresh.says) == ("rack", True, "Rote Wand RK-2, 1.4")
    was = IssuedHardware({("TC-1", "1"): "Rote Wand RK-2, 1.4"}, {}, known=True)
    noted = rack_with(head="Rote Wand RK-2, 1.4")
    (found,) = not_as_noted(told_of_themselves(noted, 1, "Rote Wand RK-2, 1.5", {}, was), known=True)
    assert (found.entity, found.entity_id, found.field, found.stands) == ("rack", 1, "head", Stands.ANOTHER)
    assert (found.takes, found.writes) == ((("head", "Rote Wand RK-2, 1.5"),), False)
    assert found.stands.apart == "running"
    assert not_as_noted(told_of_themselves(noted, 1, "", {}, was), known=True) == [], (
        "it did not answer: nothing is known"
    )
