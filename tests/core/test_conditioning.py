"""Conditioning in time: sequences with known answers. Times are of the strip, not of the machine."""

from decimal import Decimal

import hypothesis
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.points import ANALOG, CONTACT, point
from tests.building.words import plant_of

from canaleta.core.live import conditioning
from canaleta.core.live.conditioning import Condition, Conditioned, Reading, Settings
from canaleta.core.live.timing import Strip, strip
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason


def switched(drawn: Strip) -> list[float]:
    """The times at which the state behind the conditioning changes, s."""
    return [round(float(t), 3) for t in drawn.times[1:][np.diff(drawn.state) != 0]]


def run(
    image: PlantImage,
    levels: list[float],
    period: float = 1.0,
    quality: list[Quality] | None = None,
    reasons: list[Reason] | None = None,
) -> tuple[Condition, list[Conditioned]]:
    settings, state = Settings.of(image, np.array([0])), conditioning.begin(1)
    out = []
    for k, level in enumerate(levels):
        one = np.array([level])
        reading = Reading(
            one,
            one,
            np.array([reasons[k] if reasons else 0], dtype=np.uint32),
            np.array([quality[k] if quality else Quality.GOOD], dtype=np.uint8),
        )
        state, seen = conditioning.step(settings, state, k * period, reading)
        out.append(seen)
    return state, out


def test_a_pulse_shorter_than_the_on_delay_never_passes() -> None:
    """180 ms on a 250 ms on-delay."""
    drawn = strip(point(CONTACT, on_delay="250"), 0, [(0, 0), (1.0, 1), (1.18, 0)], 3.0, 0.01)
    assert switched(drawn) == []


def test_a_debounce_takes_bounces_either_way_and_the_delay_begins_behind_it() -> None:
    """Bounces of 20 ms against a debounce of 50: the change at 1.06 is one from 1.11 on, and on 250 ms later."""
    bounces = [(0, 0), (1.0, 1), (1.02, 0), (1.04, 1), (1.05, 0), (1.06, 1), (2.0, 0), (2.02, 1), (2.03, 0)]
    assert switched(strip(point(CONTACT, debounce="50"), 0, bounces, 4.0, 0.01)) == [1.11, 2.08]
    assert switched(strip(point(CONTACT, debounce="50", on_delay="250"), 0, bounces, 4.0, 0.01)) == [1.36, 2.08]


def test_what_the_debounce_takes_is_no_chatter() -> None:
    """Twenty bounces within a second, which chatter when nobody takes them."""
    bounces = [(0, 0)] + [(1.0 + 0.02 * k, (k + 1) % 2) for k in range(21)]
    bare, taken = (point(CONTACT, chatter="10", debounce=ms) for ms in ("", "50"))
    assert strip(bare, 0, bounces, 3.0, 0.01).chatters[-1]
    assert not strip(taken, 0, bounces, 3.0, 0.01).chatters[-1]


def test_on_and_off_come_after_their_delays() -> None:
    image = point(CONTACT, on_delay="250", off_delay="400")
    drawn = strip(image, 0, [(0, 0), (1.0, 1), (2.0, 0)], 4.0, 0.01)
    assert switched(drawn) == [1.25, 2.4]


def test_a_gap_shorter_than_the_off_delay_is_bridged_and_the_delay_begins_anew() -> None:
    image = point(CONTACT, off_delay="400")
    drawn = strip(image, 0, [(0, 0), (1.0, 1), (2.0, 0), (2.3, 1), (2.35, 0)], 4.0, 0.01)
    assert switched(drawn) == [1.0, 2.75]


def test_a_short_pulse_is_stretched_and_a_long_one_is_not() -> None:
    image = point(CONTACT, stretch="500")
    assert switched(strip(image, 0, [(0, 0), (1.0, 1), (1.02, 0)], 3.0, 0.01)) == [1.0, 1.5]
    assert switched(strip(image, 0, [(0, 0), (1.0, 1), (1.8, 0)], 3.0, 0.01)) == [1.0, 1.8]


