"""What is made of the patterns that are found: accepted, asked about, or a sign of what is wrong in the field.

Several people may walk at once. Each says which points, in which order, or nothing; what is found is told to whoever expects
it. A point that shuts something is never accepted by itself; two points of one walk at once ask; a point that moved in place
of the one that was expected says whose cores, or which terminals, may be exchanged; a staircase that falls says that the two
cores of one pair are; levels that fit another type of element, or another signal, say which.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.checks.loopcheck import steps_of
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.signals.sensors.elements import electrical
from canaleta.core.signals.signal_types import SIGNALS, Family, signal_named

__all__ = ["AT_ONCE_S", "Played", "Sign", "Verdict", "Walker", "judged", "missing", "shared_out"]

AT_ONCE_S = 15.0
"""Patterns that end within this time of each other were played at once, or one signal reached two channels."""
LEVELS = 5
_OWN, _OTHER = 0.04, 0.015
"""How far off the levels due may be, as shares of their span: from there on they are another's, and so near is that one."""


class Sign(StrEnum):
    """Why a found point is not accepted by itself."""

    AT_ONCE = "at once"
    SWAPPED = "swapped pairs"
    TERMINALS = "wrong terminals"
    REVERSED = "swapped cores"
    OTHER_TYPE = "other type"
    TRIPS = "trips"


@dataclass(frozen=True)
class Played:
    """A pattern that was found at a point, s. levels: of a staircase, what stood on the wires at 0, 25 … 100 %, in the unit of
    the wires; () for a contact."""

    point: int
    at: float
    levels: tuple[float, ...] = ()


@dataclass(frozen=True)
class Walker:
    """Somebody who walks, since a moment (s). expected: points in their order; () where nobody said."""

    who: str
    begins: float
    expected: tuple[int, ...] = ()


@dataclass(frozen=True)
class Verdict:
    """What is made of one found point. takes: whether its readings are taken without asking; sign: why not, "" otherwise."""

    point: int
    takes: bool
    says: str
    sign: str = ""


def shared_out(image: PlantImage, found: Sequence[Played], walkers: Sequence[Walker]) -> dict[str, list[int]]:
    """{who: places of what is told to them, in the order found}. A point goes to whoever expects it; one that nobody expects to
    those who said nothing, and, where there are none, to whoever waits for a point of the same module or cable, else to all."""
    out: dict[str, list[int]] = {one.who: [] for one in walkers}
    done: dict[str, set[int]] = {one.who: set() for one in walkers}
    for k, one in enumerate(found):
        out_there = [w for w in walkers if w.begins <= one.at]
        meant = [w for w in out_there if one.point in w.expected and one.point not in done[w.who]]
        meant = meant or [w for w in out_there if one.point in w.expected]
        meant = meant or [w for w in out_there if not w.expected]
        meant = meant or [w for w in out_there if _near(image, one.point, _next(w, done[w.who]))] or out_there
        for walker in meant:
            out[walker.who].append(k)
            done[walker.who].add(one.point)
    return out


def missing(found: Sequence[int], expected: Sequence[int]) -> list[int]:
    """The points that were to be played and were not found, in their order."""
    there = set(found)
    return [point for point in expected if point not in there]


def judged(
    image: PlantImage, found: Sequence[Played], expected: Sequence[int] = ()
) -> tuple[list[Verdict], list[tuple[int, int]]]:
    """(verdict of each found point, pairs of points whose cores may be swapped).

    found: in the order they came. expected: the points that were to be played, in that order; empty where
    nobody said. A pair is named once both of its points were played in each other's place.
    """
    verdicts: list[Verdict] = []
    pairs: list[tuple[int, int]] = []
    moved_for: dict[int, int] = {}
    turn = 0
    for k, one in enumerate(found):
        point, row = one.point, image.row_of(one.point)
        tag = image.label(row)
        near = [p.point for j, p in enumerate(found) if j != k and abs(p.at - one.at) <= AT_ONCE_S]
        wanted = expected[turn] if turn < len(expected) else None
        turn += 1
        if point == _after(expected, found[:k]):
            # In order again, after one that was left out.
            wanted = point
        if near:
            names = ", ".join(image.label(image.row_of(p)) for p in near)
            verdicts.append(
                Verdict(point, False, f"{tag} and {names} moved at once: which one was it?", Sign.AT_ONCE)
            )
            continue
        if wanted is not None and wanted != point:
            moved_for[wanted] = point
            if moved_for.get(point) == wanted:
                pairs.append((wanted, point))
            listed = point in expected
            says = _swapped(image, wanted, point) if listed else _elsewhere(image, wanted, point)
            verdicts.append(Verdict(point, False, says, Sign.SWAPPED if listed else Sign.TERMINALS))
            continue
        if says := _reversed(image, row, one.levels):
            verdicts.append(Verdict(point, False, says, Sign.REVERSED))
            continue
        if says := _other_type(image, row, one.levels):
            verdicts.append(Verdict(point, False, says, Sign.OTHER_TYPE))
            continue
        if trips := image.text("trips", row):
            verdicts.append(Verdict(point, False, f"{tag} shuts {trips}: it is never accepted by itself", Sign.TRIPS))
            continue
        verdicts.append(Verdict(point, True, f"{tag} moved, as it should" if wanted else f"{tag} moved"))
    return verdicts, pairs


