"""Rows of the list that come and go, series, typicals, and rows kept from being changed."""

from __future__ import annotations

from typing import Annotated, Any

from flask import Response, jsonify
from pydantic import ConfigDict, Field, StringConstraints

from canaleta.core.model.fields import field_named
from canaleta.core.notation.tags import letters_there_are, own_letters, read_tag
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.series import MOST, continued, next_tag
from canaleta.plant.changes.apply import Applied, preview
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.rows import MOST_NEW, NewRows, Rows, add_rows, plan_rows, remove_rows
from canaleta.plant.changes.typical_changes import change_typical, points_of, typical_edits
from canaleta.plant.database import locks
from canaleta.plant.records.typicals import Typical, typicals
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, applied_out, preview_out
from canaleta.web.kit.point import PointPath
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("rows", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Text = Annotated[str, Field(max_length=4000)]
Name = Annotated[str, Field(max_length=60)]
Point = Annotated[int, Field(ge=0, le=2**62)]
Texts = Annotated[dict[Name, Text], Field(max_length=200)]


class NewIn(Shape):
    """New points: so many alike, or a row of texts each. `apply` false only says what they would hold."""

    model_config = ConfigDict(extra="forbid")

    count: int = Field(0, ge=0, le=MOST_NEW)
    rows: list[Texts] = Field(default_factory=list, max_length=MOST_NEW)
    cells: Texts = Field(default_factory=dict)
    like: Point | None = None
    typical: Name = ""
    apply: bool = True


class NewTrouble(Shape):
    """A cell of a new row that cannot be read; row counts from 0."""

    row: int
    field: str
    typed: str
    says: str


class NewOut(Shape):
    """What new rows would hold."""

    rows: list[dict[str, str]]
    troubles: list[NewTrouble]


class GoneIn(Shape):
    """Points to take away."""

    model_config = ConfigDict(extra="forbid")

    points: list[Point] = Field(min_length=1, max_length=20_000)
    apply: bool = True


class SeriesIn(Shape):
    """Texts to count on from, in the cells of one field."""

    model_config = ConfigDict(extra="forbid")

    field: Name
    texts: list[Text] = Field(min_length=1, max_length=100)
    count: int = Field(ge=1, le=MOST)


class SeriesOut(Shape):
    """The texts that follow."""

    texts: list[str]


class LettersOut(Shape):
    """Letters to build a tag of, by their place: {letter: word}; own: the plant's own groups of letters."""

    variables: dict[str, str]
    modifiers: dict[str, str]
    functions: dict[str, str]
    levels: dict[str, str]
    own: dict[str, str]


class MeaningQuery(Shape):
    """Letters put together."""

    letters: str = Field(min_length=1, max_length=6, pattern=r"^[A-Za-z]+$")


class MeaningOut(Shape):
    """What letters say together, "" if nothing; and the first free tag that begins with them."""

    meaning: str
    tag: str


class TypicalOut(Shape):
    """A typical, and how many points were made from it."""

    name: str
    says: str
    cells: dict[str, str]
    points: int


class TypicalsOut(Shape):
    """Every typical."""

    typicals: list[TypicalOut]


class TypicalIn(Shape):
    """A typical from now on. becomes: its new name, if that changes. points: those that follow the change."""

    model_config = ConfigDict(extra="forbid")

    becomes: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] = ""
    says: str = Field("", max_length=200)
    cells: Texts
    points: list[Point] = Field(default_factory=list, max_length=20_000)
    apply: bool = True


class TypicalPath(Shape):
    """A typical by its name."""

    name: str = Field(min_length=1, max_length=60)


class TypicalChangeOut(Shape):
    """What a changed typical means for the points made from it: cells that still say what it said follow."""

    cells: list[dict[str, Any]]
    troubles: list[NewTrouble]


class LockIn(Shape):
    """Why a row is locked, and which account besides one's own may lift that."""

    model_config = ConfigDict(extra="forbid")

    why: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    may_lift: str = Field("", max_length=40)


class LockOut(Shape):
    """A locked row."""

    point: int
    who: str
    why: str
    may_lift: str
    at: str


class LocksOut(Shape):
    """Every locked row."""

    locks: list[LockOut]


@api.post("/points", responses={200: ChangedOut})
@needs("edit")
def new_points(body: NewIn) -> Response:
    """Make points as one change set. Cells that cannot be read stay empty and come back in `left`."""
    _known([*body.cells, *(name for row in body.rows for name in row)])
    asked = NewRows(body.count, tuple(body.rows), body.cells, body.like, body.typical)
    count = len(body.rows) or body.count
    what = "added a point" if count == 1 else f"added {count} points"
    try:
        applied, rows = add_rows(shared().engine, shared().cache, asked, session_now().account, what)
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was changed") from error
    if applied is None:
        first = next(trouble for trouble in rows.troubles if trouble.field == "tag")
        raise ProblemError(422, f"row {first.row + 1}: {first.says}", "nothing was changed", "a point needs a tag")
    answer = applied_out(applied)
    told = answer.get_json()
    told["left"] = [
        {"point": applied.added[t.row], "field": t.field, "typed": t.typed, "says": t.says, "theirs": None}
        for t in rows.troubles
    ]
    return jsonify(told)


@api.post("/points/preview", responses={200: NewOut})
@needs("look")
def preview_points(body: NewIn) -> Response:
    """What new points would hold, with nothing written."""
    _known([*body.cells, *(name for row in body.rows for name in row)])
    asked = NewRows(body.count, tuple(body.rows), body.cells, body.like, body.typical)
    with shared().engine.connect() as connection:
        try:
            rows = plan_rows(connection, shared().image(connection), asked)
        except TextError as error:
            raise ProblemError(422, str(error), "nothing was changed") from error
    return jsonify({"rows": [dict(row) for row in rows.texts], "troubles": _troubles(rows)})


