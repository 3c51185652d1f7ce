"""Ways to settle findings, each tried before it is offered: what it settles, what it raises, and what was left out.

A way that does not settle what it is for is none. One that raises something as bad is offered together with what mends
that, where a fix of the raised finding does; else it is left out, and why is said.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Connection

from canaleta.core.model.image import PlantImage
from canaleta.core.rules import Cell, Finding
from canaleta.plant.changes.apply import preview
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.proposal import Edit, Preview, Proposal, plan

__all__ = ["LeftWay", "Way", "Ways", "ways_to_settle"]

Edits = tuple[tuple[Cell, str], ...]
MOST_MENDED = 3
"""Raised findings, and fixes of each, that are tried as what mends a way."""
MOST_WAYS = 12
"""Ways that are tried for several findings: those that settle the most of them. Each look takes as long as an edit."""
MOST_TOGETHER = 100
"""Findings together from which a way that raises something is left out without looking for what mends it."""
_BADNESS = ("bad", "settle", "note")


@dataclass(frozen=True)
class Way:
    """A way that was tried. findings: how many of those asked about it settles; settles: how many in all; raises: what
    comes with it, nothing as bad as what it settles."""

    label: str
    edits: Edits
    findings: int
    settles: int
    raises: tuple[Finding, ...]


@dataclass(frozen=True)
class LeftWay:
    """A way that is not offered. code: "unreadable", "settles nothing" or "raises"; says: why."""

    label: str
    code: str
    says: str


@dataclass(frozen=True)
class Ways:
    """Ways to settle some findings, in the order of their fixes, and those that were left out."""

    offered: tuple[Way, ...] = ()
    left: tuple[LeftWay, ...] = ()


def ways_to_settle(connection: Connection, image: PlantImage, findings: Sequence[Finding]) -> Ways:
    """The ways to settle findings together: fixes that begin alike up to a colon are one way."""
    kinds: dict[str, list[tuple[Finding, Edits]]] = {}
    for finding in findings:
        for label, edits in {
            (fix.label.split(":")[0] if len(findings) > 1 else fix.label): fix.edits
            for fix in reversed(finding.fixes)
        }.items():
            kinds.setdefault(label, []).append((finding, edits))
    order = list(
        dict.fromkeys(
            fix.label.split(":")[0] if len(findings) > 1 else fix.label for f in findings for fix in f.fixes
        )
    )
    order = sorted(order, key=lambda label: -len(kinds[label]))[:MOST_WAYS] if len(findings) > 1 else order
    offered: list[Way] = []
    left: list[LeftWay] = []
    for label in order:
        found = _tried(connection, image, label, kinds[label])
        (offered if isinstance(found, Way) else left).append(found)  # type: ignore[arg-type]
    return Ways(tuple(offered), tuple(left))


def _tried(
    connection: Connection, image: PlantImage, label: str, of: Sequence[tuple[Finding, Edits]]
) -> Way | LeftWay:
    edits = _joined(*(edits for _, edits in of))
    keys = {finding.key for finding, _ in of}
    worst = min(_BADNESS.index(finding.severity) for finding, _ in of)
    does = _does(connection, image, edits)
    if isinstance(does, str):
        return LeftWay(label, "unreadable", does)
    settled = keys & set(does.closed)
    if not settled:
        return LeftWay(label, "settles nothing", "it does not settle what it is for")
    raised = _as_bad(does, worst)
    if not raised:
        return Way(label, edits, len(settled), len(does.closed), does.come)
    for finding in raised[: MOST_MENDED if len(of) <= MOST_TOGETHER else 0]:
        for fix in finding.fixes[:MOST_MENDED]:
            both = _joined(edits, fix.edits)
            mended = _does(connection, image, both)
            if isinstance(mended, Preview) and keys & set(mended.closed) and not _as_bad(mended, worst):
                name = f"{label}, and {fix.label}"
                return Way(name, both, len(keys & set(mended.closed)), len(mended.closed), mended.come)
    return LeftWay(label, "raises", f"it would raise: {raised[0].text}")


def _as_bad(does: Preview, worst: int) -> list[Finding]:
    return [finding for finding in does.come if _BADNESS.index(finding.severity) <= worst]


def _joined(*some: Edits) -> Edits:
    """Edits of several as one: what comes later is typed over what came before."""
    return tuple({cell: text for edits in some for cell, text in edits}.items())


def _does(connection: Connection, image: PlantImage, edits: Edits) -> Preview | str:
    """What edits would do, or why they cannot be typed."""
    known = [(cell, text) for cell, text in edits if image.has(cell.point)]
    planned = plan(
        image,
        Proposal(
            tuple(Edit(c.point, c.field, image.text(c.field, image.row_of(c.point)), text) for c, text in known)
        ),
    )
    if planned.refusals:
        return planned.refusals[0].says
    return preview(connection, image, ChangeSet(planned.changes))
