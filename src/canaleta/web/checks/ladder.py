"""The ladder of every point, how far the plant has come, and the last rung: accepted."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.ladder import BY_HAND, Rung, Step, blockers
from canaleta.core.checks.progress import BY, grouped
from canaleta.plant.changes import climbing
from canaleta.plant.checks import punches
from canaleta.plant.checks.acceptance import facts_of
from canaleta.plant.checks.rungs import RungEvent, events_of, reached
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("ladder", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Points = Annotated[list[Annotated[int, Field(ge=0, le=2**62)]], Field(min_length=1, max_length=5000)]
RungName = Literal["wired", "continuity", "powered", "loop-checked", "function-tested", "accepted"]


class EventOut(Shape):
    """A rung reached or lost. record: of the signed one it follows from, 0 for none."""

    at: str
    rung: str
    reached: bool
    who: str
    name: str
    how: str
    record: int


class RungOut(Shape):
    """One rung of a point: whether it stands, since when and by whom ('' if it never did), and by which record."""

    rung: str
    reached: bool
    at: str
    who: str
    how: str
    record: int
    by_hand: bool


class BlockerOut(Shape):
    """Why a point is not accepted: a code, and in words."""

    code: str
    says: str


class LadderOut(Shape):
    """A point's ladder from the lowest rung up, what happened on it, newest first, and what stands in the way of its being
    accepted."""

    point: int
    status: str
    rungs: list[RungOut]
    events: list[EventOut]
    blockers: list[BlockerOut]


class MarkIn(Shape):
    """A rung that somebody reached at some points, or that turned out not to be: reached is false then."""

    model_config = ConfigDict(extra="forbid")

    points: Points
    rung: RungName
    reached: bool = True
    note: str = Field("", max_length=400)


class MarkedOut(Shape):
    """How many points were marked."""

    points: int
    seq: int


class AcceptPointsIn(Shape):
    """Points to be accepted, a name, and the password once more."""

    model_config = ConfigDict(extra="forbid")

    points: Points
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)


class NotAcceptedOut(Shape):
    """A point that was not accepted, and why."""

    point: int
    tag: str
    reasons: list[BlockerOut]


class AcceptedPointOut(Shape):
    """A point that was accepted, and the record of it."""

    point: int
    record: int


class AcceptedOut(Shape):
    """What became of points that were to be accepted."""

    accepted: list[AcceptedPointOut]
    refused: list[NotAcceptedOut]


class ProgressQuery(Shape):
    """By what the plant is divided."""

    model_config = ConfigDict(extra="forbid")

    by: Literal["area", "cabinet", "system", "kind"] = "area"


class GroupOut(Shape):
    """A part of the plant. counts: points whose highest rung is nothing, wired, … accepted: seven figures; open_a, open_b,
    open_c: punch items that are not closed."""

    name: str
    points: int
    counts: list[int]
    open_a: int
    open_b: int
    open_c: int


class ProgressOut(Shape):
    """How far the plant has come, part by part and as a whole."""

    rungs: list[str]
    whole: GroupOut
    groups: list[GroupOut]


@api.get("/points/<int:point>/ladder", responses={200: LadderOut})
@needs("read")
def ladder(path: PointPath) -> Response:
    """How far a point has come, by whom, and what stands in the way of the last rung."""
    image, row = found(path.point)
    with shared().engine.connect() as connection:
        there = reached(connection, [path.point]).get(path.point, {})
        events = events_of(connection, path.point)
        facts = facts_of(connection, image, [path.point], session_now().account)[path.point]
    return jsonify(
        LadderOut(
            point=path.point,
            status=image.text("status", row),
            rungs=[_rung(rung, there.get(rung)) for rung in Rung],
            events=[
                EventOut(
                    at=e.at.isoformat(),
                    rung=Rung(e.rung).words,
                    reached=e.reached,
                    who=e.who,
                    name=e.name,
                    how=e.how,
                    record=e.record,
                )
                for e in events
            ],
            blockers=[BlockerOut(code=b.code, says=b.says) for b in blockers(facts)],
        ).model_dump()
    )


@api.post("/ladder", responses={200: MarkedOut})
@needs("edit")
def mark(body: MarkIn) -> Response:
    """Mark a rung of points by hand: that they are wired, continuous, powered, function-tested, or that they are not."""
    rung = next(r for r in Rung if r.words == body.rung)
    if rung not in BY_HAND and body.reached:
        raise ProblemError(
            422,
            f"{body.rung} follows from what is signed",
            "nothing was marked",
            "sign the loop check, or accept the point",
        )
    if rung is Rung.FUNCTION_TESTED and body.reached and not body.note.strip():
        raise ProblemError(422, "what was tried, and what it did?", "nothing was marked", "say it in a few words")
    try:
        after = climbing.mark(
            shared().engine,
            shared().cache,
            list(dict.fromkeys(body.points)),
            Step(rung, body.reached),
            session_now().account,
            body.note.strip(),
        )
    except LookupError as error:
        raise ProblemError(409, str(error.args[0]), "nothing was marked", "reload the list") from error
    return jsonify(MarkedOut(points=len(set(body.points)), seq=after.seq).model_dump())


@api.post("/acceptance", responses={200: AcceptedOut})
@needs("engineer")
def accept(body: AcceptPointsIn) -> Response:
    """Accept points: those in whose way nothing stands, each with a record of its own; the others are named with why."""
    proved(body.password)
    out = climbing.accept(shared().engine, shared().cache, body.points, session_now().account, body.name.strip())
    image = shared().image()
    return jsonify(
        AcceptedOut(
            accepted=[AcceptedPointOut(point=p, record=r) for p, r in out.records.items()],
            refused=[
                NotAcceptedOut(
                    point=p,
                    tag=image.label(image.row_of(p)) if image.has(p) else "",
                    reasons=[BlockerOut(code=b.code, says=b.says) for b in why],
                )
                for p, why in out.refused.items()
            ],
        ).model_dump()
    )


@api.get("/progress", responses={200: ProgressOut})
@needs("read")
def progress(query: ProgressQuery) -> Response:
    """How far the plant has come, divided by area, cabinet, system or kind."""
    image = shared().image()
    with shared().engine.connect() as connection:
        open_items = punches.listed(connection, closed=False)
    rows = np.array([image.row_of(x.point) if image.has(x.point) else -1 for x in open_items], dtype=np.int64)
    grades = [x.severity for x in open_items]
    groups = grouped(image, BY[query.by], rows, grades)
    whole = GroupOut(
        name="", points=len(image), counts=np.sum([g.counts for g in groups], axis=0).tolist() if groups else [0] * 7,
        **{f"open_{s.lower()}": grades.count(s) for s in punches.SEVERITIES},
    )  # fmt: skip
    return jsonify(
        ProgressOut(
            rungs=[rung.words for rung in Rung],
            whole=whole,
            groups=[
                GroupOut(
                    name=g.name,
                    points=g.points,
                    counts=list(g.counts),
                    **{f"open_{s.lower()}": g.open[s] for s in punches.SEVERITIES},
                )
                for g in groups
            ],
        ).model_dump()
    )


def _rung(rung: Rung, event: RungEvent | None) -> RungOut:
    if event is None:
        return RungOut(rung=rung.words, reached=False, at="", who="", how="", record=0, by_hand=rung in BY_HAND)
    return RungOut(
        rung=rung.words, reached=event.reached, at=event.at.isoformat(), who=event.name or event.who, how=event.how,
        record=event.record, by_hand=rung in BY_HAND,
    )  # fmt: skip
