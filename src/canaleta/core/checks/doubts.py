"""Figures that somebody typed and probably did not mean: a digit off, another unit, another station's figure.

Nothing is ever corrected: a doubt is told before a figure is kept, with what it may have been, and whoever typed it says.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from canaleta.core.checks.loopcheck import Outcome, TestOf
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import shown
from canaleta.core.notation.units import find_unit, units
from canaleta.core.path.evaluate import describe
from canaleta.core.signals.signal_types import Family

__all__ = ["Doubt", "DoubtOf", "Due", "doubt_of", "doubts_in"]

_LEAST = 2.0
"""% of span below which a difference is an error to be read, not a slip to be asked about."""
_FITS = 0.5
"""% of span within which what may have been meant must lie of what is due, or the tolerance if that is more."""


class DoubtOf(StrEnum):
    """What a figure may be instead."""

    POINT = "decimal point"
    DIGIT = "digit"
    SIGN = "sign"
    PERCENT = "percent"
    UNIT = "unit"
    SIGNAL = "signal"
    COUNT = "count"


@dataclass(frozen=True)
class Doubt:
    """A figure that is asked about. meant: what it would be then, in the unit of what is due."""

    code: DoubtOf
    meant: float
    says: str


@dataclass(frozen=True)
class Due:
    """What is due where somebody typed a figure. low, span: of the scale that it is read on, in its unit; tolerance: % of
    span; signal, counts: what is on the wires and in the controller at the same time, NaN where they are no other figures."""

    value: float
    low: float
    span: float
    unit: str
    tolerance: float = 0.5
    decimals: int = 2
    signal: float = math.nan
    signal_unit: str = "mA"
    counts: float = math.nan


def doubt_of(typed: float, due: Due) -> Doubt | None:
    """What a typed figure may have been meant as; None for one that is near what is due, or that nothing explains. Plain
    slips come before units, and units before figures of another station."""
    if not (math.isfinite(typed) and math.isfinite(due.value) and due.span > 0):
        return None
    share = 100.0 * abs(typed - due.value) / due.span
    if share <= max(_LEAST, 2.0 * due.tolerance):
        return None
    near = max(_FITS, due.tolerance) / 100.0 * due.span
    for code, meant, words in _candidates(typed, due):
        if abs(meant - due.value) <= near:
            figure = f"{shown(typed, due.decimals)} {due.unit}".strip()
            wanted = f"{shown(due.value, due.decimals)} {due.unit}".strip()
            return Doubt(code, meant, f"{figure} where {wanted} is due: {words}")
    return None


def _candidates(typed: float, due: Due) -> Iterator[tuple[DoubtOf, float, str]]:
    for power in (10.0, 0.1, 100.0, 0.01, 1000.0, 0.001):
        yield DoubtOf.POINT, typed * power, "is the decimal point where it belongs?"
    yield DoubtOf.SIGN, -typed, "is its sign right?"
    if _one_digit_off(typed, due.value):
        yield DoubtOf.DIGIT, due.value, "is every digit right?"
    yield DoubtOf.PERCENT, due.low + typed / 100.0 * due.span, "is it in % of span?"
    if (unit := find_unit(due.unit)) is not None:
        for other in units():
            if other.quantity == unit.quantity and other.code != unit.code:
                meant = (typed * other.factor + other.offset - unit.offset) / unit.factor
                yield DoubtOf.UNIT, meant, f"is it in {other.shown}?"
    if math.isfinite(due.signal) and due.signal_unit != due.unit and _same(typed, due.signal):
        yield DoubtOf.SIGNAL, due.value, f"is it the signal, in {due.signal_unit}?"
    if math.isfinite(due.counts) and _same(typed, due.counts):
        yield DoubtOf.COUNT, due.value, "is it the count?"


def _same(typed: float, figure: float) -> bool:
    """Whether two figures are one, to half a percent."""
    return abs(typed - figure) <= max(0.005 * abs(figure), 0.005)


def _one_digit_off(typed: float, due: float) -> bool:
    """Whether a figure differs from another, written with as many decimals, in one digit, or in two neighbours that are
    exchanged."""
    text = f"{typed:.6f}".rstrip("0").rstrip(".")
    decimals = len(text.partition(".")[2])
    wanted = f"{due:.{decimals}f}"
    if len(text) != len(wanted) or len(text) < 3:
        return False
    off = [k for k, (a, b) in enumerate(zip(text, wanted, strict=True)) if a != b]
    if len(off) == 1:
        return True
    return (
        len(off) == 2 and off[1] == off[0] + 1 and text[off[0]] == wanted[off[1]] and text[off[1]] == wanted[off[0]]
    )


def doubts_in(image: PlantImage, row: int, outcome: Outcome, typed: Sequence[bool]) -> list[Doubt | None]:
    """What is asked about each step of a check: what the calibrator is said to have put on, else what was read, where somebody
    typed that. Nothing of a contact."""
    if image.family[row] == Family.CONTACT:
        return [None] * len(outcome.steps)
    words = describe(image, row)
    at, wires = STATIONS.index(outcome.test.station), STATIONS.index(Station.LOOP)
    low = min(step.step.due(outcome.test) for step in outcome.steps)
    signals = [step.step.signal for step in outcome.steps]
    on_wires = outcome.test is not TestOf.DEVICE
    out: list[Doubt | None] = []
    for one, by_hand in zip(outcome.steps, typed, strict=True):
        read = one.due + one.error
        due = Due(
            one.step.due(outcome.test), low, outcome.span, words[at].unit, outcome.tolerance, words[at].decimals,
            one.step.signal if on_wires else math.nan, words[wires].unit,
            one.step.counts if outcome.test is TestOf.LOOP else math.nan,
        )  # fmt: skip
        doubt = None
        if on_wires and math.isfinite(one.signal_read):
            span = max(signals) - min(signals)
            put_on = Due(one.step.signal, min(signals), span, words[wires].unit, 1.0, words[wires].decimals)
            doubt = doubt_of(one.signal_read, put_on)
        out.append(doubt or (doubt_of(read, due) if by_hand else None))
    return out
