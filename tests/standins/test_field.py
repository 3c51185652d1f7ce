"""The stand-in's field: deterministic, quantised, and open to a signal source at its terminals."""

import math

import numpy as np
import pytest

from canaleta.catalogue.demo import FieldFault, demo_plant, layout_of
from canaleta.core.model.registers import decode
from canaleta.standins.field import FieldRack, InjectionError
from canaleta.standins.together import together

PLANT = demo_plant()
LAYOUT = layout_of(PLANT)


def rack(seed: int = 7) -> FieldRack:
    return FieldRack(PLANT, LAYOUT, 1, seed)


def test_two_runs_with_one_seed_read_alike_and_another_seed_does_not() -> None:
    a, b, c = rack(7), rack(7), rack(8)
    assert all((a.step(k) == b.step(k)).all() for k in range(50))
    assert any((a.step(k) != c.step(k)).any() for k in range(5))


def counts_at(field: FieldRack, module: int, channel: int, step: int = 0) -> tuple[float, bool]:
    found = decode(field.map, field.step(step))
    at = int(np.flatnonzero((field.map.modules == module) & (field.map.channels == channel))[0])
    return float(found.counts[at]), bool(found.fault[at])


@pytest.mark.parametrize(
    ("ma", "counts"), [(4.0, 0), (12.0, 16000), (20.0, 32000), (3.6, -800), (0.0, -8000), (22.0, 32767)]
)
def test_a_current_on_the_wire_is_a_count_in_a_register(ma: float, counts: int) -> None:
    """32 000 counts over 16 mA, signed, stopped at −8000 and 32 767."""
    field = rack()
    field.inject(2, 0, ma, "mA")
    assert counts_at(field, 2, 0)[0] == counts
    field.inject(2, 0, None, "mA")
    assert counts_at(field, 2, 0)[0] != counts


def test_millivolts_at_the_terminals_meet_the_cold_junction() -> None:
    """13.3334 mV with 24 °C at the terminals is 350.0 °C: 3500 tenths."""
    field = rack()
    field.inject(3, 0, 13.3334, "mV")
    assert counts_at(field, 3, 0) == (3500, False)


def test_an_open_thermocouple_is_its_own_count_and_a_fault_bit() -> None:
    field = rack()
    field.inject(3, 2, math.nan, "mV")
    assert counts_at(field, 3, 2) == (32767, True)


def test_an_open_thermocouple_that_goes_up_scale_stands_at_the_top_of_its_mode() -> None:
    """Type K in tenths: 1372.0 °C, and the fault bit tells it from a hot kiln."""
    field = rack()
    field.inject(3, 0, math.nan, "mV")
    assert counts_at(field, 3, 0) == (13720, True)


def test_the_normally_closed_high_switch_is_closed_at_rest() -> None:
    assert counts_at(rack(), 1, 1)[0] == 1


@pytest.mark.parametrize(
    ("module", "channel", "unit", "says"), [(2, 0, "V", "works with mA"), (2, 7, "mA", "nothing is wired")]
)
def test_a_signal_that_does_not_fit_is_refused(module: int, channel: int, unit: str, says: str) -> None:
    with pytest.raises(InjectionError, match=says):
        rack().inject(module, channel, 1.0, unit)


def test_the_gas_pressure_wanders_about_its_mean_with_noise() -> None:
    field = rack()
    values = [counts_at(field, 2, 0, step)[0] for step in range(200)]
    mean = 187.5 / 600 * 32000
    assert abs(np.mean(values) - mean) < 0.02 * mean
    assert len(set(values)) > 100, "noise and quantisation, not a constant"


def test_racks_worked_out_together_are_as_each_is_alone() -> None:
    """With a fault in the field of one, a signal put on another, and a setting written later."""
    opened = next(d for d in PLANT.field if LAYOUT.modules[LAYOUT.read_address(d.at)[0]].rack == 2)
    broken = PLANT.model_copy(
        update={
            "field": tuple(
                d.model_copy(update={"faults": (FieldFault(kind="open"),)}) if d is opened else d for d in PLANT.field
            )
        }
    )

    def made() -> list[FieldRack]:
        fields = [FieldRack(broken, LAYOUT, r, 20 + r) for r in LAYOUT.racks]
        fields[0].inject(2, 0, 12.0, "mA")
        return fields

    alone, joined, before = made(), made(), None
    for step in range(0, 12, 4):
        words, before = together(joined, step, before)
        for one, other in zip(alone, words, strict=True):
            assert one.step(step).tolist() == other.tolist(), f"rack {one.rack} at {step}"
    first = before
    joined[0].inject(2, 0, None, "mA", faults=[("open", "")])
    alone[0].inject(2, 0, None, "mA", faults=[("open", "")])
    words, after = together(joined, 12, before)
    assert alone[0].step(12).tolist() == words[0].tolist()
    assert after is not first, "what is wrong in one of them is seen"
    assert together(joined, 16, after)[1] is after, "nothing new: nothing is made ready anew"
