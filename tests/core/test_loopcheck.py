"""One loop check: expected figures by hand, errors and what they are of, hysteresis, the calibrator's own figure."""

from decimal import Decimal

import numpy as np
import pytest
from tests.building.points import point
from tests.building.words import path_of, plant_of

from canaleta.core.checks.loopcheck import judged, split, steps_of
from canaleta.core.notation.text import TextError
from canaleta.core.signals.noise import advised, noise_of
from canaleta.core.signals.waveforms import FORMS, waveform_of

LOOP = "4–20 mA, 0…600 mbar, shows 0…600 mbar"
NONE = np.full(9, np.nan)


def read(image, values: list[float], signal: np.ndarray = NONE):
    return judged(image, 0, steps_of(image, 0), signal, np.zeros(9), np.array(values, dtype=np.float64))


def test_the_steps_of_a_straight_loop() -> None:
    """0…600 mbar on 4–20 mA, 0…32 000 counts: 150 mbar is 8 mA is 8 000 counts."""
    steps = steps_of(point(LOOP), 0)
    assert [s.signal for s in steps] == pytest.approx([4, 8, 12, 16, 20, 16, 12, 8, 4])
    assert [s.counts for s in steps] == [0, 8000, 16000, 24000, 32000, 24000, 16000, 8000, 0]
    assert [s.value for s in steps] == pytest.approx([0, 150, 300, 450, 600, 450, 300, 150, 0])
    assert [s.way for s in steps] == ["up"] * 5 + ["down"] * 4


def test_errors_are_of_span_and_up_and_down_are_told_apart() -> None:
    """At 300 mbar: up 301.2 is +0.2 % of span, down 299.4 is −0.1 %; hysteresis 0.3 %."""
    outcome = read(point(LOOP, tolerance_loop="0.25"), [0, 150, 301.2, 450, 600, 450, 299.4, 150, 0])
    assert outcome.steps[2].error == pytest.approx(1.2)
    assert outcome.steps[2].of_span == pytest.approx(0.2)
    assert outcome.hysteresis == pytest.approx(0.3)
    assert outcome.worst == pytest.approx(0.2)
    assert outcome.passes


def test_a_scaling_that_is_not_the_devices_range_fails_at_the_top() -> None:
    """The list shows 0…500 for 0…600: at 20 mA it reads 500 where the pipe holds 600."""
    image = point("4–20 mA, 0…600 mbar, shows 0…500 mbar")
    outcome = read(image, [0, 125, 250, 375, 500, 375, 250, 125, 0])
    assert outcome.passes is False
    assert outcome.steps[4].error == pytest.approx(-100)
    assert outcome.steps[4].of_span == pytest.approx(-20)


def test_a_check_without_every_step_is_neither_passed_nor_failed() -> None:
    outcome = read(point(LOOP), [0, 150, 300, np.nan, 600, 450, 300, 150, 0])
    assert outcome.complete is False
    assert outcome.passes is None


def test_a_calibrator_a_little_off_its_step_is_no_error_of_the_loop() -> None:
    """8.02 mA is 150.75 mbar: reading that is no error."""
    signal = NONE.copy()
    signal[1] = 8.02
    outcome = read(point(LOOP), [0, 150.75, 300, 450, 600, 450, 300, 150, 0], signal)
    assert outcome.steps[1].error == pytest.approx(0, abs=1e-6)


def test_a_contact_is_checked_in_both_states() -> None:
    steps = steps_of(point("contact NO"), 0)
    assert [s.value for s in steps] == [0, 1, 0]


def test_without_a_range_there_is_nothing_to_check() -> None:
    with pytest.raises(TextError, match="no range"):
        steps_of(plant_of("4–20 mA"), 0)


def test_shunt_and_channel_errors_are_told_apart() -> None:
    """250 Ω: 12 mA should be 3.000 V; 3.030 V is a shunt 0.75 % of its 4 V span high."""
    image = path_of(
        device={"signal": "4–20 mA", "low": 0, "high": 100, "unit": "%"},
        loop={"shunt_ohm": 250},
        input={"mode": {"signal_unit": "V", "signal": [0, 10], "counts": [0, 32000]}},
        value={"low": 0, "high": 100, "unit": "%"},
    )
    shunt, channel = split(image, 0, 12.0, 3.030, 3.030 / 10 * 32000)
    assert shunt == pytest.approx(0.75)
    assert channel == pytest.approx(0.0, abs=0.01)
    shunt, channel = split(image, 0, 12.0, 3.0, 3.0 / 10 * 32000 + 128)
    assert shunt == pytest.approx(0.0)
    assert channel == pytest.approx(1.0, abs=0.01)