def test_a_bad_signal_moves_nothing_and_breaks_a_delay() -> None:
    image = point(CONTACT, on_delay="3000")
    good, bad = Quality.GOOD, Quality.BAD
    _, seen = run(image, [0, 1, 1, 1, 1, 1, 1, 1], quality=[good, good, good, bad, good, good, good, good])
    assert [int(s.state[0]) for s in seen] == [0, 0, 0, 0, 0, 0, 1, 1], "three unbroken seconds from the fault on"


def test_a_filter_of_two_seconds_is_at_63_percent_after_two_seconds() -> None:
    """1 − 1/e = 63.2 %, whatever the period it is looked at with."""
    for period in (0.1, 0.5, 2.0):
        levels = [0.0, *[100.0] * round(2.0 / period)]
        _, seen = run(point(ANALOG, smoothing_s="2"), levels, period)
        assert seen[-1].value[0] == pytest.approx(63.2, abs=0.05)


def test_a_filter_begins_anew_after_a_gap() -> None:
    quality = [Quality.GOOD, Quality.BAD, Quality.GOOD]
    _, seen = run(point(ANALOG, smoothing_s="60"), [10.0, 0.0, 90.0], quality=quality)
    assert seen[-1].value[0] == 90.0


def test_an_analog_value_as_a_switch_does_not_chatter_in_its_hysteresis() -> None:
    """A noisy ramp gives one transition."""
    image = point(ANALOG, on_at="60", off_at="55")
    noise = np.random.default_rng(4).normal(0, 0.7, 400)
    _, seen = run(image, (np.linspace(0, 100, 400) + noise).tolist(), 0.1)
    states = np.array([int(s.state[0]) for s in seen])
    assert np.count_nonzero(np.diff(states)) == 1


def test_a_switch_that_falls_is_on_below() -> None:
    image = point(ANALOG, on_at="20", off_at="25")
    _, seen = run(image, [50, 22, 20, 24, 25, 26])
    assert [int(s.state[0]) for s in seen] == [0, 0, 1, 1, 1, 0]


@pytest.mark.parametrize(("counts_on", "counted"), [("coming on", 3), ("going off", 2), ("both", 5)])
def test_a_counter_takes_its_edge(counts_on: str, counted: int) -> None:
    state, _ = run(point(CONTACT, counts_on=counts_on), [0, 1, 0, 1, 0, 1])
    assert state.counted[0] == counted


def test_one_count_for_each_object_while_the_contact_chatters() -> None:
    """Three objects, each with a burst of bounces at both edges."""
    image = point(CONTACT, on_delay="50", off_delay="50", counts_on="coming on", preset="3")
    train = [(0.0, 0.0)]
    for begins in (1.0, 3.0, 5.0):
        bounces = [(begins + k * 0.01, float(1 - k % 2)) for k in range(5)]
        train += [*bounces, *((begins + 1 + k * 0.01, float(k % 2)) for k in range(5))]
    drawn = strip(image, 0, train, 8.0, 0.005)
    assert drawn.counted[-1] == 3
    settings, state = Settings.of(image, np.array([0])), conditioning.begin(1)
    for k, level in enumerate([0, 1, 0, 1, 0, 1, 0, 1]):
        one = np.array([float(level)])
        reading = Reading(one, one, np.zeros(1, np.uint32), np.zeros(1, np.uint8))
        state, seen = conditioning.step(settings, state, k * 1.0, reading)
        state, seen = conditioning.step(settings, state, k * 1.0 + 0.5, reading)
    assert state.counted[0] == 4
    assert seen.done[0]
    assert state.zeroed(np.array([True])).counted[0] == 0


def test_pulses_make_a_rate_that_fades_when_they_stop() -> None:
    """Ten litres a pulse, one pulse every four seconds: 2.5 l/s; after 40 s without one at most 0.25 l/s."""
    image = point(CONTACT, counts_on="coming on", pulse_value="10")
    train = [0.0, 1.0, 0.0, 0.0] * 5
    state, _ = run(image, train)
    assert state.total[0] == 50
    assert state.rate[0] == pytest.approx(2.5, rel=0.35)
    state, _ = run(image, [*train, *[0.0] * 38])
    assert state.rate[0] <= 10 / 40


