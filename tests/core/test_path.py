"""The signal path: hand-worked figures at every station, both ways, and what the controller can know."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import layout_with, plant_of

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.path.evaluate import describe, evaluate, reason_messages, workings
from canaleta.core.signals.sensors.thermocouples import thermocouple

PRESSURE = "4–20 mA, 0…600 mbar, shows 0…500 mbar"


def stations(plant: PlantImage, station: Station, value: float, row: int = 0) -> list[float]:
    return evaluate(plant, station, value, np.array([row])).stations[:, 0].tolist()


def test_nine_milliampere_at_every_station() -> None:
    """(9 − 4)/16 = 31.25 %; 600 · 0.3125 = 187.5; 9 mA · 100 Ω = 0.9 V; 32 000 · 0.3125; 500 · 0.3125."""
    found = stations(plant_of(PRESSURE), Station.LOOP, 9.0)
    assert found == pytest.approx([187.5, 31.25, 9.0, 0.9, 10000, 156.25])


@pytest.mark.parametrize(("station", "value"), list(zip(STATIONS, (300, 50, 12, 1.2, 16000, 250), strict=True)))
def test_half_of_span_is_the_same_path_from_any_station(station: Station, value: float) -> None:
    assert stations(plant_of(PRESSURE), station, value) == pytest.approx([300, 50, 12, 1.2, 16000, 250])


@pytest.mark.parametrize(("ma", "percent"), [(4, 0), (5, 25), (8, 50), (16, 86.603), (20, 100)])
def test_square_root_is_taken_by_the_scaling(ma: float, percent: float) -> None:
    plant = plant_of("4–20 mA, 0…25 mbar, shows 0…100 %, by square root")
    assert stations(plant, Station.LOOP, ma)[5] == pytest.approx(percent, abs=0.001)


def test_below_zero_a_square_root_shows_no_flow() -> None:
    plant = plant_of("4–20 mA, 0…25 mbar, shows 0…6500 m³/h, by square root")
    assert stations(plant, Station.LOOP, 3.9)[5] == 0.0


def module_65535() -> ModuleType:
    """0–20 mA over 0…65535 with live zero kept, as one maker has it."""
    mode = {
        "name": "0–20 mA",
        "family": "linear",
        "signal_unit": "mA",
        "signal": {"low": 0, "high": 20},
        "counts": {"low": 0, "high": 65535},
        "least": 0,
        "most": 65535,
        "burden_ohm": 250,
    }
    return ModuleType.model_validate(
        {
            "key": "odd",
            "title": "odd",
            "summary": "",
            "channels": 4,
            "signed": False,
            "modes": [mode],
            "terminals": [{"mark": "{n}", "role": "signal in"}],
            "registers": [{"holds": "channel words", "count": 4}],
        }
    )


def test_another_makers_counts_need_no_other_program() -> None:
    """0–20 mA over 0…65535, −20…80 °C at 4–20 mA: 12 mA → 39 321 → 30.000 °C; above 20 mA nothing is seen."""
    layout = layout_with([module_65535()])
    plant = plant_of("4–20 mA, -20…80 °C, shows -20…80 °C, on TC-1 1 4 1", layout=layout)
    plant = plant.with_cells({(0, "mode"): "0–20 mA", (0, "counts_low"): 13107, (0, "counts_high"): 65535})
    assert stations(plant, Station.LOOP, 12)[4:] == pytest.approx([39321, 30.0])
    assert stations(plant, Station.LOOP, 3.6)[4] == 11796
    high = evaluate(plant, Station.LOOP, 21.0)
    assert high.at(Station.COUNTS)[0] == 65535
    assert reason_messages(plant, 0, int(high.reasons[0])) == ["at or above 20.00 mA, cannot tell"]


@pytest.mark.parametrize(
    ("ma", "quality", "words"),
    [
        (0.0, Quality.BAD, "failed low or open"),
        (3.6, Quality.BAD, "failed low or open"),
        (3.7, Quality.DOUBTFUL, "below the good range of the signal"),
        (3.8, Quality.GOOD, None),
        (20.3, Quality.GOOD, None),
        (21.0, Quality.DOUBTFUL, "at or above 20.38 mA, cannot tell"),
    ],
)
def test_ne43_is_judged_by_what_the_module_can_say(ma: float, quality: Quality, words: str | None) -> None:
    """The module stops at 32 767 counts = 20.3835 mA: a transmitter failing high cannot be told from 20.4 mA."""
    plant = plant_of(PRESSURE)
    found = evaluate(plant, Station.LOOP, ma)
    assert found.quality[0] == quality
    assert (reason_messages(plant, 0, int(found.reasons[0])) or [None])[0] == words


def test_a_module_with_headroom_says_failed_high() -> None:
    kind = module_65535().model_dump(mode="json")
    kind["modes"][0] |= {
        "name": "4–20 mA",
        "signal": {"low": 4, "high": 20},
        "counts": {"low": 0, "high": 10000},
        "least": -2500,
        "most": 32767,
    }
    kind["signed"] = True
    layout = layout_with([ModuleType.model_validate(kind)])
    plant = plant_of("4–20 mA, 0…10 bar, shows 0…10 bar, on TC-1 1 4 1", layout=layout)
    plant = plant.with_cells({(0, "counts_high"): 10000})
    # Live zero suppressed, 0…10000 over 16 mA, 625 a mA: 3.6 mA is −0.4 mA, −250; 20.5 → 10312.5, 21 → 10625.
    assert stations(plant, Station.LOOP, 3.6)[4] == -250
    assert stations(plant, Station.LOOP, 21.0)[4] == 10625
    assert evaluate(plant, Station.LOOP, 21.0).reasons[0] == Reason.FAILED_HIGH
    assert evaluate(plant, Station.LOOP, 20.6).reasons[0] == Reason.OVER_RANGE


def test_a_voltage_on_a_current_mode_is_no_value() -> None:
    plant = plant_of("0–10 V, 0…60 m/min, shows 0…60 m/min").with_cells({(0, "mode"): "4–20 mA"})
    found = evaluate(plant, Station.LOOP, 5.0)
    assert np.isnan(found.at(Station.VALUE)[0])
    assert found.quality[0] == Quality.BAD
    assert found.reasons[0] & Reason.MODE_MISFIT


def test_thermocouple_through_cold_junction_to_tenths() -> None:
    """Type K at 350 °C with 24 °C in the cabinet: 14.2931 mV, 13.3334 at the terminals, 3500 counts."""
    found = stations(plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), Station.PROCESS, 350.0)
    assert found == pytest.approx([350, 14.2931, 13.3334, 14.2931, 3500, 350.0], abs=0.0001)


@pytest.mark.parametrize(
    ("letter", "degc"), [("S", 1200.0), ("B", 1500.0), ("N", 900.0), ("J", 350.0), ("T", -120.0)]
)
def test_every_letter_comes_through_a_cabinet_at_24_degrees(letter: str, degc: float) -> None:
    """Compensation adds in mV what the junction took away: the value is the temperature, to a tenth."""
    plant = plant_of(f"TC {letter}, -100…1600 °C, shows 0…1200 °C")
    found = stations(plant, Station.PROCESS, degc)
    assert found[4:] == [degc * 10, degc]
    junction = float(thermocouple(letter).emf_mv(24.0))
    assert found[2] == pytest.approx(found[1] - junction)


def test_a_type_s_element_on_a_type_k_mode_reads_far_too_low() -> None:
    """9.9 mV of type S at 1040 °C is what type K makes at 246 °C or so."""
    plant = plant_of("TC S, 0…1600 °C, shows 0…1200 °C").with_cells({(0, "mode"): "TC K, 0.1 °C"})
    value = stations(plant, Station.PROCESS, 1040.0)[5]
    emf = float(thermocouple("S").emf_mv(1040.0) - thermocouple("S").emf_mv(24.0) + thermocouple("K").emf_mv(24.0))
    assert value == pytest.approx(float(thermocouple("K").temperature_degc(emf)), abs=0.06)
    assert value < 300


def test_open_thermocouple_is_bad_and_says_open() -> None:
    plant = plant_of("TC K, 0…1200 °C, shows 0…1200 °C")
    found = evaluate(plant, Station.COUNTS, 32767.0)
    assert found.quality[0] == Quality.BAD
    assert reason_messages(plant, 0, int(found.reasons[0]))[0] == "open circuit"
    assert np.isnan(found.at(Station.PROCESS)[0])


@pytest.mark.parametrize(
    ("signal", "acted", "closed"),
    [("contact NO", 1, 1), ("contact NO", 0, 0), ("contact NC", 1, 0), ("contact NC", 0, 1)],
)
def test_contact_form_is_the_state_on_the_shelf(signal: str, acted: int, closed: int) -> None:
    found = stations(plant_of(signal), Station.PROCESS, acted)
    assert found == [acted, closed, 24.0 * closed, closed, closed, closed]


def test_eight_volts_are_neither_off_nor_on() -> None:
    found = evaluate(plant_of("contact NO"), Station.LOOP, 8.0)
    assert np.isnan(found.at(Station.INPUT)[0])
    assert found.reasons[0] == Reason.UNDEFINED_LEVEL


def test_a_point_without_channel_has_no_value_but_a_signal() -> None:
    plant = plant_of("4–20 mA, 0…600 mbar, nowhere")
    found = evaluate(plant, Station.PROCESS, 300.0)
    assert found.at(Station.LOOP)[0] == 12.0
    assert found.quality[0] == Quality.NONE


@given(
    st.sampled_from(
        [
            "4–20 mA, -50…50 Pa, shows -50…50 Pa",
            "0–10 V, 0…60 m/min, shows 0…60 m/min",
            "0–20 mA, 10…2 bar, shows 10…2 bar, reverse",
        ]
    ),
    st.floats(0.0, 100.0),
)
def test_there_and_back_is_within_half_a_count(sentence: str, percent: float) -> None:
    plant = plant_of(sentence)
    forward = evaluate(plant, Station.DEVICE, percent)
    back = evaluate(plant, Station.VALUE, forward.at(Station.VALUE))
    assert back.at(Station.DEVICE)[0] == pytest.approx(percent, abs=0.5 / 32000 * 100 + 1e-9)
    assert back.at(Station.COUNTS)[0] == forward.at(Station.COUNTS)[0]


@given(st.floats(0.0, 1200.0))
def test_thermocouple_there_and_back_is_within_half_a_tenth(degc: float) -> None:
    plant = plant_of("TC K, 0…1200 °C, shows 0…1200 °C")
    value = evaluate(plant, Station.PROCESS, degc).at(Station.VALUE)
    assert evaluate(plant, Station.VALUE, value).at(Station.PROCESS)[0] == pytest.approx(degc, abs=0.0501)


@given(st.integers(-8000, 32767))
def test_every_count_comes_back_as_itself(count: int) -> None:
    plant = plant_of(PRESSURE)
    value = evaluate(plant, Station.COUNTS, float(count)).at(Station.VALUE)
    assert evaluate(plant, Station.VALUE, value).at(Station.COUNTS)[0] == count


def test_many_families_in_one_call_do_not_mix() -> None:
    plant = plant_of(
        PRESSURE, "contact NC", "TC K, 0…1200 °C, shows 0…1200 °C", "0–10 V, 0…60 m/min, shows 0…60 m/min"
    )
    together = evaluate(plant, Station.LOOP, np.array([12.0, 24.0, 13.3334, 5.0])).at(Station.VALUE)
    assert together == pytest.approx([250.0, 1.0, 350.0, 30.0], abs=0.06)


def test_every_worked_out_number_tells_formula_figures_and_source() -> None:
    for sentence, value in ((PRESSURE, 9.0), ("TC K, 0…1200 °C, shows 0…1200 °C", 13.3334), ("contact NC", 24.0)):
        plant = plant_of(sentence)
        told = workings(plant, 0, Station.LOOP, value)
        assert told[2] is None, "what was given needs no working"
        for k, working in enumerate(told):
            if k != 2:
                assert working
                assert all((working.formula, working.figures, working.source))


def test_the_working_of_counts_holds_the_figures_of_this_point() -> None:
    working = workings(plant_of(PRESSURE), 0, Station.LOOP, 9.0)[4]
    assert working
    assert "10\u202f000" in working.figures
    assert "4–20 mA" in working.source


def test_each_station_says_its_unit() -> None:
    assert [w.unit for w in describe(plant_of(PRESSURE), 0)] == ["mbar", "%", "mA", "V", "", "mbar"]
    assert [w.unit for w in describe(plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), 0)][:4] == ["°C", "mV", "mV", "mV"]
