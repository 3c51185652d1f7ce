"""What each step of a test is worth: the calibrator, the converter's step and the display's, in the unit of where the test reads,
held against the tolerance by the plant's rule."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.checks.loopcheck import Judged, Outcome, TestOf
from canaleta.core.checks.uncertainty import (
    Accuracy,
    Decision,
    Part,
    Rule,
    Worth,
    accuracy_share,
    decided,
    of_step,
    worth_of,
)
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.path.evaluate import describe, evaluate

__all__ = ["StepWorth", "loop_unit_of", "worth_of_step", "worths_of"]


@dataclass(frozen=True)
class StepWorth:
    """A step with the instrument it was done with; decision: None where nothing was read yet. Both in the unit of what is read."""

    worth: Worth
    decision: Decision | None


def loop_unit_of(image: PlantImage, row: int) -> str:
    """The unit of what an instrument puts on or measures at the terminals."""
    return describe(image, row)[STATIONS.index(Station.LOOP)].unit


def worth_of_step(
    image: PlantImage, row: int, signal: float, accuracy: Accuracy, test: TestOf = TestOf.LOOP
) -> Worth:
    """The uncertainty of what a test reads while a signal stands on the wires, from the instrument's accuracy (in the
    unit of LOOP). Of a device alone it is the meter's: what a reference for the quantity is worth, nobody states. Raises ValueError where its range does not reach the signal, or the value does not follow it."""
    if test is TestOf.DEVICE:
        return worth_of([accuracy_share("instrument", accuracy, signal, 1.0)])
    reach = 0.005 * (accuracy.high - accuracy.low)
    slope = _slope(image, row, Station.LOOP, signal, reach, test.station)
    parts: list[Part] = [accuracy_share("instrument", accuracy, signal, slope)]
    mode, numbers = int(image.mode[row]), image.layout.mode_table.numbers
    if mode >= 0 and (step := float(numbers["step"][mode])) > 0:
        count = float(evaluate(image, Station.LOOP, signal, np.array([row])).at(Station.COUNTS)[0])
        into = 1.0 if test is TestOf.CHANNEL else _slope(image, row, Station.COUNTS, count, step)
        parts.append(of_step("converter", step, into))
    if test is TestOf.CHANNEL:
        return worth_of(parts)
    decimals = describe(image, row)[STATIONS.index(Station.VALUE)].decimals
    parts.append(of_step("display", 10.0**-decimals))
    return worth_of(parts)


def _slope(
    image: PlantImage, row: int, station: Station, at: float, reach: float, read: Station = Station.VALUE
) -> float:
    """How far what is read moves for one unit at a station: about a figure, or to the one side where the other is beyond what the
    path knows. Raises ValueError where the value does not follow at all."""
    low, middle, high = evaluate(image, station, at + reach * np.array([-1.0, 0.0, 1.0]), np.full(3, row)).at(read)
    for rise, over in ((high - low, 2.0), (high - middle, 1.0), (middle - low, 1.0)):
        if np.isfinite(rise):
            return abs(float(rise)) / (over * reach)
    raise ValueError(f"the value does not follow what stands at {at:g}")


def worths_of(image: PlantImage, row: int, outcome: Outcome, accuracies: list[Accuracy]) -> list[StepWorth]:
    """Each step of a check with the accuracy that its instrument states there. Raises ValueError where a step has none."""
    rules = image.conventions.testing
    tolerance = outcome.tolerance / 100.0 * outcome.span
    out = []
    for step, accuracy in zip(outcome.steps, accuracies, strict=True):
        worth = worth_of_step(image, row, _signal(step), accuracy, outcome.test)
        decision = None
        if np.isfinite(step.error):
            decision = decided(step.error, tolerance, worth, Rule(rules.rule), rules.least_ratio, rules.guard_share)
        out.append(StepWorth(worth, decision))
    return out


def _signal(step: Judged) -> float:
    return step.signal_read if np.isfinite(step.signal_read) else step.step.signal
