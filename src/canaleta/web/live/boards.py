"""Live: what faults mean and what to do, boards that people choose, trends, noise, and timing strips."""

from __future__ import annotations

from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from canaleta.core.live.advice import grade_of
from canaleta.core.live.alarms import KINDS
from canaleta.core.live.alarms import WORDS as ALARM_WORDS
from canaleta.core.model.quality import WORDS
from canaleta.plant.database import tables as t
from canaleta.plant.live.blocks import read_block
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.point import PointPath, found, rack_of
from canaleta.web.kit.point_now import AdvicesOut, advice_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("live", __name__, url_prefix="/api", abp_responses=PROBLEMS)

MOST_BOARDS = 100
"""For each person, and for everybody together."""


class ReasonOut(Shape):
    """One reason in words, the quality it gives, and how the plant takes it: bad, settle, note or off."""

    bit: int
    says: str
    quality: str
    grade: str


class WordsOut(Shape):
    """What the packed columns of a live block mean."""

    reasons: list[ReasonOut]
    alarm_states: list[str]
    alarm_kinds: dict[str, str]


KIND_WORDS = {
    "ll": "low-low",
    "l": "low",
    "h": "high",
    "hh": "high-high",
    "dev": "deviation",
    "rate": "rate of change",
    "state": "state",
    "fault": "signal failed",
}


@api.get("/live/words", responses={200: WordsOut})
@needs("read")
def words() -> Response:
    """What the packed columns of a live block mean, in this plant."""
    image = shared().image()
    reasons = [
        ReasonOut(bit=int(r), says=says, quality=q.name.lower(), grade=grade_of(image, r))
        for r, (q, says) in WORDS.items()
    ]
    return jsonify(
        WordsOut(
            reasons=reasons, alarm_states=list(ALARM_WORDS.values()), alarm_kinds={k: KIND_WORDS[k] for k in KINDS}
        ).model_dump()
    )


@api.get("/points/<int:point>/advice", responses={200: AdvicesOut})
@needs("read")
def advice(path: PointPath) -> Response:
    """What is wrong at a point now, what it most likely comes from, and what to do next."""
    image, row = found(path.point)
    with shared().engine.connect() as connection:
        block = read_block(connection, rack_of(image, row)[0]) if image.landed[row] else None
    return jsonify(advice_now(image, row, block).model_dump())


# Boards ------------------------------------------------------------------------------------------------

Points = Annotated[list[Annotated[int, Field(ge=0, le=2**62)]], Field(max_length=500)]


class BoardIn(Shape):
    """The points of a board, in their order. shared: for everybody."""

    model_config = ConfigDict(extra="forbid")

    points: Points
    shared: bool = False


class BoardPath(Shape):
    """A board by its name."""

    name: str = Field(min_length=1, max_length=40, pattern=r"^[^/]+$")


class BoardOut(Shape):
    """A board."""

    name: str
    points: list[int]
    shared: bool


class BoardsOut(Shape):
    """One's own boards and those for everybody."""

    boards: list[BoardOut]


@api.get("/boards", responses={200: BoardsOut})
@needs("read")
def boards() -> Response:
    """One's own boards and those for everybody."""
    return jsonify(_boards().model_dump())


def _boards() -> BoardsOut:
    with shared().engine.connect() as connection:
        rows = connection.execute(
            select(t.board).where(t.board.c.owner.in_(("", session_now().account))).order_by(t.board.c.name)
        ).all()
    out = [BoardOut(name=r.name, points=r.body["points"], shared=not r.owner) for r in rows]
    return BoardsOut(boards=out)


@api.put("/boards/<name>", responses={200: BoardOut})
@needs("self")
def keep_board(path: BoardPath, body: BoardIn) -> Response:
    """Keep a board; one for everybody takes a technician."""
    owner = "" if body.shared else session_now().account
    if body.shared and session_now().role == "reader":
        raise ProblemError(
            403, "a reader keeps boards for itself only", "nothing was kept", "leave “for everybody” off"
        )
    body_ = {"points": body.points}
    with shared().engine.begin() as connection:
        mine = select(func.count()).select_from(t.board).where(t.board.c.owner == owner, t.board.c.name != path.name)
        if (count := connection.execute(mine).scalar_one()) >= MOST_BOARDS:
            raise ProblemError(422, f"{count} boards are kept already", "nothing was kept", "let one of them go")
        put = insert(t.board).values(owner=owner, name=path.name, body=body_)
        connection.execute(put.on_conflict_do_update(index_elements=["owner", "name"], set_={"body": body_}))
    return jsonify(BoardOut(name=path.name, points=body.points, shared=body.shared).model_dump())


@api.delete("/boards/<name>", responses={200: BoardsOut})
@needs("self")
def drop_board(path: BoardPath) -> Response:
    """Drop one's own board of that name, or, for a technician, the one for everybody."""
    owners = [session_now().account] + ([] if session_now().role == "reader" else [""])
    with shared().engine.begin() as connection:
        connection.execute(delete(t.board).where(t.board.c.name == path.name, t.board.c.owner.in_(owners)))
    return jsonify(_boards().model_dump())
