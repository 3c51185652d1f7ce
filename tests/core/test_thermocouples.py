"""Thermocouples by IEC 60584-1: the standard's own figures, and the inverse as the true inverse."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.sensors.thermocouples import thermocouple

K = thermocouple("K")

# IEC 60584-1 reference table for type K, °C and mV.
TABLE_K = [(-270, -6.458), (-200, -5.891), (-100, -3.554), (0, 0.0), (24, 0.9597), (100, 4.096), (200, 8.1385),
           (350, 14.2931), (500, 20.6443), (1000, 41.276), (1372, 54.886)]  # fmt: skip


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
