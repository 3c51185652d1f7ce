"""Configured, issued, running: what racks report beside the list and its newest issue, and what is kept apart so."""

from __future__ import annotations

from dataclasses import asdict
from datetime import UTC, date, datetime
from typing import Annotated, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.checks.own_numbers import NUMBER_FIELDS, key_of, names_to_write, numbers_of, wished, words_to_write
from canaleta.core.hardware.settings import FIELD_OF
from canaleta.core.hardware.themselves import WasIssued
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.revisions import issue_now, was_issued
from canaleta.plant.checks.running import (
    Kept,
    Look,
    end_kept,
    keep_apart,
    kept_now,
    last_edits,
    look_at,
    looked_at,
    tells_of_itself,
)
from canaleta.web.hardware.racks import ArmedOut, armed_now
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.commands import asked
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

_REPORTED = {"point": {*FIELD_OF.values(), *NUMBER_FIELDS}, "module": {"firmware"}, "rack": {"head"}}
"""What is kept apart of each."""

api = routes("running", __name__, url_prefix="/api/running", abp_responses=PROBLEMS)


class RackLookOut(Shape):
    """A rack and the newest look at it. at, who: "" where nobody looked yet; says: why it could not be compared; open: how
    many settings are apart and not kept so; missing: how many places could not be read; seq: the list that it was held
    against."""

    rack: int
    name: str
    cabinet: str
    title: str
    reports: bool
    at: str
    who: str
    seq: int
    says: str
    open: int
    missing: int


class KeptOut(Shape):
    """A difference that is kept: of a point, a module or a rack, what runs, why, until which day, by whom. over: whether its
    day has passed."""

    id: int
    at: str
    entity: str
    entity_id: int
    field: str
    running: str
    reason: str
    who: str
    until: str
    over: bool


class LooksOut(Shape):
    """All racks, and what is kept apart. issued: the mark of the newest issue, "" for none."""

    seq: int
    issued: str
    racks: list[RackLookOut]
    kept: list[KeptOut]


class TakesOut(Shape):
    """What is typed into a field."""

    field: str
    text: str


class ParameterOut(Shape):
    """One parameter of a point, a module or a rack on which list, issue and rack are not one; see core.hardware.running. takes:
    what is typed where the rack's is adopted; number: whether the controller keeps it as a number of its own; apart: which of the
    three is apart from the other two: configured, issued, running, "" for none; edited_by, edited_at: of the newest edit since
    the issue; key: by which it is written; writes: whether it can be; restart: whether it acts only once the module was switched
    off and on; kept: the number of what keeps it, 0 for none."""

    entity: str
    entity_id: int
    tag: str
    address: str
    setting: str
    field: str
    configured: str
    issued: str
    running: str
    takes: list[TakesOut]
    number: bool
    stands: str
    apart: str
    edited_by: str
    edited_at: str
    key: str
    where: str
    writes: bool
    restart: bool
    trips: list[str]
    kept: int


class ThemselvesOut(Shape):
    """What the head of a rack or one of its modules says of itself; see core.hardware.themselves. to_note: whether nobody has
    noted it yet."""

    entity: str
    entity_id: int
    name: str
    where: str
    field: str
    noted: str
    issued: str
    says: str
    oldest: str
    at: str
    to_note: bool


class RackComparedOut(Shape):
    """What a look at a rack came to. missing: what of it could not be read, in words; themselves: what its head and its
    modules say of themselves."""

    rack: int
    seq: int
    issued: str
    says: str
    missing: list[str]
    parameters: list[ParameterOut]
    kept: list[KeptOut]
    themselves: list[ThemselvesOut]
    armed: ArmedOut


class RackOfPath(Shape):
    """A rack by its number."""

    rack: int = Field(ge=1, le=2**62)


class NumbersIn(Shape):
    """Which of the list's numbers are written, by their keys."""

    model_config = ConfigDict(extra="forbid")

    keys: list[Annotated[str, Field(max_length=60)]] = Field(min_length=1, max_length=4000)


class NumberOut(Shape):
    """What became of one."""

    key: str
    tag: str
    setting: str
    done: bool
    says: str


class NumbersOut(Shape):
    """What was written into a controller."""

    done: int
    failed: int
    results: list[NumberOut]


