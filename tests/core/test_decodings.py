"""All that registers can mean: figures from IEEE 754 and two's complement by hand; where a controller shows a
value."""

import math

import pytest

from canaleta.core.notation.text import TextError
from canaleta.core.signals.decodings import Shown, decodings, read_shown, runs

PI = 3.1415927410125732
"""π as a single: 0x40490FDB."""


def named(words: list[int]) -> dict[tuple[str, str], tuple[float, ...]]:
    return {(d.name, d.order): d.values for d in decodings(words)}


@pytest.mark.parametrize(
    ("words", "order"),
    [
        ([0x4049, 0x0FDB], "ABCD"),
        ([0x0FDB, 0x4049], "CDAB"),
        ([0x4940, 0xDB0F], "BADC"),
        ([0xDB0F, 0x4940], "DCBA"),
    ],
)
def test_one_real_in_four_orders_is_itself_in_one_of_them(words: list[int], order: str) -> None:
    found = named(words)
    assert found["32 bit, IEEE 754", order] == (PI,)
    assert [o for (name, o), values in found.items() if name == "32 bit, IEEE 754" and values == (PI,)] == [order]


def test_one_word_signed_unsigned_and_offset() -> None:
    """0x8000: 32 768, −32 768 in two's complement, and the middle, 0, in offset binary."""
    found = named([0x8000])
    assert found["16 bit, unsigned", "AB"] == (32768.0,)
    assert found["16 bit, signed", "AB"] == (-32768.0,)
    assert found["16 bit, offset binary", "AB"] == (0.0,)
    assert found["16 bit, unsigned", "BA"] == (128.0,)


def test_two_words_as_whole_numbers_in_both_word_orders() -> None:
    found = named([0xFFFF, 0xFFFE])
    assert found["32 bit, signed", "ABCD"] == (-2.0,)
    assert found["32 bit, unsigned", "ABCD"] == (4294967294.0,)
    assert found["32 bit, signed", "CDAB"] == (-65537.0,)


def test_four_words_as_a_double_in_both_word_orders() -> None:
    words = [0x4009, 0x21FB, 0x5444, 0x2D18]
    assert named(words)["64 bit, IEEE 754", "ABCDEFGH"] == (math.pi,)
    assert named(words[::-1])["64 bit, IEEE 754", "GHEFCDAB"] == (math.pi,)


def test_digits_are_offered_where_every_nibble_is_one() -> None:
    assert named([0x1234, 0x0099])["16 bit, BCD", "AB"] == (1234.0, 99.0)
    assert ("16 bit, BCD", "AB") not in named([0x1234, 0x00A9])


def test_what_is_left_over_at_the_end_makes_no_figure() -> None:
    found = named([0x4049, 0x0FDB, 0x0001])
    assert found["32 bit, IEEE 754", "ABCD"] == (PI,)
    assert len(found["16 bit, unsigned", "AB"]) == 3
    assert not any(name.startswith("64") for name, _ in found)


def test_where_a_controller_shows_its_value_is_read_from_one_line() -> None:
    at = read_shown("holding 120 real CDAB")
    assert (at.function, at.register, at.form.words, at.form.order) == ("holding", 120, 2, "CDAB")
    assert read_shown(" INPUT 7 int ").form.words == 1
    assert read_shown("holding 0 udint").form.order == "ABCD"


@pytest.mark.parametrize(
    "text",
    ["", "120 real", "holding real", "coil 3 int", "holding 65535 int", "holding 1 real ABDC", "holding 1 lreal"],
)
def test_what_names_no_place_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(TextError, match="holding 120 real"):
        read_shown(text)


def shown(*texts: str) -> list[Shown]:
    return [read_shown(text) for text in texts]


def test_places_near_each_other_are_read_at_once_and_far_ones_apart() -> None:
    near = shown("holding 110 real", "holding 100 int", "holding 118 int")
    assert runs(near) == [("holding", 100, 19)]
    assert runs([*near, *shown("holding 400 dint", "input 100 int")]) == [
        ("holding", 100, 19),
        ("holding", 400, 2),
        ("input", 100, 1),
    ]


def test_no_read_is_longer_than_a_request_may_be() -> None:
    """125 registers is the most of one request (MODBUS Application Protocol V1.1b3, 6.3): here 120."""
    found = runs(shown(*(f"holding {k} int" for k in range(0, 300, 10))))
    assert all(count <= 120 for _, _, count in found)
    covered = {first + k for _, first, count in found for k in range(count)}
    assert set(range(0, 300, 10)) <= covered


def test_one_inside_another_and_nothing_at_all() -> None:
    assert runs(shown("holding 10 real", "holding 11 int")) == [("holding", 10, 2)]
    assert runs([]) == []
