"""`audit`: what the rules find in a project file or in the database, as text or JSON, with an exit status for
scripts."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import short
from canaleta.core.rules import CATALOGUE, HARMS, Finding
from canaleta.exchange.findings_out import as_sarif
from canaleta.exchange.project import ProjectError, findings_of, image_of, read_project
from canaleta.exchange.project_parts import LeftOut, read_in_part, said_of_what_was_read
from canaleta.host.steps import TroubleError
from canaleta.host.upkeep import database_of
from canaleta.plant.changes import seed
from canaleta.plant.records.findings import from_body, stored_findings, to_body
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["BAD", "TO_SETTLE", "WELL", "audit_file", "print_rules"]

WELL, TO_SETTLE, BAD = 0, 3, 4
"""Exit statuses: nothing open but notes; something to settle; something bad. 1 and 2 are trouble, as everywhere."""
_MARKS = {"bad": "■ bad", "settle": "▲ settle", "note": "○ note"}
_MOST_TAGS, _MOST_LEFT = 12, 40


Form = Literal["text", "json", "sarif"]


def audit_file(data: Path, file: Path | None, form: Form) -> int:
    """Audit a project file, "-" for standard input, or the plant of a data folder. Returns the exit status.

    Of a file that the schema refuses in part the rest is audited, and what was left out is named: then something is to
    be settled.
    """
    name, image, findings, left = _of_file(file) if file else (*_of_database(data), [])
    open_ones = [f for f in findings if not (f.waived and f.waived.holds)]
    counts = {severity: sum(f.severity == severity for f in open_ones) for severity in _MARKS}
    accepted = len(findings) - len(open_ones)
    if form == "sarif":
        print(
            json.dumps(as_sarif(image, _by_cost(findings), str(file or "plant"), left), ensure_ascii=False, indent=1)
        )
    elif form == "json":
        body = {
            "plant": name,
            "points": len(image),
            **counts,
            "accepted": accepted,
            "left_out": [asdict(one) for one in left],
            "findings": [_told(image, f) for f in _by_cost(findings)],
        }
        print(json.dumps(body, ensure_ascii=False, indent=1))
    else:
        if left:
            print(f"? {len(left)} parts of the file were not read; the rest was audited")
            for one in left[:_MOST_LEFT]:
                print(f"    {one.says}  ({one.place})")
            if len(left) > _MOST_LEFT:
                print(f"    and {len(left) - _MOST_LEFT} more: --json tells all of them")
        for lines in _grouped(image, _by_cost(findings)):
            print(lines)
        words = ", ".join(f"{count} {_MARKS[severity][2:]}" for severity, count in counts.items() if count)
        print(
            f"{name}: {len(image)} points, {words or 'nothing to settle'}"
            + (f", {accepted} accepted" if accepted else "")
        )
    return BAD if counts["bad"] else TO_SETTLE if counts["settle"] or left else WELL


def print_rules(as_json: bool) -> int:
    """The catalogue of rules."""
    if as_json:
        print(
            json.dumps(
                [
                    {n: getattr(r, n) for n in ("id", "name", "looks", "source", "severity", "harm")}
                    for r in CATALOGUE
                ],
                ensure_ascii=False,
                indent=1,
            )
        )
        return WELL
    for rule in CATALOGUE:
        print(
            f"{rule.id:5} {rule.name}\n      looks at {rule.looks}\n      {_MARKS[rule.severity]}; {HARMS[rule.harm]}; {rule.source}"
        )
    return WELL


def _of_file(file: Path) -> tuple[str, PlantImage, list[Finding], list[LeftOut]]:
    try:
        text = sys.stdin.read() if str(file) == "-" else file.read_text(encoding="utf-8")
        document = json.loads(text)
        left: list[LeftOut] = []
        try:
            project = read_project(document)
            image = image_of(project)
        except ProjectError:
            project, image, left = read_in_part(document)
    except OSError as error:
        raise TroubleError(f"{file}: {error.strerror}") from error
    except (ValueError, ProjectError, RecursionError) as error:
        raise TroubleError(
            f"{file}: {short(error)}", "audit takes a project file, as ./canaleta export FILE writes it"
        ) from error
    return project.name, image, said_of_what_was_read(findings_of(project, image), left), left


def _of_database(data: Path) -> tuple[str, PlantImage, list[Finding]]:
    with database_of(data) as (_, engine), engine.connect() as connection:
        if not seed.has_plant(connection):
            raise TroubleError("there is no plant in this database", "./canaleta start loads the demo plant")
        image = ImageCache(engine).caught_up(connection)
        return seed.plant_name(connection), image, [from_body(body) for body in stored_findings(connection)]


def _by_cost(findings: Sequence[Finding]) -> list[Finding]:
    """Dearest first: how bad, what it could cost, whether it shuts something; what was accepted last."""
    harms, severities = [str(harm) for harm in HARMS], list(_MARKS)

    def cost(f: Finding) -> tuple[Any, ...]:
        accepted = bool(f.waived and f.waived.holds)
        return (
            accepted,
            severities.index(f.severity),
            harms.index(f.harm),
            not f.trips,
            f.rule,
            f.cause.key if f.cause else f.key,
        )

    return sorted(findings, key=cost)


def _told(image: PlantImage, finding: Finding) -> dict[str, Any]:
    return to_body(finding) | {"tags": _tags(image, [finding])}


def _tags(image: PlantImage, findings: Sequence[Finding]) -> list[str]:
    points = dict.fromkeys(cell.point for f in findings for cell in f.cells)
    return [image.label(image.row_of(point)) for point in points if image.has(point)]


def _grouped(image: PlantImage, findings: Sequence[Finding]) -> list[str]:
    """What has one cause as one paragraph, with its places."""
    groups: dict[tuple[Any, ...], list[Finding]] = {}
    for f in findings:
        accepted = f.waived if f.waived and f.waived.holds else None
        groups.setdefault(
            (f.rule, f.severity, f.cause.key if f.cause else f.key, accepted and accepted.reason), []
        ).append(f)
    out = []
    for (rule, severity, _, reason), some in groups.items():
        tags = _tags(image, some)
        more = f" and {len(tags) - _MOST_TAGS} more" if len(tags) > _MOST_TAGS else ""
        lines = [f"{_MARKS[severity]}  {rule}  {', '.join(tags[:_MOST_TAGS])}{more}".rstrip(), f"    {some[0].text}"]
        if len(some) > 1 and some[0].cause:
            lines[0] += f"  ({len(some)} places of one cause: {some[0].cause.says})"
        if reason:
            lines.append(f"    accepted by {some[0].waived.who if some[0].waived else ''}: {reason}")
        out.append("\n".join(lines))
    return out
