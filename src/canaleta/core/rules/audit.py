"""How rules are run: over all points, or over what an edit touches."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.rules.finding import PLANT, Finding, figures_in, seal
from canaleta.core.rules.rule import RULES, Rule

__all__ = ["audit", "audit_change", "group_key"]


FEW_KEYS = 8
"""Up to so many keys a column is compared as a whole with each."""
RELIED_UPON = frozenset(("hides", "falsifies"))
"""Harms that are bad where something is shut by the point: it is relied upon, and would not act, or not in time."""


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
        shuts = any(trips[image.row_of(point)] for point in found.points if point != PLANT)
        harm = found.harm or of.harm
        yield replace(
            found,
            severity=wanted
            or ("bad" if shuts and harm in RELIED_UPON and found.severity == "settle" else found.severity),
            harm=harm,
            facts=found.fingerprint,
            fingerprint=seal(found.fingerprint, " ".join(figures_in(found.text))),
            trips=shuts,
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
    rows = [image.row_of(p) for p in points if image.has(p)]
    if field == "channel":
        # A channel is the same whoever holds it.
        claims = {(int(image.module[row]), int(image.channel[row])) for row in rows} - {(-1, -1)}
        here = np.flatnonzero(np.isin(image.module, [module for module, _ in claims]))
        channels = image.channel[here].tolist()
        modules = image.module[here].tolist()
        same = [at for at, *claim in zip(here.tolist(), modules, channels, strict=True) if tuple(claim) in claims]
        return set(image.ids[same].tolist())
    column = image.folded(field)
    keys = {column[row] for row in rows} - {None}
    if not keys:
        return set()
    if len(keys) <= FEW_KEYS:
        return {int(n) for key in keys for n in image.ids[column == key].tolist()}
    return set(image.ids[[row for row, value in enumerate(column) if value in keys]].tolist())
