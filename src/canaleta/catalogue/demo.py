"""The demo plant as a document, the layout it describes, and generated points for tests and benchmarks."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import resources
from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.model.layout import SEPARATOR, Cabinet, Cable, Layout, Module, Rack
from canaleta.core.model.links import LINKS, Link
from canaleta.core.model.module_type import ModuleType

__all__ = ["CableDocument", "DemoPlant", "demo_plant", "generated", "layout_of"]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class DemoModule(_Part):
    """A module of the catalogue in its place on the rail; `slot` is that place, passive items are counted."""

    slot: int
    type: str
    names: tuple[str, ...] = ()


class DemoRack(_Part):
    """A rack with the port its stand-in listens on, if that port is free. number: 0 to be counted in its turn."""

    number: int = 0
    name: str
    port: int
    period_ms: int = 1000
    link: Link = LINKS[0]
    modules: tuple[DemoModule, ...]


class DemoCabinet(_Part):
    """A cabinet."""

    name: str
    title: str
    racks: tuple[DemoRack, ...]


class Process(_Part):
    """A small process: a mean, a slow swing, and noise (standard deviation), in the unit of the PROCESS station."""

    mean: float
    swing: float = 0.0
    period_s: float = Field(60.0, gt=0)
    noise: float = Field(0.0, ge=0)


class FieldFault(_Part):
    """Something wrong in the field: its kind and amount in words (core/path/faults.py)."""

    kind: str
    amount: str = ""


class FieldDevice(_Part):
    """What really stands in the plant at a channel, whatever the list says of it. cells: more of its fields. follows:
    the output whose signal is led back to this input."""

    at: str
    signal: str
    mode: str
    process: Process
    low: float | None = None
    high: float | None = None
    cells: dict[str, str] = Field(default_factory=dict)
    faults: tuple[FieldFault, ...] = ()
    follows: str = ""


class CableDocument(_Part):
    """A cable as files have it. colours: of its cores in order, with commas; empty for numbered cores."""

    name: str = Field(min_length=1, max_length=40)
    cores: int = Field(ge=1, le=200)
    kind: str = Field("", max_length=80)
    colours: str = Field("", max_length=400)
    mm2: float | None = Field(None, gt=0)
    length_m: float | None = Field(None, gt=0)
    begins: str = Field("", max_length=60)
    ends: str = Field("", max_length=60)


class DemoPlant(_Part):
    """A demo plant: hardware, the list as texts typed into cells, and the field behind it.

    types: module types that the catalogue does not have, or has in another form.
    """

    about: str
    name: str
    types: tuple[ModuleType, ...] = ()
    cabinets: tuple[DemoCabinet, ...]
    cables: tuple[CableDocument, ...] = ()
    points: tuple[dict[str, str], ...]
    field: tuple[FieldDevice, ...]


def demo_plant() -> DemoPlant:
    """Vallroja Tileworks."""
    text = resources.files("canaleta.catalogue.plants").joinpath("vallroja.json").read_text(encoding="utf-8")
    return DemoPlant.model_validate_json(text)


def layout_of(plant: DemoPlant) -> Layout:
    """The layout a demo plant describes, with ids counted from 1 in the order of the document."""
    cabinets: dict[int, Cabinet] = {}
    racks: dict[int, Rack] = {}
    modules: dict[int, Module] = {}
    for c in plant.cabinets:
        cabinet = Cabinet(len(cabinets) + 1, c.name, c.title)
        cabinets[cabinet.id] = cabinet
        for r in c.racks:
            served = bool(plant.field)
            rack = Rack(
                r.number or len(racks) + 1,
                cabinet.id,
                r.name,
                "127.0.0.1",
                r.port,
                1,
                r.period_ms,
                stand_in=served,
                link=r.link,
            )
            racks[rack.id] = rack
            for place, m in enumerate(sorted(r.modules, key=lambda m: m.slot), start=1):
                number = len(modules) + 1
                modules[number] = Module(number, rack.id, place, m.type, names=m.names)
    used = {m.type_key for m in modules.values()}
    kinds = {key: kind for key, kind in (module_types() | {t.key: t for t in plant.types}).items() if key in used}
    cables = {n: Cable(n, **cable.model_dump()) for n, cable in enumerate(plant.cables, start=1)}
    return Layout(cabinets, racks, modules, kinds, cables=cables)


_AREAS = (
    "slip house",
    "spray dryer",
    "press 1",
    "press 2",
    "dryer",
    "glaze line",
    "kiln 1",
    "kiln 2",
    "stack",
)


def generated(points: int) -> DemoPlant:
    """A plant of so many made-up points in cabinets of eight racks, for tests and benchmarks. Deterministic.

    Every hundredth point has a scaling that does not agree with its device.
    """
    racks: list[DemoRack] = []
    cabinets: list[DemoCabinet] = []
    listed: list[dict[str, str]] = []
    for number, point in enumerate(_made_up()):
        if number >= points:
            break
        if number % 32 == 0:
            modules = tuple(DemoModule(slot=s + 1, type=k) for s, k in enumerate(("di16-24v", "ai8-ui", "tc8")))
            racks.append(DemoRack(name=str(len(racks) + 1), port=15020, modules=modules))
        cabinet, rack = number // 256, number // 32 % 8 + 1
        slot, channel = _PLACES[number % 32]
        point["channel"] = SEPARATOR.join((f"GC-{cabinet + 1:03d}", str(rack), str(slot), str(channel)))
        listed.append(point)
        if len(racks) == 8:
            cabinets.append(_cabinet(len(cabinets), racks))
            racks = []
    if racks:
        cabinets.append(_cabinet(len(cabinets), racks))
    return DemoPlant(
        about="generated", name="Vallroja Tileworks", cabinets=tuple(cabinets), points=tuple(listed), field=()
    )


_PLACES = [(1, c) for c in range(1, 17)] + [(2, c) for c in range(1, 9)] + [(3, c) for c in range(1, 9)]


def _cabinet(number: int, racks: list[DemoRack]) -> DemoCabinet:
    named = tuple(rack.model_copy(update={"name": str(i + 1)}) for i, rack in enumerate(racks))
    return DemoCabinet(name=f"GC-{number + 1:03d}", title=_AREAS[number % len(_AREAS)], racks=named)


_OWN_WIRES = ("cable", "cores", "strip", "screen")
"""What only the one point has that the others are modelled on."""


def _made_up() -> Iterator[dict[str, Any]]:
    demo = demo_plant()
    contact = next(p for p in demo.points if p["tag"] == "PSL-3101")
    current = next(p for p in demo.points if p["tag"] == "PT-3111")
    thermal = next(p for p in demo.points if p["tag"] == "TE-2101")
    number = 0
    while True:
        place = number % 32
        model, letters = ((contact, "ZS"), (current, "PT"), (thermal, "TE"))[
            0 if place < 16 else 1 if place < 24 else 2
        ]
        point = {name: text for name, text in model.items() if name not in _OWN_WIRES}
        area = _AREAS[number // 256 % len(_AREAS)]
        point |= {
            "tag": f"{letters}-{number + 10000}",
            "area": area,
            "service": f"{model['service']} {number + 1}",
        }
        if number % 100 == 20 and letters == "PT":
            point["value_high"] = "8.00"
        yield point
        number += 1
