"""The finder: registers of any Modbus device, with every decoding side by side until one makes sense; or what the map of a
module type makes of them."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.hardware.type_try import reads_of, tried
from canaleta.core.model.links import MODBUS_LINKS, USUAL_LINE, ModbusLink, is_serial, read_line, serial_device
from canaleta.core.model.register_tables import Table, written_place
from canaleta.core.notation.networks import allowed_address
from canaleta.core.notation.text import TextError
from canaleta.core.signals.decodings import decodings
from canaleta.plant.changes.operations import HardwareError, read_type
from canaleta.plant.people.accounts import allowed_again
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.commands import asked
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("finder", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_LOOKS = 120
"""Looks one person may take in a minute."""


class LookIn(Shape):
    """Where to look: a server, a unit, and registers counted from 0. target: a value that is known to stand there."""

    model_config = ConfigDict(extra="forbid")

    host: str = Field(max_length=200)
    port: int = Field(502, ge=1, le=65_535)
    unit: int = Field(1, ge=0, le=255)
    function: Literal["input", "holding"] = "input"
    first: int = Field(0, ge=0, le=65_535)
    count: int = Field(8, ge=1, le=60)
    target: float | None = Field(None, ge=-1e300, le=1e300)


class DecodingOut(Shape):
    """One decoding: a figure for each whole number of registers, none for one that is no number. fits: how many of
    them are near the value that is looked for; sane: whether all of them are numbers of a size that instruments
    have."""

    name: str
    words: int
    order: str
    values: list[float | None]
    fits: int
    sane: bool


class LookOut(Shape):
    """The registers as they stand, and what they can mean."""

    words: list[int]
    says: str
    decodings: list[DecodingOut]


@api.post("/finder", responses={200: LookOut})
@needs("engineer")
def look(body: LookIn) -> Response:
    """Read registers of a server and decode them in every way."""
    agent = _may_look(body.host, body.port)
    target = (
        body.model_dump(exclude={"target"})
        | {"host": body.host.strip()}
        | {"what": [f"{body.host}:{body.port} unit {body.unit}"]}
    )
    answer = asked(agent, "peek", target, "nothing was read")
    words = [int(word) for word in answer["words"]]
    out = []
    for d in decodings(words):
        values = np.array(d.values, dtype=np.float64)
        with np.errstate(invalid="ignore"):
            sane = np.isfinite(values) & ((values == 0) | ((np.abs(values) > 1e-6) & (np.abs(values) < 1e8)))
            near = (
                np.abs(values - body.target) <= 0.02 * abs(body.target) + 1e-9
                if body.target is not None
                else sane & False
            )
        out.append(
            DecodingOut(
                name=d.name,
                words=d.words,
                order=d.order,
                values=[float(v) if np.isfinite(v) else None for v in values],
                fits=int(np.count_nonzero(near)),
                sane=bool(sane.all()),
            )
        )
    return jsonify(LookOut(words=words, says=answer["says"], decodings=out).model_dump())


class TryIn(Shape):
    """A module type and where to hold it against the real thing. link: a way to reach a rack (docs/hardware.md); host:
    an address, or a serial port; mode: in which the channels work, "" for the first."""

    model_config = ConfigDict(extra="forbid")

    body: dict[str, Any]
    host: str = Field(max_length=200)
    port: int = Field(502, ge=1, le=65_535)
    unit: int = Field(1, ge=0, le=255)
    link: ModbusLink = MODBUS_LINKS[0]
    line: str = Field(USUAL_LINE, max_length=40)
    mode: str = Field("", max_length=80)


class TriedLineOut(Shape):
    """A line of the map with what stands there. state: "", settle where it cannot be right, refused."""

    table: str
    place: str
    bit: int
    channel: int
    says: str
    raw: str
    means: str
    state: str


class DoubtOut(Shape):
    """Something that looks wrong. run, or word and bit: which part of the document; changes: its fields that mend it."""

    says: str
    run: int
    word: int
    bit: int
    changes: dict[str, Any]


class TypeTriedOut(Shape):
    """What the map makes of a device. says: why not all of it could be read; right: channels whose number can be
    right, of those that were read."""

    says: str
    right: int
    of: int
    lines: list[TriedLineOut]
    doubts: list[DoubtOut]


@api.post("/module-types/try", responses={200: TypeTriedOut})
@needs("engineer")
def try_type(body: TryIn) -> Response:
    """Hold a module type against a device. Nothing is written, there or here."""
    try:
        kind = read_type(body.body)
        if is_serial(body.link):
            serial_device(body.host)
        line = str(read_line(body.line))
    except (HardwareError, TextError) as error:
        raise ProblemError(422, str(error), "nothing was read", "mend it and try again") from error
    agent = _may_look("" if is_serial(body.link) else body.host, body.port)
    reads = reads_of(kind)
    target = body.model_dump(exclude={"body", "mode"}) | {
        "host": body.host.strip(),
        "line": line,
        "reads": [[str(table), first, count] for table, first, count in reads],
        "what": [f"{body.host}, unit {body.unit}: {kind.title}"],
    }
    answer = asked(agent, "try", target, "nothing was read", seconds=25.0)
    words: dict[Table, dict[int, int]] = {}
    for (table, first, _), got in zip(reads, answer["reads"], strict=False):
        words.setdefault(table, {}).update({first + k: int(word) for k, word in enumerate(got or ())})
    if answer["says"] and not words:
        raise ProblemError(409, answer["says"], "nothing was read", "look at address, unit number and way")
    found = tried(kind, words, body.mode)
    lines = [
        TriedLineOut(
            table=one.line.table, place=written_place(one.line.table, one.line.place, kind.numbering),
            bit=one.line.bit, channel=one.line.channel, says=one.line.says, raw=one.raw, means=one.means, state=one.state,
        )
        for one in found.lines
    ]  # fmt: skip
    doubts = [DoubtOut(says=d.says, run=d.run, word=d.word, bit=d.bit, changes=d.changes) for d in found.doubts]
    return jsonify(
        TypeTriedOut(says=answer["says"], right=found.right, of=found.of, lines=lines, doubts=doubts).model_dump()
    )


def _may_look(host: str, port: int) -> int:
    """The rack whose agent looks. host: "" for a port of its own machine. Raises ProblemError where one may not."""
    image = shared().image()
    if not image.layout.racks:
        raise ProblemError(
            409, "there is no rack whose agent could look", "nothing was read", "add a rack in Cabinets first"
        )
    try:
        inside = not host or allowed_address(image.conventions.rack_networks, host.strip(), port)
    except ValueError as error:
        raise ProblemError(
            422, f"“{host}” is no network address", "nothing was read", "write it as 192.168.10.5"
        ) from error
    if not inside:
        raise ProblemError(
            403,
            f"{host}:{port} is outside the networks and ports that racks may be in",
            "nothing was read",
            "an administrator changes that",
        )
    with shared().engine.begin() as connection:
        if not allowed_again(connection, f"finder {session_now().account}", MOST_LOOKS, 60):
            raise ProblemError(429, "enough looks for a minute", "nothing was read", "wait a moment")
    return min(image.layout.racks)
