"""Drift by hand: lines through errors that were found and left, their band, and when they leave the tolerance."""

import math

import numpy as np
import pytest

from canaleta.core.checks.drift import DAYS_A_YEAR, Seen, drift_of, drifts_of

YEAR = DAYS_A_YEAR


def seen(*readings: tuple[float, float]) -> list[Seen]:
    """(years, error) of readings without an adjustment."""
    return [Seen(years * YEAR, error) for years, error in readings]


def test_a_straight_line_says_when_it_leaves() -> None:
    """0.1 a year from nought: the fourth year is out of ±0.4, counted from the newest reading at two."""
    found = drift_of(seen((0, 0.0), (1, 0.1), (2, 0.2)))
    assert found is not None
    assert found.rate == pytest.approx(0.1)
    assert found.at(3 * YEAR) == pytest.approx(0.3)
    assert found.scatter == pytest.approx(0.0, abs=1e-12)
    assert found.leaves(0.4) == pytest.approx(2 * YEAR, abs=0.1)
    assert found.leaves(0.4, with_band=False) == pytest.approx(2 * YEAR, abs=0.1)


def test_a_line_that_falls_leaves_below() -> None:
    found = drift_of(seen((0, 0.1), (1, 0.0), (2, -0.1)))
    assert found is not None
    assert found.leaves(0.25) == pytest.approx(1.5 * YEAR, abs=0.1)


def test_the_band_is_that_of_one_further_reading() -> None:
    """Errors 0, 2, 1, 3 in years 0 to 3: rate 0.8, level 1.5 at 1.5; what is left over is −0.3, 0.9, −0.9, 0.3, whose squares
    add to 1.8 with two degrees: s = 0.9487. A year on, at 4: t = 4.3027, √(1 + 1/4 + 6.25/5) = 1.5811: 6.454."""
    found = drift_of(seen((0, 0), (1, 2), (2, 1), (3, 3)))
    assert found is not None
    assert (found.rate, found.level, found.middle / YEAR) == (
        pytest.approx(0.8),
        pytest.approx(1.5),
        pytest.approx(1.5),
    )
    assert found.scatter == pytest.approx(0.948683)
    assert found.band(4 * YEAR) == pytest.approx(6.4543, abs=1e-3)
    assert found.leaves(2.0) == 0.0, "its band is out already"
    # The line alone: 1.5 + 0.8 · (t − 1.5) is 3.5 at 4.
    assert found.leaves(3.5, with_band=False) == pytest.approx(YEAR, abs=0.1)


def test_an_adjustment_breaks_the_line_and_the_rate_goes_on() -> None:
    """0.1 a year, taken back to nought after two years: 0.1 a year still, and the level that it was left at."""
    found = drift_of([*seen((0, 0.0), (1, 0.1), (2, 0.2)), Seen(2 * YEAR, 0.0, begins=True), Seen(3 * YEAR, 0.1)])
    assert found is not None
    assert found.rate == pytest.approx(0.1)
    assert found.at(3 * YEAR) == pytest.approx(0.1)
    assert found.leaves(0.4) == pytest.approx(3 * YEAR, abs=0.1)


def test_what_was_left_alone_takes_the_rate_of_the_stretch_before() -> None:
    found = drift_of([*seen((0, 0.0), (1, 0.1), (2, 0.2)), Seen(2 * YEAR, -0.1, begins=True)])
    assert found is not None
    assert found.at(2 * YEAR) == pytest.approx(-0.1)
    assert found.leaves(0.3, with_band=False) == pytest.approx(4 * YEAR, abs=0.1)


def test_a_line_that_comes_back_first_leaves_on_the_other_side() -> None:
    """0.3 less 0.1 a year is nought in the third year and out of ±0.35 in the seventh."""
    found = drift_of(seen((0, 0.3), (1, 0.2), (2, 0.1)))
    assert found is not None
    assert found.leaves(0.35) == pytest.approx(4.5 * YEAR, abs=0.1)


def test_too_little_says_nothing() -> None:
    assert drift_of([]) is None
    one = drift_of(seen((0, 0.1)))
    assert one is not None
    assert math.isnan(one.rate)
    assert math.isnan(one.leaves(0.5))
    two = drift_of(seen((0, 0.0), (1, 0.1)))
    assert two is not None
    assert two.rate == pytest.approx(0.1), "a line through two readings has a rate"
    assert math.isnan(two.leaves(0.5)), "and no band"
    assert two.leaves(0.5, with_band=False) == pytest.approx(4 * YEAR, abs=0.1)


def test_what_does_not_drift_stays_and_what_is_out_is_out_today() -> None:
    steady = drift_of(seen((0, 0.1), (1, 0.1), (2, 0.1)))
    assert steady is not None
    assert steady.leaves(0.5) == math.inf
    assert steady.leaves(0.05) == 0.0


def test_two_readings_of_one_day_have_no_rate() -> None:
    found = drift_of([Seen(5, 0.1), Seen(5, 0.3)])
    assert found is not None
    assert math.isnan(found.rate)


def test_readings_stand_in_order() -> None:
    with pytest.raises(ValueError, match="order"):
        drift_of([Seen(2, 0.0), Seen(1, 0.0)])


def test_many_lines_at_once_are_what_each_is_by_itself() -> None:
    """Three points: one drifts out, one was adjusted half way, one was checked once."""
    some = [
        [Seen(0, 0.0), Seen(365, 0.1), Seen(731, 0.22)],
        [Seen(10, 0.3), Seen(400, 0.45, begins=False), Seen(400, 0.0, begins=True), Seen(800, 0.12), Seen(900, 0.2)],
        [Seen(5, 0.1)],
    ]
    flat = [(k, one) for k, seen in enumerate(some) for one in seen]
    many = drifts_of(
        np.array([k for k, _ in flat]), np.array([one.day for _, one in flat], dtype=float),
        np.array([one.error for _, one in flat]), np.array([one.begins for _, one in flat]),
    )  # fmt: skip
    for k, seen in enumerate(some):
        alone = drift_of(seen)
        assert alone is not None
        for name in ("rate", "level", "middle", "last", "scatter", "freedom", "readings", "spread"):
            assert getattr(many.one(k), name) == pytest.approx(getattr(alone, name), nan_ok=True), name
        for banded in (True, False):
            days = many.leaves(np.full(3, 0.5), with_band=banded)[k]
            assert days == pytest.approx(alone.leaves(0.5, with_band=banded), nan_ok=True)
