"""A rack as it reports itself: connection test, settings compared with the list, written while armed, adopted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Annotated, Any

from flask import Response, jsonify
from pydantic import ConfigDict, Field
from sqlalchemy import Row, select

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.settings import (
    Difference,
    Stranger,
    Words,
    after_writes,
    block_of_words,
    differences,
    reported_modules,
    strangers,
    words_of,
)
from canaleta.core.model.by_name import MOST_NAME
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Rack
from canaleta.core.model.links import is_serial
from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.networks import allowed_address
from canaleta.plant.checks.stand_in import stand_in_document
from canaleta.plant.database import tables as t
from canaleta.plant.live.arming import MOST_MINUTES, Armed, arm, armed, disarm
from canaleta.plant.live.commands import Outcome
from canaleta.plant.people.accounts import allowed_again
from canaleta.plant.records.secrets import has_password, set_password
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.commands import asked
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["ArmedOut", "api", "armed_now"]

api = routes("racks", __name__, url_prefix="/api/racks", abp_responses=PROBLEMS)
LOG_LINES = 60
MOST_TESTS = 20
"""Connection tests one person may make in a minute."""


class RackPath(Shape):
    """A rack by its number."""

    rack: int = Field(ge=0, le=2**62)


class ArmedOut(Shape):
    """Whether writing is armed: by whom and until when, both empty if not."""

    who: str
    until: str


class StrangerOut(Shape):
    """A module that reports another number than the list's type has."""

    module: int
    slot: int
    expected: str
    number: int
    reported: int
    is_like: str


class DifferenceOut(Shape):
    """One setting of one channel that differs: what the list says, what the rack reports, what the point can trip. key:
    what tells it from the others; where: its place, in words; code: what is written for what the list says; restart:
    whether it acts only after the module was switched off and on."""

    module: int
    slot: int
    channel: int
    address: str
    point: int
    tag: str
    setting: str
    field: str
    listed: str
    reported: str
    key: str
    where: str
    code: int
    restart: bool
    trips: list[str]


class ComparedOut(Shape):
    """List and rack compared. says: the whole in words, when the rack has other modules."""

    seq: int
    says: str
    strangers: list[StrangerOut]
    differences: list[DifferenceOut]
    armed: ArmedOut


class TestOut(Shape):
    """A connection test: the verdict and what to look at. trust: SHA-256 of the certificate that the rack shows and that
    is not trusted, "" otherwise."""

    says: str
    look: str
    trust: str = ""
    strangers: list[StrangerOut]


class ArmIn(Shape):
    """For how many minutes; 0 disarms."""

    model_config = ConfigDict(extra="forbid")

    minutes: int = Field(ge=0, le=MOST_MINUTES)


class WriteIn(Shape):
    """Which differences to settle by writing, by the keys of the comparison."""

    model_config = ConfigDict(extra="forbid")

    keys: list[Annotated[str, Field(max_length=80)]] = Field(min_length=1, max_length=4000)


class WrittenOut(Shape):
    """What became of one setting: whether it was done, or why not."""

    key: str
    address: str
    tag: str
    setting: str
    value: str
    done: bool
    says: str


class WritesOut(Shape):
    """What became of a write, channel by channel, and what still differs. after: what was written behind the settings so
    that they act or are kept; restart: whether something acts only when its module was switched off and on."""

    after: list[str]
    restart: bool
    done: int
    failed: int
    results: list[WrittenOut]
    left: list[DifferenceOut]


class LogLine(Shape):
    """One command to a rack."""

    at: str
    who: str
    kind: str
    what: str
    result: str


class LogOut(Shape):
    """The newest commands first."""

    lines: list[LogLine]


