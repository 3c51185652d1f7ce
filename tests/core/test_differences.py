"""Two states of a list, told as a technician would."""

from __future__ import annotations

import pytest

from canaleta.core.sheet.differences import difference_words, differences

PT = {
    "tag": "PT-3104", "service": "gas", "signal": "4–20 mA", "device_low": "0", "device_high": "6", "device_unit": "bar",
    "value_low": "0", "value_high": "6", "value_unit": "bar", "alarm_h": "5", "alarm_hh": "5.5",
}  # fmt: skip


def test_a_range_is_told_as_one_thing_with_what_moves() -> None:
    wider = PT | {"device_high": "10", "value_high": "10"}
    (found,) = differences({1: PT}, {1: wider})
    assert found.words == ("range 0…6 → 0…10 bar", "scaling 0…6 → 0…10 bar")
    assert found.moves == "two alarms and four check points move"
    assert [cell[0] for cell in found.cells] == ["device_high", "value_high"]


@pytest.mark.parametrize(
    ("change", "moves"),
    [
        # 0…6 to −1…10: every part of span is another pressure; the scaling stands, and so do the alarms on the wires.
        ({"device_low": "-1", "device_high": "10"}, "five check points move"),
        ({"device_high": "10"}, "four check points move"),
        # −6…6 of 0…6: 6 bar stays at the top.
        ({"device_low": "-6"}, "four check points move"),
        # 1…5 bar in place of 0…6: the middle stays where it was.
        ({"device_low": "1", "device_high": "5"}, "four check points move"),
        ({"device_unit": "kPa"}, "five check points move"),
        # The scaling alone: 5 and 5.5 bar lie elsewhere on the wires, the device is checked as before.
        ({"value_high": "10"}, "two alarms move"),
        # Turned about 5 bar, which stays where it was: 0…6 has it at 5/6 of span, −25…11 as well.
        ({"value_low": "-25", "value_high": "11"}, "one alarm moves"),
        ({"value_law": "square root"}, "values on the way move"),
        ({"alarm_h": "4"}, ""),
    ],
)
def test_what_moves_is_counted(change: dict[str, str], moves: str) -> None:
    (found,) = differences({1: PT}, {1: PT | change})
    assert found.moves == moves


def test_both_ends_of_a_range_are_told_together() -> None:
    (found,) = differences({1: PT}, {1: PT | {"device_low": "-1", "device_high": "10"}})
    assert found.words == ("range 0…6 → −1…10 bar",)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"device_unit": "kPa"}, ["range 0…6 bar → 0…6 kPa"]),
        ({"service": "air"}, ["service gas → air"]),
        ({"alarm_h": ""}, ["alarm H 5 → none"]),
        ({"alarm_l": "-0.5"}, ["alarm L none → −0.5"]),
        ({"device_law": "square root"}, ["device law none → square root"]),
    ],
)
def test_each_change_in_words(change: dict[str, str], words: list[str]) -> None:
    assert difference_words(PT, PT | change) == words


def test_what_moves_nothing_says_so_by_silence() -> None:
    (found,) = differences({1: PT}, {1: PT | {"service": "air"}})
    assert found.moves == ""


def test_points_that_came_and_went() -> None:
    new = {"tag": "PT-9", "device_low": "0", "device_high": "6", "device_unit": "bar"}
    came, went = differences({1: PT}, {2: new})
    assert (came.kind, came.tag, came.words[0]) == ("added", "PT-9", "range none → 0…6 bar")
    assert (went.kind, went.tag, went.words) == ("removed", "PT-3104", ("taken away",))


def test_the_same_list_has_no_differences() -> None:
    assert differences({1: PT}, {1: dict(PT)}) == []