def test_a_cumulative_counter_adds_up_across_its_wrap_and_not_across_a_reset() -> None:
    """16 bits, 100 pulses a second at most: 65 530 → 4 is ten pulses; 40 000 → 3 is a counter that was set back."""
    image = plant_of("pulses, 0…1000 m3, nowhere")
    image = image.with_cells({(0, "pulse_value"): Decimal("0.1"), (0, "fastest"): Decimal(100)})
    settings = Settings.of(image, np.array([0]))
    settings = Settings(**{**settings.__dict__, "wrap": np.array([65536.0])})
    state = conditioning.begin(1)
    totals = []
    for k, count in enumerate([65_500, 65_530, 4, 40_000, 3, 13]):
        one = np.array([float(count)])
        reading = Reading(one, one, np.zeros(1, np.uint32), np.zeros(1, np.uint8))
        state, _ = conditioning.step(settings, state, float(k), reading)
        totals.append(round(float(state.total[0]) / 0.1))
    assert totals == [0, 30, 40, 40, 40, 50]


def test_a_contact_that_changes_too_often_chatters_and_stops_to() -> None:
    image = point(CONTACT, chatter="4")
    _, seen = run(image, [0, 1, 0, 1, 0, *[0] * 12])
    chatters = [bool(s.chatters[0]) for s in seen]
    assert chatters[3] is False
    assert chatters[4] is True, "the fourth change within ten seconds"
    assert chatters[-1] is False
    assert seen[4].reasons[0] & Reason.CHATTERS


def test_a_latched_fault_stays_after_repair_until_reset() -> None:
    """Repair alone does not clear it, reset does, reset under a standing fault comes back."""
    image = point(ANALOG, fault_ends="on reset")
    bad, good = Quality.BAD, Quality.GOOD
    fault = [Reason(0), Reason.OPEN_CIRCUIT, Reason(0)]
    state, seen = run(image, [50, 0, 50], quality=[good, bad, good], reasons=fault)
    assert seen[2].reasons[0] & Reason.LATCHED
    settings = Settings.of(image, np.array([0]))
    one, fine = np.array([50.0]), np.zeros(1, np.uint32)
    _, after = conditioning.step(
        settings, state.reset(np.array([True])), 3.0, Reading(one, one, fine, np.zeros(1, np.uint8))
    )
    assert not after.reasons[0] & Reason.LATCHED
    standing = np.array([Reason.OPEN_CIRCUIT], dtype=np.uint32)
    failed = Reading(one, one, standing, np.array([bad], dtype=np.uint8))
    again, _ = conditioning.step(settings, state.reset(np.array([True])), 3.0, failed)
    assert again.latched[0] & Reason.OPEN_CIRCUIT


def test_by_the_plants_rule_only_what_trips_something_latches() -> None:
    quiet, trips = point(ANALOG), point(ANALOG, trips="burner")
    assert not Settings.of(quiet, np.array([0])).latches[0]
    assert Settings.of(trips, np.array([0])).latches[0]
    assert not Settings.of(trips.with_cells({(0, "fault_ends"): "by itself"}), np.array([0])).latches[0]


BANDS = "empty < 10 < low < 30 < normal < 80 < high"


@given(st.floats(-1e9, 1e9))
def test_exactly_one_band_holds_at_any_value(value: float) -> None:
    _, seen = run(point(ANALOG, bands=BANDS), [value])
    held = [low <= value < high for low, high in ((-np.inf, 10), (10, 30), (30, 80), (80, np.inf))]
    assert sum(held) == 1
    assert int(seen[0].band[0]) == held.index(True)


