"""Cabinets as they stand: racks, modules in their order, channels with terminals, and where a point would fit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.hardware.fit import Judgement, Level, group_message, judge_module
from canaleta.core.hardware.loads import Load, ModuleLoad, device_ma, module_load, rack_load
from canaleta.core.hardware.occupancy import Count, class_of, counted, used_channels
from canaleta.core.hardware.places import places_for
from canaleta.core.model.addresses import addresses_at
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Module, Rack
from canaleta.core.model.naming import departures
from canaleta.core.model.registers import RackMap
from canaleta.web.kit.access import needs
from canaleta.web.kit.point import found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("cabinets", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_WAITING = 500


class ChannelOut(Shape):
    """A channel: its addresses, its terminals, who holds it and who wishes for it. point: 0 if it is free.

    wired: unused, and its terminals are wired to the strip already; off: unused, and switched off. name: what it is called at a rack that is reached by
    name; remark: what people say about it.
    """

    channel: int
    address: str
    register_at: str
    direct: str
    terminals: list[str]
    point: int
    wishes: list[int]
    wired: bool
    off: bool
    name: str
    remark: str


class LoadOut(Shape):
    """A load against its rating, mA; rating 0 where none is given."""

    name: str
    ma: float
    rating_ma: float
    over: bool


class CountOut(Shape):
    """Channels counted: free, spare by policy and wired spare told apart; short: spares the policy lacks."""

    channels: int
    used: int
    free: int
    spare: int
    wired: int
    wanted: int
    short: int
    share: float


class ClassCount(Shape):
    """The count of one class of channels: AI, AO, DI, DO, TI temperature, PI pulses, XI several kinds."""

    name: str
    count: CountOut


class ModuleOut(Shape):
    """A module in its place; slot 0 if it takes none. Registers count from 0. label, comment: what people call it and say
    about it; firmware: the one that it is to have, says_firmware: whether its type knows where it says it."""

    module: int
    place: int
    slot: int
    type: str
    title: str
    summary: str
    label: str
    comment: str
    firmware: str
    says_firmware: bool
    direction: str
    channel_class: str
    first_register: int
    first_setting: int
    channels: list[ChannelOut]
    count: CountOut
    loads: list[LoadOut]
    heat_w: float


class RackIn(Shape):
    """A rack and its modules in the order they sit. departs: what the plant's rule gives instead of its address."""

    rack: int
    name: str
    host: str
    port: int
    unit: int
    period_ms: int
    first_register: int
    function: str
    link: str
    line: str
    by_name: bool
    path: str
    security: str
    username: str
    trusted: str
    quiet_s: int
    head: str
    stand_in: bool
    address: str
    departs: str
    modules: list[ModuleOut]
    loads: list[LoadOut]
    heat_w: float


class CabinetOut(Shape):
    """A cabinet; its channels against the plant's spare policy. ambient_degc: how warm it is inside, null where the plant's
    convention counts."""

    cabinet: int
    name: str
    title: str
    ambient_degc: float | None
    racks: list[RackIn]
    count: CountOut
    classes: list[ClassCount]
    heat_w: float
    spare_wanted: float


class CabinetName(Shape):
    """A cabinet by its name, with how many channels it has and how many no point holds."""

    cabinet: int
    name: str
    title: str
    channels: int
    unused: int


class CabinetsOut(Shape):
    """All cabinets, or one, as of a sequence number; names of all. waiting: points that hold no channel, those that
    wish for a held one among them; cut at MOST_WAITING, the count is whole."""

    seq: int
    waiting: list[int]
    waiting_count: int
    names: list[CabinetName]
    cabinets: list[CabinetOut]


class CabinetQuery(Shape):
    """Which cabinet; 0 for all."""

    cabinet: int = Field(0, ge=0, le=2**62)


class FitPath(Shape):
    """A point and the rack it is held against."""

    point: int = Field(ge=0, le=2**62)
    rack: int = Field(ge=0, le=2**62)


class FitOut(Shape):
    """What a point would meet on the channels of one module. level: fits, warns or refused. margin: of the loop's
    voltage; supply: what the module would feed then; both in words, '' where they say nothing. channels: those that this
    is told of, from 0; none for all of them."""

    module: int
    level: str
    mode: str
    reads: str
    margin: str
    supply: str
    reasons: list[str]
    remedies: list[str]
    channels: list[int]


class FitsOut(Shape):
    """One answer a module of the rack."""

    seq: int
    fits: list[FitOut]


