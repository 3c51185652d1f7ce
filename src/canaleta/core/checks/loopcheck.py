"""One loop check: what is expected at each step, what was read, the error and the verdict.

Every percentage says of what. A step runs forwards through the point's own path: the signal that is put on, the count
and the value that must follow. Going up and coming down stand apart, and their difference is the hysteresis.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.signals.signal_types import Family

__all__ = ["DEFAULT_TOLERANCE", "SHARES", "CheckStep", "Judged", "Outcome", "judged", "split", "steps_of"]

SHARES = (0.0, 25.0, 50.0, 75.0, 100.0, 75.0, 50.0, 25.0, 0.0)
"""% of the device's span, up and back."""
DEFAULT_TOLERANCE = 0.5
"""% of span that a loop may be off where the point says nothing."""


@dataclass(frozen=True)
class CheckStep:
    """One step: share: % of the device's span; way: "up" or "down"; what is put on the wires, and what must be
    read."""

    share: float
    way: str
    process: float
    signal: float
    counts: float
    value: float


@dataclass(frozen=True)
class Judged:
    """One step with its reading. error: in the value's unit; of_span: in % of the value's span; passes: None where
    nothing was read."""

    step: CheckStep
    signal_read: float
    counts_read: float
    value_read: float
    error: float
    of_span: float
    passes: bool | None


@dataclass(frozen=True)
class Outcome:
    """A whole check. worst: the largest error, % of span; hysteresis: largest difference of up and down at one level,
    % of span; complete: whether every step was read; passes: None until it is."""

    steps: tuple[Judged, ...]
    tolerance: float
    span: float
    worst: float
    hysteresis: float
    complete: bool
    passes: bool | None


def steps_of(image: PlantImage, row: int, shares: Sequence[float] = SHARES) -> list[CheckStep]:
    """The steps of a point's loop check; a contact has two. Raises TextError in words where it has no range."""
    at = np.array([row])
    if image.family[row] == Family.CONTACT:
        process = np.array([0.0, 1.0, 0.0])
        shares = (0.0, 100.0, 0.0)
    else:
        low, high = (float(image.number(name)[row]) for name in ("device_low", "device_high"))
        if np.isnan(low) or np.isnan(high):
            raise TextError("the device has no range yet: type it in, then there is something to check")
        process = low + (high - low) * np.array(shares) / 100.0
    out = []
    top = int(np.argmax(shares))
    for k, quantity in enumerate(process.tolist()):
        path = evaluate(image, Station.PROCESS, quantity, at)
        loop, counts, value = (float(path.at(s)[0]) for s in (Station.LOOP, Station.COUNTS, Station.VALUE))
        out.append(
            CheckStep(
                float(shares[k]),
                "up" if k <= top else "down",
                quantity,
                loop,
                counts,
                _expected(image, row, quantity, value),
            )
        )
    return out


def _expected(image: PlantImage, row: int, quantity: float, value: float) -> float:
    """What must be shown: the quantity itself where the value is in the device's unit, else what the path makes of
    it."""
    same = image.text("device_unit", row) == image.text("value_unit", row) and image.family[row] == Family.LINEAR
    return quantity if same else value


def span_of(image: PlantImage, row: int) -> float:
    """The span of the value, in its unit; that of the device where the scaling has none of its own."""
    for low, high in (("value_low", "value_high"), ("device_low", "device_high")):
        span = abs(float(image.number(high)[row]) - float(image.number(low)[row]))
        if np.isfinite(span) and span > 0:
            return span
    return float("nan")


def judged(
    image: PlantImage,
    row: int,
    steps: Sequence[CheckStep],
    signal: Floats,
    counts: Floats,
    value: Floats,
) -> Outcome:
    """The outcome of what was read at each step, NaN where nothing was yet. Arrays of shape (steps,).

    Where the calibrator's own figure is known (signal), the expectation follows it, so that a level that was set a
    little off is no error of the loop.
    """
    contact = image.family[row] == Family.CONTACT
    span = 1.0 if contact else span_of(image, row)
    tolerance = float(image.number("tolerance_loop")[row])
    tolerance = DEFAULT_TOLERANCE if np.isnan(tolerance) else tolerance
    out = []
    for k, step in enumerate(steps):
        due = step.value
        if not contact and np.isfinite(signal[k]) and signal[k] != step.signal:
            due += _shift(image, row, step, float(signal[k]))
        error = float(value[k]) - due
        of_span = 100.0 * error / span
        fine = None if np.isnan(error) else bool(abs(of_span) <= tolerance + 1e-9)
        out.append(Judged(step, float(signal[k]), float(counts[k]), float(value[k]), error, of_span, fine))
    errors = np.array([j.of_span for j in out])
    complete = bool(len(out) and np.isfinite(errors).all())
    worst = float(np.nanmax(np.abs(errors))) if np.isfinite(errors).any() else float("nan")
    passes = all(j.passes for j in out) if complete else None
    return Outcome(tuple(out), tolerance, span, worst, _hysteresis(out), complete, passes)


def _shift(image: PlantImage, row: int, step: CheckStep, signal: float) -> float:
    """How far the expected value moves when the calibrator stands a little beside the step."""
    paths = evaluate(image, Station.LOOP, np.array([signal, step.signal]), np.array([row, row]))
    process = paths.at(Station.PROCESS)
    moved = float(process[0] - process[1])
    if image.text("device_unit", row) == image.text("value_unit", row):
        return moved
    value = paths.at(Station.VALUE)
    return float(value[0] - value[1])


def _hysteresis(steps: Sequence[Judged]) -> float:
    """The largest difference between the way up and the way down at one level, % of span."""
    levels: dict[float, list[float]] = {}
    for j in steps:
        if np.isfinite(j.of_span):
            levels.setdefault(j.step.share, []).append(j.of_span)
    both = [max(errors) - min(errors) for errors in levels.values() if len(errors) > 1]
    return max(both) if both else float("nan")


def split(image: PlantImage, row: int, source_ma: float, volts: float, counts: float) -> tuple[float, float]:
    """(error of the shunt, error of the channel) in % of span, from the calibrator's current, the volts over the
    shunt and the count. Without a shunt its error is NaN, and the channel's is that of the count at this
    current."""
    ohm = float(image.number("shunt_ohm")[row])
    names = [word.unit for word in describe(image, row)]
    if np.isnan(ohm) or names[STATIONS.index(Station.INPUT)] not in ("V", "mV"):
        due = evaluate(image, Station.LOOP, np.array([source_ma, 4.0, 20.0]), np.array([row] * 3)).at(Station.COUNTS)
        return float("nan"), 100.0 * (counts - float(due[0])) / float(due[2] - due[1])
    full = 20.0 * ohm / 1000.0 - 4.0 * ohm / 1000.0
    shunt = 100.0 * (volts - source_ma * ohm / 1000.0) / full
    due = evaluate(image, Station.INPUT, volts, np.array([row])).at(Station.COUNTS)[0]
    span = evaluate(image, Station.LOOP, np.array([4.0, 20.0]), np.array([row, row])).at(Station.COUNTS)
    return shunt, 100.0 * (counts - float(due)) / float(span[1] - span[0])
