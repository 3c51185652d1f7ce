"""How a point drifts from check to check, when it will leave its tolerance, and when it is due."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
from flask import Response, jsonify

from canaleta.core.checks.drift import drift_of
from canaleta.core.checks.loopcheck import DEFAULT_TOLERANCE
from canaleta.plant.checks import evidence
from canaleta.plant.checks.histories import DAY_S, seen_in
from canaleta.web.kit.access import needs
from canaleta.web.kit.figures import finite
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("drifts", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_RECORDS = 400
STEPS = 40


class DriftOut(Shape):
    """The errors that were found and left, % of span, and the line through them with its band. at: s since 1970 of each
    reading; begins: a stretch begins with it. rate: % of span a year. days: s since 1970 of the line, from the newest stretch
    on into the future; line, low, high: there. leaves_at: when the band leaves the tolerance, none where it does not or nobody
    can say; by_line: the line alone. says: in words."""

    at: list[float]
    errors: list[float]
    begins: list[bool]
    tolerance: float
    rate: float | None
    days: list[float]
    line: list[float | None]
    low: list[float | None]
    high: list[float | None]
    leaves_at: str | None
    by_line: str | None
    says: str


@api.get("/points/<int:point>/drift", responses={200: DriftOut})
@needs("read")
def drift(path: PointPath) -> Response:
    """The drift of a point from its signed checks."""
    image, row = found(path.point)
    with shared().engine.connect() as connection:
        seen = seen_in(evidence.of_point(connection, path.point, MOST_RECORDS))
    tolerance = float(image.number("tolerance_loop")[row])
    tolerance = DEFAULT_TOLERANCE if np.isnan(tolerance) else tolerance
    line = drift_of(seen)
    out = DriftOut(
        at=[one.day * DAY_S for one in seen], errors=[one.error for one in seen], begins=[one.begins for one in seen], tolerance=tolerance,
        rate=None, days=[], line=[], low=[], high=[], leaves_at=None, by_line=None, says="",
    )  # fmt: skip
    if line is None or np.isnan(line.rate):
        out.says = "two checks on different days say how quickly it drifts" if seen else ""
        return jsonify(out.model_dump())
    banded, alone = line.leaves(tolerance), line.leaves(tolerance, with_band=False)
    ahead = next((d for d in (banded, alone) if np.isfinite(d) and d > 0), 365.0)
    first = min(2 * line.middle - line.last, line.last)
    # On the days of readings as well: they are drawn on one axis.
    days = np.unique([*np.linspace(first, line.last + 1.1 * ahead, STEPS), *(s.day for s in seen if s.day >= first)])
    level, band = (np.array([of(float(day)) for day in days]) for of in (line.at, line.band))
    out.rate, out.days = finite(line.rate), (days * DAY_S).tolist()
    out.line, out.low, out.high = ([finite(x) for x in some] for some in (level, level - band, level + band))
    out.leaves_at, out.by_line = _day(line.last, banded), _day(line.last, alone)
    out.says = _says(line.rate, tolerance, banded, alone, out)
    return jsonify(out.model_dump())


def _day(last: float, days: float) -> str | None:
    if not np.isfinite(days):
        return None
    return datetime.fromtimestamp((last + days) * DAY_S, UTC).date().isoformat()


def _says(rate: float, tolerance: float, banded: float, alone: float, out: DriftOut) -> str:
    moves = f"it drifts by {abs(rate):.3f} % of span a year {'upwards' if rate > 0 else 'downwards'}"
    if alone == 0:
        return f"{moves}; it is out of ±{tolerance:g} % already"
    if np.isnan(banded):
        when = (
            f"by the line alone it leaves ±{tolerance:g} % on {out.by_line}"
            if out.by_line
            else "by the line alone it stays within"
        )
        return f"{moves}; {when}; a third check says how sure that is"
    if banded == 0:
        return f"{moves}; its checks scatter so much that the next may be out of ±{tolerance:g} %"
    if not out.leaves_at:
        return f"{moves}; it stays within ±{tolerance:g} % for twenty years"
    return f"{moves}; with 95 % it is within ±{tolerance:g} % until {out.leaves_at}: check it again within {int(banded)} days"