@api.get("/cabinets", responses={200: CabinetsOut})
@needs("read")
def cabinets(query: CabinetQuery) -> Response:
    """Cabinets with their racks, modules and channels, counts and loads."""
    look = _Look.at(shared().image())
    layout = look.image.layout
    names = [
        CabinetName(cabinet=c.id, name=c.name, title=c.title, channels=n.channels, unused=n.unused)
        for c in layout.cabinets.values()
        for n in [counted(look.image, look.modules_in(c.id), look.used)]
    ]
    chosen = [c for c in layout.cabinets.values() if query.cabinet in (0, c.id)]
    waiting = look.image.ids[~look.image.landed]
    out = CabinetsOut(
        seq=look.image.seq,
        waiting=waiting[:MOST_WAITING].tolist(),
        waiting_count=len(waiting),
        names=names,
        cabinets=[_cabinet(look, c) for c in chosen],
    )
    return jsonify(out.model_dump())


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
        if whole.layout.type_of(module.id).passive:
            continue
        told = judge_module(image, 0, module.id)
        supply, over = _supply(whole, image, at, module.id, told)
        more = [why for why in (over, group_message(whole, at, module.id) if told.mode else "") if why]
        level = max(told.level, Level.WARNS) if more else told.level
        out.append(
            FitOut(
                module=module.id,
                level=level.name.lower(),
                mode=told.mode,
                reads=told.reads,
                reasons=[*told.reasons, *more],
                remedies=list(told.remedies),
                margin=told.margin,
                supply=supply,
                channels=list(told.channels),
            )
        )
    return jsonify(FitsOut(seq=whole.seq, fits=out).model_dump())


class PlacesIn(Shape):
    """Which points to find places for, in which cabinets; no cabinets for all of them."""

    model_config = ConfigDict(extra="forbid")

    points: list[int] = Field(min_length=1, max_length=500)
    cabinets: list[int] = Field(default_factory=list, max_length=500)


class PlaceOut(Shape):
    """A place proposed for a point, or with an empty address why there is none."""

    point: int
    address: str
    terminals: list[str]
    mode: str
    reads: str
    says: str


class PlacesOut(Shape):
    """One answer a point, in their order."""

    seq: int
    places: list[PlaceOut]


@api.post("/places", responses={200: PlacesOut})
@needs("look")
def places(body: PlacesIn) -> Response:
    """Places for points under the plant's rules. Nothing is landed: each is accepted by an edit of its own."""
    image = shared().image()
    known = [point for point in dict.fromkeys(body.points) if image.has(point)]
    found_places = places_for(image, body.cabinets or list(image.layout.cabinets), known)
    out = [
        PlaceOut(
            point=p.point,
            address=image.layout.address(p.module, p.channel) if p.module else "",
            terminals=[mark for mark, _ in image.layout.type_at(p.module, p.channel).terminal_marks(p.channel)]
            if p.module
            else [],
            mode=p.mode,
            reads=p.reads,
            says=p.says,
        )
        for p in found_places
    ]
    return jsonify(PlacesOut(seq=image.seq, places=out).model_dump())


def _supply(whole: PlantImage, one: PlantImage, row: int, module: int, told: Judgement) -> tuple[str, str]:
    """What the module would feed to its devices with this one, against its rating; and why that is too much."""
    kind = whole.layout.type_of(module)
    if not told.mode or not kind.loop_ma:
        return "", ""
    there = one.with_cells({(0, "channel"): Landing(module, 0, landed=True), (0, "mode"): told.mode})
    more = float(device_ma(there, [0])[0])
    if not more:
        return "", ""
    now = module_load(whole, module).feeds.ma
    if whole.module[row] == module and whole.landed[row]:
        now -= more
    says = f"its supply: {now + more:.0f} of {kind.loop_ma:.0f} mA"
    over = (
        f"{kind.title} would feed {now + more:.0f} mA and can {kind.loop_ma:.0f}" if now + more > kind.loop_ma else ""
    )
    return says, over


@dataclass(frozen=True)
class _Look:
    """What one answer looks up again and again."""

    image: PlantImage
    holders: dict[tuple[int, int], int]
    claims: dict[tuple[int, int], list[int]]
    used: dict[int, set[int]]
    rows: dict[int, list[int]]
    departs: dict[int, str]

    @classmethod
    def at(cls, image: PlantImage) -> _Look:
        claims: dict[tuple[int, int], list[int]] = {}
        holders: dict[tuple[int, int], int] = {}
        rows: dict[int, list[int]] = {}
        for row in np.flatnonzero(image.module >= 0).tolist():
            place = int(image.module[row]), int(image.channel[row])
            if image.landed[row]:
                holders[place] = int(image.ids[row])
                rows.setdefault(place[0], []).append(row)
            else:
                claims.setdefault(place, []).append(int(image.ids[row]))
        departs = {rack.id: ruled for rack, ruled in departures(image.conventions.address_rule, image.layout)}
        return cls(image, holders, claims, used_channels(image), rows, departs)

    def modules_in(self, cabinet: int) -> list[int]:
        """Every module of a cabinet."""
        racks = {rack.id for rack in self.image.layout.racks.values() if rack.cabinet == cabinet}
        return [module.id for module in self.image.layout.modules.values() if module.rack in racks]


