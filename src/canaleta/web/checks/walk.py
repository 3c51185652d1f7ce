"""It finds me: walks with a calibrator, and what the scan has found meanwhile."""

from __future__ import annotations

from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.walk import LEVELS, Played, Walker, judged, missing, shared_out
from canaleta.plant.live import walking
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

MOST_FOUND = 1000
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
    """A point at which somebody played. takes: its readings may be taken without asking; sign, says: why not, as a code and in
    words."""

    id: int
    at: str
    point: int
    pattern: str
    plateaus: list[PlateauOut]
    takes: bool
    sign: str
    says: str


class SwappedOut(Shape):
    """Two points that answer in each other's place."""

    one: int
    other: int


class WalkOut(Shape):
    """One's walk: since when ('' if nobody walks), what is expected, what was found, whose cores may be swapped; missing: what is
    expected and was not found so far; of a walk that is over, what was left."""

    begins: str
    expected: list[int]
    found: list[FoundOut]
    swapped: list[SwappedOut]
    missing: list[int]
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
    left = _walk().missing
    with shared().engine.begin() as connection:
        walking.end_walk(connection, session_now().account)
    return jsonify(_walk().model_copy(update={"missing": left}).model_dump())


def _walk() -> WalkOut:
    image = shared().image()
    me = session_now().account
    with shared().engine.connect() as connection:
        every = walking.walks(connection)
        mine = next((w for w in every if w.who == me), None)
        rows = walking.found_since(connection, mine.begins, MOST_FOUND) if mine else []
    others = [w.who for w in every if w.who != me]
    if mine is None:
        return WalkOut(begins="", expected=[], found=[], swapped=[], missing=[], others=others)
    rows = [f for f in rows if image.has(f.point)]
    played = [Played(f.point, f.at.timestamp(), tuple(float(p["signal"]) for p in f.plateaus[:LEVELS])) for f in rows]
    walkers = [Walker(w.who, w.begins.timestamp(), w.expected) for w in every]
    told = shared_out(image, played, walkers)[me]
    verdicts, pairs = judged(image, [played[k] for k in told], mine.expected)
    found = [
        FoundOut(
            id=rows[k].id,
            at=rows[k].at.isoformat(),
            point=rows[k].point,
            pattern=rows[k].pattern,
            plateaus=[PlateauOut(**p) for p in rows[k].plateaus],
            takes=v.takes,
            sign=v.sign,
            says=v.says,
        )
        for k, v in zip(told, verdicts, strict=True)
    ]
    return WalkOut(
        begins=mine.begins.isoformat(),
        expected=list(mine.expected),
        found=found,
        swapped=[SwappedOut(one=a, other=b) for a, b in pairs],
        missing=missing([f.point for f in found], mine.expected),
        others=others,
    )
