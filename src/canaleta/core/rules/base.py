"""What a rule is, what a finding is, and how rules are run over all points or over what an edit touches.

A rule is one function in one file of its family, registered with @rule; nothing else names it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.fields import Landing, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import plain

__all__ = [
    "HARMS", "PLANT", "RULES", "Cause", "Cell", "Finding", "Fix", "Harm", "Rule", "Severity", "Waived", "audit", "audit_change", "rule",
    "rule_named", "said", "said_of_plant", "tidy",
]  # fmt: skip

Rows = NDArray[np.int64]
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
    """What several findings of a rule come from, where it is not each point by itself: a module type, a rack, a cable."""

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
    """What does not agree. key: rule and what it is about. fingerprint: hash of the facts it rests on, by which a waiver
    holds. harm: what it could cost, that of its rule unless it says otherwise. cause: what it shares with others. trips: whether one of its points shuts something."""

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

    @property
    def points(self) -> tuple[int, ...]:
        """Identities of the points it names, each once, in the order of its cells; PLANT if it names none."""
        return tuple(dict.fromkeys(cell.point for cell in self.cells)) or (PLANT,)


@dataclass(frozen=True)
class Rule:
    """A rule. looks: what it looks at, in words. severity, harm: what its findings have unless one says otherwise.
    reads: fields whose change calls for another look. group: the field by which rows belong together; near: which other
    points a look at some must take in, where one field does not say it. scope: what a look is at, some rows or the
    whole plant, whose findings name no point."""

    id: str
    name: str
    source: str
    looks: str
    severity: Severity
    harm: Harm
    reads: tuple[str, ...]
    group: str
    check: Callable[[PlantImage, Rows], Iterable[Finding]]
    near: Near | None = None
    scope: Literal["rows", "plant"] = "rows"


Near = Callable[[PlantImage, set[int]], set[int]]
"""The points that some points are together with, in an image."""
RULES: list[Rule] = []


def rule_named(id: str) -> Rule:
    """The rule of that id. Raises KeyError."""
    for each in RULES:
        if each.id == id:
            return each
    raise KeyError(id)


def rule(
    id: str,
    name: str,
    source: str,
    reads: tuple[str, ...],
    group: str = "",
    near: Near | None = None,
    scope: Literal["rows", "plant"] = "rows",
    *,
    looks: str,
    harm: Harm,
    severity: Severity = "settle",
) -> Callable[[Callable[[PlantImage, Rows], Iterable[Finding]]], Callable[[PlantImage, Rows], Iterable[Finding]]]:
    """Register a rule. The function takes an image and the rows to look at, and yields findings.

    A rule with a group is always given whole groups: all rows with the same content in that field.
    """

    def register(
        check: Callable[[PlantImage, Rows], Iterable[Finding]],
    ) -> Callable[[PlantImage, Rows], Iterable[Finding]]:
        RULES.append(Rule(id, name, source, looks, severity, harm, reads, group, check, near, scope))
        return check

    return register


def said(
    image: PlantImage,
    id: str,
    rows: Sequence[int],
    station: Station,
    text: str,
    fields: Sequence[str],
    *,
    about: str = "",
    fixes: Sequence[Fix] = (),
    severity: Severity | None = None,
    harm: Harm | None = None,
    cause: Cause | None = None,
) -> Finding:
    """A finding of a rule about some rows, at some of their fields. about: what it is about, in its key, if not the first
    row's point by itself; each key must be met once."""
    of = rule_named(id)
    return Finding(
        rule=id, key=f"{id}:{about or image.ids[rows[0]]}", station=station, severity=severity or of.severity, text=text,
        cells=tuple(Cell(int(image.ids[row]), name) for row in rows for name in fields), fixes=tuple(fixes),
        fingerprint=fingerprint(image, rows, of.reads), harm=harm or of.harm, cause=cause,
    )  # fmt: skip


