"""What each step of a loop check is worth: the calibrator, the converter's step and the display's, in the value's unit, held
against the tolerance by the plant's rule."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.checks.loopcheck import Judged, Outcome
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
    """A step with the instrument it was done with; decision: None where nothing was read yet. Both in the value's unit."""

    worth: Worth
    decision: Decision | None


def loop_unit_of(image: PlantImage, row: int) -> str:
    """The unit of what an instrument puts on or measures at the terminals."""
    return describe(image, row)[STATIONS.index(Station.LOOP)].unit


def worth_of_step(image: PlantImage, row: int, signal: float, accuracy: Accuracy) -> Worth:
    """The uncertainty of the value that is read while a signal stands on the wires, from the instrument's accuracy (in the
    unit of LOOP). Raises ValueError where its range does not reach the signal."""
    reach = 0.005 * (accuracy.high - accuracy.low)
    at = np.full(2, row)
    slope = _slope(
        evaluate(image, Station.LOOP, np.array([signal - reach, signal + reach]), at).at(Station.VALUE), 2.0 * reach
    )
    parts: list[Part] = [accuracy_share("instrument", accuracy, signal, slope)]
    mode, numbers = int(image.mode[row]), image.layout.mode_table.numbers
    if mode >= 0 and (step := float(numbers["step"][mode])) > 0:
        count = float(evaluate(image, Station.LOOP, signal, np.array([row])).at(Station.COUNTS)[0])
        values = evaluate(image, Station.COUNTS, np.array([count - step, count + step]), at).at(Station.VALUE)
        parts.append(of_step("converter", step, _slope(values, 2.0 * step)))
    decimals = describe(image, row)[STATIONS.index(Station.VALUE)].decimals
    parts.append(of_step("display", 10.0**-decimals))
    return worth_of(parts)


def _slope(values: np.ndarray[tuple[int], np.dtype[np.float64]], over: float) -> float:
    slope = abs(float(values[1] - values[0])) / over
    return slope if np.isfinite(slope) else 0.0


def worths_of(image: PlantImage, row: int, outcome: Outcome, accuracies: list[Accuracy]) -> list[StepWorth]:
    """Each step of a check with the accuracy that its instrument states there. Raises ValueError where a step has none."""
    rules = image.conventions.testing
    tolerance = outcome.tolerance / 100.0 * outcome.span
    out = []
    for step, accuracy in zip(outcome.steps, accuracies, strict=True):
        worth = worth_of_step(image, row, _signal(step), accuracy)
        decision = None
        if np.isfinite(step.error):
            decision = decided(step.error, tolerance, worth, Rule(rules.rule), rules.least_ratio, rules.guard_share)
        out.append(StepWorth(worth, decision))
    return out


def _signal(step: Judged) -> float:
    return step.signal_read if np.isfinite(step.signal_read) else step.step.signal
