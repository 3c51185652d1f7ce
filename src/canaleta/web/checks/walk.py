"""It finds me: walks with a calibrator, and what the scan has found meanwhile."""

from __future__ import annotations

from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.walk import judged
from canaleta.plant.live import walking
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("walk", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Points = Annotated[list[Annotated[int, Field(ge=0, le=2**62)]], Field(max_length=300)]


class WalkIn(Shape):
    """The points that will be played, in their order; none if nobody says."""

    model_config = ConfigDict(extra="forbid")

    expected: Points = Field(default_factory=list)


class PlateauOut(Shape):
    """One steady level of a staircase."""

    signal: float
    sigma: float
    counts: float
    value: float
    begins: float
    ends: float
    readings: int


class FoundOut(Shape):
    """A point at which somebody played. takes: its readings may be taken without asking; says: why, or why not."""

    id: int
    at: str
    point: int
    pattern: str
    plateaus: list[PlateauOut]
    takes: bool
    says: str


class SwappedOut(Shape):
    """Two points that answer in each other's place."""

    one: int
    other: int


class WalkOut(Shape):
    """One's walk: since when ('' if nobody walks), what is expected, what was found, whose cores may be swapped."""

    begins: str
    expected: list[int]
    found: list[FoundOut]
    swapped: list[SwappedOut]
    others: list[str]


@api.get("/walk", responses={200: WalkOut})
@needs("read")
def walk() -> Response:
    """One's walk and what the scan has found since it began."""
    return jsonify(_walk().model_dump())


@api.put("/walk", responses={200: WalkOut})
@needs("inject")
def set_out(body: WalkIn) -> Response:
    """Set out: from now on whatever is played is shown here."""
    image = shared().image()
    if missing := [p for p in body.expected if not image.has(p)]:
        raise ProblemError(
            422, f"{len(missing)} of these points are not in the list", "nobody walks", "choose them anew"
        )
    with shared().engine.begin() as connection:
        walking.begin_walk(connection, session_now().account, body.expected)
    return jsonify(_walk().model_dump())


@api.delete("/walk", responses={200: WalkOut})
@needs("inject")
def come_back() -> Response:
    """The walk is over; what was found stays in the points' pages until it is signed or read anew."""
    with shared().engine.begin() as connection:
        walking.end_walk(connection, session_now().account)
    return jsonify(_walk().model_dump())


def _walk() -> WalkOut:
    image = shared().image()
    me = session_now().account
    with shared().engine.connect() as connection:
        mine = walking.walk_of(connection, me)
        others = [w.who for w in walking.walks(connection) if w.who != me]
        rows = [f for f in walking.found_since(connection, mine.begins) if image.has(f.point)] if mine else []
    if mine is None:
        return WalkOut(begins="", expected=[], found=[], swapped=[], others=others)
    verdicts, pairs = judged(image, [(f.point, f.at.timestamp()) for f in rows], mine.expected)
    found = [
        FoundOut(
            id=f.id,
            at=f.at.isoformat(),
            point=f.point,
            pattern=f.pattern,
            plateaus=[PlateauOut(**p) for p in f.plateaus],
            takes=v.takes,
            says=v.says,
        )
        for f, v in zip(rows, verdicts, strict=True)
    ]
    return WalkOut(
        begins=mine.begins.isoformat(),
        expected=list(mine.expected),
        found=found,
        swapped=[SwappedOut(one=a, other=b) for a, b in pairs],
        others=others,
    )
