"""What is made of the patterns that are found: accepted, asked about, or a sign that cores are swapped.

Somebody who walks may say which points, in which order, or nothing. A point that shuts something is never accepted by
itself; two points at once ask; a point that moved in place of the one that was expected says whose cores may be
swapped.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from canaleta.core.model.image import PlantImage

__all__ = ["AT_ONCE_S", "Verdict", "judged"]

AT_ONCE_S = 15.0
"""Patterns that end within this time of each other were played at once, or one signal reached two channels."""


@dataclass(frozen=True)
class Verdict:
    """What is made of one found point. takes: whether its readings are taken without asking."""

    point: int
    takes: bool
    says: str


def judged(
    image: PlantImage, found: Sequence[tuple[int, float]], expected: Sequence[int] = ()
) -> tuple[list[Verdict], list[tuple[int, int]]]:
    """(verdict of each found point, pairs of points whose cores may be swapped).

    found: (point, s) in the order they came. expected: the points that were to be played, in that order; empty where
    nobody said. A pair is named once both of its points were played in each other's place.
    """
    verdicts: list[Verdict] = []
    pairs: list[tuple[int, int]] = []
    moved_for: dict[int, int] = {}
    for turn, (point, at) in enumerate(found):
        row = image.row_of(point)
        tag = image.label(row)
        near = [p for k, (p, when) in enumerate(found) if k != turn and abs(when - at) <= AT_ONCE_S]
        wanted = expected[turn] if turn < len(expected) else None
        if near:
            names = ", ".join(image.label(image.row_of(p)) for p in near)
            verdicts.append(Verdict(point, False, f"{tag} and {names} moved at once: which one was it?"))
            continue
        if wanted is not None and wanted != point:
            moved_for[wanted] = point
            if moved_for.get(point) == wanted:
                pairs.append((wanted, point))
            verdicts.append(Verdict(point, False, _swapped(image, wanted, point)))
            continue
        if trips := image.text("trips", row):
            verdicts.append(Verdict(point, False, f"{tag} shuts {trips}: it is never accepted by itself"))
            continue
        verdicts.append(Verdict(point, True, f"{tag} moved, as it should" if wanted else f"{tag} moved"))
    return verdicts, pairs


def _swapped(image: PlantImage, wanted: int, moved: int) -> str:
    """Which cores may be swapped, as far as the list tells."""
    one, other = image.row_of(wanted), image.row_of(moved)
    cores = []
    for row in (one, other):
        cable, at = image.text("cable", row), image.text("cores", row)
        place = f"cores {at} of {cable}" if cable and at else image.text("channel", row) or "no channel"
        cores.append(f"{image.label(row)} ({place})")
    return f"{image.label(one)} was expected and {image.label(other)} moved: {cores[0]} and {cores[1]} may be swapped"
