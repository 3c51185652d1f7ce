"""One loop check: what is expected at each step, what was read, the error and the verdict.

Every percentage says of what. A step runs forwards through the point's own path: the signal that is put on, the count
and the value that must follow. Going up and coming down stand apart, and their difference is the hysteresis.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.signals.signal_types import Family

__all__ = [
    "DEFAULT_TOLERANCE",
    "SHARES",
    "CheckStep",
    "Judged",
    "Outcome",
    "TestOf",
    "judged",
    "span_of",
    "split",
    "steps_of",
    "tolerance_of",
]

SHARES = (0.0, 25.0, 50.0, 75.0, 100.0, 75.0, 50.0, 25.0, 0.0)
"""% of the device's span, up and back."""
DEFAULT_TOLERANCE = 0.5
"""% of span that a loop may be off where the point says nothing."""


class TestOf(StrEnum):
    """What is tested: the device alone (a quantity is put on and its signal measured), the channel alone (a signal is put on
    and counted), or the whole loop (up to the value that is shown)."""

    __test__ = False

    LOOP = "loop"
    DEVICE = "device"
    CHANNEL = "channel"

    @property
    def station(self) -> Station:
        """Where the reading is taken."""
        return {TestOf.LOOP: Station.VALUE, TestOf.DEVICE: Station.LOOP, TestOf.CHANNEL: Station.COUNTS}[self]


_TOLERANCE = {
    TestOf.LOOP: "tolerance_loop",
    TestOf.DEVICE: "tolerance_transmitter",
    TestOf.CHANNEL: "tolerance_channel",
}


@dataclass(frozen=True)
class CheckStep:
    """One step: share: % of the device's span; way: "up" or "down"; what is put on the wires, and what must be
    read. run: which time it is gone through, from 0."""

    share: float
    way: str
    process: float
    signal: float
    counts: float
    value: float
    run: int = 0

    def due(self, test: TestOf) -> float:
        """What must be read where a test reads."""
        return {TestOf.LOOP: self.value, TestOf.DEVICE: self.signal, TestOf.CHANNEL: self.counts}[test]


@dataclass(frozen=True)
class Judged:
    """One step with its reading. due: what was to be read, with the calibrator's own figure considered; error: in the unit of
    where the test reads; of_span: in % of the span there; passes: None where nothing was read."""

    step: CheckStep
    signal_read: float
    counts_read: float
    value_read: float
    due: float
    error: float
    of_span: float
    passes: bool | None


@dataclass(frozen=True)
class Outcome:
    """A whole check. worst: the largest error, % of span; hysteresis: largest difference of up and down at one level,
    % of span; repeatability: largest difference of one level on one way from run to run, % of span, NaN for one run;
    complete: whether every step was read; passes: None until it is."""

    steps: tuple[Judged, ...]
    tolerance: float
    span: float
    worst: float
    hysteresis: float
    complete: bool
    passes: bool | None
    test: TestOf = TestOf.LOOP
    repeatability: float = float("nan")


def steps_of(image: PlantImage, row: int, shares: Sequence[float] = SHARES, runs: int = 1) -> list[CheckStep]:
    """The steps of a point's loop check; a contact has two states. runs: how often they are gone through. Raises TextError in
    words where it has no range."""
    if image.family[row] == Family.CONTACT:
        process = np.array([0.0, 1.0, 0.0])
        shares = (0.0, 100.0, 0.0)
    else:
        low, high = (float(image.number(name)[row]) for name in ("device_low", "device_high"))
        if np.isnan(low) or np.isnan(high):
            raise TextError("the device has no range yet: type it in, then there is something to check")
        process = low + (high - low) * np.array(shares) / 100.0
    top = int(np.argmax(shares))
    paths = evaluate(image, Station.PROCESS, process, np.full(len(process), row))
    loop, counts, value = (paths.at(s).tolist() for s in (Station.LOOP, Station.COUNTS, Station.VALUE))
    out = [
        CheckStep(
            float(shares[k]),
            "up" if k <= top else "down",
            quantity,
            loop[k],
            counts[k],
            _expected(image, row, quantity, value[k]),
        )
        for k, quantity in enumerate(process.tolist())
    ]
    return [replace(step, run=run) for run in range(runs) for step in out]


def _expected(image: PlantImage, row: int, quantity: float, value: float) -> float:
    """What must be shown: the quantity itself where the value is in the device's unit, else what the path makes of
    it."""
    same = image.text("device_unit", row) == image.text("value_unit", row) and image.family[row] == Family.LINEAR
    return quantity if same else value


