"""Uncertainty and decisions by hand: JCGM 100 (GUM) for the shares, JCGM 106 for what they are worth."""

import math

import pytest

from canaleta.core.checks.uncertainty import (
    Accuracy,
    Decided,
    Rule,
    accuracy_share,
    decided,
    of_limit,
    of_mean,
    of_step,
    worst,
    worth_of,
)

CALIBRATOR = Accuracy(0, 24, of_reading=0.02, digits=2, resolution=0.001)
"""A loop calibrator of 0 to 24 mA: ±(0.02 % of reading + 2 µA)."""


def test_a_stated_accuracy_is_worked_out_at_the_reading() -> None:
    """At 12 mA 2.4 µA and 2 µA; at 0 the digits alone; of span what the span says."""
    assert CALIBRATOR.limit(12) == pytest.approx(0.0044)
    assert CALIBRATOR.limit(0) == pytest.approx(0.002)
    assert Accuracy(-10, 10, of_span=0.05).limit(3) == pytest.approx(0.01)
    assert Accuracy(-10, 10, of_reading=0.1).limit(-8) == pytest.approx(0.008)


def test_beyond_its_range_nothing_is_stated_of_an_instrument() -> None:
    assert CALIBRATOR.limit(24) > 0
    with pytest.raises(ValueError, match=r"24\.1 lies beyond the range of 0 to 24"):
        CALIBRATOR.limit(24.1)
    with pytest.raises(ValueError, match="beyond"):
        accuracy_share("calibrator", CALIBRATOR, -1)


def test_shares_follow_the_guide() -> None:
    """A limit of ±0.3 is 0.1732, a step of 0.06 is 0.01732, a scatter of 0.2 over sixteen samples is 0.05."""
    assert of_limit("limit", 0.3).standard == pytest.approx(0.17320508)
    assert of_step("step", 0.06).standard == pytest.approx(0.01732051)
    mean = of_mean("mean", 0.2, 16)
    assert (mean.standard, mean.freedom) == (pytest.approx(0.05), 15)
    # 500 mbar over 16 mA: each microampere is 0.03125 mbar.
    assert of_limit("limit", 0.0044, per=500 / 16).standard == pytest.approx(0.0044 * 31.25 / math.sqrt(3))


def test_the_scatter_of_one_sample_is_not_known() -> None:
    with pytest.raises(ValueError):
        of_mean("mean", 0.0, 1)


def test_shares_add_in_squares_and_are_expanded_by_two() -> None:
    """3 and 4 are 5, and 10 expanded; the larger has 64 % of the squares."""
    worth = worth_of([of_limit("a", 3 * math.sqrt(3)), of_limit("b", 4 * math.sqrt(3))])
    assert (worth.standard, worth.expanded) == (pytest.approx(5), pytest.approx(10))
    assert worth.part_of(worth.parts[1]) == pytest.approx(0.64)
    assert worth.freedom == math.inf


def test_effective_degrees_of_freedom() -> None:
    """JCGM 100, G.4.1: 0.05 of 15 degrees beside 0.05 of none: (2 · 0.05²)² / (0.05⁴ / 15) = 60."""
    worth = worth_of([of_mean("mean", 0.2, 16), of_limit("limit", 0.05 * math.sqrt(3))])
    assert worth.freedom == pytest.approx(60)


def test_a_loop_test_with_every_share() -> None:
    """500 mbar over 16 mA at 12 mA: the calibrator ±0.0044 mA is ±0.1375 mbar, u 0.0794; a display of 0.1 mbar is 0.0289;
    together 0.0845, expanded 0.169. A tolerance of 0.5 % of 500 mbar, 2.5, is 14.8 times that."""
    worth = worth_of([accuracy_share("calibrator", CALIBRATOR, 12, per=500 / 16), of_step("display", 0.1)])
    assert worth.standard == pytest.approx(0.08447, abs=1e-5)
    found = decided(0.4, 2.5, worth, Rule.REFUSING)
    assert found.ratio == pytest.approx(2.5 / 0.168940, rel=1e-4)
    assert found.decided is Decided.PASSES


U_TENTH = worth_of([of_limit("all", 0.05 * math.sqrt(3))])
"""Standard uncertainty 0.05, expanded 0.1."""


@pytest.mark.parametrize(
    ("error", "rule", "found"),
    [
        (0.45, Rule.SIMPLE, Decided.PASSES),
        (0.51, Rule.SIMPLE, Decided.FAILS),
        (-0.51, Rule.SIMPLE, Decided.FAILS),
        # The guard band takes 0.1: up to 0.4 is accepted, and beyond 0.5 it fails by any rule.
        (0.40, Rule.GUARDED, Decided.PASSES),
        (-0.41, Rule.GUARDED, Decided.BETWEEN),
        (0.51, Rule.GUARDED, Decided.FAILS),
        (0.45, Rule.REFUSING, Decided.PASSES),
    ],
)
def test_what_is_decided_by_each_rule(error: float, rule: Rule, found: Decided) -> None:
    assert decided(error, 0.5, U_TENTH, rule).decided is found


def test_a_ratio_that_is_too_small_decides_nothing() -> None:
    """0.39 is 3.9 times 0.1; whatever the error, nothing is said of it. 0.4 is four times."""
    assert decided(0.0, 0.39, U_TENTH, Rule.REFUSING).decided is Decided.TOO_POOR
    assert decided(9.0, 0.39, U_TENTH, Rule.REFUSING).decided is Decided.TOO_POOR
    assert decided(0.0, 0.4, U_TENTH, Rule.REFUSING).decided is Decided.PASSES


def test_the_probability_of_conformance() -> None:
    """One standard uncertainty within the limit is Φ(1) = 0.8413; on the limit a half; at r = 1 within the guard band Φ(2) =
    0.9772 at least."""
    assert decided(0.45, 0.5, U_TENTH, Rule.SIMPLE).probability == pytest.approx(0.841345, abs=1e-5)
    assert decided(0.5, 0.5, U_TENTH, Rule.SIMPLE).probability == pytest.approx(0.5, abs=1e-9)
    assert decided(0.4, 0.5, U_TENTH, Rule.GUARDED).probability == pytest.approx(0.977250, abs=1e-5)


def test_a_guard_band_wider_than_the_tolerance_accepts_nothing() -> None:
    found = decided(0.0001, 0.05, U_TENTH, Rule.GUARDED)
    assert (found.decided, found.limit) == (Decided.BETWEEN, 0.0)


def test_a_test_is_worth_its_worst_step() -> None:
    steps = [decided(error, 0.5, U_TENTH, Rule.GUARDED) for error in (0.0, 0.45, 0.1)]
    assert worst(steps) is Decided.BETWEEN
    assert worst([*steps, decided(0.6, 0.5, U_TENTH, Rule.GUARDED)]) is Decided.FAILS
    assert worst([]) is None
