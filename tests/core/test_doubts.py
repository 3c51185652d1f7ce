"""Figures typed in the wrong unit or a digit off are asked about; nothing is corrected."""

from __future__ import annotations

import pytest

from canaleta.core.checks.doubts import Due, doubt_of

MBAR = Due(value=250.0, low=0.0, span=500.0, unit="mbar", decimals=1, signal=12.0, counts=16000.0)


@pytest.mark.parametrize(
    ("typed", "code", "meant"),
    [
        (25.0, "decimal point", 250.0),
        (2500.0, "decimal point", 250.0),
        (0.25, "decimal point", 250.0),  # and bar: the plainer slip is told
        (-250.0, "sign", 250.0),
        (350.0, "digit", 250.0),
        (205.0, "digit", 250.0),
        (50.0, "percent", 250.0),
        (12.0, "signal", 250.0),
        (16000.0, "count", 250.0),
        (3.626, "unit", 250.0),  # psi: 3.6259 · 68.948 mbar
    ],
)
def test_a_slip_is_told_with_what_it_may_have_been(typed: float, code: str, meant: float) -> None:
    doubt = doubt_of(typed, MBAR)
    assert doubt is not None
    assert doubt.code == code
    assert doubt.meant == pytest.approx(meant, rel=0.01)
    assert "250.0 mbar is due" in doubt.says


@pytest.mark.parametrize("typed", [250.0, 252.0, 241.0, 263.7, 0.0, float("nan")])
def test_what_is_near_or_nothing_explains_is_an_error_and_no_doubt(typed: float) -> None:
    assert doubt_of(typed, MBAR) is None


def test_fahrenheit_is_told_from_celsius() -> None:
    """600 °C are 1112 °F."""
    doubt = doubt_of(1112.0, Due(value=600.0, low=0.0, span=1200.0, unit="°C", decimals=1))
    assert doubt is not None
    assert (doubt.code, round(doubt.meant, 3)) == ("unit", 600.0)
    assert "°F" in doubt.says


def test_a_calibrator_read_a_digit_off_is_told() -> None:
    """1.2 for 12 mA, and 21 for 12: exchanged digits are too short to be told from an error, so they are not."""
    ma = Due(value=12.0, low=4.0, span=16.0, unit="mA", decimals=3)
    assert doubt_of(1.2, ma) is not None
    assert doubt_of(12.01, ma) is None
