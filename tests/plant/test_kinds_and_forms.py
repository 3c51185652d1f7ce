"""Changing a point's kind keeps what still applies; the form of a scaling that was typed is what is stored."""

from decimal import Decimal

import pytest
from tests.building.database import Database
from tests.building.desks import Desk

PT, TE, RTD = 4, 6, 13


@pytest.fixture
def ana(database: Database) -> Desk:
    return Desk(database)


def test_another_signal_brings_a_mode_that_fits_and_undo_the_old_one(ana: Desk) -> None:
    before = {
        f: ana.text(PT, f) for f in ("signal", "mode", "device_low", "device_high", "counts_high", "value_high")
    }
    ana.edit((PT, "signal", "0–10 V"))
    assert ana.text(PT, "mode") == "0–10 V"
    assert ana.text(PT, "counts_high") == "", "the counts follow signal and module again"
    assert ana.text(PT, "device_high") == before["device_high"]
    from canaleta.plant.changes.undo import undo

    undo(ana.engine, ana.cache, "ana")
    assert {f: ana.text(PT, f) for f in before} == before


def test_a_class_of_another_kind_of_element_goes(ana: Desk) -> None:
    assert ana.text(RTD, "tolerance_class") == "A"
    ana.edit((RTD, "signal", "TC K"))
    assert ana.text(RTD, "tolerance_class") == ""


def test_what_somebody_types_himself_wins_over_what_follows(ana: Desk) -> None:
    ana.edit((PT, "signal", "0–20 mA"), (PT, "mode", "0–20 mA"), (PT, "counts_high", "31000"))
    assert (ana.text(PT, "mode"), ana.text(PT, "counts_high")) == ("0–20 mA", "31000")


def test_an_offset_edited_there_and_back_restores_every_digit(ana: Desk) -> None:
    """The end points move with it and come back to the last digit."""
    ends = {f: ana.text(PT, f) for f in ("value_low", "value_high", "counts_low", "counts_high")}
    ana.edit((PT, "slope", "0.0003125"))
    assert ana.text(PT, "value_form") == "slope and offset"
    assert Decimal(ana.text(PT, "offset")) == 0
    ana.edit((PT, "offset", "0.1"))
    ana.edit((PT, "offset", "0"))
    ana.edit((PT, "value_form", "two points"))
    assert {f: ana.text(PT, f) for f in ends} == ends


def test_typing_an_end_point_in_the_other_form_makes_that_form_the_stored_one(ana: Desk) -> None:
    ana.edit((PT, "slope", "0.001"), (PT, "offset", "2"))
    ana.edit((PT, "value_high", "40"))
    assert ana.text(PT, "value_form") == "two points"
    # 0.001 · 0 + 2 is the low end that stood there; 32 000 is the high count.
    assert (ana.text(PT, "value_low"), ana.text(PT, "value_high"), ana.text(PT, "counts_high")) == (
        "2",
        "40",
        "32000",
    )


def test_a_range_fills_the_unit_and_what_it_is_counted_from(ana: Desk) -> None:
    ana.edit((PT, "device_low", "0-6 bar(g)"))
    assert [ana.text(PT, f) for f in ("device_low", "device_high", "device_unit", "device_reference")] == [
        "0",
        "6",
        "bar",
        "gauge",
    ]


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("shunt_ohm", "-5", "from 0.1 to 10000"),
        ("lift_off_v", "12 mA", "lift-off is in V"),
        ("value_table", "1 2", "at least two points"),
        ("hops", "barrier 300", "whether it is Ω or V"),
        ("slope", "1…2", "is one number"),
    ],
)
def test_cells_that_cannot_be_read_are_refused_with_the_reason(ana: Desk, field: str, text: str, says: str) -> None:
    refused = ana.propose((PT, field, text))
    assert says in refused.refusals[0].says  # type: ignore[union-attr]
