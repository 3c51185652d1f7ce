"""Plausibility by direction: somebody warms an element or raises a pressure a little; which way must the value go,
and about how far? No instrument is needed, and swapped leads or a reverse scaling show at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.evaluate import evaluate
from canaleta.core.signals.signal_types import Family

__all__ = ["Expected", "Stimulus", "expected", "judged", "stimuli_of"]


@dataclass(frozen=True)
class Stimulus:
    """What somebody does to a device. least, most: how far the quantity moves then, in K for temperatures, else as a
    share of the range."""

    name: str
    says: str
    way: int
    least: float
    most: float


_WARMTH = (
    Stimulus("warm it", "hold the element in the hand, or a warm rag around it", 1, 3.0, 15.0),
    Stimulus("cool it", "wet it, or blow cold air at it", -1, 2.0, 15.0),
)
_MORE = (
    Stimulus(
        "raise it",
        "a little more of what it measures: a push on the membrane, a hand pump, a few turns",
        1,
        0.02,
        0.6,
    ),
    Stimulus("lower it", "a little less of it", -1, 0.02, 0.6),
)
_ACT = (
    Stimulus("act upon it", "press, cover or lift it", 1, 1.0, 1.0),
    Stimulus("let it go", "back to rest", -1, 1.0, 1.0),
)


@dataclass(frozen=True)
class Expected:
    """Which way the value must go (1 up, -1 down), and about how far, in its unit; both positive."""

    way: int
    least: float
    most: float


def stimuli_of(image: PlantImage, row: int) -> tuple[Stimulus, ...]:
    """What can be done to this point's device by hand."""
    family = Family(int(image.family[row]))
    return _ACT if family is Family.CONTACT else _MORE if family is Family.LINEAR else _WARMTH


def expected(image: PlantImage, row: int, stimulus: Stimulus, counts: float) -> Expected:
    """What a stimulus does to the value, from the count there is now. NaN sizes where the range is not known."""
    rows = np.array([row, row, row])
    now = float(evaluate(image, Station.COUNTS, counts, rows[:1]).at(Station.PROCESS)[0])
    if image.family[row] == Family.CONTACT:
        given = np.array([0.0, 1.0, 1.0]) if stimulus.way > 0 else np.array([1.0, 0.0, 0.0])
    else:
        given = now + stimulus.way * np.array([0.0, stimulus.least, stimulus.most]) * _unit_of_it(image, row)
    value = evaluate(image, Station.PROCESS, given, rows).at(Station.VALUE)
    small, large = float(value[1] - value[0]), float(value[2] - value[0])
    return Expected(1 if large > 0 else -1, abs(small), abs(large))


def _unit_of_it(image: PlantImage, row: int) -> float:
    """What one of the stimulus is in the device's unit: one kelvin of a temperature, else the whole range."""
    if image.family[row] == Family.LINEAR:
        return abs(float(image.number("device_high")[row] - image.number("device_low")[row]))
    pair = factor_and_offset("K", image.text("device_unit", row) or "°C")
    return pair[0] if pair else 1.0


def judged(image: PlantImage, row: int, due: Expected, before: float, after: float) -> tuple[bool | None, str]:
    """(whether it moved as it must, in words). None where the figures cannot tell."""
    moved = after - before
    if not np.isfinite(moved) or not np.isfinite(due.least):
        return None, "there was no good value to judge by"
    if abs(moved) < 0.25 * due.least:
        return (
            False,
            "it does not move: another point is at this device, the wire is off, or it stands still by a filter",
        )
    if np.sign(moved) != due.way:
        return False, f"it moves the wrong way: {_reversed(Family(int(image.family[row])))}"
    if abs(moved) > 4.0 * due.most:
        return False, "it moves the right way and much too far: another type of element, or another scaling"
    return True, "it moves the right way, about as far as it should"


def _reversed(family: Family) -> str:
    if family is Family.THERMOCOUPLE:
        return "the two leads are swapped at the terminals, in the head or in the extension wire"
    if family is Family.CONTACT:
        return "the contact is of the other kind, or it is turned round in the list"
    return "the device or the scaling runs the other way: reverse acting, or its two ends are swapped"