# Noise -----------------------------------------------------------------------------------------------


def test_a_sine_has_its_own_figures() -> None:
    """Amplitude 3 about 50: σ = 3/√2 = 2.1213."""
    t = np.arange(0, 60, 0.05)
    found = noise_of(50 + 3 * np.sin(2 * np.pi * t / 6))
    assert found.sigma == pytest.approx(3 / np.sqrt(2), rel=2e-3)
    assert found.least == pytest.approx(47, abs=0.01)
    assert found.most == pytest.approx(53, abs=0.01)
    assert found.fast < 0.2 * found.sigma, "a slow swing is no fast noise"


def test_white_noise_on_a_drift_is_told_from_it() -> None:
    random = np.random.default_rng(5)
    found = noise_of(np.linspace(0, 40, 2000) + random.normal(0, 0.5, 2000))
    assert found.fast == pytest.approx(0.5, rel=0.05)
    assert found.sigma > 10


def test_a_filter_is_advised_only_where_it_helps() -> None:
    random = np.random.default_rng(6)
    t = np.arange(0.0, 600.0)
    white = random.normal(0, 1.0, 600)
    tries, says = advised(t, white, 0.25)
    assert "smoothing of 10 s" in says or "smoothing of 20 s" in says
    # White noise behind a first-order filter: σ·√(dt / 2τ) for τ ≫ dt.
    by_time = {x.smoothing_s: x.sigma for x in tries}
    assert by_time[10.0] == pytest.approx(np.sqrt(1 / 20), rel=0.25)
    assert "slow change" in advised(t, 10 * np.sin(t / 60), 0.25)[1]
    assert "no filter is needed" in advised(t, white * 0.1, 0.25)[1]
    assert "too few" in advised(t[:4], white[:4], 0.25)[1]


# Waveforms -------------------------------------------------------------------------------------------


def test_waveforms_have_their_known_levels() -> None:
    at = {form: waveform_of(form, 4, 20, 9.0, 1) for form in FORMS}
    assert [at["staircase"].at(k + 0.5) for k in range(9)] == [4, 8, 12, 16, 20, 16, 12, 8, 4]
    assert [at["ramp"].at(t) for t in (0, 4.5, 9, 99)] == [4, 12, 20, 20]
    assert [at["drift"].at(t) for t in (0, 9, 18)] == [4, 20, 36]
    assert [at["step"].at(t) for t in (0, 4.4, 4.6, 9.1)] == [4, 4, 20, 4]
    assert at["sine"].at(4.5) == pytest.approx(20)
    assert {at["chatter"].at(t / 10) for t in range(200)} == {4.0, 20.0}


def test_what_is_thrown_follows_from_the_seed() -> None:
    one, same, other = (waveform_of("noise", 12, 0.1, 10.0, seed) for seed in (1, 1, 2))
    assert [one.at(t) for t in range(9)] == [same.at(t) for t in range(9)]
    assert [one.at(t) for t in range(9)] != [other.at(t) for t in range(9)]
    thrown = np.array([one.at(t / 20) for t in range(4000)])
    assert thrown.std() == pytest.approx(0.1, rel=0.1)


@pytest.mark.parametrize(("form", "period", "says"), [("wave", 1.0, "is not one of"), ("ramp", 0.0, "from 0.1 s")])
def test_a_signal_that_makes_no_sense_is_refused(form: str, period: float, says: str) -> None:
    with pytest.raises(TextError, match=says):
        waveform_of(form, 4, 20, period)


def test_a_list_may_ask_for_a_point_of_its_own_tolerance() -> None:
    image = point(LOOP).with_cells({(0, "tolerance_loop"): Decimal("0.1")})
    assert read(image, [1, 150, 300, 450, 600, 450, 300, 150, 1]).passes is False
