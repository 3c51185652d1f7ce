"""Stored findings: written in the edit's own transaction, read in bulk."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from sqlalchemy import ColumnElement, Connection, Engine, or_, select

from canaleta.core.model.fields import Station
from canaleta.core.rules import Cause, Cell, Finding, Fix, Waived
from canaleta.plant.database import tables as t

__all__ = [
    "accepted",
    "findings_as_they_come",
    "findings_named",
    "from_body",
    "stored_findings",
    "stored_touching",
    "to_body",
    "touching",
]


def to_body(finding: Finding) -> dict[str, Any]:
    """A finding as JSON, as the table and the API carry it."""
    return {
        "key": finding.key,
        "rule": finding.rule,
        "station": finding.station.value,
        "severity": finding.severity,
        "text": finding.text,
        "cells": [{"point": cell.point, "field": cell.field} for cell in finding.cells],
        "fixes": [
            {
                "label": fix.label,
                "edits": [{"point": cell.point, "field": cell.field, "text": text} for cell, text in fix.edits],
            }
            for fix in finding.fixes
        ],
        "fingerprint": finding.fingerprint,
        "facts": finding.facts,
        "harm": finding.harm,
        "cause": {"key": finding.cause.key, "says": finding.cause.says} if finding.cause else None,
        "trips": finding.trips,
        "waived": asdict(finding.waived) if finding.waived else None,
    }


def from_body(body: Mapping[str, Any]) -> Finding:
    """The inverse of `to_body`."""
    return Finding(
        rule=body["rule"],
        key=body["key"],
        station=Station(body["station"]),
        severity=body["severity"],
        text=body["text"],
        cells=tuple(Cell(**cell) for cell in body["cells"]),
        fixes=tuple(
            Fix(fix["label"], tuple((Cell(e["point"], e["field"]), e["text"]) for e in fix["edits"]))
            for fix in body["fixes"]
        ),
        fingerprint=body["fingerprint"],
        harm=body["harm"],
        cause=Cause(**body["cause"]) if body["cause"] else None,
        trips=body["trips"],
        waived=Waived(**body["waived"]) if body["waived"] else None,
        facts=body.get("facts", ""),
    )


def accepted(body: Mapping[str, Any]) -> bool:
    """Whether somebody accepted this finding and its facts are still those."""
    return bool(body["waived"] and body["waived"]["holds"])


def stored_findings(connection: Connection) -> list[dict[str, Any]]:
    """All findings, as bodies, by key."""
    return [row.body for row in connection.execute(select(t.finding.c.body).order_by(t.finding.c.key))]


def findings_named(connection: Connection, keys: Sequence[str]) -> list[dict[str, Any]]:
    """Bodies of the findings of these keys that there are, by key."""
    rows = connection.execute(select(t.finding.c.body).where(t.finding.c.key.in_(keys)).order_by(t.finding.c.key))
    return [row.body for row in rows]


def findings_as_they_come(engine: Engine) -> Iterator[dict[str, Any]]:
    """All findings, as bodies, by key, some at a time."""
    with engine.connect() as connection:
        options = connection.execution_options(yield_per=500)
        for row in options.execute(select(t.finding.c.body).order_by(t.finding.c.key)):
            yield row.body


def touching(looked: Mapping[str, set[int] | None]) -> ColumnElement[bool]:
    """The condition on stored findings of these rules that name one of these points, or any if None.

    Most rules look at the same points: they are asked for together, not one by one.
    """
    together: dict[frozenset[int] | None, list[str]] = {}
    for rule, points in looked.items():
        together.setdefault(None if points is None else frozenset(points), []).append(rule)
    return or_(
        *(
            t.finding.c.rule.in_(rules)
            if points is None
            else t.finding.c.rule.in_(rules) & t.finding.c.points.overlap(sorted(points))
            for points, rules in together.items()
        )
    )


def stored_touching(connection: Connection, looked: Mapping[str, set[int] | None]) -> list[dict[str, Any]]:
    """Bodies of stored findings of these rules that name one of these points, or any if None, each with its
    "since"."""
    if not looked:
        return []
    rows = connection.execute(select(t.finding.c.body, t.finding.c.since_seq).where(touching(looked)))
    return [row.body | {"since": row.since_seq} for row in rows]
