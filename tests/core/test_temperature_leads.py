"""Leads of a thermometer by the length and section of its cable."""

from __future__ import annotations

import pytest
from tests.building.words import mode, path_of, stations

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.rules import audit

PT = mode("Ω", (0, 400), (0, 40000), family="resistance", wires=2)


def at_terminals(**loop: object) -> float:
    """Ω at the terminals of a Pt100 at 0 °C, which has 100 Ω itself (IEC 60751)."""
    image = path_of(device={"signal": "Pt100", "low": 0, "high": 100, "unit": "°C"}, loop=loop, input=PT)
    return stations(image, Station.PROCESS, 0.0)[2]


def test_a_lead_is_its_cable_by_length_and_section() -> None:
    """IEC 60228: a core of 0.75 mm² has 24.5 Ω a kilometre at most, so that 100 m, there and back, are 4.90 Ω."""
    assert at_terminals(wires="2", cable_m=100, cable_mm2=0.75) == pytest.approx(104.90)
    assert at_terminals(wires="2", cable_m=100, cable_mm2=1.5) == pytest.approx(100 + 2 * 1.21)


def test_a_warm_cable_has_more() -> None:
    """Copper: 0.393 % a kelvin from 20 °C on (IEC 60028): at 70 °C 4.90 · 1.1965."""
    assert at_terminals(wires="2", cable_m=100, cable_mm2=0.75, cable_degc=70) == pytest.approx(100 + 4.90 * (1 + 0.00393 * 50))  # fmt: skip


def test_what_is_typed_goes_before_what_the_cable_would_have() -> None:
    assert at_terminals(wires="2", cable_m=100, cable_mm2=0.75, lead_ohm=1.0) == pytest.approx(102.0)
    assert at_terminals(wires="2") == pytest.approx(100.0)


def seen(wires: str, built: int, **loop: object) -> float:
    """Ω that the input works with, of a Pt100 at 0 °C with leads of 2 Ω."""
    image = path_of(
        device={"signal": "Pt100", "low": 0, "high": 100, "unit": "°C"}, loop={"wires": wires, "lead_ohm": 2.0} | loop,
        input=mode("Ω", (0, 400), (0, 40000), family="resistance", wires=built),
    )  # fmt: skip
    return stations(image, Station.PROCESS, 0.0)[STATIONS.index(Station.INPUT)]


def test_three_wires_take_away_leads_that_are_alike_and_no_difference() -> None:
    """The input takes one lead for the other: of 2.5 and 2.0 Ω half an ohm stays, 1.3 °C of a Pt100."""
    assert seen("3", 3) == pytest.approx(100.0)
    assert seen("3", 3, lead_apart_ohm=0.5) == pytest.approx(100.5)
    assert seen("3", 3, lead_apart_ohm=-0.3) == pytest.approx(99.7)


def test_two_wires_count_all_of_it_and_four_none() -> None:
    assert seen("2", 2, lead_apart_ohm=0.5) == pytest.approx(104.5)
    assert seen("4", 4, lead_apart_ohm=0.5) == pytest.approx(100.0)


def test_leads_apart_are_found_and_back_from_the_value_they_are_taken_along() -> None:
    image = path_of(
        device={"signal": "Pt100", "low": 0, "high": 100, "unit": "°C"}, loop={"wires": "3", "lead_ohm": 2.0, "lead_apart_ohm": 1.0},
        input=mode("Ω", (0, 400), (0, 40000), family="resistance", wires=3),
    )  # fmt: skip
    forth = stations(image, Station.PROCESS, 50.0)
    back = stations(image, Station.LOOP, forth[STATIONS.index(Station.LOOP)])
    assert back[0] == pytest.approx(50.0, abs=1e-6)
    assert "R19" in {finding.rule for finding in audit(image)}


def test_a_figure_that_is_taken_off_goes_away_before_the_curve() -> None:
    """Two leads of 2 Ω on two wires are 104 Ω; 4 Ω taken off are 100 again, 3.5 Ω leave half an ohm."""
    assert seen("2", 2) == pytest.approx(104.0)
    assert seen("2", 2, lead_taken_ohm=4.0) == pytest.approx(100.0)
    assert seen("2", 2, lead_taken_ohm=3.5) == pytest.approx(100.5)


def test_leads_that_are_taken_off_are_no_error() -> None:
    def told(**loop: object) -> list[str]:
        image = path_of(
            device={"signal": "Pt100", "low": 0, "high": 100, "unit": "°C"}, loop={"wires": "2", "lead_ohm": 2.0} | loop, input=PT
        )  # fmt: skip
        return [f.text for f in audit(image) if f.rule == "R19"]

    assert len(told()) == 1
    assert told(lead_taken_ohm=4.0) == []
    # Taken off twice it reads low: 4 Ω are 10.2 °C at 0.39 Ω a degree.
    assert "\u221210." in told(lead_taken_ohm=8.0)[0]
