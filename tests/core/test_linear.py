"""Currents and voltages by hand: shunts, live zeros, forms of scaling, tables, policies, outputs."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import mode, path_of, reasons, stations

from canaleta.core.model.fields import Station
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.path.evaluate import evaluate, reason_messages

PERCENT = {"low": 0, "high": 100, "unit": "%"}
SIGNAL = {"signal": "4–20 mA", "low": 0, "high": 100, "unit": "%"}
BITS14 = mode(counts=(0, 16383))


def test_a_shunt_of_250_ohm_on_fourteen_bits() -> None:
    """1638.3 to 8191.5 counts; 12 mA are 3 V, 4914.9, so 4915 counts and 50.0015 %."""
    plant = path_of(device=SIGNAL, loop={"shunt_ohm": 250}, input=BITS14, value=PERCENT)
    found = stations(plant, Station.LOOP, 12)
    assert found[:5] == pytest.approx([50, 50, 12, 3.0, 4915])
    assert found[5] == pytest.approx((4915 - 1638.3) / (8191.5 - 1638.3) * 100)


def test_a_shunt_of_500_ohm_clips_at_twenty() -> None:
    plant = path_of(device=SIGNAL, loop={"shunt_ohm": 500}, input=BITS14, value=PERCENT)
    high = evaluate(plant, Station.LOOP, 21.0)
    assert high.at(Station.COUNTS)[0] == 16383
    assert reason_messages(plant, 0, int(high.reasons[0])) == ["at or above 20.00 mA, cannot tell"]


def test_the_inputs_own_resistance_stands_beside_the_shunt() -> None:
    """250 Ω beside 100 kΩ are 249.3766 Ω."""
    plant = path_of(device=SIGNAL, loop={"shunt_ohm": 250}, input=mode(input_ohm=100_000), value=PERCENT)
    assert stations(plant, Station.LOOP, 20)[3] == pytest.approx(4.987531, abs=1e-6)


def test_the_same_signal_under_three_live_zero_conventions() -> None:
    """4 mA is 13107 on 0–20 mA / 65535, 0 on suppressed 0…10000, 4000 in µA."""
    for given_mode, at_four, at_twelve in (
        (mode("mA", (0, 20), (0, 65535)), 13107, 39321),
        (mode("mA", (4, 20), (0, 10000)), 0, 5000),
        (mode("mA", (0, 20), (0, 20000)), 4000, 12000),
    ):
        plant = path_of(device=SIGNAL, input=given_mode, value={"low": -20, "high": 80, "unit": "°C"})
        assert stations(plant, Station.LOOP, 4)[4] == at_four
        assert stations(plant, Station.LOOP, 12)[4:] == pytest.approx([at_twelve, 30.0])


def test_a_signed_span_has_zero_in_its_middle() -> None:
    """A span of −32768 … 32767 for ±10 V; 0 V is −0.5, rounded away from zero to −1; 5 V is 16383.25."""
    plant = path_of(
        device={"signal": "±10 V", "low": -100, "high": 100, "unit": "Pa"},
        input=mode("V", (-10, 10), (-32768, 32767)),
        value={"low": -100, "high": 100, "unit": "Pa"},
    )
    assert stations(plant, Station.LOOP, 0)[4] == -1
    assert stations(plant, Station.LOOP, 5)[4] == 16383


@pytest.mark.parametrize(
    ("signal", "unit", "span", "value", "percent"),
    [
        ("±20 mA", "mA", (-20, 20), -10, 25),
        ("0–1 V", "V", (0, 1), 0.25, 25),
        ("0–5 V", "V", (0, 5), 1, 20),
        ("±5 V", "V", (-5, 5), 0, 50),
        ("1–5 V", "V", (0, 10), 3, 50),
        ("2–10 V", "V", (0, 10), 6, 50),
    ],
)
def test_every_span_in_its_middle(
    signal: str, unit: str, span: tuple[float, float], value: float, percent: float
) -> None:
    plant = path_of(
        device={"signal": signal, "low": 0, "high": 100, "unit": "%"},
        input=mode(unit, span, (0, 20000)),
        value=PERCENT,
    )
    found = stations(plant, Station.LOOP, value)
    assert found[1] == pytest.approx(percent)
    assert found[5] == pytest.approx(percent, abs=0.01)


def test_a_bridge_on_a_ratiometric_and_on_a_plain_input() -> None:
    """2 mV/V at full load, fed with 10 V: 20 mV. Half load is 1 mV/V or 10 mV."""
    device = {"signal": "bridge mV/V", "signal_low": 0, "signal_high": 2, "low": 0, "high": 500, "unit": "kg"}
    value = {"low": 0, "high": 500, "unit": "kg"}
    ratio = path_of(device=device, input=mode("mV/V", (0, 4), (0, 40000)), value=value)
    assert stations(ratio, Station.PROCESS, 250)[2:] == pytest.approx([1, 1, 10000, 250])
    plain = path_of(device=device, loop={"excitation_v": 10}, input=mode("mV", (0, 40), (0, 40000)), value=value)
    assert stations(plain, Station.PROCESS, 250)[2:] == pytest.approx([1, 10, 10000, 250])


def test_a_span_as_a_share_of_the_supply() -> None:
    """Up to 1.25 times the supply for 4000 counts: 6 V of 12 are 1600, of 24 they are 800."""
    device = {"signal": "0–10 V", "low": 0, "high": 100, "unit": "%"}
    shares = mode("V", (0, 1.25), (0, 4000), follows_supply=True, at_supply_v=1)
    for supply_v, count in ((12, 1600), (24, 800)):
        plant = path_of(device=device, input=shares, value=PERCENT, conventions={"supply_v": supply_v})
        assert stations(plant, Station.LOOP, 6.0)[4] == count


def test_a_potentiometer_in_ohms_and_as_a_divider() -> None:
    """41.5 % of 5 kΩ is 2075 Ω; fed with 10 V the slider stands at 4.15 V."""
    device = {"signal": "potentiometer", "signal_low": 0, "signal_high": 5000, "low": 0, "high": 100, "unit": "%"}
    ohms = path_of(device=device, input=mode("Ω", (0, 5000), (0, 50000)), value=PERCENT)
    assert stations(ohms, Station.PROCESS, 41.5)[2:] == pytest.approx([2075, 2075, 20750, 41.5])
    volts = path_of(device=device, loop={"excitation_v": 10}, input=mode("V", (0, 10), (0, 10000)), value=PERCENT)
    assert stations(volts, Station.PROCESS, 41.5)[2:] == pytest.approx([2075, 4.15, 4150, 41.5])


def test_frequency_in_tenths_of_a_hertz() -> None:
    device = {"signal": "frequency", "signal_low": 0, "signal_high": 2000, "low": 0, "high": 400, "unit": "rpm"}
    plant = path_of(
        device=device, input=mode("Hz", (0, 10000), (0, 100000)), value={"low": 0, "high": 400, "unit": "rpm"}
    )
    assert stations(plant, Station.LOOP, 1430)[4:] == pytest.approx([14300, 286])


def test_slope_and_offset_say_the_same_as_two_points() -> None:
    """100 / 25000 is 0.004; 12500 counts are 50 %."""
    plant = path_of(
        device={**SIGNAL, "signal": "0–10 V"},
        input=mode(counts=(0, 25000)),
        value={"form": "slope and offset", "slope": "0.004", "offset": "0", "unit": "%"},
    )
    assert stations(plant, Station.LOOP, 5)[5] == pytest.approx(50.0)
    assert stations(plant, Station.VALUE, 50)[4] == 12500


def test_a_chain_of_factors_has_the_slope_of_their_product() -> None:
    """Within 1e-9 of the two points it stands for: 10/32768 V · 2.5 bar/V."""
    factors = f"V per count {10 / 32768!r}; bar per V 2.5"
    chained = path_of(
        device={"signal": "0–10 V", "low": 0, "high": 25, "unit": "bar"},
        input=mode(counts=(0, 32768)),
        value={"form": "factors", "factors": factors, "unit": "bar"},
    )
    pointed = path_of(
        device={"signal": "0–10 V", "low": 0, "high": 25, "unit": "bar"},
        input=mode(counts=(0, 32768)),
        value={"low": 0, "high": 25, "unit": "bar"},
    )
    for count in (1, 12345, 32767):
        one, other = (stations(p, Station.COUNTS, count)[5] for p in (chained, pointed))
        assert one == pytest.approx(other, rel=1e-9)


def test_a_root_below_its_cut_off_is_nothing() -> None:
    """5 % of flow is 0.25 % of pressure: 4.04 mA. Just under it shows 0, just over 5 % of 6500."""
    plant = path_of(
        device={"signal": "4–20 mA", "low": 0, "high": 25, "unit": "mbar"},
        input=mode("mA", (4, 20), (0, 160000), most=170000),
        value={"low": 0, "high": 6500, "unit": "m³/h", "law": "square root", "cutoff": 5},
    )
    assert stations(plant, Station.LOOP, 4.03)[5] == 0
    assert stations(plant, Station.LOOP, 4.0401)[5] == pytest.approx(6500 * np.sqrt(0.0401 / 16))


@pytest.mark.parametrize(
    ("cutoff", "said"),
    [(0.4, "% before the root"), (1, "the unit of the range"), (6.324555, "% of the root"), (6.324555, "")],
)
def test_a_cut_off_is_said_as_the_data_sheet_says_it(cutoff: float, said: str) -> None:
    """1 mbar of 250 is 0.4 % of the pressure, and its root, 6.3246 %, of the flow."""
    device = {"signal": "4–20 mA", "low": 0, "high": 250, "unit": "mbar", "law": "square root", "cutoff": cutoff}
    plant = path_of(
        device=device | ({"cutoff_in": said} if said else {}), input=mode("mA", (4, 20), (0, 10000)), value=PERCENT
    )
    assert evaluate(plant, Station.PROCESS, 0.999).at(Station.DEVICE)[0] == 0.0
    assert evaluate(plant, Station.PROCESS, 1.001).at(Station.DEVICE)[0] == pytest.approx(6.3277, abs=1e-4)


def test_a_cut_off_in_the_unit_of_the_value() -> None:
    """325 m³/h of 6500 are 5 % of the flow, 0.25 % of the signal: 4.04 mA."""
    value = {
        "low": 0,
        "high": 6500,
        "unit": "m³/h",
        "law": "square root",
        "cutoff": 325,
        "cutoff_in": "the unit of the range",
    }
    plant = path_of(device=SIGNAL, input=mode("mA", (4, 20), (0, 160000)), value=value)
    assert stations(plant, Station.LOOP, 4.039)[5] == 0.0
    assert stations(plant, Station.LOOP, 4.041)[5] == pytest.approx(6500 * np.sqrt(0.041 / 16))


def test_a_root_taken_by_the_device_is_not_taken_again() -> None:
    plant = path_of(
        device={"signal": "4–20 mA", "low": 0, "high": 25, "unit": "mbar", "law": "square root"},
        input=mode("mA", (4, 20), (0, 10000)),
        value={"low": 0, "high": 6500, "unit": "m³/h"},
    )
    assert stations(plant, Station.PROCESS, 6.25) == pytest.approx([6.25, 50, 12, 12, 5000, 3250])


def test_a_tank_table_behind_the_line() -> None:
    """2.5 m lie halfway between 2 m (9.2 m³) and 3 m (15.2 m³): 12.2 m³, and back."""
    plant = path_of(device={"signal": "4–20 mA", "low": 0, "high": 5, "unit": "m"}, input=mode("mA", (4, 20), (0, 20000)),
                    value={"low": 0, "high": 5, "law": "table", "table": [[0, 0], [1, 3.4], [2, 9.2], [3, 15.2], [5, 24.4]], "unit": "m³"})  # fmt: skip
    assert stations(plant, Station.PROCESS, 2.5)[4:] == pytest.approx([10000, 12.2])
    assert stations(plant, Station.VALUE, 12.2)[:3] == pytest.approx([2.5, 50, 12])


@pytest.mark.parametrize(
    ("policy", "shows", "reason"),
    [
        ({}, 112.5, Reason(0)),
        ({"above": "clamp"}, 103.125, Reason.CLAMPED),
        ({"above": "substitute", "substitute": 42}, 42, Reason.SUBSTITUTED),
        ({"above": "hold last"}, 77, Reason.HELD),
    ],
)
def test_22_milliampere_keep_their_doubt_whatever_is_shown(
    policy: dict[str, object], shows: float, reason: Reason
) -> None:
    """MEANINGS: clamped at +3.125 % beyond span, and still failed high."""
    plant = path_of(device=SIGNAL, input=mode("mA", (4, 20), (0, 16000), most=20000), value={**PERCENT, **policy})
    found = evaluate(plant, Station.LOOP, 22.0, last=np.array([77.0]))
    assert found.at(Station.VALUE)[0] == pytest.approx(shows)
    assert Reason(int(found.reasons[0])) == Reason.FAILED_HIGH | reason
    assert found.quality[0] == Quality.BAD


def test_on_failure_is_apart_from_outside_the_range() -> None:
    plant = path_of(
        device=SIGNAL,
        input=mode("mA", (4, 20), (0, 16000), least=-4000, most=20000),
        value={**PERCENT, "on_failure": "up-scale"},
    )
    assert stations(plant, Station.LOOP, 0)[5] == pytest.approx(103.125)
    assert stations(plant, Station.LOOP, 3.9)[5] == pytest.approx(-0.625)


def test_limits_of_ne_43_are_met_by_the_count_nearest_to_them() -> None:
    """On 0…30003 for 4–20 mA, 3.6 mA are −750.075 counts: −750 is the count at the limit, and bad."""
    plant = path_of(device=SIGNAL, input=mode("mA", (4, 20), (0, 30003), least=-5000, most=32767), value=PERCENT)
    assert reasons(plant, Station.LOOP, 3.6) == Reason.FAILED_LOW
    assert reasons(plant, Station.LOOP, 3.62) == Reason.UNDER_RANGE
    assert reasons(plant, Station.LOOP, 21.0) == Reason.FAILED_HIGH
    assert reasons(plant, Station.LOOP, 20.5) == Reason(0)


def test_a_count_that_tells_a_fault_is_no_value_of_the_signal() -> None:
    plant = path_of(
        device={**SIGNAL, "signal": "0–10 V"},
        input=mode(counts=(0, 27000), most=32767, over_counts=32767, open_counts=-32768, least=-5000),
        value=PERCENT,
    )
    assert reasons(plant, Station.COUNTS, -32768) == Reason.OPEN_CIRCUIT
    assert reasons(plant, Station.COUNTS, 32767) == Reason.AT_LIMIT_HIGH


OUTPUT = {"signal_unit": "mA", "signal": [4, 20], "counts": [0, 30000], "least": -1500, "most": 31500}


def test_an_output_is_clamped_rounded_and_stopped() -> None:
    """50 % is 15000; 110 % would be 33000 and stops at 31500, which is 20.8 mA."""
    plant = path_of(device=SIGNAL, input={"mode": OUTPUT, "direction": "out"}, value=PERCENT)
    assert stations(plant, Station.VALUE, 50)[2:5] == pytest.approx([12, 12, 15000])
    assert stations(plant, Station.VALUE, 110)[2:5] == pytest.approx([20.8, 20.8, 31500])
    clamped = path_of(device=SIGNAL, input={"mode": OUTPUT, "direction": "out"}, value={**PERCENT, "above": "clamp"})
    assert stations(clamped, Station.VALUE, 110)[4] == round(30000 * 1.03125)


def test_input_and_output_spans_of_one_family_may_differ() -> None:
    """Outputs to 30000, inputs to 29900: a loop-back at full scale reads 100 % both ways."""
    out = path_of(
        device={**SIGNAL, "signal": "0–10 V"},
        input={"mode": {"signal_unit": "V", "signal": [0, 10], "counts": [0, 30000]}, "direction": "out"},
        value=PERCENT,
    )
    back = path_of(device={**SIGNAL, "signal": "0–10 V"}, input=mode(counts=(0, 29900)), value=PERCENT)
    volts = stations(out, Station.VALUE, 100)[2]
    assert stations(out, Station.VALUE, 100)[4] == 30000
    assert stations(back, Station.LOOP, volts)[4:] == pytest.approx([29900, 100])


@given(st.integers(-1500, 31500), st.sampled_from([(0.0, 100.0), (-20.0, 80.0), (7.3, -1.9), (0.0, 1e-3)]))
def test_every_count_of_an_output_comes_back_as_itself(count: int, ends: tuple[float, float]) -> None:
    plant = path_of(
        device=SIGNAL, input={"mode": OUTPUT, "direction": "out"}, value={"low": ends[0], "high": ends[1]}
    )
    value = stations(plant, Station.COUNTS, count)[5]
    assert stations(plant, Station.VALUE, value)[4] == count


@given(
    st.sampled_from(["4–20 mA", "0–20 mA", "±20 mA", "0–10 V", "2–10 V", "±10 V"]),
    st.floats(0, 100),
    st.sampled_from(["two points", "slope and offset", "table", "square root"]),
)
def test_any_station_to_all_and_back(signal: str, percent: float, form: str) -> None:
    """From DEVICE to all stations, then from each of them back to DEVICE, within half a count."""
    unit = "mA" if "mA" in signal else "V"
    value: dict[str, object] = {"low": 0, "high": 40, "unit": "m³"}
    if form == "slope and offset":
        value = {"form": form, "slope": "0.004", "offset": "-3", "unit": "m³"}
    elif form == "table":
        value |= {"law": "table, cubic", "table": "0 0; 10 25; 25 40; 40 200"}
    elif form == "square root":
        value["law"] = form
    plant = path_of(
        device={"signal": signal, "low": -50, "high": 50, "unit": "Pa"},
        input=mode(unit, (-25, 25), (-25000, 25000)),
        value=value,
    )
    forward = stations(plant, Station.DEVICE, percent)
    width = 100 / (16000 if "4–" in signal else 8000)
    for k, station in enumerate((Station.PROCESS, Station.DEVICE, Station.LOOP, Station.INPUT)):
        assert stations(plant, station, forward[k])[1] == pytest.approx(percent, abs=1e-6)
    assert stations(plant, Station.COUNTS, forward[4])[1] == pytest.approx(percent, abs=width)
    assert stations(plant, Station.VALUE, forward[5])[4] == forward[4]


@pytest.mark.parametrize(
    ("volts", "reason"),
    [
        (0.0, Reason.FAILED_LOW),
        (0.9, Reason.FAILED_LOW),
        (0.93, Reason.UNDER_RANGE),
        (1.0, Reason(0)),
        (5.2, Reason.OVER_RANGE),
        (5.25, Reason.FAILED_HIGH),
    ],
)
def test_a_live_zero_in_volts_fails_at_the_same_shares(volts: float, reason: Reason) -> None:
    """3.6 and 21 mA of 4–20 are 0.9 and 5.25 V of 1–5."""
    plant = path_of(
        device={**SIGNAL, "signal": "1–5 V"}, input=mode("V", (0, 10), (0, 32000), least=-2000), value=PERCENT
    )
    assert reasons(plant, Station.LOOP, volts) == reason


def test_a_dead_zero_is_no_limit_of_the_module() -> None:
    plant = path_of(device={**SIGNAL, "signal": "0–10 V"}, input=mode(most=32767), value=PERCENT)
    assert reasons(plant, Station.LOOP, 0.0) == Reason(0)
    assert reasons(plant, Station.LOOP, 11.0) == Reason.AT_LIMIT_HIGH
