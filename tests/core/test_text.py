"""What people type is read without guessing, and written with every digit."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.notation.patterns import lines_with
from canaleta.core.notation.text import TextError, begins_formula, plain, read_number, read_range, shown


@pytest.mark.parametrize(
    ("typed", "number"),
    [("600", "600"), ("0,5", "0.5"), ("-12.40", "-12.40"), ("\u22123", "-3"), ("1\u2009200", "1200"), ("1 013,25", "1013.25"),
     ("0,125", "0.125"), (".5", "0.5"), ("1e3", "1E+3"), ("32 000", "32000"), ("1'000.5", "1000.5")],
)  # fmt: skip
def test_numbers_with_point_or_comma(typed: str, number: str) -> None:
    assert read_number(typed) == Decimal(number)


@pytest.mark.parametrize("typed", ["", "abc", "1,2,3", "nan", "inf", "--3", "1 2", "1e999", "0x10", "٣"])
def test_what_is_no_number_is_refused_in_words(typed: str) -> None:
    with pytest.raises(TextError) as refusal:
        read_number(typed)
    assert typed in str(refusal.value)


def test_one_comma_before_three_digits_is_asked_about() -> None:
    with pytest.raises(TextError, match=r"two ways: write 1200 or 1\.200"):
        read_number("1,200")


@pytest.mark.parametrize(
    ("typed", "low", "high", "unit"),
    [
        ("-20…80 °C", "-20", "80", "°C"),
        ("0-6 bar(g)", "0", "6", "bar(g)"),
        ("4 to 20 mA", "4", "20", "mA"),
        ("0,5 … 2,5", "0.5", "2.5", ""),
        ("-50..-10 Pa", "-50", "-10", "Pa"),
        ("−1–1 bar", "-1", "1", "bar"),
    ],
)
def test_ranges_with_their_unit(typed: str, low: str, high: str, unit: str) -> None:
    found = read_range(typed)
    assert found
    assert (found.low, found.high, found.unit) == (Decimal(low), Decimal(high), unit)


@pytest.mark.parametrize("typed", ["600", "-20", "12.5 mbar", "bar"])
def test_a_single_number_is_no_range(typed: str) -> None:
    assert read_range(typed) is None


@given(st.decimals(allow_nan=False, allow_infinity=False, min_value=-(10**9), max_value=10**9, places=4))
def test_a_typed_number_comes_back_to_the_last_digit(number: Decimal) -> None:
    assert str(read_number(plain(number))) == str(Decimal(plain(number)))


def test_figures_are_shown_with_true_minus_and_thin_spaces() -> None:
    assert shown(-12345.678, 1) == "\u221212\u202f345.7"
    assert shown(-0.0001, 2) == "0.00"
    assert [shown(v, 1) for v in (156.25, 0.15, -0.25, 0.35)] == ["156.3", "0.2", "\u22120.3", "0.4"]
    assert shown(float("nan"), 2) == ""


@pytest.mark.parametrize(
    "text",
    [
        "=1+1",
        "+1",
        "-cmd",
        "@SUM(1)",
        "\t=1",
        "\r=1",
        "\uff1d1+1",
        "\uff0b1",
        "\uff0d1",
        "\uff20A1",
        "\u22121",
        " =1",
        "\u3000=1",
    ],
)
def test_what_a_spreadsheet_would_compute_is_known(text: str) -> None:
    """The four signs, their full-width forms, and blanks that some programs skip before them."""
    assert begins_formula(text)


@pytest.mark.parametrize("text", ["%IW1.2", "PT-1", "4–20 mA", "", "1", "(a)"])
def test_what_it_would_show_as_it_is_stays(text: str) -> None:
    assert not begins_formula(text)


def test_texts_that_have_a_pattern_are_found_whatever_stands_beside_them() -> None:
    """All are looked through in one go: a text that ends like a beginning takes nothing from the next one."""
    ranges = lines_with(r"\d\s*to\s*\d")
    assert ranges(["zone 5 to", "0 to 6 mbar", None, "", "a 1 to 2, b 3 to 4", "5\nto 7", "to 8"]) == [1, 4, 5]
    assert ranges([]) == []
