"""Findings that the plant itself tells: what is held, what is latched, what is still open, what is noisier than its
deadband.

They come and go without an edit, so they are not stored with the list and block no issue of it.
"""

from __future__ import annotations

import numpy as np
from flask import Response, jsonify

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.text import shown
from canaleta.core.signals.noise import noise_of
from canaleta.plant.live import temporary
from canaleta.plant.live.blocks import Flag, read_block
from canaleta.plant.live.temporary import FORCE, SUBSTITUTE
from canaleta.plant.live.trends import read_raw_of
from canaleta.web.kit.access import needs
from canaleta.web.kit.problems import PROBLEMS
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("live_findings", __name__, url_prefix="/api", abp_responses=PROBLEMS)
WINDOW_S = 300.0
SIGMAS = 3.0
LEAST_READINGS = 30
MOST_LOOKED_AT = 200
_DEADBANDS = ("bands_deadband", *(f"alarm_{level}_deadband" for level in ALARM_LEVELS))


class LiveFindingOut(Shape):
    """One finding from the plant: its rule, how it is taken, the point, and what is so, with the figures."""

    rule: str
    severity: str
    point: int
    text: str


class LiveFindingsOut(Shape):
    """Everything that the plant tells now, worst first."""

    findings: list[LiveFindingOut]


@api.get("/findings/live", responses={200: LiveFindingsOut})
@needs("read")
def live_findings() -> Response:
    """What the plant itself tells now: R17 (noise), R32, R33, R50."""
    image = shared().image()
    found = [*_held(image), *_latched(image), *_noisy(image)]
    order = ("bad", "settle", "note")
    out = [f for f in found if image.conventions.grades.get(f.rule) != "off"]
    for finding in out:
        finding.severity = image.conventions.grades.get(finding.rule, finding.severity)
    return jsonify(LiveFindingsOut(findings=sorted(out, key=lambda f: order.index(f.severity))).model_dump())


def _held(image: PlantImage) -> list[LiveFindingOut]:
    with shared().engine.connect() as connection:
        open_ = temporary.listed(connection)
    out = []
    for x in (x for x in open_ if image.has(x.point)):
        label = image.label(image.row_of(x.point))
        late = x.due is not None and x.due.timestamp() < shared().clock.looked_lately()
        rule = "R32" if x.kind in (FORCE, SUBSTITUTE) else "R50"
        text = f"{label}: {x.kind}, {x.what}, by {x.who}{', overdue' if late else ''}"
        out.append(LiveFindingOut(rule=rule, severity="bad" if late else "settle", point=x.point, text=text))
    return out


def _latched(image: PlantImage) -> list[LiveFindingOut]:
    out = []
    with shared().engine.connect() as connection:
        for rack in image.layout.racks:
            block = read_block(connection, rack)
            if block is None:
                continue
            for k in np.flatnonzero((block.flags & Flag.LATCHED) != 0).tolist():
                point = int(block.points[k])
                if image.has(point):
                    text = f"{image.label(image.row_of(point))}: a fault waits for its reset"
                    out.append(LiveFindingOut(rule="R33", severity="settle", point=point, text=text))
    return out


def _noisy(image: PlantImage) -> list[LiveFindingOut]:
    """Deadbands that are narrower than three standard deviations of the noise of the last minutes."""
    width = np.stack([np.where(image.number(name) > 0, image.number(name), np.nan) for name in _DEADBANDS])
    rows = np.flatnonzero(image.landed & ~np.isnan(width).all(axis=0))[:MOST_LOOKED_AT]
    racks = {int(image.ids[row]): image.layout.modules[int(image.module[row])].rack for row in rows.tolist()}
    now = shared().clock.looked_lately()
    with shared().engine.connect() as connection:
        hours = read_raw_of(connection, racks, now - WINDOW_S, now)
    out = []
    for row in rows.tolist():
        point = int(image.ids[row])
        hour = hours[point]
        value = hour.value[(hour.quality == Quality.GOOD) & np.isfinite(hour.value)]
        if len(value) < LEAST_READINGS:
            continue
        fast, narrowest = noise_of(value).fast, float(np.nanmin(width[:, row]))
        if narrowest < SIGMAS * fast:
            name = _DEADBANDS[int(np.nanargmin(width[:, row]))].removeprefix("alarm_").replace("_deadband", "")
            unit = image.text("value_unit", row)
            text = (
                f"{image.label(row)}: the deadband of {'the bands' if name == 'bands' else f'alarm {name.upper()}'} is"
                f" {narrowest:g} {unit}, and the noise of the last minutes is σ {shown(fast, 3)} {unit}: it chatters;"
                f" three σ are {shown(SIGMAS * fast, 3)} {unit}"
            )
            out.append(LiveFindingOut(rule="R17", severity="settle", point=point, text=text))
    return out
