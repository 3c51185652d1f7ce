"""Numbers in registers: every representation there and back, hand-worked words, and what does not fit."""

import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from canaleta.core.model.module_type import StatusBits
from canaleta.core.signals.converters import ORDERS, WordForm, round_counts

FORMS = [
    WordForm(),
    WordForm(coding="unsigned"),
    WordForm(coding="offset binary"),
    WordForm(used_bits=12),
    WordForm(used_bits=12, coding="unsigned"),
    WordForm(used_bits=14, coding="offset binary"),
    *(WordForm(bits=32, order=order) for order in ORDERS),
    WordForm(bits=32, coding="unsigned", order="CDAB"),
    WordForm(order="BADC"),
    *(WordForm(bits=64, order=order) for order in ORDERS),
    WordForm(bits=64, coding="unsigned"),
    WordForm(bits=64, coding="offset binary"),
    *(WordForm(kind="BCD", bits=bits) for bits in (16, 32, 64)),
    *(WordForm(kind="modulo 10000", bits=bits, order="CDAB") for bits in (32, 64)),
    WordForm(used_bits=13, low_bit=0),
    WordForm(used_bits=20, low_bit=4, bits=32, coding="offset binary"),
]


@pytest.mark.parametrize(
    ("form", "count", "words"),
    [
        (WordForm(), -8000, [0xE0C0]),
        (WordForm(), -1, [0xFFFF]),
        (WordForm(coding="unsigned"), 39321, [0x9999]),
        (WordForm(coding="offset binary"), 0, [0x8000]),
        (WordForm(coding="offset binary"), -32768, [0x0000]),
        (WordForm(used_bits=12, coding="unsigned"), 4095, [0xFFF0]),
        (WordForm(used_bits=12, coding="unsigned"), 1, [0x0010]),
        (WordForm(used_bits=12), -1, [0xFFF0]),
        (WordForm(bits=32, order="ABCD"), 0x01020304, [0x0102, 0x0304]),
        (WordForm(bits=32, order="CDAB"), 0x01020304, [0x0304, 0x0102]),
        (WordForm(bits=32, order="BADC"), 0x01020304, [0x0201, 0x0403]),
        (WordForm(bits=32, order="DCBA"), 0x01020304, [0x0403, 0x0201]),
        (WordForm(order="BADC"), 0x0102, [0x0201]),
        (WordForm(bits=32), -2, [0xFFFF, 0xFFFE]),
        (WordForm(bits=64), -2, [0xFFFF, 0xFFFF, 0xFFFF, 0xFFFE]),
        (WordForm(bits=64, coding="unsigned", order="CDAB"), 0x0001000200030004, [4, 3, 2, 1]),
        (WordForm(bits=64, order="BADC"), 0x0001020304050607, [0x0100, 0x0302, 0x0504, 0x0706]),
        (WordForm(bits=64, order="DCBA"), 0x0001020304050607, [0x0706, 0x0504, 0x0302, 0x0100]),
        (WordForm(bits=64, coding="offset binary"), -1, [0x7FFF, 0xFFFF, 0xFFFF, 0xFFFF]),
        (WordForm(kind="BCD"), 1975, [0x1975]),
        (WordForm(kind="BCD", bits=32), 12345678, [0x1234, 0x5678]),
        (WordForm(kind="BCD", bits=32, order="CDAB"), 12345678, [0x5678, 0x1234]),
        (WordForm(kind="modulo 10000", bits=32), 1234567, [123, 4567]),
        (WordForm(kind="modulo 10000", bits=64, order="CDAB"), 12345, [2345, 1, 0, 0]),
        (WordForm(used_bits=12, low_bit=0, coding="unsigned"), 4095, [0x0FFF]),
        (WordForm(used_bits=12, low_bit=3), -1, [0x7FF8]),
    ],
)
def test_words_worked_out_by_hand(form: WordForm, count: int, words: list[int]) -> None:
    assert form.words_of(count)[0].tolist() == words
    assert form.counts_of(words)[0] == count


@pytest.mark.parametrize(
    ("form", "words"),
    [
        (WordForm(kind="BCD"), [0x12A4]),
        (WordForm(kind="BCD", bits=32), [0x0000, 0xF000]),
        (WordForm(kind="modulo 10000", bits=32), [1, 10_000]),
        (WordForm(kind="float", bits=64), [0x7FF8, 0, 0, 0]),
    ],
)
def test_what_is_no_number_is_none(form: WordForm, words: list[int]) -> None:
    assert np.isnan(form.counts_of(words)[0])


