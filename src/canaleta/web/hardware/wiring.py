"""Wiring of a point: its circuit drawn and in words, meter and calibrator; and the cables with their cores."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
from flask import Response, jsonify

from canaleta.core.signals.strips import cores_of
from canaleta.core.wiring.circuit import circuit_of
from canaleta.core.wiring.circuit_drawing import drawn
from canaleta.core.wiring.hookup import hookup_of
from canaleta.web.kit.access import needs
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("wiring", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class ReadingOut(Shape):
    """One measurement: the meter, where, what is healthy, what else means what."""

    meter: str
    where: str
    healthy: str
    otherwise: list[tuple[str, str]]


class CircuitOut(Shape):
    """The wiring of one point. svg: the drawing."""

    svg: str
    words: str
    source: str
    closes: bool
    faults: list[str]
    way: list[str]
    notes: list[str]
    safe: list[str]
    readings: list[ReadingOut]
    calibrator: str
    steps: list[str]


class CoreUse(Shape):
    """One core: its colour or number, and the points that claim it; none for a spare one."""

    number: int
    colour: str
    points: list[int]


class CableOut(Shape):
    """A cable with its cores."""

    cable: int
    name: str
    kind: str
    colours: str
    mm2: float | None
    length_m: float | None
    begins: str
    ends: str
    cores: list[CoreUse]
    spare: int


class CablesOut(Shape):
    """Every cable."""

    seq: int
    cables: list[CableOut]


@api.get("/points/<int:point>/wiring", responses={200: CircuitOut})
@needs("read")
def wiring_of(path: PointPath) -> Response:
    """The circuit of a landed point, drawn, with what a meter should read and how a calibrator goes on."""
    whole, at = found(path.point)
    image = whole.only(np.array([at]))
    circuit = circuit_of(image, 0)
    if circuit is None:
        raise ProblemError(
            409, "this point holds no channel or has no signal yet", remedy="land it on a channel first"
        )
    hookup = hookup_of(image, 0, circuit)
    out = CircuitOut(
        svg=drawn(circuit),
        words=circuit.words,
        source=circuit.source,
        closes=circuit.closes,
        faults=list(circuit.faults),
        way=list(circuit.way),
        notes=list(circuit.notes),
        safe=list(hookup.safe),
        readings=[ReadingOut(**asdict(r)) for r in hookup.readings],
        calibrator=hookup.calibrator,
        steps=list(hookup.steps),
    )
    return jsonify(out.model_dump())


@api.get(
    "/points/<int:point>/wiring.svg", responses={200: {"content": {"image/svg+xml": {"schema": {"type": "string"}}}}}
)
@needs("read")
def drawing(path: PointPath) -> Response:
    """The drawing alone, for paper."""
    whole, at = found(path.point)
    circuit = circuit_of(whole.only(np.array([at])), 0)
    if circuit is None:
        raise ProblemError(
            409, "this point holds no channel or has no signal yet", remedy="land it on a channel first"
        )
    response = Response(drawn(circuit), content_type="image/svg+xml")
    response.headers["Content-Disposition"] = "attachment; filename=wiring.svg"
    return response


@api.get("/cables", responses={200: CablesOut})
@needs("read")
def cables() -> Response:
    """Every cable with its cores, used and spare."""
    image = shared().image()
    claims: dict[tuple[str, int], list[int]] = {}
    for row in np.flatnonzero(image.filled("cable")).tolist():
        for number in cores_of(image.text("cores", row)):
            claims.setdefault((image.text("cable", row).lower(), number), []).append(int(image.ids[row]))
    out = []
    for cable in sorted(image.layout.cables.values(), key=lambda c: c.name):
        cores = [
            CoreUse(number=n, colour=cable.core(n), points=claims.get((cable.name.lower(), n), []))
            for n in range(1, cable.cores + 1)
        ]
        out.append(
            CableOut(
                cable=cable.id,
                name=cable.name,
                kind=cable.kind,
                colours=cable.colours,
                mm2=cable.mm2,
                length_m=cable.length_m,
                begins=cable.begins,
                ends=cable.ends,
                cores=cores,
                spare=sum(not c.points for c in cores),
            )
        )
    return jsonify(CablesOut(seq=image.seq, cables=out).model_dump())