@api.post("/<int:rack>/test", responses={200: TestOut})
@needs("inject")
def test(path: RackPath) -> Response:
    """Test the way to a rack, in plain words."""
    image, rack = _found(path.rack)
    if not is_serial(rack.link) and not allowed_address(image.conventions.rack_networks, rack.host, rack.port):
        raise ProblemError(
            403,
            f"{rack.host}:{rack.port} is outside the networks and ports that racks may be in",
            remedy="an administrator changes that",
        )
    with shared().engine.begin() as connection:
        if not allowed_again(connection, f"test {session_now().account}", MOST_TESTS, 60):
            raise ProblemError(429, "enough tests for a minute", "nothing was asked", "wait a moment")
    at = rack.reached_at if rack.by_name else f"{rack.reached_at}, unit {rack.unit}"
    body = _command(rack, "test", {"what": [at]})
    told = [StrangerOut(**asdict(s)) for s in _strangers(image, rack.id, body["words"])] if body["words"] else []
    says = body["says"]
    if told:
        says += f"; {_explained(image, rack.id, body['words'], told)}"
    trust = body.get("trust", "")
    return jsonify(TestOut(says=says, look=body["look"], trust=trust, strangers=told).model_dump())


@api.get("/<int:rack>/compare", responses={200: ComparedOut})
@needs("read")
def compare(path: RackPath) -> Response:
    """What the rack reports beside what the list says."""
    image, rack = _found(path.rack)
    words = words_of(_command(rack, "read", {})["read"])
    return jsonify(_compared(image, rack, words).model_dump())


@api.put("/<int:rack>/armed", responses={200: ArmedOut})
@needs("engineer")
def set_armed(path: RackPath, body: ArmIn) -> Response:
    """Switch writing to a rack on for a while, or off."""
    _, rack = _found(path.rack)
    with shared().engine.begin() as connection:
        if body.minutes:
            arm(connection, rack.id, session_now().account, body.minutes)
        else:
            disarm(connection, rack.id)
    return jsonify(armed_now(rack.id).model_dump())


@api.post("/<int:rack>/write", responses={200: WritesOut})
@needs("inject")
def write(path: RackPath, body: WriteIn) -> Response:
    """Write settings of the list to the rack, one after the other, each read back. Only while it is armed."""
    image, rack = _found(path.rack)
    if not armed_now(rack.id).who:
        raise ProblemError(
            409, "writing to this rack is not armed", "nothing was written", "an engineer arms it for a while"
        )
    now = differences(image, rack.id, words := words_of(_command(rack, "read", {})["read"]))
    if strange := _strangers(image, rack.id, block := block_of_words(words)):
        told = _explained(image, rack.id, block, [StrangerOut(**asdict(s)) for s in strange])
        raise ProblemError(409, told, "nothing was written", "set list and rack right first")
    chosen = [d for d in now if d.at.key in set(body.keys)]
    writes = [
        {
            "table": str(d.at.table),
            "place": d.at.place,
            "word": d.at.word_of(d.code),
            "mask": d.at.mask,
            "read": None if (d.at.read_table, d.at.read_place) == (d.at.table, d.at.place) else d.at.read_place,
        }
        for d in chosen
    ]
    what = [f"{d.address} {d.setting}: {d.reported} → {d.listed}" for d in chosen]
    after = [
        [name, str(table), place, word]
        for name, table, place, word in after_writes(image.layout, rack.id, (d.module for d in chosen))
    ]
    answer = _command(rack, "write", {"writes": writes, "after": after, "what": what})
    results = [
        WrittenOut(
            key=d.at.key,
            address=d.address,
            tag=d.tag,
            setting=d.setting,
            value=d.listed,
            done=r["done"],
            says=r["says"],
        )
        for d, r in zip(chosen, answer["results"], strict=True)
    ]
    done = sum(r.done for r in results)
    left = [_dumped(d) for d in differences(image, rack.id, words_of(answer["read"]))]
    names = [str(name) for name, *_ in after] if done else []
    restart = any(d.at.setting.restart for d, r in zip(chosen, results, strict=True) if r.done)
    return jsonify(
        WritesOut(
            after=names, restart=restart, done=done, failed=len(results) - done, results=results, left=left
        ).model_dump()
    )


