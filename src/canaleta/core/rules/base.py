"""What a rule is, what a finding is, and how rules are run over all points or over what an edit touches.

A rule is one function in one file of its family, registered with @rule; nothing else names it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from canaleta.core.fields import Landing, Station
from canaleta.core.image import PlantImage
from canaleta.core.text import plain

__all__ = ["PLANT", "RULES", "Cell", "Finding", "Fix", "Rule", "audit", "audit_change", "rule", "tidy"]

Rows = NDArray[np.int64]
Severity = Literal["bad", "settle"]
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
class Finding:
    """What does not agree. key: rule and cause. fingerprint: hash of the facts it rests on."""

    rule: str
    key: str
    station: Station
    severity: Severity
    text: str
    cells: tuple[Cell, ...]
    fixes: tuple[Fix, ...]
    fingerprint: str

    @property
    def points(self) -> tuple[int, ...]:
        """Identities of the points it names, each once, in the order of its cells; PLANT if it names none."""
        return tuple(dict.fromkeys(cell.point for cell in self.cells)) or (PLANT,)


@dataclass(frozen=True)
class Rule:
    """A rule. reads: fields whose change calls for another look. group: the field by which rows belong together;
    near: which other points a look at some must take in, where one field does not say it. scope: what a look is at,
    some rows or the whole plant, whose findings name no point."""

    id: str
    name: str
    source: str
    reads: tuple[str, ...]
    group: str
    check: Callable[[PlantImage, Rows], Iterable[Finding]]
    near: Near | None = None
    scope: Literal["rows", "plant"] = "rows"


Near = Callable[[PlantImage, set[int]], set[int]]
"""The points that some points are together with, in an image."""
RULES: list[Rule] = []


def rule(
    id: str,
    name: str,
    source: str,
    reads: tuple[str, ...],
    group: str = "",
    near: Near | None = None,
    scope: Literal["rows", "plant"] = "rows",
) -> Callable[[Callable[[PlantImage, Rows], Iterable[Finding]]], Callable[[PlantImage, Rows], Iterable[Finding]]]:
    """Register a rule. The function takes an image and the rows to look at, and yields findings.

    A rule with a group is always given whole groups: all rows with the same content in that field.
    """

    def register(
        check: Callable[[PlantImage, Rows], Iterable[Finding]],
    ) -> Callable[[PlantImage, Rows], Iterable[Finding]]:
        RULES.append(Rule(id, name, source, reads, group, check, near, scope))
        return check

    return register


def audit(image: PlantImage) -> list[Finding]:
    """Every finding of the plant."""
    rows = np.arange(len(image))
    return [finding for each in RULES for finding in each.check(image, rows)]


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
        touched = {point for point, fields in changed.items() if fields & set(each.reads)}
        if not touched:
            continue
        if each.scope == "plant":
            looked[each.id] = {PLANT}
            found.extend(each.check(after, np.arange(len(after))))
            continue
        points = set(touched)
        if each.group:
            points |= _same_group(before, each.group, touched) | _same_group(after, each.group, touched)
        if each.near:
            points |= each.near(before, touched) | each.near(after, touched)
        looked[each.id] = points
        rows = np.array(sorted(after.row_of(p) for p in points if after.has(p)), dtype=np.int64)
        found.extend(each.check(after, rows))
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
    facts = "\x1f".join(image.text(f, row) for row in rows for f in fields)
    return hashlib.sha256(facts.encode()).hexdigest()[:16]


def tidy(value: float) -> str:
    """A worked-out number as somebody would type it: at most seven significant digits, no idle zeros."""
    rounded = Decimal(f"{value:.7g}")
    text = plain(rounded)
    return (text.rstrip("0").rstrip(".") if "." in text else text) or "0"
