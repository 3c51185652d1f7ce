"""What a loop check is worth, by hand: a calibrator, sixteen bits and a display, against half a percent of span."""

import numpy as np
import pytest
from tests.building.words import mode, path_of

from canaleta.core.checks.loopcheck import TestOf, judged, steps_of
from canaleta.core.checks.uncertainty import Accuracy, Decided
from canaleta.core.checks.worth import loop_unit_of, worth_of_step, worths_of
from canaleta.core.model.image import PlantImage

CALIBRATOR = Accuracy(0, 24, of_reading=0.02, digits=2, resolution=0.001)
RANGE = {"low": 0, "high": 500, "unit": "mbar"}


def loop(**testing: object) -> PlantImage:
    conventions = {"testing": testing} if testing else {}
    counts = mode("mA", (4, 20), (0, 32000), least=-8000, most=35000)
    return path_of(
        device={"signal": "4–20 mA"} | RANGE, input=counts, value=RANGE | {"decimals": 1}, conventions=conventions
    )


def test_each_share_is_in_the_unit_of_the_value() -> None:
    """31.25 mbar a milliampere: ±0.0044 mA at 12 mA is ±0.1375 mbar; a count is 0.015625 mbar; the display moves by 0.1."""
    plant = loop()
    assert loop_unit_of(plant, 0) == "mA"
    worth = worth_of_step(plant, 0, 12.0, CALIBRATOR)
    told = {part.name: part.standard for part in worth.parts}
    assert told["instrument"] == pytest.approx(0.1375 / 3**0.5, rel=1e-3)
    assert told["converter"] == pytest.approx(0.015625 / 12**0.5, rel=1e-3)
    assert told["display"] == pytest.approx(0.1 / 12**0.5)
    assert worth.expanded == pytest.approx(2 * (0.079386**2 + 0.004511**2 + 0.028868**2) ** 0.5, rel=1e-3)


def test_a_check_is_decided_by_the_plants_rule() -> None:
    """0.5 % of 500 mbar is 2.5. An error of 2.4 is within; less a guard band of U = 0.17 it is not."""
    results = {}
    for rule in ("simple acceptance", "guard band"):
        plant = loop(rule=rule)
        steps = steps_of(plant, 0)
        nothing = np.full(len(steps), np.nan)
        read = np.array([step.value + 2.4 for step in steps])
        outcome = judged(plant, 0, steps, nothing, nothing, read)
        found = worths_of(plant, 0, outcome, [CALIBRATOR] * len(steps))
        results[rule] = {one.decision.decided for one in found if one.decision}
    assert results == {"simple acceptance": {Decided.PASSES}, "guard band": {Decided.BETWEEN}}


def test_a_poor_instrument_decides_nothing_where_the_plant_refuses() -> None:
    """±0.5 % of 24 mA is ±0.12 mA, 3.75 mbar: expanded 4.3, and the tolerance is 2.5."""
    plant = loop(rule="refuse below the ratio")
    steps = steps_of(plant, 0)
    nothing = np.full(len(steps), np.nan)
    outcome = judged(plant, 0, steps, nothing, nothing, np.array([step.value for step in steps]))
    found = worths_of(plant, 0, outcome, [Accuracy(0, 24, of_span=0.5)] * len(steps))
    assert {one.decision.decided for one in found if one.decision} == {Decided.TOO_POOR}
    assert found[0].decision is not None
    assert found[0].decision.ratio == pytest.approx(
        2.5 / (2 * (3.75**2 / 3 + 0.02885**2 + 0.0045**2) ** 0.5), rel=1e-3
    )


def test_where_the_value_does_not_follow_nothing_is_claimed() -> None:
    """Without a scaling there is no value, and no share of the instrument in it; a share of nothing would be a claim."""
    unscaled = loop().with_cells({(0, "value_low"): None, (0, "value_high"): None})
    with pytest.raises(ValueError, match="does not follow"):
        worth_of_step(unscaled, 0, 12.0, CALIBRATOR)


def test_beyond_the_instruments_range_nothing_is_worked_out() -> None:
    with pytest.raises(ValueError, match="beyond the range"):
        worth_of_step(loop(), 0, 20.0, Accuracy(0, 10, of_span=0.1))


def test_a_channel_and_a_device_alone_are_worth_what_they_are_measured_with() -> None:
    """±0.0044 mA at 12 mA, rectangular, is 0.00254 mA: 5.08 counts of 2000 a milliampere, and one count's own step is 0.289;
    a meter that reads the signal of a device is worth those 0.00254 mA alone."""
    channel = worth_of_step(loop(), 0, 12.0, CALIBRATOR, TestOf.CHANNEL)
    assert [(p.name, round(p.standard, 3)) for p in channel.parts] == [("instrument", 5.081), ("converter", 0.289)]
    device = worth_of_step(loop(), 0, 12.0, CALIBRATOR, TestOf.DEVICE)
    assert [(p.name, round(p.standard, 5)) for p in device.parts] == [("instrument", 0.00254)]
