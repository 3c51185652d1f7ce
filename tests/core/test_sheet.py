"""Check points, curve, terminals and what is typed at a station."""

from decimal import Decimal

import numpy as np
import pytest
from tests.building.words import plant_of

from canaleta.core.checks.checkpoints import check_points, curve, true_value
from canaleta.core.model.fields import Station
from canaleta.core.notation.text import TextError
from canaleta.core.path.facts import facts_of
from canaleta.core.sheet.entry import read_station
from canaleta.core.wiring.terminals import wiring

PRESSURE = plant_of("4–20 mA, 0…600 mbar, shows 0…60 kPa")


def test_check_points_hold_five_parts_of_span_and_the_faults() -> None:
    labels = [point.label for point in check_points(PRESSURE, 0)]
    assert labels == ["0", "25", "50", "75", "100", "open", "3.6 mA", "3.8 mA", "20.5 mA", "21.0 mA"]
    thermal = [point.label for point in check_points(plant_of("TC K, 0…1200 °C"), 0)]
    assert thermal[5:] == ["open", "short", "reversed"]


def test_what_is_true_is_told_in_the_unit_of_the_value() -> None:
    assert true_value(PRESSURE, 0, 300.0) == pytest.approx(30.0)
    assert true_value(plant_of("4–20 mA, 0…25 mbar, shows 0…6500 m³/h"), 0, 10.0) is None


def test_the_curve_of_an_agreeing_point_is_the_devices_own() -> None:
    drawn = curve(PRESSURE, 0)
    assert drawn is not None
    assert drawn.device is not None
    inside = (drawn.loop > 4) & (drawn.loop < 20)
    np.testing.assert_allclose(drawn.shows[inside], drawn.device[inside], atol=60 / 32000)
    assert curve(plant_of("contact NO"), 0) is None


def test_a_square_root_is_drawn_against_the_straight_line() -> None:
    drawn = curve(plant_of("4–20 mA, 0…25 mbar, shows 0…6500 m³/h, by square root"), 0)
    assert drawn is not None
    assert drawn.straight is not None
    assert drawn.device is None


@pytest.mark.parametrize(
    ("supply", "wires", "words"),
    [
        ("module", "2", "one source: the module. current out of 1, back at 2"),
        ("own 24 V", "4", "one source: the device's own supply. current into 2, back at 3"),
        ("module", "3", "one source: the module. supply from 1, current into 2 and back at 3"),
    ],
)
def test_a_current_loop_has_one_source_and_closes(supply: str, wires: str, words: str) -> None:
    plant = PRESSURE.with_cells({(0, "supply"): supply, (0, "wires"): int(wires)})
    wired = wiring(plant, 0)
    assert wired is not None
    assert wired.words == words
    assert {core.flows for core in wired.cores} == {"to device", "to module"}


def test_a_point_without_channel_has_no_terminals() -> None:
    assert wiring(plant_of("4–20 mA, nowhere"), 0) is None


@pytest.mark.parametrize(
    ("station", "typed", "value"),
    [
        (Station.LOOP, "9", 9.0),
        (Station.LOOP, "9,5 mA", 9.5),
        (Station.PROCESS, "30 kPa", 300.0),
        (Station.COUNTS, "0x2710", 10000),
        (Station.COUNTS, "0xE0C0", -8000),
        (Station.COUNTS, "0b1010", 10),
        (Station.COUNTS, "-8 000", -8000),
        (Station.DEVICE, "50 %", 50.0),
    ],
)
def test_any_station_can_be_typed(station: Station, typed: str, value: float) -> None:
    assert read_station(PRESSURE, 0, station, typed) == pytest.approx(value)


@pytest.mark.parametrize(
    ("station", "typed", "says"),
    [
        (Station.COUNTS, "1.5", "whole"),
        (Station.COUNTS, "40000", "does not fit"),
        (Station.COUNTS, "0x12345", "16 bits"),
        (Station.LOOP, "5 V", "is in mA"),
        (Station.VALUE, "", "type a value"),
        (Station.PROCESS, "abc", "abc"),
    ],
)
def test_what_cannot_stand_at_a_station_is_refused(station: Station, typed: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_station(PRESSURE, 0, station, typed)


def test_states_are_typed_in_words() -> None:
    plant = plant_of("contact NC").with_cells({(0, "text_0"): "low", (0, "text_1"): "healthy"})
    assert read_station(plant, 0, Station.VALUE, "Healthy") == 1.0
    assert read_station(plant, 0, Station.DEVICE, "open") == 0.0
    with pytest.raises(TextError, match="0 or 1"):
        read_station(plant, 0, Station.VALUE, "maybe")


def test_an_alarm_is_told_in_units_on_the_wires_and_in_counts() -> None:
    """4 to 20 mA on 0 to 32 000 for 0 to 10 bar: 7.5 bar is 16 mA and 24 000 counts."""
    plant = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar").with_cells(
        {
            (0, "alarm_h"): Decimal("7.5"),
            (0, "alarm_h_deadband"): Decimal("0.5"),
            (0, "alarm_h_delay"): Decimal(3),
            (0, "alarm_h_priority"): "high",
            (0, "bands"): "low < 5 < high",
        }
    )
    sections = {section.title: section for section in facts_of(plant, 0)}
    (row,) = sections["alarms"].rows
    assert (row.label, row.figure) == ("alarm H", "7.50 bar")
    assert row.basis == "16.00 mA, count 24\u202f000 · ends at 7.00 bar · after 3 s · high"
    assert [(r.label, r.figure, r.basis) for r in sections["bands"].rows] == [
        ("low", "below 5.00 bar", "12.00 mA, count 16\u202f000"),
        ("high", "from 5.00 bar", "12.00 mA, count 16\u202f000"),
    ]
