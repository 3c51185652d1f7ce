"""What a finding is: what does not agree, at which cells, how bad it is, what would settle it, and who accepted
it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Literal

from canaleta.core.model.fields import Station

__all__ = ["HARMS", "PLANT", "Cause", "Cell", "Finding", "Fix", "Harm", "Severity", "Waived", "figures_in", "seal"]

Severity = Literal["bad", "settle", "note"]
"""bad blocks an issue of the list; settle is to be settled; a note is information."""
Harm = Literal["destroys", "hides", "falsifies", "wavers", "confuses"]
HARMS: dict[Harm, str] = {
    "destroys": "something may be destroyed or hurt",
    "hides": "a failure is not seen, or nothing is read",
    "falsifies": "a wrong value is taken for right",
    "wavers": "it works now and not at the edges",
    "confuses": "the list says two things",
}
"""What a fault could cost, dearest first."""
PLANT = 0
"""Stands for the plant as a whole where points are named: no point has this identity."""


@dataclass(frozen=True)
class Cell:
    """A place: the identity of a point and the name of a field."""

    point: int
    field: str


@dataclass(frozen=True)
class Fix:
    """One way to settle a finding: cells and the text that would be typed into them."""

    label: str
    edits: tuple[tuple[Cell, str], ...]


@dataclass(frozen=True)
class Cause:
    """What several findings of a rule come from, where it is not each point by itself: a module type, a rack, a
    cable."""

    key: str
    says: str


@dataclass(frozen=True)
class Waived:
    """That somebody accepted a finding: why, who, when (ISO 8601), and whether it holds for the facts as they are."""

    reason: str
    who: str
    at: str
    holds: bool


@dataclass(frozen=True)
class Finding:
    """What does not agree. key: rule and what it is about. facts: hash of the cells it rests on; fingerprint: of
    these and of the figures that it tells, by which a waiver holds, whatever the sentence is. harm: what it could
    cost, that of its rule unless it says otherwise. cause: what it shares with others. trips: whether one of its
    points shuts something."""

    rule: str
    key: str
    station: Station
    severity: Severity
    text: str
    cells: tuple[Cell, ...]
    fixes: tuple[Fix, ...]
    fingerprint: str
    harm: Harm | Literal[""] = ""
    cause: Cause | None = None
    trips: bool = False
    waived: Waived | None = None
    facts: str = ""

    @property
    def points(self) -> tuple[int, ...]:
        """Identities of the points it names, each once, in the order of its cells; PLANT if it names none."""
        return tuple(dict.fromkeys(cell.point for cell in self.cells)) or (PLANT,)


class _Figures(dict[int, str]):
    """Anything but digits, points and commas is a blank."""

    def __missing__(self, code: int) -> str:
        return " "


_FIGURES = _Figures({ord(c): c for c in "0123456789.,"})


def figures_in(text: str) -> list[str]:
    """The figures that a sentence tells, numbers in names among them: what of it is a fact and no wording."""
    out: list[str] = []
    for part in text.translate(_FIGURES).split():
        run = part.strip(".,")
        while any(pair in run for pair in ("..", ",,", ".,", ",.")):
            # Two marks together end a figure, and so does each pair behind them.
            for pair in ("..", ",,", ".,", ",."):
                run = run.replace(pair, " ")
        out += [figure for one in run.split() if (figure := one.strip(".,"))]
    return out


def seal(*facts: str) -> str:
    """A short hash of facts."""
    return hashlib.sha256("\x1f".join(facts).encode()).hexdigest()[:16]
