"""Thermocouples by IEC 60584-1: the standard's own figures, and the inverse as the true inverse."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.signals.sensors.thermocouples import thermocouple, thermocouple_letters

K = thermocouple("K")

# IEC 60584-1 reference table for type K, °C and mV.
TABLE_K = [(-270, -6.458), (-200, -5.891), (-100, -3.554), (0, 0.0), (24, 0.9597), (100, 4.096), (200, 8.1385),
           (350, 14.2931), (500, 20.6443), (1000, 41.276), (1372, 54.886)]  # fmt: skip


# IEC 60584-1 reference tables of the other letters, °C and mV.
TABLES = {
    "A": [(0, 0.0), (2500, 33.640)],
    "B": [(0, 0.0), (500, 1.242), (1000, 4.834), (1500, 10.099), (1820, 13.820)],
    "C": [(0, 0.0), (2315, 37.070)],
    "E": [(-270, -9.835), (-200, -8.825), (100, 6.319), (500, 37.005), (1000, 76.373)],
    "J": [(-210, -8.095), (100, 5.269), (500, 27.393), (760, 42.919), (1200, 69.553)],
    "N": [(-270, -4.345), (100, 2.774), (500, 16.748), (1000, 36.256), (1300, 47.513)],
    "R": [(-50, -0.226), (500, 4.471), (1000, 10.506), (1768, 21.101)],
    "S": [(-50, -0.236), (500, 4.233), (1000, 9.587), (1768, 18.693)],
    "T": [(-270, -6.258), (-200, -5.603), (100, 4.279), (200, 9.288), (400, 20.872)],
}


@pytest.mark.parametrize(("letter", "degc", "mv"), [(k, *row) for k, rows in TABLES.items() for row in rows])
def test_each_letter_has_the_emf_of_its_table(letter: str, degc: float, mv: float) -> None:
    assert float(thermocouple(letter).emf_mv(degc)) == pytest.approx(mv, abs=0.0008)


@pytest.mark.parametrize("letter", thermocouple_letters())
def test_the_ranges_of_a_letter_meet(letter: str) -> None:
    element = thermocouple(letter)
    for joint in (0.0, 630.615, 760.0, 1064.18, 1664.5):
        if element.low_degc < joint < element.high_degc:
            below, above = element.emf_mv([joint - 1e-7, joint + 1e-7])
            assert abs(above - below) < 1e-6


@pytest.mark.parametrize("letter", thermocouple_letters())
@given(share=st.floats(0, 1))
def test_every_letter_there_and_back(letter: str, share: float) -> None:
    """The true inverse, within 0.0005 °C wherever it is unique: type B from 42 °C on, the lowest degrees apart."""
    element = thermocouple(letter)
    low = 43.0 if letter == "B" else max(element.low_degc, -260.0)
    degc = low + share * (element.high_degc - low)
    assert float(element.temperature_degc(element.emf_mv(degc))) == pytest.approx(degc, abs=0.0005)


def test_type_b_has_two_temperatures_below_forty_two_degrees() -> None:
    """Least −2.585 µV near 21 °C (MEANINGS)."""
    b = thermocouple("B")
    assert b.unique_from_degc == pytest.approx(21.0, abs=0.1)
    assert b.low_mv == pytest.approx(-0.002585, abs=1e-6)
    assert b.is_unique([0.01, -0.001]).tolist() == [True, False]
    assert float(b.temperature_degc(b.emf_mv(10.0))) == pytest.approx(32.0, abs=0.5), "the higher of the two"
    assert all(thermocouple(letter).is_unique(thermocouple(letter).low_mv) for letter in "ACEJKNRST")


@pytest.mark.parametrize(("degc", "mv"), TABLE_K)
def test_type_k_has_the_emf_of_the_standards_table(degc: float, mv: float) -> None:
    decimals = 4 if round(mv, 3) != mv else 3
    assert round(float(K.emf_mv(degc)), decimals) == pytest.approx(mv, abs=1.5 * 10**-decimals)


def test_the_two_ranges_of_type_k_meet_at_zero() -> None:
    below, above = K.emf_mv([-1e-9, 1e-9])
    assert abs(above - below) < 1e-6


@given(st.floats(-265, 1372))
def test_temperature_to_emf_and_back_is_the_same_temperature(degc: float) -> None:
    assert float(K.temperature_degc(K.emf_mv(degc))) == pytest.approx(degc, abs=0.0005)


def test_an_array_is_answered_in_its_own_shape() -> None:
    t = np.array([[0.0, 100.0], [200.0, 300.0]])
    assert K.temperature_degc(K.emf_mv(t)) == pytest.approx(t, abs=1e-6)


def test_beyond_the_range_of_the_letter_there_is_no_figure() -> None:
    assert np.isnan(K.emf_mv([-271.0, 1373.0, np.nan])).all()
    assert np.isnan(K.temperature_degc([-6.5, 55.0, np.nan])).all()


def test_compensation_belongs_in_mv() -> None:
    """Hot 350, junction 24: 13.3334 mV; uncompensated 327.05 °C; adding 24 °C blindly gives 351.05 °C."""
    at_terminals = float(K.emf_mv(350) - K.emf_mv(24))
    assert at_terminals == pytest.approx(13.3334, abs=0.00005)
    assert float(K.temperature_degc(at_terminals)) == pytest.approx(327.05, abs=0.005)
    assert float(K.temperature_degc(at_terminals)) + 24 == pytest.approx(351.05, abs=0.005)


def test_an_unknown_letter_is_an_error() -> None:
    with pytest.raises(KeyError):
        thermocouple("Q")
