"""Temperature elements on their wires: leads and jumpers, extensions and junctions, raw modes and curves."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import mode, path_of, reasons, stations

from canaleta.core.model.fields import Station
from canaleta.core.model.quality import Reason
from canaleta.core.signals.sensors.extension import COLOURS, EXTENSIONS, colours_of, extensions_for
from canaleta.core.signals.sensors.resistance import class_limit_degc, resistance_curve
from canaleta.core.signals.sensors.thermocouples import thermocouple, thermocouple_letters

TENTHS = {
    "family": "resistance",
    "least": -2000,
    "most": 8500,
    "curve": "pt100",
    "open_counts": 32767,
    "short_counts": -32768,
}


def rtd(wires: int, built: int, jumper: str | None = None, lead: float = 1.5) -> object:
    loop = {"wires": wires, "lead_ohm": lead, "jumper": jumper}
    return path_of(
        device={"signal": "Pt100", "low": 0, "high": 250, "unit": "°C"},
        loop=loop,
        input=mode("°C", (0, 100), (0, 1000), wires=built, **TENTHS),
        value={"unit": "°C"},
    )


@pytest.mark.parametrize(
    ("wires", "built", "jumper", "seen"),
    [
        (2, 2, None, 103.0),
        (3, 3, None, 100.0),
        (4, 4, None, 100.0),
        (2, 3, "at the input", 103.0),
        (2, 3, "at the head", 100.0),
        (2, 4, "at the input", 103.0),
        (3, 4, "at the input", 101.5),
        (3, 2, None, 103.0),
        (4, 3, None, 100.0),
    ],
)
def test_what_each_connection_leaves_of_two_leads_of_one_and_a_half_ohm(
    wires: int, built: int, jumper: str | None, seen: float
) -> None:
    found = stations(rtd(wires, built, jumper), Station.PROCESS, 0.0)
    assert found[1:4] == pytest.approx([100.0, 103.0, seen])


@pytest.mark.parametrize(("degc", "reads"), [(0, 7.7), (75, 82.9), (250, 258.3)])
def test_two_uncompensated_leads_of_one_and_a_half_ohm(degc: float, reads: float) -> None:
    """MEANINGS: 7.69 °C high at 0 °C, 7.86 at 75, 8.30 at 250; in tenths as the module counts them."""
    assert stations(rtd(2, 3, "at the input"), Station.PROCESS, degc)[5] == pytest.approx(reads)


def test_without_its_jumper_a_two_wire_element_is_open() -> None:
    plant = rtd(2, 3, "absent")
    assert np.isinf(stations(plant, Station.PROCESS, 75.0)[3])
    assert reasons(plant, Station.PROCESS, 75.0) == Reason.OPEN_CIRCUIT


def test_hundredths_and_fahrenheit_and_kelvin_in_the_word() -> None:
    """64.2 °C is 147.56 °F and 337.35 K."""
    for unit, counts, raw in (("°C", 10000, 6420), ("°F", 1000, 1476), ("K", 10000, 33735)):
        plant = path_of(
            device={"signal": "Pt100"},
            loop={"wires": 4},
            input=mode(unit, (0, 100), (0, counts), family="resistance", curve="pt100", least=-32768, most=65535),
            value={"unit": unit},
        )
        found = stations(plant, Station.PROCESS, 64.2)
        assert found[4] == raw
        assert found[5] == pytest.approx(raw * 100 / counts)


def test_ohms_in_tenths_with_the_curve_taken_by_the_scaling() -> None:
    """75 °C is 128.987 Ω, counted as 1290 tenths: 129.0 Ω is 75.03 °C, 167.06 °F."""
    plant = path_of(
        device={"signal": "Pt100"},
        loop={"wires": 4},
        input=mode("Ω", (0, 400), (0, 4000), family="resistance"),
        value={"law": "sensor curve", "unit": "°F"},
    )
    found = stations(plant, Station.PROCESS, 75.0)
    assert found[4] == 1290
    assert found[5] == pytest.approx(167.06, abs=0.005)
    assert stations(plant, Station.VALUE, 167.0)[0] == pytest.approx(75.0)


def test_millivolts_with_the_curve_and_the_junction_taken_by_the_scaling() -> None:
    """Type K 350 °C at a junction of 24 °C: 13.3334 mV at the terminals."""
    plant = path_of(
        device={"signal": "TC K"},
        input=mode("mV", (-100, 100), (-100000, 100000), family="thermocouple"),
        value={"law": "sensor curve", "unit": "°C"},
    )
    found = stations(plant, Station.PROCESS, 350.0)
    assert found[2:5] == pytest.approx([13.3334, 13.3334, 13333], abs=1e-4)
    assert found[5] == pytest.approx(350.0, abs=0.02)


def test_an_element_with_a_curve_of_its_own() -> None:
    plant = path_of(
        device={"signal": "own curve", "curve_table": "-40 100; 0 200; 100 500"},
        loop={"wires": 2},
        input=mode("Ω", (0, 500), (0, 5000), family="resistance"),
        value={"law": "sensor curve", "unit": "°C"},
    )
    assert stations(plant, Station.PROCESS, 50.0)[1:] == pytest.approx([350, 350, 350, 3500, 50])


def thermo(letter: str, loop: dict[str, object]) -> object:
    limits = {"least": -2700, "most": 20000, "curve": letter, "open_counts": 32767}
    return path_of(
        device={"signal": f"TC {letter}"},
        loop=loop,
        input=mode("°C", (0, 100), (0, 1000), family="thermocouple", **limits),
        value={"unit": "°C"},
    )


def test_type_s_on_the_wire_of_type_k_reads_sixty_degrees_high() -> None:
    """MEANINGS: at 1200 °C with 45 °C in the head and 24 °C in the cabinet."""
    found = stations(thermo("S", {"extension": "KX", "head_degc": 45}), Station.PROCESS, 1200)
    assert found[5] == pytest.approx(1260, abs=1.0)


def test_the_right_wire_changes_nothing_and_copper_loses_the_head() -> None:
    right = stations(thermo("K", {"extension": "KX", "head_degc": 45}), Station.PROCESS, 350)
    assert right[2] == pytest.approx(13.3334, abs=5e-5)
    # Copper makes no emf: 14.2931 − E(45 °C) = 14.2931 − 1.817 mV.
    copper = stations(thermo("K", {"extension": "copper", "head_degc": 45}), Station.PROCESS, 350)
    assert copper[2] == pytest.approx(14.2931 - 1.817, abs=5e-4)


def test_a_fixed_junction_is_wrong_by_the_difference_to_the_real_one() -> None:
    """Set to 20 °C where the terminals have 24: type K near 350 °C reads E(20)=0.7981 against E(24)=0.9597 mV low."""
    reads = stations(thermo("K", {"junction": "fixed", "junction_degc": 20}), Station.PROCESS, 350)[5]
    lost = float(thermocouple("K").emf_mv(24.0) - thermocouple("K").emf_mv(20.0))
    assert reads == pytest.approx(350 - lost / 0.0412, abs=0.15)


def test_a_remote_sensor_knows_the_box_where_copper_begins() -> None:
    found = stations(thermo("K", {"junction": "remote sensor", "junction_degc": 60}), Station.PROCESS, 350)
    assert found[2] == pytest.approx(14.2931 - 2.436, abs=5e-4)
    assert found[5] == 350.0


def test_beyond_the_curve_the_module_goes_to_its_end_and_says_so() -> None:
    plant = thermo("K", {})
    assert stations(plant, Station.LOOP, 70.0)[4] == 20000
    assert reasons(plant, Station.LOOP, 70.0) & Reason.OUTSIDE_SENSOR


@given(
    st.sampled_from(sorted(set(thermocouple_letters()) - {"B"})),
    st.floats(0, 1),
    st.integers(10, 60),
    st.integers(0, 50),
)
def test_right_wires_never_cost_anything(letter: str, share: float, head: int, junction: int) -> None:
    element = thermocouple(letter)
    degc = 50 + share * (min(element.high_degc, 1900) - 50)
    loop: dict[str, object] = {"head_degc": head, "junction": "remote sensor", "junction_degc": junction}
    if fitting := extensions_for(letter):
        loop["extension"] = next(w for w in fitting if EXTENSIONS[w].makes == letter)
    assert stations(thermo(letter, loop), Station.PROCESS, degc)[5] == pytest.approx(degc, abs=0.0501)


@pytest.mark.parametrize(
    ("letter", "tolerance", "degc", "limit"),
    [("K", "1", 100, 1.5), ("K", "1", 600, 2.4), ("K", "2", 1200, 9.0), ("K", "3", -200, 3.0), ("T", "1", 100, 0.5),
     ("T", "2", 200, 1.5), ("S", "1", 1000, 1.0), ("S", "1", 1600, 2.5), ("S", "2", 1600, 4.0), ("B", "3", 600, 4.0),
     ("B", "2", 1700, 4.25), ("C", "2", 1000, 10.0), ("E", "3", -100, 2.5)],
)  # fmt: skip
def test_tolerance_classes_of_the_standard(letter: str, tolerance: str, degc: float, limit: float) -> None:
    """IEC 60584-1:2013, table 12; S class 1 at 1600 °C is 1 + 0.003 · 500."""
    assert float(thermocouple(letter).limit_degc(degc, tolerance)) == pytest.approx(limit)


@pytest.mark.parametrize(
    ("letter", "tolerance"), [("B", "1"), ("R", "3"), ("S", "3"), ("J", "3"), ("A", "1"), ("C", "3")]
)
def test_classes_that_a_letter_does_not_have(letter: str, tolerance: str) -> None:
    with pytest.raises(ValueError, match=f"type {letter} has no class {tolerance}"):
        thermocouple(letter).limit_degc(100, tolerance)


@pytest.mark.parametrize(
    ("tolerance", "degc", "limit"),
    [("AA", 100, 0.27), ("A", -50, 0.25), ("B", 100, 0.8), ("B", 600, 3.3), ("C", 200, 2.6)],
)
def test_classes_of_platinum(tolerance: str, degc: float, limit: float) -> None:
    """IEC 60751:2022, table 3."""
    assert float(class_limit_degc(degc, tolerance)) == pytest.approx(limit)
    assert np.isnan(class_limit_degc(700, tolerance))


def test_film_elements_hold_their_class_over_less() -> None:
    assert np.isnan(class_limit_degc(400, "A", "film"))
    assert not np.isnan(class_limit_degc(400, "A", "wire"))


def test_nickel_120_meets_its_table_and_its_ratio() -> None:
    curve = resistance_curve("ni120")
    assert curve.ohm([-80, 0, 100, 260]) == pytest.approx([66.60, 120.0, 200.64, 380.31])
    assert (float(curve.ohm(100)) / 120 - 1) / 100 == pytest.approx(0.00672)


def test_the_other_nickel_and_copper_by_their_ratios() -> None:
    """Ratios of 100 °C to 0 °C: 1.617 and 1.426."""
    assert float(resistance_curve("ni100-617").ohm(100)) == pytest.approx(161.72, abs=0.01)
    assert float(resistance_curve("cu100-426").ohm(100)) == pytest.approx(142.6)


def test_colours_name_which_core_is_plus() -> None:
    assert (colours_of("K", "IEC 60584-3") or colours_of("K", "BS 1843")).plus == "green"  # type: ignore[union-attr]
    red_is_minus, red_is_plus = colours_of("K", "ANSI MC96.1"), colours_of("K", "DIN 43714")
    assert red_is_minus
    assert red_is_plus
    assert (red_is_minus.minus, red_is_plus.plus) == ("red", "red")
    assert all(c.plus != c.minus for code in COLOURS.values() for c in code.values())
