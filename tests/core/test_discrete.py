"""Switches and inputs: where the current flows, both dimensions of IEC 61131-2, watched wires, hysteresis."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import mode, path_of, reasons, stations

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason
from canaleta.core.path.discrete import INPUT_TYPES, agreement, bleed_resistor, hysteresis, state_of_type
from canaleta.core.path.facts import facts_of
from canaleta.core.path.faults import Fault, evaluate_faulted
from canaleta.core.sheet.entry import switch_words

TYPE_1 = mode("V", (0, 24), (0, 1), family="contact", input_type=1, common="0 V")
NAMUR = mode("mA", (0, 8.2), (0, 1), family="contact", off_below_v=1.2, on_from_v=2.1, break_below=0.35, short_from=6.0,
             source_v=8.2, source_ohm=1000)  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "volts", "ma", "state"),
    [(1, 4.9, 10, 0), (1, 8, 1, None), (1, 14, 0.4, 0), (1, 15, 2, 1), (1, 15, 1.9, None), (2, 11, 6, 1), (2, 11, 2, 0),
     (2, 11, 4, None), (3, 11, 2, 1), (3, 8, 1.5, 0), (3, 8, 1.6, None), (3, 30, 3, 1)],
)  # fmt: skip
def test_regions_in_volts_and_milliampere(kind: int, volts: float, ma: float, state: int | None) -> None:
    found = float(state_of_type(kind, volts, ma))
    assert np.isnan(found) if state is None else found == state


def test_a_two_wire_sensor_fails_both_ways_on_type_1_and_suits_type_3() -> None:
    """MEANINGS: 1.5 mA leakage, 8 V drop; 20.4 − 8 = 12.4 V is under 15 V."""
    found = agreement(1, 1.5, 8)
    assert (found.off_holds, found.on_holds) == (False, False)
    assert "12.4 V" in found.troubles[1]
    assert "3.33 kΩ at most" in found.bleed
    assert "a bleed resistor of 3.3 kΩ, 0.5 W over the input" in found.bleed
    fine = agreement(3, 1.5, 8)
    assert (fine.off_holds, fine.on_holds, fine.troubles) == (True, True, ())


def test_the_bleed_resistor_by_hand() -> None:
    """5 V / 1.5 mA = 3333 Ω; 28.8² / 3300 = 0.251 W."""
    most, fit, watt, rated = bleed_resistor(1, 1.5)
    assert (most, fit, watt, rated) == pytest.approx((3333.3, 3300, 0.2513, 0.5), rel=1e-3)


def switch(signal: str, given: dict[str, object] = TYPE_1, **device: object) -> PlantImage:
    return path_of(device={"signal": signal, **device}, input=given, value={"text_0": "free", "text_1": "taken"})


def test_leakage_lifts_the_open_input_out_of_off() -> None:
    """1.5 mA over the 7.5 kΩ that type 1 may have: 11.25 V, neither off nor on."""
    found = stations(switch("two-wire NO", leakage_ma=1.5, drop_v=8), Station.PROCESS, 0)
    assert found[2] == pytest.approx(11.25)
    assert np.isnan(found[3])


def test_npn_needs_the_common_at_plus() -> None:
    at_zero, at_plus = (mode("V", (0, 24), (0, 1), family="contact", common=side) for side in ("0 V", "24 V"))
    assert reasons(switch("NPN NO", at_zero), Station.PROCESS, 1) & Reason.NO_CURRENT_PATH
    assert stations(switch("NPN NO", at_plus), Station.PROCESS, 1)[2:] == [24, 1, 1, 1]
    assert reasons(switch("PNP NO", at_plus), Station.PROCESS, 1) & Reason.NO_CURRENT_PATH
    assert stations(switch("PNP NO", at_zero, drop_v=2), Station.PROCESS, 1)[2] == 22


def test_mains_and_24_volts_are_refused_each_for_its_own_reason() -> None:
    """MEANINGS, Discretes."""
    mains = mode("V", (0, 230), (0, 1), family="contact", off_below_v=40, on_from_v=79, current="AC")
    sensor, feedback = switch("PNP NO", mains), switch("AC contact NO", TYPE_1)
    for plant, killed in ((sensor, "kill the sensor"), (feedback, "kill the module")):
        assert reasons(plant, Station.PROCESS, 1) & Reason.WRONG_SUPPLY
        assert killed in facts_of(plant, 0)[0].verdict
    right = switch("AC contact NO", mains)
    assert stations(right, Station.PROCESS, 1)[2:] == [230, 1, 1, 1]
    assert reasons(right, Station.PROCESS, 1) == Reason(0)


@pytest.mark.parametrize(("fault", "reason"), [("open", Reason.OPEN_CIRCUIT), ("short", Reason.SHORT_CIRCUIT)])
def test_a_namur_input_tells_break_and_short(fault: str, reason: Reason) -> None:
    plant = switch("NAMUR NO", NAMUR)
    assert stations(plant, Station.PROCESS, 1)[2:4] == [2.2, 1]
    assert stations(plant, Station.PROCESS, 0)[2:4] == [1.0, 0]
    found = evaluate_faulted(plant, Station.PROCESS, np.array([1.0]), {0: [Fault(fault)]})
    physical = found.at(Station.LOOP)[0]
    assert physical == (0 if fault == "open" else pytest.approx(8.2))
    assert reasons(plant, Station.LOOP, float(physical)) == reason


def test_end_of_line_resistors_make_four_states() -> None:
    """8.2 V behind 1 kΩ with 1 kΩ in series and 10 kΩ across: 4.1 mA closed, 8.2 / 12 = 0.683 mA open."""
    plant = switch("end-of-line NO", NAMUR, series_ohm=1000, parallel_ohm=10000)
    assert stations(plant, Station.PROCESS, 1)[2:4] == pytest.approx([4.1, 1])
    assert stations(plant, Station.PROCESS, 0)[2:4] == pytest.approx([0.6833, 0], abs=1e-4)
    assert reasons(plant, Station.LOOP, 0.0) == Reason.OPEN_CIRCUIT
    assert reasons(plant, Station.LOOP, 8.2) == Reason.SHORT_CIRCUIT


def test_a_bare_contact_on_a_watching_input_is_a_break_or_a_short() -> None:
    plant = switch("contact NO", NAMUR)
    assert reasons(plant, Station.PROCESS, 0) == Reason.OPEN_CIRCUIT
    assert reasons(plant, Station.PROCESS, 1) == Reason.SHORT_CIRCUIT


def test_levels_that_follow_the_supply() -> None:
    """8 and 14 V at 24 V are 6.8 and 11.9 V at 20.4."""
    follows = mode("V", (0, 24), (0, 1), family="contact", off_below_v=8, on_from_v=14, follows_supply=True)
    plant = path_of(device={"signal": "contact NO"}, input=follows, conventions={"supply_v": 20.4})
    assert stations(plant, Station.LOOP, 12.0)[3] == 1
    assert np.isnan(stations(plant, Station.LOOP, 11.5)[3])


def test_levels_as_shares_of_the_supply() -> None:
    """Off below 30 %, on from 55 % of it: 6.7 V of 12 are on, and 7.3 of 24 neither on nor off."""
    shares = mode(
        "V", (0, 1), (0, 1), family="contact", off_below_v=0.3, on_from_v=0.55, follows_supply=True, at_supply_v=1
    )
    for supply_v, volts, bit in ((12, 6.7, 1), (12, 3.5, 0), (24, 13.3, 1), (24, 7.1, 0)):
        plant = path_of(device={"signal": "contact NO"}, input=shares, conventions={"supply_v": supply_v})
        assert stations(plant, Station.LOOP, volts)[3] == bit
    assert np.isnan(stations(plant, Station.LOOP, 7.3)[3])


def test_a_state_may_be_turned_over_after_the_bit() -> None:
    plant = switch("contact NC", acting="reverse")
    assert stations(plant, Station.PROCESS, 1)[3:] == [0, 0, 1]


@given(st.integers(0, 2**32 - 1))
def test_a_noisy_ramp_makes_one_transition(seed: int) -> None:
    """Noise smaller than the band cannot make it chatter."""
    ramp = np.linspace(0, 10, 2000) + np.random.default_rng(seed).uniform(-0.4, 0.4, 2000)
    state = hysteresis(ramp, on_at=5.5, off_at=4.5)
    assert np.count_nonzero(np.diff(state.astype(int))) == 1


def test_hysteresis_on_a_falling_value_and_from_a_state_before() -> None:
    assert hysteresis([9, 4, 5, 6.5], on_at=4.5, off_at=6).tolist() == [False, True, True, False]
    assert hysteresis([5, 5], 6, 4, before=True).tolist() == [True, True]


def test_the_types_as_the_standard_has_them() -> None:
    assert {n: (t.off_ma, t.off_up_to_v, t.on_v, t.on_ma) for n, t in INPUT_TYPES.items()} == {
        1: (0.5, 15, 15, 2),
        2: (2, 11, 11, 6),
        3: (1.5, 11, 11, 2),
    }


@pytest.mark.parametrize(
    ("value", "says"),
    [
        (5.0, "says full"),
        (4.99, "between the thresholds: as it was"),
        (4.5, "between the thresholds: as it was"),
        (4.49, "says room"),
        (float("nan"), ""),
    ],
)
def test_an_analog_value_used_as_a_switch_says_its_words(value: float, says: str) -> None:
    plant = path_of(
        device={"signal": "0–10 V"},
        value={"low": 0, "high": 10, "on_at": 5, "off_at": "4.5", "text_0": "room", "text_1": "full"},
    )
    assert switch_words(plant, 0, value) == says
    assert switch_words(path_of(device={"signal": "0–10 V"}), 0, value) == ""
