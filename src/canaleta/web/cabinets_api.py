"""Cabinets as they stand: racks, modules in their order, channels with terminals, and where a point would fit."""

from __future__ import annotations

import numpy as np
from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from pydantic import BaseModel, Field

from canaleta.core.image import PlantImage
from canaleta.core.landing import judge_module
from canaleta.core.layout import Module, Rack
from canaleta.web.doors import needs
from canaleta.web.point import found
from canaleta.web.problems import PROBLEMS, ProblemError
from canaleta.web.shared import shared

__all__ = ["api"]

api = APIBlueprint("cabinets", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class ChannelOut(BaseModel):
    """A channel: its address, its terminals, who holds it and who wishes for it. point: 0 if it is free."""

    channel: int
    address: str
    terminals: list[str]
    point: int
    wishes: list[int]


class ModuleOut(BaseModel):
    """A module in its slot, with its first register counted from 0."""

    module: int
    slot: int
    title: str
    summary: str
    direction: str
    first_register: int
    channels: list[ChannelOut]


class RackIn(BaseModel):
    """A rack and its modules in the order of their slots."""

    rack: int
    name: str
    address: str
    modules: list[ModuleOut]


class CabinetOut(BaseModel):
    """A cabinet; free channels against the plant's spare policy."""

    cabinet: int
    name: str
    title: str
    racks: list[RackIn]
    channels: int
    free: int
    spare_wanted: float


class CabinetsOut(BaseModel):
    """All cabinets as of a sequence number."""

    seq: int
    cabinets: list[CabinetOut]


class FitPath(BaseModel):
    """A point and the rack it is held against."""

    point: int = Field(ge=0, le=2**62)
    rack: int = Field(ge=0, le=2**62)


class FitOut(BaseModel):
    """What a point would meet on the channels of one module. level: fits, warns or refused."""

    module: int
    level: str
    mode: str
    reads: str
    reasons: list[str]
    remedies: list[str]


class FitsOut(BaseModel):
    """One answer a module of the rack."""

    seq: int
    fits: list[FitOut]


@api.get("/cabinets", responses={200: CabinetsOut})
@needs("read")
def cabinets() -> Response:
    """Every cabinet with its racks, modules and channels."""
    image = shared().image()
    claims: dict[tuple[int, int], list[int]] = {}
    holders: dict[tuple[int, int], int] = {}
    for row in np.flatnonzero(image.module >= 0).tolist():
        place = int(image.module[row]), int(image.channel[row])
        if image.landed[row]:
            holders[place] = int(image.ids[row])
        else:
            claims.setdefault(place, []).append(int(image.ids[row]))
    out = []
    for c in image.layout.cabinets.values():
        racks = [_rack(image, rack, holders, claims) for rack in image.layout.racks.values() if rack.cabinet == c.id]
        channels = [channel for rack in racks for module in rack.modules for channel in module.channels]
        out.append(
            CabinetOut(
                cabinet=c.id, name=c.name, title=c.title, racks=racks, channels=len(channels),
                free=sum(not channel.point for channel in channels),
                spare_wanted=image.conventions.reserve.spare_share,
            )
        )  # fmt: skip
    return jsonify(CabinetsOut(seq=image.seq, cabinets=out).model_dump())


@api.get("/points/<int:point>/fits/<int:rack>", responses={200: FitsOut})
@needs("read")
def fits(path: FitPath) -> Response:
    """How a point would go on each module of a rack: fits, warns or refused, with reasons and remedies."""
    whole, at = found(path.point)
    if path.rack not in whole.layout.racks:
        raise ProblemError(404, "there is no such rack", remedy="reload the cabinets")
    image = whole.only(np.array([at]))
    out = []
    for module in whole.layout.modules_of(path.rack):
        told = judge_module(image, 0, module.id)
        out.append(
            FitOut(
                module=module.id, level=told.level.name.lower(), mode=told.mode, reads=told.reads,
                reasons=list(told.reasons), remedies=list(told.remedies),
            )
        )  # fmt: skip
    return jsonify(FitsOut(seq=whole.seq, fits=out).model_dump())


def _rack(
    image: PlantImage, rack: Rack, holders: dict[tuple[int, int], int], claims: dict[tuple[int, int], list[int]]
) -> RackIn:
    modules = [_module(image, module, holders, claims) for module in image.layout.modules_of(rack.id)]
    return RackIn(rack=rack.id, name=rack.name, address=f"{rack.host}:{rack.port}", modules=modules)


def _module(
    image: PlantImage, module: Module, holders: dict[tuple[int, int], int], claims: dict[tuple[int, int], list[int]]
) -> ModuleOut:
    kind = image.layout.type_of(module.id)
    return ModuleOut(
        module=module.id, slot=module.slot, title=kind.title, summary=kind.summary, direction=kind.direction,
        first_register=image.layout.first_registers[module.id],
        channels=[
            ChannelOut(
                channel=n,
                address=image.layout.address(module.id, n),
                terminals=[mark for mark, _ in kind.terminal_marks(n)],
                point=holders.get((module.id, n), 0),
                wishes=claims.get((module.id, n), []),
            )
            for n in range(kind.channels)
        ],
    )  # fmt: skip
