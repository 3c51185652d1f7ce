"""The finder: registers of any Modbus TCP server, with every decoding side by side until one makes sense."""

from __future__ import annotations

from typing import Literal

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.notation.networks import allowed_address
from canaleta.core.signals.decodings import decodings
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
    image = shared().image()
    if not image.layout.racks:
        raise ProblemError(
            409, "there is no rack whose agent could look", "nothing was read", "add a rack in Cabinets first"
        )
    try:
        inside = allowed_address(image.conventions.rack_networks, body.host.strip(), body.port)
    except ValueError as error:
        raise ProblemError(
            422, f"“{body.host}” is no network address", "nothing was read", "write it as 192.168.10.5"
        ) from error
    if not inside:
        raise ProblemError(
            403,
            f"{body.host}:{body.port} is outside the networks and ports that racks may be in",
            "nothing was read",
            "an administrator changes that",
        )
    with shared().engine.begin() as connection:
        if not allowed_again(connection, f"finder {session_now().account}", MOST_LOOKS, 60):
            raise ProblemError(429, "enough looks for a minute", "nothing was read", "wait a moment")
    target = (
        body.model_dump(exclude={"target"})
        | {"host": body.host.strip()}
        | {"what": [f"{body.host}:{body.port} unit {body.unit}"]}
    )
    answer = asked(min(image.layout.racks), "peek", target, "nothing was read")
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
