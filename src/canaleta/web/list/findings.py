"""Findings: all of them, the rules that find them, and what was accepted with a reason."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.model.field_table import IN_THE_FIELD
from canaleta.core.rules import CATALOGUE, HARMS
from canaleta.plant.changes.accepting import WaiverError, lift, waive
from canaleta.plant.changes.apply import Applied
from canaleta.plant.changes.ways import ways_to_settle
from canaleta.plant.records.findings import findings_named, from_body, stored_findings
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, FindingOut, applied_out, finding_out
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("findings", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_RAISED = 20
Keys = Annotated[list[Annotated[str, Field(max_length=300)]], Field(min_length=1, max_length=5000)]


class FindingsOut(Shape):
    """All findings as of a sequence number."""

    seq: int
    findings: list[FindingOut]


class RuleOut(Shape):
    """A rule: what it looks at, where it comes from, what its findings are as a rule, and how the plant takes them:
    grade, "" for as usual, else bad, settle, note or off."""

    id: str
    name: str
    looks: str
    source: str
    severity: str
    harm: str
    grade: str


class HarmOut(Shape):
    """What a fault could cost: its name, and in words."""

    name: str
    says: str


class RulesOut(Shape):
    """Every rule, and the harms, dearest first: a list, for an object's keys have no order."""

    rules: list[RuleOut]
    harms: list[HarmOut]


class WaiveIn(Shape):
    """Findings that are accepted as they are, and why."""

    model_config = ConfigDict(extra="forbid")

    keys: Keys
    reason: str = Field(max_length=400)


class LiftIn(Shape):
    """Findings that are open again."""

    model_config = ConfigDict(extra="forbid")

    keys: Keys


class WaysIn(Shape):
    """Findings that are to be settled, together."""

    model_config = ConfigDict(extra="forbid")

    keys: Keys


class WayCell(Shape):
    """A cell that a way types something into."""

    point: int
    field: str
    text: str


class WayRaised(Shape):
    """A finding that a way raises."""

    rule: str
    severity: str
    text: str


class WayOut(Shape):
    """A way to settle findings, tried: findings, how many of those asked about it settles; settles, how many in all.
    in_the_field: it says something of the plant, which may have to be done there first."""

    label: str
    edits: list[WayCell]
    findings: int
    settles: int
    raises: list[WayRaised]
    in_the_field: bool


class WayLeftOut(Shape):
    """A way that is not offered: code unreadable, settles nothing or raises; says, why."""

    label: str
    code: str
    says: str


class WaysOut(Shape):
    """What settles findings, and what was left out because it would not."""

    ways: list[WayOut]
    left: list[WayLeftOut]


@api.post("/findings/ways", responses={200: WaysOut})
@needs("edit")
def ways(body: WaysIn) -> Response:
    """The ways to settle findings together, each tried against the plant as it is; nothing is changed."""
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        found = [from_body(one) for one in findings_named(connection, body.keys)]
        tried = ways_to_settle(connection, image, found)
    out = WaysOut(
        ways=[
            WayOut(
                label=way.label,
                edits=[WayCell(point=cell.point, field=cell.field, text=text) for cell, text in way.edits],
                findings=way.findings,
                settles=way.settles,
                in_the_field=any(cell.field in IN_THE_FIELD for cell, _ in way.edits),
                raises=[WayRaised(rule=f.rule, severity=f.severity, text=f.text) for f in way.raises[:MOST_RAISED]],
            )
            for way in tried.offered
        ],
        left=[WayLeftOut(label=one.label, code=one.code, says=one.says) for one in tried.left],
    )
    return jsonify(out.model_dump())


@api.get("/findings", responses={200: FindingsOut})
@needs("read")
def findings_now() -> Response:
    """Every finding."""
    with shared().engine.connect() as connection:
        seq = shared().image(connection).seq
        bodies = stored_findings(connection)
    return jsonify({"seq": seq, "findings": [finding_out(body) for body in bodies]})


@api.get("/rules", responses={200: RulesOut})
@needs("read")
def rules_there_are() -> Response:
    """The catalogue of rules, with how this plant takes what they find."""
    grades = shared().image().conventions.grades
    rules = [
        RuleOut(
            id=r.id,
            name=r.name,
            looks=r.looks,
            source=r.source,
            severity=r.severity,
            harm=r.harm,
            grade=grades.get(r.id, ""),
        )
        for r in CATALOGUE
    ]
    return jsonify(
        RulesOut(rules=rules, harms=[HarmOut(name=harm, says=says) for harm, says in HARMS.items()]).model_dump()
    )


@api.post("/waivers", responses={200: ChangedOut})
@needs("engineer")
def accept(body: WaiveIn) -> Response:
    """Accept findings with a reason. 409 where one of them is settled by now."""
    return _said(lambda: waive(shared().engine, shared().cache, body.keys, body.reason, session_now().account))


@api.post("/waivers/lift", responses={200: ChangedOut})
@needs("engineer")
def open_again(body: LiftIn) -> Response:
    """Open findings again that were accepted."""
    return _said(lambda: lift(shared().engine, shared().cache, body.keys, session_now().account))


def _said(do: Callable[[], Applied]) -> Response:
    try:
        return applied_out(do())
    except WaiverError as error:
        raise ProblemError(409, str(error), "nothing was changed") from error