def span_of(image: PlantImage, row: int, test: TestOf = TestOf.LOOP) -> float:
    """The span of where a test reads, in its unit: of the value (that of the device where the scaling has none of its own), of
    the signal, of the counts over the device's range. A contact's value has a span of 1."""
    contact = image.family[row] == Family.CONTACT
    if test is TestOf.LOOP:
        if contact:
            return 1.0
        for low, high in (("value_low", "value_high"), ("device_low", "device_high")):
            span = abs(float(image.number(high)[row]) - float(image.number(low)[row]))
            if np.isfinite(span) and span > 0:
                return span
        return float("nan")
    ends = [0.0, 1.0] if contact else [float(image.number(name)[row]) for name in ("device_low", "device_high")]
    read = evaluate(image, Station.PROCESS, np.array(ends), np.array([row, row])).at(test.station)
    span = abs(float(read[1] - read[0]))
    return span if span > 0 else float("nan")


def tolerance_of(image: PlantImage, row: int, test: TestOf = TestOf.LOOP) -> float:
    """What a test may be off, % of span: what the point says of it, else DEFAULT_TOLERANCE."""
    stated = float(image.number(_TOLERANCE[test])[row])
    return DEFAULT_TOLERANCE if np.isnan(stated) else stated


def judged(
    image: PlantImage,
    row: int,
    steps: Sequence[CheckStep],
    signal: Floats,
    counts: Floats,
    value: Floats,
    test: TestOf = TestOf.LOOP,
    process: Floats | None = None,
) -> Outcome:
    """The outcome of what was read at each step, NaN where nothing was yet. Arrays of shape (steps,).

    Where the calibrator's own figure is known (signal on the wires for a loop or a channel; process, by a reference, for a
    device or a loop), the expectation follows it, so that a level that was set a little off is no error of what is tested.
    """
    contact = image.family[row] == Family.CONTACT
    span, tolerance = span_of(image, row, test), tolerance_of(image, row, test)
    read = {TestOf.LOOP: value, TestOf.DEVICE: signal, TestOf.CHANNEL: counts}[test]
    out = []
    for k, step in enumerate(steps):
        due = step.due(test)
        if not contact:
            if test is not TestOf.DEVICE and np.isfinite(signal[k]) and signal[k] != step.signal:
                due += _shift(image, row, step, float(signal[k]), test)
            elif test is not TestOf.CHANNEL and process is not None and np.isfinite(process[k]):
                due += _process_shift(image, row, step, float(process[k]), test)
        error = float(read[k]) - due
        of_span = 100.0 * error / span
        fine = None if np.isnan(error) else bool(abs(of_span) <= tolerance + 1e-9)
        out.append(Judged(step, float(signal[k]), float(counts[k]), float(value[k]), due, error, of_span, fine))
    errors = np.array([j.of_span for j in out])
    complete = bool(len(out) and np.isfinite(errors).all())
    worst = float(np.nanmax(np.abs(errors))) if np.isfinite(errors).any() else float("nan")
    passes = all(j.passes for j in out) if complete else None
    return Outcome(tuple(out), tolerance, span, worst, _hysteresis(out), complete, passes, test, _repeatability(out))


def _shift(image: PlantImage, row: int, step: CheckStep, signal: float, test: TestOf) -> float:
    """How far what is due moves when the calibrator stands a little beside the step."""
    paths = evaluate(image, Station.LOOP, np.array([signal, step.signal]), np.array([row, row]))
    if test is TestOf.LOOP and image.text("device_unit", row) == image.text("value_unit", row):
        process = paths.at(Station.PROCESS)
        return float(process[0] - process[1])
    read = paths.at(test.station)
    return float(read[0] - read[1])


def _process_shift(image: PlantImage, row: int, step: CheckStep, process: float, test: TestOf) -> float:
    """The same where a reference tells the quantity itself."""
    if test is TestOf.LOOP and _expected(image, row, process, np.nan) == process:
        return process - step.process
    read = evaluate(image, Station.PROCESS, np.array([process, step.process]), np.array([row, row])).at(test.station)
    return float(read[0] - read[1])


def _hysteresis(steps: Sequence[Judged]) -> float:
    """The largest difference between the way up and the way down at one level of one run, % of span."""
    levels: dict[tuple[int, float], list[float]] = {}
    for j in steps:
        if np.isfinite(j.of_span):
            levels.setdefault((j.step.run, j.step.share), []).append(j.of_span)
    return _widest(levels.values())


def _repeatability(steps: Sequence[Judged]) -> float:
    """The largest difference of one level, reached the same way, from run to run, % of span."""
    levels: dict[tuple[str, float], list[float]] = {}
    for j in steps:
        if np.isfinite(j.of_span):
            levels.setdefault((j.step.way, j.step.share), []).append(j.of_span)
    return _widest(levels.values()) if any(j.step.run for j in steps) else float("nan")


def _widest(groups: Iterable[list[float]]) -> float:
    apart = [max(errors) - min(errors) for errors in groups if len(errors) > 1]
    return max(apart) if apart else float("nan")


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
