"""Findings that are accepted as they are: with a reason, a name and a day, as long as the facts they rest on stay.

A waiver names a finding by its key and holds for one fingerprint of it. When the facts change it is void: it stays to
be read beside the finding, which is open again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, select, update

from canaleta.core.rules import Finding, Waived
from canaleta.core.rules.finding import figures_in, seal
from canaleta.plant.database import tables as t
from canaleta.plant.records.findings import from_body, to_body
from canaleta.plant.records.points import WAIVER
from canaleta.plant.records.records import RecordChange, Shelf, everything

__all__ = ["WAIVERS", "Waiver", "waivers", "with_waivers", "write_waived"]


@dataclass(frozen=True)
class Waiver:
    """An accepted finding: its key and fingerprint, what it said, why it is accepted, by whom and when (ISO 8601)."""

    id: int
    key: str
    rule: str
    fingerprint: str
    reason: str
    who: str
    at: str
    text: str

    @property
    def name(self) -> str:
        """The finding it accepts."""
        return self.key

    def body(self) -> dict[str, Any]:
        """As history keeps it."""
        return {name: getattr(self, name) for name in _BODY}

    def columns(self) -> dict[str, Any]:
        """As the table keeps it."""
        return self.body() | {"at": datetime.fromisoformat(self.at)}


_BODY = ("key", "rule", "fingerprint", "reason", "who", "at", "text")


def _of_row(row: Any) -> Waiver:
    return Waiver(row.id, row.key, row.rule, row.fingerprint, row.reason, row.who, row.at.isoformat(), row.text)


WAIVERS = Shelf(t.waiver, WAIVER, _of_row, lambda number, body: Waiver(number, **body))


def waivers(connection: Connection) -> dict[str, Waiver]:
    """Every waiver, by the key of its finding."""
    return {w.key: w for w in everything(connection, WAIVERS) if isinstance(w, Waiver)}


def with_waivers(findings: Iterable[Finding], known: Mapping[str, Waiver]) -> list[Finding]:
    """Findings with what was accepted of them; a waiver whose facts changed since is shown as void."""
    return [_with(f, known.get(f.key)) for f in findings] if known else list(findings)


def _with(found: Finding, waiver: Waiver | None) -> Finding:
    if waiver is None:
        return replace(found, waived=None) if found.waived else found
    return replace(found, waived=Waived(waiver.reason, waiver.who, waiver.at, _holds(waiver, found)))


def _holds(waiver: Waiver, found: Finding) -> bool:
    if waiver.fingerprint == found.fingerprint:
        return True
    # Version 0.1 sealed the sentence itself: its figures must be the same still, its words need not.
    same = figures_in(waiver.text) == figures_in(found.text)
    return same and waiver.fingerprint == seal(found.facts or waiver.text, waiver.text)


def write_waived(connection: Connection, changes: Sequence[RecordChange]) -> list[Finding]:
    """Stored findings that a change of waivers concerns, as they are told from now on."""
    becomes: dict[str, Waiver | None] = {}
    for change in changes:
        for one in (change.was, change.becomes):
            if isinstance(one, Waiver):
                becomes[one.key] = change.becomes if isinstance(change.becomes, Waiver) else None
    if not becomes:
        return []
    rows = connection.execute(select(t.finding.c.body).where(t.finding.c.key.in_(list(becomes)))).scalars()
    told = [_with(from_body(body), becomes[body["key"]]) for body in rows]
    for found in told:
        connection.execute(update(t.finding).where(t.finding.c.key == found.key).values(body=to_body(found)))
    return told
