"""The conventions of the plant: read by everyone, changed by engineers."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.hardware.loads import carried
from canaleta.core.model.convention_fields import CONVENTION_FIELDS, convention_texts
from canaleta.core.notation.text import plain
from canaleta.plant.changes.conventions import (
    ConventionEdit,
    ConventionRefused,
    change_conventions,
    moved_levels,
    preview_change,
    preview_conventions,
)
from canaleta.plant.records.findings import to_body
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import FindingOut, MovedOut, finding_out
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("conventions", __name__, url_prefix="/api/conventions", abp_responses=PROBLEMS)


MOST_TOLD = 60
ADMINISTRATORS = frozenset(("rack_networks",))
"""Conventions that guard the network, not the list."""


class ConventionOut(Shape):
    """One convention: what it is, as it stands, and what it may be."""

    name: str
    says: str
    text: str
    choices: list[str]


class ConventionsOut(Shape):
    """All conventions as of a sequence number."""

    seq: int
    conventions: list[ConventionOut]


class ConventionEditIn(Shape):
    """One convention: what stood there and what shall."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(max_length=60)
    was: Annotated[str, Field(max_length=8000)]
    text: Annotated[str, Field(max_length=8000)]


class ConventionsIn(Shape):
    """Conventions that change together; `apply` false only says what that would do."""

    model_config = ConfigDict(extra="forbid")

    edits: list[ConventionEditIn] = Field(min_length=1, max_length=60)
    why: str = Field("", max_length=400)
    apply: bool = True


class RenamedOut(Shape):
    """A channel labelled anew."""

    point: int
    was: str
    becomes: str


class ConventionsChanged(Shape):
    """What a change of conventions did, or would do. moved: levels and spans that follow the supply. values: figures
    that move, the first of values_count. opened, altered, closed: how many findings come, say something else, and go;
    findings: the first that come or say something else."""

    seq: int
    applied: bool
    renamed: list[RenamedOut]
    moved: list[RenamedOut]
    opened: int
    altered: int
    closed: int
    values: list[MovedOut]
    values_count: int
    findings: list[FindingOut]


@api.get("", responses={200: ConventionsOut})
@needs("read")
def conventions_now() -> Response:
    """Every convention."""
    image = shared().image()
    texts = convention_texts(image.conventions)
    out = ConventionsOut(
        seq=image.seq,
        conventions=[
            ConventionOut(name=f.name, says=f.says, text=texts[f.name], choices=list(f.choices))
            for f in CONVENTION_FIELDS
        ],
    )
    return jsonify(out.model_dump())


class SupplyOut(Shape):
    """A supply or a fuse as the plant has put it down. of: what feeds it, "" for a supply; volts, least_v, greatest_v,
    amperes: as typed, "" where nobody says; on: the channels behind it; points, carries_ma: what hangs on it, and what that
    takes together."""

    name: str
    of: str
    volts: str
    least_v: str
    greatest_v: str
    amperes: str
    on: str
    points: int
    carries_ma: float


class SuppliesOut(Shape):
    """All supplies and fuses; text: the convention that holds them."""

    text: str
    supplies: list[SupplyOut]


@api.get("/supplies", responses={200: SuppliesOut})
@needs("read")
def supplies() -> Response:
    """The plant's supplies and fuses, with what they carry."""
    image = shared().image()
    takes = carried(image, np.arange(len(image)))
    out = []
    for feed in image.conventions.feeds.by_name.values():
        figures = (feed.volts, feed.least_v, feed.greatest_v, feed.amperes)
        volts, least, greatest, amperes = ("" if x is None else plain(round(x, 6)) for x in figures)
        here = takes.get(feed.name)
        out.append(
            SupplyOut(
                name=feed.name, of=feed.of, volts=volts, least_v=least, greatest_v=greatest, amperes=amperes,
                on=", ".join(group.text for group in feed.on), points=len(here.rows) if here else 0,
                carries_ma=here.ma if here else 0.0,
            )
        )  # fmt: skip
    return jsonify(SuppliesOut(text=image.conventions.supplies, supplies=out).model_dump())


@api.post("", responses={200: ConventionsChanged})
@needs("engineer")
def change(body: ConventionsIn) -> Response:
    """Preview or apply. 422 says what cannot be read, 409 what somebody changed meanwhile."""
    edits = [ConventionEdit(e.name, e.was, e.text) for e in body.edits]
    if any(e.name in ADMINISTRATORS for e in edits) and session_now().role != "administrator":
        raise ProblemError(403, "only an administrator may change where racks are reached", "nothing was changed")
    try:
        image = shared().image()
        renamed = [RenamedOut(point=r.point, was=r.was, becomes=r.becomes) for r in preview_conventions(image, edits)]
        moved = [RenamedOut(point=m.point, was=m.was, becomes=m.becomes) for m in moved_levels(image, edits)]
        seq = image.seq
        if body.apply:
            done = change_conventions(shared().engine, shared().cache, edits, session_now().account, body.why)
            seq, does = done.seq, done.preview
        else:
            with shared().engine.connect() as connection:
                does = preview_change(connection, image, edits)
    except ConventionRefused as refused:
        status = 422 if refused.theirs is None else 409
        raise ProblemError(
            status, str(refused), "nothing was changed", "what was typed is kept: mend it"
        ) from refused
    out = ConventionsChanged(
        seq=seq,
        applied=body.apply,
        renamed=renamed,
        moved=moved,
        opened=len(does.come),
        altered=len(does.altered),
        closed=len(does.closed),
        values=[MovedOut(point=m.point, at=m.at, was=m.was, becomes=m.becomes) for m in does.moved[:MOST_TOLD]],
        values_count=does.moved_count,
        findings=[
            FindingOut.model_validate(finding_out(to_body(f))) for f in (*does.come, *does.altered)[:MOST_TOLD]
        ],
    )
    return jsonify(out.model_dump())