class KeepItem(Shape):
    """One difference as it was told."""

    model_config = ConfigDict(extra="forbid")

    entity: Literal["point", "module", "rack"] = "point"
    entity_id: int = Field(ge=1, le=2**62)
    field: Annotated[str, Field(max_length=40)]
    running: Annotated[str, Field(max_length=200)]


class KeepIn(Shape):
    """Differences that stay for now, why, and until which day (2027-03-31), "" for no day."""

    model_config = ConfigDict(extra="forbid")

    items: list[KeepItem] = Field(min_length=1, max_length=4000)
    reason: Annotated[str, Field(min_length=1, max_length=400)]
    until: Annotated[str, Field(max_length=10)] = ""


class EndKeptIn(Shape):
    """What is open again."""

    model_config = ConfigDict(extra="forbid")

    ids: list[Annotated[int, Field(ge=1, le=2**62)]] = Field(min_length=1, max_length=4000)


@api.get("", responses={200: LooksOut})
@needs("read")
def looks() -> Response:
    """Every rack with what the newest look at it came to."""
    return jsonify(_told().model_dump())


def _told() -> LooksOut:
    image = shared().image()
    layout = image.layout
    with shared().engine.connect() as connection:
        known, kept = looked_at(connection), kept_now(connection)
        mark = issue_now(connection)
    racks = []
    for rack in sorted(layout.racks.values(), key=lambda r: (layout.cabinets[r.cabinet].name, r.name)):
        look, cabinet = known.get(rack.id), layout.cabinets[rack.cabinet]
        racks.append(
            RackLookOut(
                rack=rack.id, name=rack.name, cabinet=cabinet.name, title=cabinet.title, reports=tells_of_itself(image, rack.id),
                at=look.at.isoformat() if look else "", who=look.who if look else "", seq=look.seq if look else 0,
                says=look.says if look else "", open=look.open if look else 0,
                missing=look.missing if look else 0,
            )
        )  # fmt: skip
    out = [_kept(k) for k in kept if _there(image, k.entity, k.entity_id)]
    return LooksOut(seq=image.seq, issued=mark, racks=racks, kept=out)


def _there(image: PlantImage, entity: str, number: int) -> bool:
    """Whether a point, a module or a rack is still there."""
    if entity == "point":
        return image.has(number)
    return number in (image.layout.modules if entity == "module" else image.layout.racks)


def _kept(k: Kept) -> KeptOut:
    over = bool(k.until) and k.until < _today().isoformat()
    return KeptOut(over=over, **asdict(k) | {"at": k.at.isoformat()})


def _today() -> date:
    return datetime.fromtimestamp(shared().clock.looked_lately(), UTC).date()


@api.post("/<int:rack>", responses={200: RackComparedOut})
@needs("edit")
def look(path: RackOfPath) -> Response:
    """Read a rack's settings now and hold them against list and issue."""
    image = _with(path.rack)
    issued, found = _looked(image, path.rack)
    with shared().engine.connect() as connection:
        edits = last_edits(connection, found.parameters, issued.seq)
    told = []
    for p, kept in zip(found.parameters, found.kept, strict=True):
        who, at = edits.get((p.entity, p.entity_id, p.field), ("", None))
        told.append(
            ParameterOut(
                entity=p.entity, entity_id=p.entity_id, tag=p.tag, address=p.address, setting=p.setting, field=p.field,
                configured=p.configured, issued=p.issued, running=p.running,
                takes=[TakesOut(field=f, text=x) for f, x in p.takes], number=p.field in NUMBER_FIELDS,
                stands=p.stands, apart=p.stands.apart, edited_by=who, edited_at=at.isoformat() if at else "",
                key=p.key, where=p.where, writes=p.writes, restart=p.restart, trips=list(p.trips),
                kept=kept.id if kept else 0,
            )
        )  # fmt: skip
    out = RackComparedOut(
        rack=path.rack, seq=found.seq, issued=issued.mark, says=found.says, missing=list(found.missing),
        parameters=told, kept=[_kept(k) for k in found.kept if k is not None],
        themselves=[
            ThemselvesOut(
                to_note=one.to_note,
                **{name: value for name, value in asdict(one).items() if name != "place"} | {"issued": one.issued or ""},
            )
            for one in found.themselves
        ],
        armed=armed_now(path.rack),
    )  # fmt: skip
    return jsonify(out.model_dump())


