"""The field table: one declaration a field, and cells that are read as what they hold."""

from decimal import Decimal

import pytest

from canaleta.core.model.fields import FIELDS, Kind, Station, field_named, read_cell, written
from canaleta.core.notation.text import TextError


def test_columns_stand_in_the_order_of_the_stations() -> None:
    order = list(Station)
    places = [order.index(field.station) for field in FIELDS]
    assert places == sorted(places)


def test_every_name_is_used_once_and_every_field_says_what_it_is() -> None:
    assert len({field.name for field in FIELDS}) == len(FIELDS)
    assert all(field.says and field.label for field in FIELDS)


def test_a_range_typed_into_one_cell_fills_its_neighbours() -> None:
    assert read_cell(field_named("device_high"), "0-6 bar") == {
        "device_low": Decimal(0),
        "device_high": Decimal(6),
        "device_unit": "bar",
    }


def test_a_number_with_its_unit_fills_the_unit() -> None:
    assert read_cell(field_named("value_high"), "12.50 mbar") == {
        "value_high": Decimal("12.50"),
        "value_unit": "mbar",
    }


def test_decimals_are_kept_as_typed() -> None:
    assert written(read_cell(field_named("value_high"), "10,00")["value_high"]) == "10.00"


def test_blank_empties_a_cell_but_a_tag_stays() -> None:
    assert read_cell(field_named("service"), "  ") == {"service": None}
    with pytest.raises(TextError, match="keeps a tag"):
        read_cell(field_named("tag"), "")


@pytest.mark.parametrize(
    ("field", "typed", "becomes"),
    [
        ("signal", "4-20ma", "4–20 mA"),
        ("signal", "tck", "TC K"),
        ("device_unit", "M3/H", "m³/h"),
        ("wires", "3", 3),
        ("supply", "own", "own 24 V"),
        ("acting", "rev", "reverse"),
        ("device_unit", "degC", "°C"),
    ],
)
def test_choices_and_units_are_met_by_what_is_meant(field: str, typed: str, becomes: object) -> None:
    assert read_cell(field_named(field), typed)[field] == becomes


@pytest.mark.parametrize(
    ("field", "typed", "says"),
    [
        ("signal", "0", "could be"),
        ("signal", "profi", "not one of"),
        ("wires", "5", "from 2 to 4"),
        ("wires", "2.5", "whole"),
        ("device_unit", "parsec", "not a unit"),
        ("counts_low", "3 bar", "no unit"),
        ("service", "x" * 121, "holds 120"),
        ("service", "a\x07b", "printable"),
        ("now", "5", "cannot be typed"),
    ],
)
def test_what_cannot_be_read_is_refused_in_words(field: str, typed: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_cell(field_named(field), typed)


def test_live_and_checks_are_not_stored() -> None:
    assert {f.name for f in FIELDS if not f.stored} == {
        f.name for f in FIELDS if f.kind in (Kind.LIVE, Kind.CHECKS, Kind.FOLLOWS)
    }


@pytest.mark.parametrize(
    ("typed", "signal"),
    [("4 to 20 mA", "4–20 mA"), ("4...20mA", "4–20 mA"), ("-10…10 V", "±10 V"), ("0 bis 10 V", "0–10 V"), ("type K", "TC K"),
     ("pt 100", "Pt100"), ("Pt100 3916", "Pt100 3916"), ("npn no", "NPN NO"), ("0-5 V", "0–5 V")],
)  # fmt: skip
def test_signals_are_read_by_name_span_and_letter(typed: str, signal: str) -> None:
    assert read_cell(field_named("signal"), typed) == {"signal": signal}


def test_a_signal_nobody_has_is_told() -> None:
    with pytest.raises(TextError, match="5 to 25 mA"):
        read_cell(field_named("signal"), "5 to 25 mA")