def _cabinet(look: _Look, cabinet: Cabinet) -> CabinetOut:
    layout = look.image.layout
    racks = [_rack(look, rack) for rack in layout.racks.values() if rack.cabinet == cabinet.id]
    by_class: dict[str, list[int]] = {}
    modules = look.modules_in(cabinet.id)
    for module in modules:
        if not layout.type_of(module).passive:
            by_class.setdefault(class_of(layout.type_of(module)), []).append(module)
    return CabinetOut(
        cabinet=cabinet.id,
        name=cabinet.name,
        title=cabinet.title,
        ambient_degc=cabinet.ambient_degc,
        racks=racks,
        count=_count(counted(look.image, modules, look.used)),
        classes=[
            ClassCount(name=name, count=_count(counted(look.image, mine, look.used)))
            for name, mine in sorted(by_class.items())
        ],
        heat_w=sum(rack.heat_w for rack in racks),
        spare_wanted=look.image.conventions.reserve.spare_share,
    )


def _rack(look: _Look, rack: Rack) -> RackIn:
    layout = look.image.layout
    rack_map = RackMap.of(layout, rack.id)
    every = list(zip(rack_map.modules.tolist(), rack_map.channels.tolist(), strict=True))
    places = {at: k for k, at in enumerate(every[: rack_map.mains])}
    fed: list[float] = []
    modules = []
    for module in layout.modules_of(rack.id):
        load = module_load(look.image, module.id, look.rows.get(module.id, []))
        fed.append(load.feeds.ma)
        modules.append(_module(look, module, rack_map, places, load))
    whole = rack_load(look.image, rack.id, fed)
    return RackIn(
        rack=rack.id, name=rack.name, host=rack.host, port=rack.port, unit=rack.unit, period_ms=rack.period_ms,
        first_register=rack.first_register, function=rack.function, stand_in=rack.stand_in, address=rack.reached_at, link=rack.link, line=rack.line, by_name=rack.by_name, path=rack.path,
        security=rack.security, username=rack.username, trusted=rack.trusted, quiet_s=rack.quiet_s, head=rack.head,
        departs=look.departs.get(rack.id, ""), modules=modules, loads=[_load(whole.bus), _load(whole.supply)],
        heat_w=whole.heat_w,
    )  # fmt: skip


def _module(
    look: _Look, module: Module, rack_map: RackMap, places: dict[tuple[int, int], int], load: ModuleLoad
) -> ModuleOut:
    layout = look.image.layout
    kind = layout.type_of(module.id)
    channels = []
    for n in range(kind.channels):
        at = addresses_at(layout, rack_map, places[module.id, n])
        channels.append(
            ChannelOut(
                channel=n,
                address=layout.address(module.id, n),
                register_at=at.words,
                direct=at.direct,
                terminals=[mark for mark, _ in kind.at_channel(n).terminal_marks(n)],
                point=look.holders.get((module.id, n), 0),
                wishes=look.claims.get((module.id, n), []),
                wired=n in module.wired,
                off=n in module.off,
                name=module.name_of(n),
                remark=module.remark_of(n),
            )
        )
    told = [load.feeds, *load.fuses] if load.feeds.rating_ma or load.feeds.ma else []
    return ModuleOut(
        module=module.id, place=module.place, slot=layout.slots[module.id], type=kind.key, title=kind.title,
        summary=kind.summary, label=module.label, comment=module.comment, firmware=module.firmware,
        says_firmware=kind.firmware is not None, direction=kind.direction, channel_class=class_of(kind),
        first_register=layout.first_registers[module.id], first_setting=layout.first_settings[module.id],
        channels=channels, count=_count(counted(look.image, [module.id], look.used)),
        loads=[_load(each) for each in told], heat_w=kind.heat_w,
    )  # fmt: skip


def _count(count: Count) -> CountOut:
    return CountOut(
        channels=count.channels,
        used=count.used,
        free=count.free,
        spare=count.spare,
        wired=count.wired,
        wanted=count.wanted,
        short=count.short,
        share=count.share,
    )


def _load(load: Load) -> LoadOut:
    return LoadOut(name=load.name, ma=round(load.ma, 1), rating_ma=load.rating_ma, over=load.over)
