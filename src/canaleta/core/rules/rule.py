"""What a rule is, how it is registered, and how it reports a finding.

A rule is one function in one file of its family, registered with @rule; nothing else names it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from canaleta.core.model.fields import Landing, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.rules.finding import Cause, Cell, Finding, Fix, Harm, Severity

__all__ = ["RULES", "Rows", "Rule", "report", "report_of_plant", "rule", "rule_named"]


@dataclass(frozen=True)
class Rule:
    """A rule. looks: what it looks at, in words. severity, harm: what its findings have unless one says otherwise.
    reads: fields whose change calls for another look. group: the field by which rows belong together; near: which
    other points a look at some must take in, where one field does not say it. scope: what a look is at, some rows or
    the whole plant, whose findings name no point."""

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


def report(
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
    """A finding of a rule about some rows, at some of their fields. about: what it is about, in its key, if not the
    first row's point by itself; each key must be met once."""
    of = rule_named(id)
    return Finding(
        rule=id,
        key=f"{id}:{about or image.ids[rows[0]]}",
        station=station,
        severity=severity or of.severity,
        text=text,
        cells=tuple(Cell(int(image.ids[row]), name) for row in rows for name in fields),
        fixes=tuple(fixes),
        fingerprint=fingerprint(image, rows, of.reads),
        harm=harm or of.harm,
        cause=cause,
    )


def report_of_plant(id: str, about: str, station: Station, text: str) -> Finding:
    """A finding of the plant as a whole, which names no point. about: what it is about, in its key."""
    return Finding(id, f"{id}:{about}", station, rule_named(id).severity, text, (), (), "")


def fingerprint(image: PlantImage, rows: Iterable[int], fields: Iterable[str]) -> str:
    """Hash of what these cells say."""
    # A channel is the same whatever it is called: labels follow conventions and the order of the modules.
    cells = ((image.cells[f][row], f, row) for row in rows for f in fields)
    facts = "\x1f".join(str(cell) if isinstance(cell, Landing) else image.text(f, row) for cell, f, row in cells)
    return hashlib.sha256(facts.encode()).hexdigest()[:16]