def _with(rack: int) -> PlantImage:
    image = shared().image()
    if rack not in image.layout.racks:
        raise ProblemError(404, "there is no such rack", remedy="reload the cabinets")
    return image


def _looked(image: PlantImage, rack: int) -> tuple[WasIssued, Look]:
    with shared().engine.connect() as connection:
        issued = was_issued(connection)
    types = list((module_types() | image.layout.types).values())
    return issued, look_at(shared().engine, image, issued, rack, session_now().account, types)


@api.post("/<int:rack>/numbers", responses={200: NumbersOut})
@needs("inject")
def write_numbers(path: RackOfPath, body: NumbersIn) -> Response:
    """Write the list's pairs and limits into the controller, each read back. Only while the rack is armed: the plant runs on
    them at once."""
    image = _with(path.rack)
    if not armed_now(path.rack).who:
        raise ProblemError(
            409, "writing to this rack is not armed", "nothing was written", "an engineer arms it for a while"
        )
    _, found = _looked(image, path.rack)
    if found.says:
        raise ProblemError(409, found.says, "nothing was written", "set list and rack right first")
    chosen = set(body.keys)
    known = {key_of(image, one): one for one in numbers_of(image, path.rack)[0]}
    apart = [(p, known[p.key]) for p in found.parameters if p.key in chosen and p.key in known and p.writes]
    if empty := next((p.tag for p, one in apart if not np.isfinite(wished(image, one)).all()), ""):
        raise ProblemError(
            409, f"the list has no figure for {empty}", "nothing was written", "adopt it, or keep it apart"
        )
    by_name = image.layout.racks[path.rack].by_name
    try:
        # Whose it is, and what is written for it, each in one go.
        writes: list[tuple[int, tuple[str | int, float | list[int]]]] = [
            (k, given)
            for k, (_, one) in enumerate(apart)
            for given in (names_to_write(image, one) if by_name else words_to_write(image, one))
        ]
    except TextError as error:
        raise ProblemError(409, str(error), "nothing was written", "it needs another data type there") from error
    answer = asked(
        path.rack, "numbers",
        {
            "names" if by_name else "writes": [list(given) for _, given in writes],
            "what": [f"{p.tag} {p.setting}: {p.running} → {p.configured}" for p, _ in apart],
        },
        "nothing was written",
    )  # fmt: skip
    results = []
    for k, (p, _) in enumerate(apart):
        mine = [r for (which, _), r in zip(writes, answer["results"], strict=True) if which == k]
        wrong = next((r["says"] for r in mine if not r["done"]), "")
        results.append(NumberOut(key=p.key, tag=p.tag, setting=p.setting, done=not wrong, says=wrong))
    done = sum(r.done for r in results)
    return jsonify(NumbersOut(done=done, failed=len(results) - done, results=results).model_dump())


@api.post("/keep", responses={200: LooksOut})
@needs("engineer")
def keep(body: KeepIn) -> Response:
    """Keep differences with a reason and a day."""
    if not body.reason.strip():
        raise ProblemError(422, "say why it stays", "nothing was kept")
    if body.until:
        try:
            day = date.fromisoformat(body.until)
        except ValueError as error:
            raise ProblemError(
                422, f"“{body.until}” is no day", "nothing was kept", "write it as 2027-03-31"
            ) from error
        if day < _today():
            raise ProblemError(422, f"{body.until} has passed", "nothing was kept", "say a day to come")
    image = shared().image()
    if strange := next((item.field for item in body.items if item.field not in _REPORTED[item.entity]), ""):
        raise ProblemError(422, f"“{strange}” is no setting that a rack reports", "nothing was kept")
    if any(not _there(image, item.entity, item.entity_id) for item in body.items):
        raise ProblemError(409, "a point or a module of these is gone", "nothing was kept", "look at the rack again")
    items = [(item.entity, item.entity_id, item.field, item.running) for item in body.items]
    with shared().engine.begin() as connection:
        keep_apart(connection, items, body.reason.strip(), session_now().account, body.until)
    return jsonify(_told().model_dump())


@api.post("/keep/end", responses={200: LooksOut})
@needs("engineer")
def end(body: EndKeptIn) -> Response:
    """What was kept is open again."""
    with shared().engine.begin() as connection:
        end_kept(connection, body.ids, session_now().account)
    return jsonify(_told().model_dump())
