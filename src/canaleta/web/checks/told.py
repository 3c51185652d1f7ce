"""Findings that records and the plant itself tell: what is held, latched, open, failed, run out, standing, noisier than its
deadband.

They come and go without an edit, so they are not stored with the list and block no issue of it.
"""

from __future__ import annotations

from flask import Response, jsonify

from canaleta.plant.checks.told import told_now
from canaleta.web.kit.access import needs
from canaleta.web.kit.problems import PROBLEMS
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("told", __name__, url_prefix="/api", abp_responses=PROBLEMS)
_ORDER = ("bad", "settle", "note")


class KeepOut(Shape):
    """What would be put down in the list: a field of the point, and the text for it."""

    field: str
    text: str


class LiveFindingOut(Shape):
    """One finding: its rule, how it is taken, the point that it leads to, all of its points, what is so, with the figures; keeps:
    what was measured and could be put down, null for none."""

    rule: str
    severity: str
    point: int
    points: list[int]
    text: str
    keeps: KeepOut | None


class LiveFindingsOut(Shape):
    """Everything that records and the plant tell now, worst first."""

    findings: list[LiveFindingOut]


@api.get("/findings/live", responses={200: LiveFindingsOut})
@needs("read")
def live_findings() -> Response:
    """What records and the plant itself tell now: R17 of measured noise, R32–R34, R50, R93–R95."""
    image, now = shared().image(), shared().clock.looked_lately()
    grades = image.conventions.grades
    with shared().engine.connect() as connection:
        found = [one for one in told_now(connection, image, now) if grades.get(one.rule) != "off"]
    out = [
        LiveFindingOut(
            rule=one.rule,
            severity=grades.get(one.rule, one.severity),
            point=one.points[0],
            points=list(one.points),
            text=one.text,
            keeps=KeepOut(field=one.keeps[0].field, text=one.keeps[1]) if one.keeps else None,
        )
        for one in found
    ]
    return jsonify(LiveFindingsOut(findings=sorted(out, key=lambda f: _ORDER.index(f.severity))).model_dump())
