"""Faults as inputs: one mechanism, and by hand what would be read."""

import numpy as np
import pytest
from tests.building.words import mode, path_of

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import reason_messages
from canaleta.core.path.faults import KINDS, Fault, evaluate_faulted, kinds_for, read_fault, words_of
from canaleta.core.signals.signal_types import Family

DEVICE = {"signal": "4–20 mA", "low": 0, "high": 600, "unit": "mbar"}
VALUE = {"low": 0, "high": 600, "unit": "mbar"}
CURRENT = mode("mA", (4, 20), (0, 16000), least=-4000, most=20000, burden_ohm=250)


def loop(**more: object) -> PlantImage:
    return path_of(device={**DEVICE, **more}, loop={"supply": "module"}, input=CURRENT, value=VALUE)


def read(plant: PlantImage, process: float, *faults: Fault) -> tuple[float, Quality, list[str]]:
    found = evaluate_faulted(plant, Station.PROCESS, np.array([process]), {0: faults})
    told = reason_messages(plant, 0, int(found.reasons[0]))
    return float(found.at(Station.VALUE)[0]), Quality(int(found.quality[0])), told


def test_a_loop_with_a_wire_off_reads_as_failed_low_or_open() -> None:
    value, quality, told = read(loop(), 300, Fault("open"))
    assert (value, quality) == (-150.0, Quality.BAD)
    assert told[0] == "failed low or open"


def test_a_shorted_two_wire_transmitter_drives_the_input_to_its_end() -> None:
    """24 V over 250 Ω would be 96 mA: the count stops at 24 mA."""
    found = evaluate_faulted(loop(), Station.PROCESS, np.array([300.0]), {0: [Fault("short")]})
    assert found.at(Station.LOOP)[0] == pytest.approx(96)
    assert found.at(Station.COUNTS)[0] == 20000


def test_a_burden_two_percent_high_reads_high() -> None:
    """12 mA look like 12.24: (12.24 − 4)/16 · 600 = 309."""
    assert read(loop(), 300, read_fault("shunt off", "2"))[0] == pytest.approx(309.0)


def test_a_converter_whose_zero_or_slope_has_moved() -> None:
    """Half of 0 … 600 mbar is 8 000 of 16 000 counts: 0.5 % more at zero is 80 counts, 3 mbar; 1 % more slope as well."""
    assert read(loop(), 300, read_fault("zero off", "0.5"))[0] == pytest.approx(303.0)
    assert read(loop(), 0, read_fault("zero off", "0.5"))[0] == pytest.approx(3.0)
    assert read(loop(), 300, read_fault("slope off", "1"))[0] == pytest.approx(303.0)
    assert read(loop(), 0, read_fault("slope off", "1"))[0] == pytest.approx(0.0)


def test_a_low_supply_cannot_drive_the_top_of_the_range() -> None:
    """12 V − 8 V lift-off over 250 Ω are 16 mA: half of the span is fine, three quarters is the end."""
    plant = loop(lift_off_v=8)
    low = read_fault("supply low", "12 V")
    assert read(plant, 300, low)[0] == pytest.approx(300)
    assert read(plant, 600, low)[0] == pytest.approx(450)
    found = evaluate_faulted(plant, Station.PROCESS, np.array([600.0]), {0: [low]})
    assert found.at(Station.LOOP)[0] == pytest.approx(16)


def test_resistance_in_a_current_loop_changes_nothing_until_the_supply_is_short() -> None:
    plant = loop(lift_off_v=12)
    assert read(plant, 600, read_fault("leads added", "50"))[0] == pytest.approx(600)
    # 24 − 12 = 12 V over 250 + 2 · 300 Ω are 14.1 mA.
    assert read(plant, 600, read_fault("leads added", "300"))[0] == pytest.approx(
        (12 / 850 * 1000 - 4) / 16 * 600, abs=0.02
    )


THERMO = path_of(
    device={"signal": "TC K"},
    loop={"head_degc": 45},
    value={"unit": "°C"},
    input={"module": "tc8", "mode": "TC K, 0.1 °C"},
)


@pytest.mark.parametrize(
    ("fault", "reads"),
    [(Fault("short"), 24.0), (Fault("extension reversed"), 956.3), (read_fault("wrong extension", "copper"), 978.0)],
)
def test_signatures_of_a_thermocouple_at_1000_degrees(fault: Fault, reads: float) -> None:
    """Shorted it reads the junction; reversed at both ends −43.7 °C (MEANINGS); on copper E(45) − E(24) = 0.857 mV
    less, at 0.039 mV/°C."""
    assert read(THERMO, 1000, fault)[0] == pytest.approx(reads, abs=0.25)


def test_a_reversed_element_moves_the_wrong_way() -> None:
    warm, warmer = (read(THERMO, degc, Fault("reversed"))[0] for degc in (40, 60))
    assert warmer < warm < 24


def test_another_element_is_read_by_the_curve_the_module_has() -> None:
    """Type J at 200 °C makes 10.779 mV; less E_J(24) 1.226, plus E_K(24) 0.960: 10.513 mV, 259.0 °C of type K."""
    assert read(THERMO, 200, read_fault("wrong sensor", "TC J"))[0] == pytest.approx(259.0, abs=0.2)


def test_an_open_thermocouple_is_told_by_its_count() -> None:
    value, quality, told = read(THERMO, 500, Fault("open"))
    assert (quality, told[0]) == (Quality.BAD, "open circuit")
    assert value == pytest.approx(3276.7)


def test_leads_added_to_two_wires_of_platinum() -> None:
    """1 Ω a lead on two wires: 2 Ω, at 0 °C 5.12 °C high (2 / 0.39083)."""
    plant = path_of(
        device={"signal": "Pt100"},
        loop={"wires": 2},
        input=mode("°C", (0, 100), (0, 10000), family="resistance", curve="pt100", wires=2, least=-20000, most=85000),
        value={"unit": "°C"},
    )
    assert read(plant, 0, read_fault("leads added", "1"))[0] == pytest.approx(5.12, abs=0.01)


def test_noise_is_added_on_the_wires() -> None:
    noisy = read_fault("noise", "0.16")
    found = evaluate_faulted(loop(), Station.PROCESS, np.array([300.0]), {0: [noisy]}, noise=np.array([-1.0]))
    assert found.at(Station.LOOP)[0] == pytest.approx(11.84)
    assert found.at(Station.VALUE)[0] == pytest.approx(294.0)


def test_faults_of_one_point_leave_the_others_alone() -> None:
    two = PlantImage.of_rows([{n: c[0] for n, c in loop().cells.items()}] * 2, loop().layout, loop().conventions)
    found = evaluate_faulted(two, Station.PROCESS, np.array([300.0, 300.0]), {1: [Fault("open")]})
    assert found.at(Station.VALUE).tolist() == [300.0, -150.0]


def test_every_kind_can_be_given_to_some_path_and_is_told_in_words() -> None:
    for kind in KINDS.values():
        fault = read_fault(kind.name, kind.usual)
        assert kind.name in words_of(loop(), 0, fault)
        assert any(kind in kinds_for(family) for family in Family)


@pytest.mark.parametrize(
    ("kind", "amount", "says"),
    [
        ("loose", "", "is not one of"),
        ("open", "3", "takes no amount"),
        ("leads added", "", "a figure in Ω"),
        ("supply low", "-3", "zero or more"),
        ("wrong sensor", "TC Q", "is not one of"),
        ("shunt off", "much", "not a number"),
    ],
)
def test_a_fault_that_cannot_be_read_is_told(kind: str, amount: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_fault(kind, amount)
