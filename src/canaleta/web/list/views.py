"""How people look at the list: named views of their own and of the plant; and who is here, in which row."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field, StringConstraints
from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.model.fields import field_named
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify
from canaleta.plant.people.accounts import ROLES
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.hub import HERE_CHANNEL
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("views", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_VIEWS = 60
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]


class ColumnIn(Shape):
    """A column that is shown, with its width in pixels."""

    model_config = ConfigDict(extra="forbid")

    field: str = Field(max_length=60)
    width: int = Field(ge=24, le=900)


class SortIn(Shape):
    """A column that rows are sorted by."""

    model_config = ConfigDict(extra="forbid")

    field: str = Field(max_length=60)
    down: bool = False


Text = Annotated[str, StringConstraints(max_length=400)]


class FilterIn(Shape):
    """What a column shows: only these texts, all but these, figures from low to high; the empty text is the empty
    cell."""

    model_config = ConfigDict(extra="forbid")

    field: str = Field(max_length=60)
    only: list[Text] | None = Field(None, max_length=500)
    but: list[Text] = Field(default_factory=list, max_length=500)
    low: str = Field("", max_length=40)
    high: str = Field("", max_length=40)


class ViewBody(Shape):
    """What is shown, in which order, how dense, and what is sought."""

    model_config = ConfigDict(extra="forbid")

    columns: list[ColumnIn] = Field(min_length=1, max_length=200)
    sort: list[SortIn] = Field(default_factory=list, max_length=5)
    group: str = Field("", max_length=60)
    density: Literal["close", "usual", "wide"] = "usual"
    find: str = Field("", max_length=400)
    filters: list[FilterIn] = Field(default_factory=list, max_length=40)


class ViewIn(Shape):
    """A view to keep: for oneself, or for everybody in the plant."""

    model_config = ConfigDict(extra="forbid")

    body: ViewBody
    plants: bool = False


class ViewOut(Shape):
    """A view that was kept. plants: everybody sees it."""

    name: str
    plants: bool
    body: ViewBody


class ViewsOut(Shape):
    """One's own views and the plant's, by name."""

    views: list[ViewOut]


class ViewPath(Shape):
    """A view by its name."""

    name: Name


class WhoseView(Shape):
    """Whether the plant's view of that name is meant, or one's own."""

    plants: bool = False


class HereIn(Shape):
    """Where one is: the cell that is chosen. tab: a name the screen gives itself, so that two of one's own are
    two."""

    model_config = ConfigDict(extra="forbid")

    tab: Annotated[str, Field(pattern=r"^[a-z0-9]{1,16}$")]
    point: int | None = Field(None, ge=0, le=2**62)
    field: str = Field("", max_length=60)


class Taken(Shape):
    """It is done."""

    done: bool = True


@api.get("/views", responses={200: ViewsOut})
@needs("read")
def views() -> Response:
    """One's own views and the plant's."""
    return _views()


def _views() -> Response:
    who = session_now().account
    with shared().engine.connect() as connection:
        rows = connection.execute(select(t.view).where(t.view.c.owner.in_(("", who))).order_by(t.view.c.name)).all()
    return jsonify({"views": [{"name": r.name, "plants": r.owner == "", "body": r.body} for r in rows]})


@api.put("/views/<string:name>", responses={200: ViewsOut})
@needs("self")
def keep_view(path: ViewPath, body: ViewIn) -> Response:
    """Keep a view under a name, over an older one of that name. The plant's are kept by engineers."""
    owner = _owner(body.plants)
    for column in body.body.columns:
        _field(column.field)
    for sort in body.body.sort:
        _field(sort.field)
    for one in body.body.filters:
        _field(one.field)
    if body.body.group:
        _field(body.body.group)
    values = {"body": body.body.model_dump(), "at": func.now()}
    with shared().engine.begin() as connection:
        count = connection.execute(select(func.count()).where(t.view.c.owner == owner)).scalar_one()
        if count >= MOST_VIEWS:
            raise ProblemError(422, f"{count} views are kept already", "nothing was kept", "let one of them go")
        statement = upsert(t.view).values(owner=owner, name=path.name, **values)
        connection.execute(statement.on_conflict_do_update(index_elements=["owner", "name"], set_=values))
    return _views()


@api.delete("/views/<string:name>", responses={200: ViewsOut})
@needs("self")
def drop_view(path: ViewPath, query: WhoseView) -> Response:
    """Let a view go."""
    owner = _owner(query.plants)
    with shared().engine.begin() as connection:
        gone = connection.execute(delete(t.view).where(t.view.c.owner == owner, t.view.c.name == path.name))
    if not gone.rowcount:
        raise ProblemError(404, f"there is no view “{path.name}”")
    return _views()


@api.post("/here", responses={200: Taken})
@needs("self")
def here(body: HereIn) -> Response:
    """Say where one is; every screen hears of it, and forgets it when it is not said again."""
    data = {"who": session_now().account, "tab": body.tab, "point": body.point, "field": body.field}
    if body.field and not body.field.replace("_", "a").isalnum():
        raise ProblemError(422, "there is no such column")
    with shared().engine.begin() as connection:
        notify(connection, HERE_CHANNEL, json.dumps(data))
    return jsonify(Taken().model_dump())


def _owner(plants: bool) -> str:
    session = session_now()
    if plants and ROLES.index(session.role) < ROLES.index("engineer"):
        raise ProblemError(403, "the plant's views are kept by engineers", remedy="keep it as one of your own")
    return "" if plants else session.account


def _field(name: str) -> None:
    try:
        field_named(name)
    except KeyError as error:
        raise ProblemError(422, f"there is no column “{name}”", "nothing was kept") from error