class BrowseIn(Shape):
    """From where on: a node of an OPC UA server, "" for all that the rack has."""

    model_config = ConfigDict(extra="forbid")

    below: str = Field("", max_length=MOST_NAME)


class NameOut(Shape):
    """A name that the rack has. leads: whether names stand below it. says: what it says now. held: the address of the
    channel that has it, "" for none."""

    name: str
    title: str
    leads: bool
    says: str
    held: str


class BrowseOut(Shape):
    """What names there are; says: why there are none."""

    says: str
    names: list[NameOut]


@api.post("/<int:rack>/browse", responses={200: BrowseOut})
@needs("engineer")
def browse(path: RackPath, body: BrowseIn) -> Response:
    """What names a rack has that is reached by name, one place after the other. Nothing is written."""
    image, rack = _found(path.rack)
    if not rack.by_name:
        raise ProblemError(
            409, f"a rack that is reached by {rack.link} has registers, and no names", "nothing was asked"
        )
    with shared().engine.begin() as connection:
        if not allowed_again(connection, f"test {session_now().account}", MOST_TESTS * 6, 60):
            raise ProblemError(429, "enough looks for a minute", "nothing was asked", "wait a moment")
    told = _command(rack, "browse", {"from": body.below, "what": [body.below or "all names"]})
    held = {
        name: image.layout.address(module.id, channel)
        for module in image.layout.modules_of(rack.id)
        for channel, name in enumerate(module.names)
        if name
    }
    names = [
        NameOut(name=name, title=title, leads=leads, says=says, held=held.get(name, ""))
        for name, title, leads, says in told["names"]
    ]
    return jsonify(BrowseOut(says=told["says"], names=names).model_dump())


class PasswordIn(Shape):
    """The password that a rack's server wants, "" for none."""

    model_config = ConfigDict(extra="forbid")

    password: str = Field(max_length=200)


class PasswordOut(Shape):
    """Whether there is one. What it is nobody is told."""

    kept: bool


@api.put("/<int:rack>/password", responses={200: PasswordOut})
@needs("engineer")
def set_rack_password(path: RackPath, body: PasswordIn) -> Response:
    """Keep the password of a rack. It stands in no list, no export and no history."""
    _, rack = _found(path.rack)
    with shared().engine.begin() as connection:
        set_password(connection, rack.id, body.password)
    return jsonify(PasswordOut(kept=bool(body.password)).model_dump())


@api.get("/<int:rack>/password", responses={200: PasswordOut})
@needs("engineer")
def rack_password(path: RackPath) -> Response:
    """Whether a password is kept for a rack."""
    _, rack = _found(path.rack)
    with shared().engine.connect() as connection:
        return jsonify(PasswordOut(kept=has_password(connection, rack.id)).model_dump())


@api.post("/<int:rack>/stand-in", responses={200: TestOut})
@needs("engineer")
def make_stand_in(path: RackPath) -> Response:
    """Make one stand-in what the list says, its settings too; the other racks go on."""
    image, rack = _found(path.rack)
    if not rack.stand_in:
        raise ProblemError(
            409, "this rack is a real one", "nothing was changed", "only a stand-in can be made like the list"
        )
    document, ports = stand_in_document(image, rack.id)
    _command(rack, "become", {"document": document, "ports": ports, "only": rack.id})
    return jsonify(TestOut(says="the stand-in is like the list now", look="", strangers=[]).model_dump())


@api.get("/<int:rack>/log", responses={200: LogOut})
@needs("read")
def log(path: RackPath) -> Response:
    """The newest commands to a rack: who, what, and what became of it."""
    with shared().engine.connect() as connection:
        rows = connection.execute(
            select(t.command)
            .where(
                t.command.c.rack == path.rack,
                t.command.c.kind.in_(("write", "inject", "become", "test", "module reset")),
            )
            .order_by(t.command.c.id.desc())
            .limit(LOG_LINES)
        ).all()
    lines = [
        LogLine(at=row.at.isoformat(), who=row.who, kind=row.kind, what=_what(row.target), result=_result(row))
        for row in rows
    ]
    return jsonify(LogOut(lines=lines).model_dump())