def said_of_plant(id: str, about: str, station: Station, text: str) -> Finding:
    """A finding of the plant as a whole, which names no point. about: what it is about, in its key."""
    return Finding(id, f"{id}:{about}", station, rule_named(id).severity, text, (), (), text)


def audit(image: PlantImage) -> list[Finding]:
    """Every finding of the plant."""
    rows = np.arange(len(image))
    with np.errstate(all="ignore"):
        return [finding for each in RULES for finding in _found(each, image, rows)]


def _found(of: Rule, image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """What a rule finds, as severe as the plant takes it; nothing of a rule that the plant has put off."""
    wanted = image.conventions.grades.get(of.id)
    if wanted == "off":
        return
    trips = image.filled("trips")
    for found in of.check(image, rows):
        facts = hashlib.sha256(f"{found.fingerprint}\x1f{found.text}".encode()).hexdigest()[:16]
        yield replace(
            found,
            severity=wanted or found.severity,
            harm=found.harm or of.harm,
            fingerprint=facts,
            trips=any(trips[image.row_of(point)] for point in found.points if point != PLANT),
        )


def audit_change(
    before: PlantImage, after: PlantImage, changed: dict[int, set[str]]
) -> tuple[dict[str, set[int]], list[Finding]]:
    """The findings that an edit may have touched, looked at again.

    changed: {identity of a point: names of its changed fields}. Returns, by rule id, the identities looked
    at again (stored findings of that rule that name one of them are void), and the findings that hold now.
    """
    looked: dict[str, set[int]] = {}
    found: list[Finding] = []
    for each in RULES:
        # Whether a point shuts something is told with each of its findings.
        touched = {point for point, fields in changed.items() if fields & {*each.reads, "trips"}}
        if not touched:
            continue
        if each.scope == "plant":
            if any(fields & set(each.reads) for fields in changed.values()):
                looked[each.id] = {PLANT}
                found.extend(_found(each, after, np.arange(len(after))))
            continue
        points = set(touched)
        if each.group:
            points |= _same_group(before, each.group, touched) | _same_group(after, each.group, touched)
        if each.near:
            points |= each.near(before, touched) | each.near(after, touched)
        looked[each.id] = points
        rows = np.array(sorted(after.row_of(p) for p in points if after.has(p)), dtype=np.int64)
        with np.errstate(all="ignore"):
            found.extend(_found(each, after, rows))
    return looked, found


def group_key(value: object) -> object:
    """What makes two cells of a group the same: a channel whoever holds it, a tag whatever its case."""
    if isinstance(value, Landing):
        return value[:2]
    return value.casefold() if isinstance(value, str) else value


def _same_group(image: PlantImage, field: str, points: set[int]) -> set[int]:
    column = image.cells[field]
    keys = {group_key(column[image.row_of(p)]) for p in points if image.has(p)} - {None}
    if not keys:
        return set()
    if all(isinstance(key, str) for key in keys):
        # Most groups are of texts: fifty thousand of them are compared at each edit of a tag.
        rows = [row for row, value in enumerate(column) if value is not None and value.casefold() in keys]
    else:
        rows = [row for row, value in enumerate(column) if value is not None and group_key(value) in keys]
    return {int(image.ids[row]) for row in rows}


def fingerprint(image: PlantImage, rows: Iterable[int], fields: Iterable[str]) -> str:
    """Hash of what these cells say."""
    # A channel is the same whatever it is called: labels follow conventions and the order of the modules.
    cells = ((image.cells[f][row], f, row) for row in rows for f in fields)
    facts = "\x1f".join(str(cell) if isinstance(cell, Landing) else image.text(f, row) for cell, f, row in cells)
    return hashlib.sha256(facts.encode()).hexdigest()[:16]


def tidy(value: float) -> str:
    """A worked-out number as somebody would type it: at most seven significant digits, no idle zeros."""
    rounded = Decimal(f"{value:.7g}")
    text = plain(rounded)
    return (text.rstrip("0").rstrip(".") if "." in text else text) or "0"