def _next(walker: Walker, done: set[int]) -> int | None:
    return next((point for point in walker.expected if point not in done), None)


def _after(expected: Sequence[int], found: Sequence[Played]) -> int | None:
    """The next point of those expected behind the one that was found last, of those not found yet."""
    if not found or found[-1].point not in expected:
        return None
    done = {one.point for one in found}
    return next((p for p in expected[expected.index(found[-1].point) :] if p not in done), None)


def _near(image: PlantImage, point: int, other: int | None) -> bool:
    """Whether two points share a module or a cable."""
    if other is None or not image.has(other):
        return False
    a, b = image.row_of(point), image.row_of(other)
    cable = image.text("cable", a)
    return (image.landed[a] and image.module[a] == image.module[b]) or (
        bool(cable) and cable == image.text("cable", b)
    )


def _swapped(image: PlantImage, wanted: int, moved: int) -> str:
    """Which cores may be swapped, as far as the list tells."""
    one, other = image.row_of(wanted), image.row_of(moved)
    cores = [f"{image.label(row)} ({_place(image, row)})" for row in (one, other)]
    return f"{image.label(one)} was expected and {image.label(other)} moved: {cores[0]} and {cores[1]} may be swapped"


def _elsewhere(image: PlantImage, wanted: int, moved: int) -> str:
    """The device answers at a channel that is nobody's turn: it is on other terminals."""
    one, other = image.row_of(wanted), image.row_of(moved)
    there, due = image.text("channel", other), image.text("channel", one) or "no channel"
    return (
        f"{image.label(one)} was expected and answers at {there}, the channel of {image.label(other)}: is it on the wrong "
        f"terminals? it belongs on {due}"
    )


def _place(image: PlantImage, row: int) -> str:
    cable, at = image.text("cable", row), image.text("cores", row)
    return f"cores {at} of {cable}" if cable and at else image.text("channel", row) or "no channel"


def _due(image: PlantImage, row: int) -> Floats:
    """What is due on the wires at 0, 25 … 100 %, (5,); empty where nobody knows."""
    try:
        return np.array([step.signal for step in steps_of(image, row)[:LEVELS]])
    except TextError:
        return np.zeros(0)


def _reversed(image: PlantImage, row: int, levels: Sequence[float]) -> str:
    """A staircase that falls where it is to rise: what is played comes with the other sign, or the other way round."""
    due = _due(image, row)
    if len(levels) < LEVELS or len(due) < LEVELS or (levels[4] - levels[0]) * (due[4] - due[0]) >= 0:
        return ""
    return (
        f"{image.label(row)} fell where it is to rise: the two cores of its pair ({_place(image, row)}) are swapped, or the "
        "calibrator's leads"
    )


def _other_type(image: PlantImage, row: int, levels: Sequence[float]) -> str:
    """Levels that are not those due, and are those of another element over the same range, or of another signal."""
    due = _due(image, row)
    if len(levels) < LEVELS or len(due) < LEVELS or not np.isfinite(due).all():
        return ""
    if _apart(levels, due) <= _OWN:
        return ""
    for name, other in _others(image, row).items():
        if np.isfinite(other).all() and _apart(levels, other) <= _OTHER:
            return (
                f"{image.label(row)} is {image.text('signal', row)} and the levels are those of {name}: is another type there, "
                "or is the calibrator set to it?"
            )
    unit = signal_named(image.text("signal", row))
    told = (
        f"{levels[0]:.4g} to {levels[4]:.4g}, where {due[0]:.4g} to {due[4]:.4g} {unit.unit if unit else ''} are due"
    )
    return f"{image.label(row)} was played from {told}: another range, or another type?"


def _apart(levels: Sequence[float], due: Floats) -> float:
    """How far levels are off those due, at most, as a share of the span due."""
    span = abs(float(due[4] - due[0]))
    return float(np.abs(np.array(levels[:LEVELS]) - due).max() / span) if span > 0 else float("inf")


def _others(image: PlantImage, row: int) -> Mapping[str, Floats]:
    """{name: what another type of the same family would give at 0, 25 … 100 % of the range}."""
    family = Family(int(image.family[row]))
    own = image.text("signal", row)
    shares = np.arange(LEVELS) / (LEVELS - 1.0)
    if family not in TEMPERATURE:
        unit = getattr(signal_named(own), "unit", "")
        return {s.name: s.low + shares * (s.high - s.low) for s in SIGNALS if s.family == family and s.unit == unit and s.name != own and not s.own_span}  # fmt: skip
    low, high = float(image.number("device_low")[row]), float(image.number("device_high")[row])
    factor, offset = factor_and_offset(image.text("device_unit", row) or "°C", "°C") or (1.0, 0.0)
    degc = (low + shares * (high - low)) * factor + offset
    return {
        s.name: electrical(np.array([s.curve] * LEVELS), degc)
        for s in SIGNALS
        if s.family == family and s.curve not in ("", "own") and s.name != own
    }