@pytest.mark.parametrize("low_bit", [0, 4])
def test_flags_beside_a_number_do_not_touch_it(low_bit: int) -> None:
    form = WordForm(used_bits=12, low_bit=low_bit)
    number = int(form.words_of(-5)[0, 0])
    flags = 0xFFFF & ~(0xFFF << low_bit)
    assert form.counts_of([number | flags])[0] == form.counts_of([number])[0] == -5


def test_a_double_stands_as_ieee_754_says() -> None:
    """1/3 is 0x3FD5555555555555: sign 0, exponent 1021, fraction one third."""
    form = WordForm(kind="float", bits=64, order="CDAB")
    assert form.words_of(1 / 3)[0].tolist() == [0x5555, 0x5555, 0x5555, 0x3FD5]
    assert form.counts_of([0x5555, 0x5555, 0x5555, 0x3FD5])[0] == 1 / 3


@pytest.mark.parametrize("order", ORDERS)
def test_reals_stand_as_ieee_754_says_in_every_byte_order(order: str) -> None:
    """12.5 is 0x41480000: sign 0, exponent 130, fraction 0.5625."""
    octets = struct.pack(">f", 12.5)
    assert octets.hex() == "41480000"
    sent = bytes(octets["ABCD".index(letter)] for letter in order)
    words = list(struct.unpack(">HH", sent))
    form = WordForm.model_validate({"kind": "float", "bits": 32, "order": order})
    assert form.words_of(12.5)[0].tolist() == words
    assert form.counts_of(words)[0] == 12.5


@pytest.mark.parametrize("form", FORMS, ids=str)
@given(share=st.floats(0, 1))
def test_every_form_there_and_back(form: WordForm, share: float) -> None:
    count = float(round(form.least + share * (form.most - form.least)))
    count = min(max(count, form.least), form.most)
    assert form.counts_of(form.words_of(count))[0] == count


@pytest.mark.parametrize(
    "form", [f for f in FORMS if f.bits == 16 and f.kind == "whole" and f.low_bit is None], ids=str
)
def test_every_word_there_and_back(form: WordForm) -> None:
    step = 1 << (16 - form.used_bits) if form.used_bits else 1
    words = np.arange(0, 65536, step, dtype=np.uint16)[:, None]
    if form.order == "BADC":
        words = words.byteswap()
    np.testing.assert_array_equal(form.words_of(form.counts_of(words)), words)


@pytest.mark.parametrize(
    ("form", "count"), [(WordForm(), 32768), (WordForm(coding="unsigned"), -1), (WordForm(used_bits=12), 2048)]
)
def test_a_count_that_does_not_fit_is_refused(form: WordForm, count: int) -> None:
    with pytest.raises(ValueError, match="does not fit"):
        form.words_of(count)


def test_a_form_that_contradicts_itself_is_refused() -> None:
    for bad in ({"kind": "float", "bits": 16}, {"bits": 16, "used_bits": 20}):
        with pytest.raises(ValidationError):
            WordForm.model_validate(bad)


@pytest.mark.parametrize(
    ("exact", "nearest", "down", "toward_zero"),
    [(2.5, 3, 2, 2), (-2.5, -3, -3, -2), (1638.3, 1638, 1638, 1638), (-0.2, 0, -1, 0)],
)
def test_what_becomes_of_a_fraction(exact: float, nearest: int, down: int, toward_zero: int) -> None:
    found = [float(round_counts(np.array([exact]), code)[0]) for code in (0, 1, 2, 3)]
    assert found == [nearest, down, toward_zero, exact]


def test_a_converter_of_twelve_bits_moves_by_its_own_step() -> None:
    """12 bits over 0 … 32 000 move by 32 000 / 4 000 = 8."""
    assert round_counts(np.array([10003.0, 10004.0, 10005.0]), 0, 8.0).tolist() == [10000, 10008, 10008]


def test_what_is_whole_but_for_the_last_binary_digit_is_whole() -> None:
    """0.1 · 3 · 10 is 3.0000000000000004; rounding down must not depend on it, nor on 2.9999999999999996."""
    assert round_counts(np.array([2.9999999999999996, 3.0000000000000004]), 1).tolist() == [3, 3]


def test_masks_by_the_base_of_the_bits() -> None:
    """Bits 1 and 2 make mask 3 counted from 1, and 6 counted from 0."""
    assert StatusBits(bit_base=1, one_means="fault").mask([1, 2]) == 3
    assert StatusBits(bit_base=0, one_means="fault").mask([1, 2]) == 6
