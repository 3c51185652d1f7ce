"""Findings for other tools: SARIF 2.1.0 (OASIS), which code hosts and editors show beside a file.

A finding is a result; its rule says what it looks at; its points and fields are logical locations. What was accepted
is told as suppressed, with its reason. The fingerprint stays the same while the facts do.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from canaleta import __version__
from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.rules import HARMS, RULES, Finding
from canaleta.exchange.project_parts import LeftOut

__all__ = ["as_sarif"]

_LEVELS = {"bad": "error", "settle": "warning", "note": "note"}


def as_sarif(
    image: PlantImage, findings: Sequence[Finding], file: str, left: Sequence[LeftOut] = ()
) -> dict[str, Any]:
    """A log of one run. file: where the plant was read from. left: parts of it that were not read."""
    place = {r.id: k for k, r in enumerate(RULES)}
    rules = [
        {
            "id": r.id,
            "name": "".join(word.capitalize() for word in r.name.replace("’", "").split()),
            "shortDescription": {"text": r.name},
            "fullDescription": {"text": f"looks at {r.looks}"},
            "help": {"text": f"{HARMS[r.harm]}; {r.source}"},
            "defaultConfiguration": {"level": _LEVELS[r.severity]},
            "properties": {"harm": r.harm},
        }
        for r in RULES
    ]
    driver = {"name": "canaleta", "version": __version__, "semanticVersion": __version__, "rules": rules}
    told = [
        {"level": "error", "descriptor": {"id": one.kind}, "message": {"text": f"{one.says} ({one.place})"}}
        for one in left
    ]
    run = {
        "tool": {"driver": driver},
        "invocations": [{"executionSuccessful": not left, "toolExecutionNotifications": told}],
        "artifacts": [{"location": {"uri": _uri(file)}}],
        "columnKind": "unicodeCodePoints",
        "results": [_result(image, f, place, file) for f in findings],
    }
    return {"$schema": "https://json.schemastore.org/sarif-2.1.0.json", "version": "2.1.0", "runs": [run]}


def _uri(file: str) -> str:
    from urllib.parse import quote

    return quote(file.replace("\\", "/"), safe="/:._-~")


def _result(image: PlantImage, finding: Finding, place: dict[str, int], file: str) -> dict[str, Any]:
    points = [c for c in finding.cells if image.has(c.point)]
    logical = [
        {
            "name": image.label(image.row_of(c.point)),
            "fullyQualifiedName": f"{image.label(image.row_of(c.point))}/{field_named(c.field).label}",
            "kind": "member",
        }
        for c in points
    ]
    location: dict[str, Any] = {"physicalLocation": {"artifactLocation": {"uri": _uri(file), "index": 0}}}
    if logical:
        location["logicalLocations"] = logical
    out: dict[str, Any] = {
        "ruleId": finding.rule,
        "ruleIndex": place[finding.rule],
        "level": _LEVELS[finding.severity],
        "message": {"text": finding.text},
        "locations": [location],
        "partialFingerprints": {"finding/v1": finding.key, "facts/v1": finding.fingerprint or finding.key},
        "properties": {"harm": finding.harm, "trips": finding.trips},
    }
    if finding.waived and finding.waived.holds:
        out["suppressions"] = [
            {
                "kind": "external",
                "status": "accepted",
                "justification": f"{finding.waived.reason} ({finding.waived.who})",
            }
        ]
    return out