@pytest.mark.parametrize(
    ("value", "band"), [(9.999, 0), (10, 1), (29.999, 1), (30, 2), (80, 3), (-1e308, 0), (1e308, 3)]
)
def test_an_edge_belongs_to_the_band_above_it(value: float, band: int) -> None:
    _, seen = run(point(ANALOG, bands=BANDS), [value])
    assert int(seen[0].band[0]) == band


def test_a_band_with_a_deadband_holds_until_the_value_is_well_beyond() -> None:
    image = point(ANALOG, bands=BANDS, bands_deadband="2")
    _, seen = run(image, [50, 81, 81.9, 82, 79, 78, 77.9, 9])
    assert [int(s.band[0]) for s in seen] == [2, 2, 2, 3, 3, 3, 2, 0]


@hypothesis.settings(max_examples=30)
@given(st.lists(st.tuples(st.floats(0.01, 2), st.sampled_from([0.0, 1.0])), min_size=2, max_size=20))
def test_a_clean_state_is_never_on_without_the_raw_one_having_lasted(train: list[tuple[float, float]]) -> None:
    image = point(CONTACT, on_delay="700", off_delay="300")
    times = np.cumsum([gap for gap, _ in train]).tolist()
    drawn = strip(
        image, 0, [(0.0, 0.0), *((t, level) for t, (_, level) in zip(times, train, strict=True))], times[-1] + 1, 0.05
    )
    for k in np.flatnonzero((drawn.state[1:] == 1) & (drawn.state[:-1] == 0)).tolist():
        back = drawn.times >= drawn.times[k + 1] - 0.65
        assert (drawn.given[back & (drawn.times <= drawn.times[k + 1])] == 1).all()


def test_states_move_with_their_points_when_the_list_changes() -> None:
    state, _ = run(point(CONTACT, counts_on="both"), [0, 1, 0])
    moved = state.take(np.array([-1, 0]))
    assert moved.counted.tolist() == [0, 2]
    assert moved.clean.tolist() == [-1, 0]


def test_a_strip_shows_a_contact_turned_round() -> None:
    """Closed from 1 s to 2 s: turned round it is on before and after."""
    given = [(0, 0), (1.0, 1), (2.0, 0)]
    assert strip(point(CONTACT), 0, given, 3.0, 0.1).state[[5, 15, 25]].tolist() == [0, 1, 0]
    assert strip(point(CONTACT, acting="reverse"), 0, given, 3.0, 0.1).state[[5, 15, 25]].tolist() == [1, 0, 1]


@pytest.mark.parametrize(("policy", "value"), [("hold last", 40.0), ("substitute", 12.5)])
def test_a_strip_shows_what_is_put_in_place_of_a_failed_signal(policy: str, value: float) -> None:
    """40 % until 1 s, then the signal fails for a second."""
    image = point(ANALOG, on_failure=policy, substitute="12.5")
    drawn = strip(image, 0, [(0, 40.0), (1.0, np.nan), (2.0, 60.0)], 3.0, 0.1)
    assert drawn.value[[5, 15, 25]].tolist() == pytest.approx([40.0, value, 60.0])
    assert drawn.trusted[[5, 15, 25]].tolist() == [True, False, True]
    assert not drawn.waits.any()


def test_a_strip_shows_a_fault_that_waits_for_a_reset() -> None:
    drawn = strip(point(ANALOG, fault_ends="on reset"), 0, [(0, 40.0), (1.0, np.nan), (2.0, 60.0)], 3.0, 0.1)
    assert drawn.waits[[5, 15, 25]].tolist() == [False, False, True]


def test_a_strip_shows_chatter_and_a_counter_that_is_done() -> None:
    """Five changes within ten seconds from four on chatter; the third closing is the preset."""
    given = [(0, 0.0), *((1.0 + k, float(k % 2 == 0)) for k in range(5))]
    drawn = strip(point(CONTACT, chatter="4", counts_on="coming on", preset="3"), 0, given, 7.0, 0.1)
    assert drawn.chatters[[25, 45]].tolist() == [False, True]
    assert drawn.done[[45, 55]].tolist() == [False, True]
    assert drawn.counted[[15, 35, 55]].tolist() == [1, 2, 3]
