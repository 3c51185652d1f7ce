"""A channel held against its data sheet: what was found, by hand; what is refused, and why; a path that counts as found."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import numpy as np
import pytest
from tests.building.words import mode, path_of, stations

from canaleta.core.checks.trim import (
    SHARES,
    Capture,
    Refused,
    kept_figure,
    levels_of,
    refusal_words,
    scatter_of,
    trimmed,
)
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage

PERCENT = {"low": 0, "high": 100, "unit": "%"}
LOOP = {"signal": "4–20 mA"} | PERCENT
SUPPRESSED = mode("mA", (4, 20), (0, 32000), least=-8000, most=35000)


def loop(value: dict[str, Any] | None = None, **conventions: Any) -> PlantImage:
    trimming = {"trimming": conventions} if conventions else {}
    return path_of(device=LOOP, input=SUPPRESSED, value=value or PERCENT, conventions=trimming)


def still(signal: float, count: float, scatter: float = 1.0, samples: int = 20) -> Capture:
    """Samples that lie on both sides of a count in turn."""
    return Capture(signal, count + scatter * np.where(np.arange(samples) % 2, 1.0, -1.0))


def test_two_levels_give_the_counts_at_both_ends_and_the_error_between_them() -> None:
    """64 counts high at 4 mA and 64 low at 20: 0.2 % of 32 000, nothing in the middle."""
    found = trimmed(loop(), 0, [still(4, 64), still(20, 31936)])
    assert found.acceptable
    assert found.ends == pytest.approx((0, 32000))
    assert found.found == pytest.approx((64, 31936))
    assert found.zero == pytest.approx(64)
    assert found.slope == pytest.approx(-0.4)
    assert [level.of_span for level in found.levels] == pytest.approx([0.2, -0.2])
    assert found.before == pytest.approx([0.2 - 0.4 * share / 100 for share in SHARES])
    assert found.after == pytest.approx(np.zeros(len(SHARES)), abs=1e-5)


def test_a_level_is_the_mean_of_its_samples_and_their_scatter_is_told() -> None:
    """Twenty samples two counts to either side: σ with nineteen degrees of freedom is 2 · √(20/19)."""
    (level, _) = trimmed(loop(), 0, [still(4, 10, 2.0), still(20, 32000)]).levels
    assert (level.mean, level.samples) == (10.0, 20)
    assert level.sigma == pytest.approx(2.0519567)


def test_levels_elsewhere_than_at_the_ends_say_the_same() -> None:
    """At 6 and 18 mA, 4 000 and 28 000 by the data sheet; ten counts more at each is ten counts at both ends."""
    found = trimmed(loop(), 0, [still(18, 28010), still(6, 4010)])
    assert found.found == pytest.approx((10, 32010))
    assert found.slope == pytest.approx(0, abs=1e-9)


def test_through_three_levels_goes_the_best_line_and_the_rest_is_told() -> None:
    """16 counts high in the middle alone: the line lies 5⅓ high, and the middle 10⅔ above it, 0.0333 % of span."""
    found = trimmed(loop(), 0, [still(4, 0), still(12, 16016), still(20, 32000)])
    assert found.zero == pytest.approx(16 / 3)
    assert found.slope == pytest.approx(0, abs=1e-9)
    assert found.residual == pytest.approx(100 * (32 / 3) / 32000)


@pytest.mark.parametrize(
    ("captures", "refused"),
    [
        ([still(4, 0, samples=19), still(20, 32000)], Refused.FEW),
        ([Capture(4, np.array([0.0] * 20 + [np.nan])), still(20, 32000)], Refused.BAD),
        # 0.05 % of 32 000 are 16 counts.
        ([still(4, 0, scatter=17), still(20, 32000)], Refused.UNSTABLE),
        ([Capture(4, np.linspace(0, 38, 20)), still(20, 32000)], Refused.MOVING),
        ([still(4, 0), Capture(24, np.full(20, 35000.0))], Refused.SATURATED),
        ([still(4, 0)], Refused.ONE_LEVEL),
        ([still(4, 32000), still(20, 0)], Refused.EXCHANGED),
        ([still(4, 16000), still(20, 4000)], Refused.WRONG_WAY),
        ([still(4, 0), still(11.9, 15800)], Refused.TOO_CLOSE),
        # 2 % of 32 000 are 640 counts.
        ([still(4, 641), still(20, 32641)], Refused.TOO_FAR),
    ],
)
def test_what_is_refused_and_why(captures: list[Capture], refused: Refused) -> None:
    found = trimmed(loop(), 0, captures)
    assert not found.acceptable
    told = {*found.refused, *(one for level in found.levels for one in level.refused)}
    assert refused in told
    assert refusal_words(refused)


def test_a_channel_that_stands_still_is_refused_and_nothing_is_worked_out() -> None:
    dead = trimmed(loop(), 0, [still(4, 8000, scatter=0), still(20, 8000, scatter=0)])
    assert dead.refused == (Refused.WRONG_WAY,)
    assert np.isnan(dead.after).all()


def test_without_a_span_nothing_is_accepted() -> None:
    flat = loop({"low": 5, "high": 5, "unit": "%"})
    found = trimmed(flat, 0, [still(4, 0), still(20, 32000)])
    assert Refused.UNKNOWN in found.refused
    assert not found.acceptable


@pytest.mark.parametrize(
    "captures",
    [
        [still(4, 0, scatter=15), still(20, 32000)],
        [Capture(4, np.linspace(0, 4, 20)), still(20, 32000)],
        [still(4, 0), still(12, 16000)],
        [still(4, 639), still(20, 32639)],
    ],
)
def test_what_is_just_within_is_taken(captures: list[Capture]) -> None:
    assert trimmed(loop(), 0, captures).acceptable


def test_the_plant_says_what_is_allowed() -> None:
    captures = [still(4, 0, samples=5), still(9, 10000, samples=5)]
    assert not trimmed(loop(), 0, captures).acceptable
    assert trimmed(loop(samples=5, apart_percent=30), 0, captures).acceptable


def counting_as_found(low: str, high: str, value: dict[str, Any] | None = None) -> PlantImage:
    return loop(value).with_cells({(0, "found_low"): Decimal(low), (0, "found_high"): Decimal(high)})


def test_a_trimmed_channel_counts_as_it_was_found_and_shows_what_is_there() -> None:
    plant = counting_as_found("64", "31936")
    for ma, count, percent in ((4, 64, 0), (12, 16000, 50), (20, 31936, 100)):
        assert stations(plant, Station.LOOP, ma)[4:] == pytest.approx([count, percent])
        assert stations(plant, Station.VALUE, percent)[2:5] == pytest.approx([ma, ma, count])
        assert stations(plant, Station.COUNTS, count)[2] == pytest.approx(ma)


def test_slope_and_offset_go_on_from_the_data_sheet() -> None:
    """0.003125 % a count over 0 … 32 000; what is counted is turned into that first."""
    value = {"form": "slope and offset", "slope": 0.003125, "offset": 0, "unit": "%"}
    plant = counting_as_found("64", "31936", value)
    assert stations(plant, Station.COUNTS, 64)[5] == pytest.approx(0, abs=1e-9)
    assert stations(plant, Station.COUNTS, 31936)[5] == pytest.approx(100)


def test_what_was_found_before_does_not_count_when_it_is_trimmed_again() -> None:
    plant = counting_as_found("64", "31936")
    found = trimmed(plant, 0, [still(4, 70), still(20, 31930)])
    assert found.ends == pytest.approx((0, 32000))
    assert found.found == pytest.approx((70, 31930))


def test_an_output_is_given_counts_and_its_signal_is_metered() -> None:
    """0 gives 4.016 mA and 32 000 gives 19.984: those are 32 and 31 968 by the data sheet, so that 20 mA want
    32 000 · 32 000 / 31 936 − 32.064 more than they should: 32 032.064."""
    found = trimmed(loop(), 0, [Capture(4.016, np.array([0.0])), Capture(19.984, np.array([32000.0]))], driven=True)
    assert found.acceptable
    assert found.found == pytest.approx((-32.0641, 32032.0641), abs=1e-3)


def test_a_thermometer_is_trimmed_in_ohms() -> None:
    """IEC 60751: 100 Ω are 0 °C, 138.5055 Ω are 100 °C; a word of tenths that says 0.2 and 100.3 °C there."""
    tenths = mode("°C", (-200, 850), (-2000, 8500), family="resistance", curve="pt100")
    plant = path_of(
        device={"signal": "Pt100", "low": 0, "high": 100, "unit": "°C"},
        input=tenths,
        value={"low": 0, "high": 100, "unit": "°C"},
        conventions={"trimming": {"noise_percent": 1}},
    )
    found = trimmed(plant, 0, [still(100.0, 2, 0.0), still(138.5055, 1003, 0.0)])
    assert found.acceptable
    assert [level.drift for level in found.levels] == pytest.approx([2, 3], abs=1e-3)
    assert found.found == pytest.approx((2, 1003), abs=1e-3)


def test_a_thermocouple_is_trimmed_in_millivolts_with_its_junction() -> None:
    """IEC 60584-1, type K: 4.096 mV are 100 °C. With 1.000 mV of a junction at 25 °C, 3.096 mV on the wires are."""
    tenths = mode("°C", (-200, 1372), (-2000, 13720), family="thermocouple", curve="K")
    plant = path_of(
        device={"signal": "TC K", "low": 0, "high": 200, "unit": "°C"},
        input=tenths,
        value={"low": 0, "high": 200, "unit": "°C"},
    )
    cold, warm = (
        trimmed(plant, 0, [Capture(mv, np.full(20, 1000.0), junction), Capture(7.0, np.full(20, 1700.0), junction)])
        for mv, junction in ((4.0962, 0.0), (3.0959, 25.0))
    )
    assert cold.levels[0].specified == pytest.approx(1000, abs=0.1)
    assert warm.levels[0].specified == pytest.approx(1000, abs=0.2)


def test_levels_to_put_on_are_the_ends_of_the_signal_or_just_inside() -> None:
    """A mode that stops where its signal does sees nothing beyond: 5 % inside, 4.8 and 19.2 mA."""
    assert levels_of(loop(), 0, 3) == pytest.approx([4, 12, 20])
    short = path_of(device=LOOP, input=mode("mA", (4, 20), (0, 32000)), value=PERCENT)
    assert levels_of(short, 0, 2) == pytest.approx([4.8, 19.2])
    assert levels_of(path_of(device=LOOP, value=PERCENT), 0, 2) == []


def test_how_far_samples_may_scatter_is_the_plants_share_or_a_step_of_the_converter() -> None:
    """0.05 % of 32 000 are 16; a converter of ten bits in that word moves by 32 at once."""
    assert scatter_of(loop(), 0) == pytest.approx(16)
    coarse = path_of(
        device=LOOP, input=mode("mA", (4, 20), (0, 32000), least=-8000, most=35000, step=32), value=PERCENT
    )
    assert scatter_of(coarse, 0) == 32


def test_what_is_kept_has_the_digits_that_a_mean_can_know() -> None:
    assert kept_figure(31935.90001, 32000) == Decimal("31935.900")
    assert kept_figure(19.98412345678, 20) == Decimal("19.984123")
