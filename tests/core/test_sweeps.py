"""A loop-back: eleven levels up and back, by hand."""

import math

import pytest

from canaleta.core.checks.sweeps import SHARES, compared


def test_a_sweep_is_eleven_levels_up_and_the_same_back() -> None:
    assert SHARES[:11] == tuple(range(0, 101, 10))
    assert SHARES[10:] == tuple(range(100, -1, -10))


def test_an_input_that_reads_high_and_lags_on_the_way_back() -> None:
    """Reads 0.2 % high going up, and 0.5 % high coming back: worst 0.5, hysteresis 0.3 at every level but the top."""
    read = [x + (0.2 if k <= 10 else 0.5) for k, x in enumerate(SHARES)]
    found = compared(SHARES, read, 0.5)
    assert [row.way for row in found.rows] == ["up"] * 11 + ["down"] * 10
    assert [row.difference for row in found.rows] == pytest.approx([0.2] * 11 + [0.5] * 10)
    assert found.worst == pytest.approx(0.5)
    assert found.hysteresis == pytest.approx(0.3)
    assert compared(SHARES, read, 0.51).passes is True
    assert compared(SHARES, read, 0.49).passes is False


def test_a_difference_is_as_bad_below_as_above() -> None:
    found = compared([0, 50, 100], [0, 48.5, 100.5], 1.0)
    assert (found.worst, found.passes) == (1.5, False)


def test_what_was_not_read_leaves_it_open_and_is_no_error() -> None:
    found = compared([0, 50, 100, 50], [0, math.nan, 100, 50.1], 1.0)
    assert found.passes is None
    assert found.worst == pytest.approx(0.1)
    assert math.isnan(found.hysteresis), "no level was read both ways"
    nothing = compared([], [], 1.0)
    assert (nothing.passes, nothing.rows) == (None, ())
    assert math.isnan(nothing.worst)