def _what(target: dict[str, Any]) -> str:
    if "what" in target:
        return "; ".join(target["what"])
    if "unit" in target:
        put = "nothing" if target["value"] is None else f"{target['value']:g} {target['unit']}"
        return f"place {target.get('place', '?')}, channel {target['channel']} from 0: {put}"
    return ""


def _result(row: Row[Any]) -> str:
    """What became of a command, for people."""
    if row.outcome is None:
        return "not started"
    outcome = Outcome.of_row(row.outcome, row.result)
    if not outcome.done:
        return outcome.says
    if "says" in outcome.answer:
        return str(outcome.answer["says"])
    results = outcome.answer.get("results")
    if results is None:
        return "done"
    failed = [r["says"] for r in results if not r["done"]]
    return f"{len(results) - len(failed)} of {len(results)} done" + (f"; {failed[0]}" if failed else "")


def _found(number: int) -> tuple[PlantImage, Rack]:
    image = shared().image()
    rack = image.layout.racks.get(number)
    if rack is None:
        raise ProblemError(404, "there is no such rack", remedy="reload the cabinets")
    return image, rack


def _command(rack: Rack, kind: str, target: dict[str, Any]) -> dict[str, Any]:
    """A command to the rack's agent and its answer. Raises ProblemError with the agent's words if there is none."""
    answer: dict[str, Any] = asked(rack.id, kind, target, seconds=25.0)
    return answer


def _types(image: PlantImage) -> list[ModuleType]:
    """Every module type that a rack's numbers may mean: the plant's own before those of the catalogue."""
    return list((module_types() | image.layout.types).values())


def _strangers(image: PlantImage, rack: int, words: list[int]) -> list[Stranger]:
    known = {kind.title: kind.ident_code for kind in _types(image) if kind.ident_code is not None}
    return strangers(image.layout, rack, words, known)


def _compared(image: PlantImage, rack: Rack, words: Words) -> ComparedOut:
    block = block_of_words(words)
    strange = [StrangerOut(**asdict(s)) for s in _strangers(image, rack.id, block)]
    differs = [] if strange else [_dumped(d) for d in differences(image, rack.id, words)]
    says = _explained(image, rack.id, block, strange) if strange else ""
    return ComparedOut(seq=image.seq, says=says, strangers=strange, differences=differs, armed=armed_now(rack.id))


def _dumped(d: Difference) -> DifferenceOut:
    return DifferenceOut(
        module=d.module, slot=d.slot, channel=d.channel, address=d.address, point=d.point, tag=d.tag, setting=d.setting,
        field=d.field, listed=d.listed, reported=d.reported, key=d.at.key, where=d.at.where, code=d.at.word_of(d.code),
        restart=d.at.setting.restart, trips=list(d.trips),
    )  # fmt: skip


def _explained(image: PlantImage, rack: int, words: list[int], strange: Sequence[StrangerOut]) -> str:
    """What it means that modules are not those of the list: what the rack has, as far as its numbers can be read."""
    if told := reported_modules(image.layout, rack, words, _types(image)):
        return told
    first = strange[0]
    return (
        f"slot {first.slot} should be {first.expected} and reports {first.reported}, which is "
        f"{first.is_like or 'no module the catalogue knows'}; registers from there on mean something else"
    )


def armed_now(rack: int) -> ArmedOut:
    """Whether writing to a rack is armed: by whom and until when."""
    with shared().engine.connect() as connection:
        found: Armed | None = armed(connection, rack)
    return ArmedOut(who=found.who, until=found.until.isoformat()) if found else ArmedOut(who="", until="")