@api.post("/points/remove", responses={200: ChangedOut})
@needs("edit")
def remove_points(body: GoneIn) -> Response:
    """Take points away as one change set, or say what that does. Undo brings them back with everything they held."""
    try:
        done = remove_rows(shared().engine, shared().cache, body.points, session_now().account, apply=body.apply)
    except LookupError as error:
        raise ProblemError(409, str(error), remedy="choose again what shall go") from error
    if isinstance(done, Applied):
        return applied_out(done)
    return preview_out(shared().image(), done)


@api.post("/series", responses={200: SeriesOut})
@needs("look")
def series(body: SeriesIn) -> Response:
    """The next texts after some in the cells of a field."""
    _known([body.field])
    try:
        texts = continued(shared().image(), field_named(body.field), body.texts, body.count)
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was changed") from error
    return jsonify({"texts": texts})


@api.get("/tag-letters", responses={200: LettersOut})
@needs("read")
def tag_letters() -> Response:
    """The letters of ISA-5.1, and the plant's own."""
    found = letters_there_are(own_letters(shared().image().conventions.tag_letters))
    return jsonify({name: dict(getattr(found, name)) for name in LettersOut.model_fields})


@api.get("/tag-letters/meaning", responses={200: MeaningOut})
@needs("read")
def tag_meaning(query: MeaningQuery) -> Response:
    """What letters put together say, and the next tag of those that begin with them."""
    image = shared().image()
    letters = query.letters.upper()
    read = read_tag(f"{letters}-1", own_letters(image.conventions.tag_letters))
    return jsonify({"meaning": read.meaning if read else "", "tag": next_tag(image.cells["tag"], letters)})


@api.get("/typicals", responses={200: TypicalsOut})
@needs("read")
def all_typicals() -> Response:
    """Every typical."""
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        out = [
            TypicalOut(name=one.name, says=one.says, cells=dict(one.cells), points=len(points_of(image, one.name)))
            for one in typicals(connection)
        ]
    return jsonify({"typicals": [one.model_dump() for one in out]})


@api.put("/typicals/<string:name>", responses={200: ChangedOut})
@needs("edit")
def keep_typical(path: TypicalPath, body: TypicalIn) -> Response:
    """Make a typical or change it; points named follow, as one change set."""
    _known(body.cells)
    becomes = Typical(0, body.becomes or path.name.strip(), body.says.strip(), body.cells)
    return _changed_typical(path.name, becomes, body)


@api.post("/typicals/<string:name>/preview", responses={200: ChangedOut})
@needs("look")
def preview_typical(path: TypicalPath, body: TypicalIn) -> Response:
    """Which cells of which points would follow the change of a typical."""
    _known(body.cells)
    with shared().engine.connect() as connection:
        image = shared().image(connection)
        was = next((one for one in typicals(connection) if one.name == path.name), None)
        changes, _ = typical_edits(image, was, Typical(0, body.becomes or path.name, body.says, body.cells), None)
        return preview_out(image, preview(connection, image, ChangeSet(changes)))


@api.delete("/typicals/<string:name>", responses={200: ChangedOut})
@needs("edit")
def drop_typical(path: TypicalPath) -> Response:
    """Take a typical away; the points made from it stay as they are."""
    return _changed_typical(path.name, None, None)


def _changed_typical(name: str, becomes: Typical | None, body: TypicalIn | None) -> Response:
    points = body.points if body else []
    try:
        done = change_typical(shared().engine, shared().cache, name, becomes, points, session_now().account)
    except LookupError as error:
        raise ProblemError(404, str(error), "nothing was changed") from error
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was changed") from error
    return applied_out(done)


@api.get("/locks", responses={200: LocksOut})
@needs("read")
def all_locks() -> Response:
    """Every locked row."""
    with shared().engine.connect() as connection:
        return jsonify({"locks": [lock.__dict__ for lock in locks.held(connection).values()]})


@api.put("/points/<int:point>/lock", responses={200: LocksOut})
@needs("edit")
def lock(path: PointPath, body: LockIn) -> Response:
    """Lock a row: until it is lifted, only who locked it may change it."""
    with shared().engine.begin() as connection:
        try:
            locks.set_lock(connection, path.point, session_now().account, body.why, body.may_lift)
        except LookupError as error:
            raise ProblemError(404, str(error), "nothing was locked") from error
        return jsonify({"locks": [lock.__dict__ for lock in locks.held(connection).values()]})


@api.delete("/points/<int:point>/lock", responses={200: LocksOut})
@needs("edit")
def unlock(path: PointPath) -> Response:
    """Lift the lock of a row: one's own, one whose lock names one, or any as administrator."""
    session = session_now()
    with shared().engine.begin() as connection:
        try:
            locks.lift(connection, path.point, session.account, administrator=session.role == "administrator")
        except LookupError as error:
            raise ProblemError(404, str(error)) from error
        return jsonify({"locks": [lock.__dict__ for lock in locks.held(connection).values()]})


def _known(names: Any) -> None:
    """Refuse names that are no field people type into."""
    for name in dict.fromkeys(names):
        try:
            typed = field_named(name).stored
        except KeyError:
            typed = False
        if not typed:
            raise ProblemError(422, f"there is no field “{name}” to type into", "nothing was changed")


def _troubles(rows: Rows) -> list[dict[str, Any]]:
    return [{"row": t.row, "field": t.field, "typed": t.typed, "says": t.says} for t in rows.troubles]
