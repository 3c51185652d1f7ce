"""The punch list: raised, cleared by whoever mended it, closed by another person who looked."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Callable
from typing import Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.model.fields import STORED
from canaleta.plant.changes.field_work import mended, not_mended
from canaleta.plant.checks import punches
from canaleta.plant.checks.punches import Punch, PunchError, PunchTrouble
from canaleta.plant.database.locks import LockedError
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.photos import MOST_PHOTO, refuse_photo
from canaleta.web.kit.point import found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("punches", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class PunchEdit(Shape):
    """A cell of the list that changes when the item is mended."""

    model_config = ConfigDict(extra="forbid")

    point: int = Field(ge=1, le=2**62)
    field: str = Field(max_length=60)
    was: str = Field(max_length=4000)
    text: str = Field(max_length=4000)


class PunchOut(Shape):
    """One item. state: open, cleared (somebody says it is mended) or closed (another person saw that it is)."""

    id: int
    at: str
    point: int
    place: str
    what: str
    severity: str
    owner: str
    who: str
    photo: bool
    state: str
    cleared_at: str | None
    cleared_by: str
    cleared_how: str
    closed_at: str | None
    closed_by: str
    closed_how: str
    due: str
    rule: str
    edits: list[PunchEdit]


class PunchesOut(Shape):
    """Items, the newest first."""

    items: list[PunchOut]


class PunchIn(Shape):
    """Something that is still to be mended. point: 0 for what belongs to none, place says where then. photo: a JPEG in
    base64. due: a day or a month. edits: what the list says once it is mended; rule: of the finding that asks for it."""

    model_config = ConfigDict(extra="forbid")

    point: int = Field(0, ge=0, le=2**62)
    place: str = Field("", max_length=80)
    what: str = Field(min_length=1, max_length=1000)
    severity: Literal["A", "B", "C"]
    owner: str = Field("", max_length=80)
    photo: str = Field("", max_length=MOST_PHOTO, pattern=r"^[A-Za-z0-9+/]*={0,2}$")
    due: str = Field("", pattern=r"^(\d{4}-\d{2}(-\d{2})?)?$")
    rule: str = Field("", max_length=10)
    edits: list[PunchEdit] = Field(default_factory=list, max_length=200)


class PunchStepIn(Shape):
    """What was done, or seen."""

    model_config = ConfigDict(extra="forbid")

    how: str = Field("", max_length=400)


class PunchPath(Shape):
    """An item by its number."""

    number: int = Field(ge=0, le=2**62)


class PunchesQuery(Shape):
    """Whether items that are closed are told as well."""

    model_config = ConfigDict(extra="forbid")

    closed: bool = False


@api.get("/punches", responses={200: PunchesOut})
@needs("read")
def all_punches(query: PunchesQuery) -> Response:
    """The punch list."""
    with shared().engine.connect() as connection:
        items = punches.listed(connection, closed=query.closed)
    return jsonify(PunchesOut(items=[_out(x) for x in items]).model_dump())


@api.post("/punches", responses={200: PunchOut})
@needs("edit")
def raise_item(body: PunchIn) -> Response:
    """Put something on the punch list."""
    if body.point:
        found(body.point)
    if not body.what.strip():
        raise ProblemError(422, "what is to be mended?", "nothing was raised", "say it in a few words")
    if not body.point and not body.place.strip():
        raise ProblemError(422, "where is it?", "nothing was raised", "name a point, or the place")
    refuse_photo(body.photo)
    known = {f.name for f in STORED}
    for edit in body.edits:
        found(edit.point)
        if edit.field not in known:
            raise ProblemError(422, f"there is no field “{edit.field}”", "nothing was raised")
    with shared().engine.begin() as connection:
        number = punches.raise_item(
            connection, point=body.point, place=body.place.strip(), what=body.what.strip(), severity=body.severity,
            owner=body.owner.strip(), who=session_now().account, photo=body.photo, due=body.due, rule=body.rule,
            edits=[one.model_dump() for one in body.edits],
        )  # fmt: skip
        (made,) = (x for x in punches.listed(connection, most=50) if x.id == number)
    return jsonify(_out(made).model_dump())


@api.post("/punches/<int:number>/clear", responses={200: PunchOut})
@needs("edit")
def clear(path: PunchPath, body: PunchStepIn) -> Response:
    """It is mended: whoever mended it says how."""
    if not body.how.strip():
        raise ProblemError(422, "how was it mended?", "nothing was changed", "say it in a few words")
    return _said(
        lambda: mended(shared().engine, shared().cache, path.number, session_now().account, body.how.strip())
    )


@api.post("/punches/<int:number>/close", responses={200: PunchOut})
@needs("edit")
def close(path: PunchPath, body: PunchStepIn) -> Response:
    """Another person looked, and it is mended."""

    def close_it() -> Punch:
        with shared().engine.begin() as connection:
            return punches.close(connection, path.number, session_now().account, body.how.strip())

    return _said(close_it)


@api.post("/punches/<int:number>/open", responses={200: PunchOut})
@needs("edit")
def put_back(path: PunchPath, body: PunchStepIn) -> Response:
    """It is not mended after all: open again."""
    if not body.how.strip():
        raise ProblemError(422, "what is not mended?", "nothing was changed", "say it in a few words")
    return _said(
        lambda: not_mended(shared().engine, shared().cache, path.number, session_now().account, body.how.strip())
    )


@api.get("/punches/<int:number>/photo", responses={200: {"content": {"image/jpeg": {}}}})
@needs("read")
def photo(path: PunchPath) -> Response:
    """The photo of an item."""
    try:
        with shared().engine.connect() as connection:
            text = punches.photo_of(connection, path.number)
        return Response(base64.b64decode(text, validate=True), content_type="image/jpeg")
    except PunchError as error:
        raise ProblemError(404, str(error)) from error
    except binascii.Error as error:
        raise ProblemError(404, "the photo cannot be read") from error


def _said(does: Callable[[], Punch]) -> Response:
    try:
        return jsonify(_out(does()).model_dump())
    except PunchError as error:
        status = 404 if error.code is PunchTrouble.GONE else 409
        raise ProblemError(status, str(error), "nothing was changed") from error
    except LockedError as error:
        raise ProblemError(409, str(error), "nothing was changed") from error


def _out(x: Punch) -> PunchOut:
    moments = {name: at.isoformat() if (at := getattr(x, name)) else None for name in ("cleared_at", "closed_at")}
    return PunchOut(
        id=x.id, at=x.at.isoformat(), point=x.point, place=x.place, what=x.what, severity=x.severity, owner=x.owner,
        who=x.who, photo=x.photo, state=x.state, cleared_by=x.cleared_by, cleared_how=x.cleared_how,
        closed_by=x.closed_by, closed_how=x.closed_how, due=x.due, rule=x.rule,
        edits=[PunchEdit(**one) for one in x.edits], **moments,
    )  # fmt: skip
