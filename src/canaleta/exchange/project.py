"""The project file: a whole plant in one JSON document, our own open format, versioned.

Points are texts as people type them, channels are addresses: nothing in the file depends on a database. Its schema
is `Project.model_json_schema()`, which `./canaleta export --schema` prints.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from sqlalchemy import Connection, insert, select, update

from canaleta.catalogue.demo import CableDocument
from canaleta.catalogue.types import module_types
from canaleta.core.model.by_name import MOST_NAME, SECURITIES, Security
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Landing, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.model.links import LINKS, USUAL_LINE, Link
from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.text import TextError
from canaleta.core.rules import Finding, audit
from canaleta.plant.changes.apply import reaudit
from canaleta.plant.changes.seed import stored_row, write_hardware
from canaleta.plant.changes.undo import LOADED
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify
from canaleta.plant.records.findings import accepted, stored_findings
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.instruments import instruments, load_instruments
from canaleta.plant.records.packages import load_packages, packages
from canaleta.plant.records.points import copy_points
from canaleta.plant.records.typicals import load_typicals, typicals
from canaleta.plant.records.waivers import Waiver, with_waivers

__all__ = [
    "VERSION",
    "Project",
    "ProjectError",
    "begin_with",
    "findings_of",
    "image_from",
    "image_of",
    "layout_of_project",
    "load_project",
    "project_of",
    "read_project",
    "written_project",
]

VERSION = 1
KEPT_FREE = "empty-slot"
"""The catalogue's type for a slot that is counted and holds nothing."""


class ProjectError(ValueError):
    """The file cannot be read as a project. The message names the place."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ProjectModule(_Part):
    """A module in its place on the rail, passive items counted, by the key of its type. `slot` is that place;
    wired: unused channels, from 0, that are wired to the strip; off: those that are switched off. names, remarks: of channels in their order, at a rack
    that is reached by name, and as people say of them. firmware: the one that it is to have."""

    slot: int = Field(ge=0, le=999)
    type: str
    wired: list[int] = Field(default_factory=list, max_length=64)
    off: list[int] = Field(default_factory=list, max_length=64)
    names: list[Annotated[str, Field(max_length=MOST_NAME)]] = Field(default_factory=list, max_length=64)
    label: str = Field(default="", max_length=40)
    comment: str = Field(default="", max_length=400)
    remarks: list[Annotated[str, Field(max_length=200)]] = Field(default_factory=list, max_length=64)
    firmware: str = Field(default="", max_length=40)


class ProjectRack(_Part):
    """A rack and how it is reached. stand_in: a simulated one; head: what its head is to say of itself."""

    name: str = Field(min_length=1, max_length=40)
    host: str = Field(max_length=200)
    port: int = Field(ge=1, le=65535)
    unit: int = Field(default=1, ge=0, le=255)
    period_ms: int = Field(default=1000, ge=50, le=3_600_000)
    first_register: int = Field(default=0, ge=0, le=65535)
    stand_in: bool = False
    function: str = Field(default="input", pattern="^(input|holding)$")
    link: Link = LINKS[0]
    line: str = Field(default=USUAL_LINE, max_length=40)
    path: str = Field(default="", max_length=MOST_NAME)
    security: Security = SECURITIES[0]
    username: str = Field(default="", max_length=80)
    trusted: str = Field(default="", max_length=64)
    quiet_s: int = Field(default=0, ge=0, le=86_400)
    head: str = Field(default="", max_length=200)
    modules: list[ProjectModule]


class ProjectCabinet(_Part):
    """A cabinet and its racks."""

    name: str = Field(min_length=1, max_length=40)
    title: str = ""
    ambient_degc: float | None = Field(default=None, ge=-60, le=120)
    racks: list[ProjectRack]


class ProjectTypical(_Part):
    """A kind of point filled in beforehand, as texts."""

    name: str = Field(min_length=1, max_length=60)
    says: str = Field("", max_length=200)
    cells: dict[str, str]


class ProjectView(_Part):
    """A view that the plant keeps for everybody; its body is that of the API."""

    name: str = Field(min_length=1, max_length=40)
    body: dict[str, Any]


class ProjectRange(_Part):
    """What an instrument sources or measures, and how well."""

    unit: str = Field(max_length=20)
    low: float
    high: float
    of_reading: float = Field(0.0, ge=0)
    of_span: float = Field(0.0, ge=0)
    digits: float = Field(0.0, ge=0)
    resolution: float = Field(0.0, ge=0)


class ProjectInstrument(_Part):
    """An instrument that people measure with."""

    name: str = Field(min_length=1, max_length=60)
    make: str = Field("", max_length=200)
    serial: str = Field("", max_length=80)
    due: str = Field("", max_length=10)
    certificate: str = Field("", max_length=80)
    ranges: list[ProjectRange] = Field(default_factory=list, max_length=40)


class ProjectPackage(_Part):
    """A package of work; points: counted from 1."""

    name: str = Field(min_length=1, max_length=60)
    people: list[str] = Field(default_factory=list, max_length=40)
    begins: str = Field("", max_length=10)
    ends: str = Field("", max_length=10)
    points: list[int] = Field(default_factory=list, max_length=1000)
    note: str = Field("", max_length=1000)


class ProjectWaiver(_Part):
    """A finding that was accepted: its rule, the tags of its points and what it says, then why, by whom and when."""

    rule: str
    tags: list[str]
    text: str
    reason: str = Field(min_length=1, max_length=400)
    who: str
    at: datetime


class Project(_Part):
    """A plant: conventions, module types, hardware in order, points as {field: text}; empty fields are left out.

    wishes: points, counted from 1, that name a channel which another one holds.
    """

    format: Literal["canaleta project"] = "canaleta project"
    version: Literal[1] = 1
    name: str = Field(min_length=1, max_length=200)
    conventions: Conventions = Field(default_factory=Conventions)
    module_types: list[ModuleType]
    cabinets: list[ProjectCabinet]
    cables: list[CableDocument] = Field(default_factory=list)
    typicals: list[ProjectTypical] = Field(default_factory=list)
    instruments: list[ProjectInstrument] = Field(default_factory=list)
    packages: list[ProjectPackage] = Field(default_factory=list)
    views: list[ProjectView] = Field(default_factory=list)
    points: list[dict[str, str]]
    wishes: list[int] = Field(default_factory=list)
    waivers: list[ProjectWaiver] = Field(default_factory=list)

    @model_validator(mode="after")
    def _holds_together(self) -> Project:
        known, fields = {kind.key for kind in self.module_types}, {f.name for f in STORED}
        for cabinet in self.cabinets:
            for rack in cabinet.racks:
                for module in rack.modules:
                    if module.type not in known:
                        raise ValueError(
                            f"{cabinet.name} rack {rack.name} slot {module.slot}: no type “{module.type}”"
                        )
        for typical in self.typicals:
            if unknown := set(typical.cells) - fields:
                raise ValueError(f"typical {typical.name}: no field “{sorted(unknown)[0]}”")
        cables = [cable.name.lower() for cable in self.cables]
        if twice := [name for name in cables if cables.count(name) > 1]:
            raise ValueError(f"two cables are called {twice[0]}")
        for number, point in enumerate(self.points, start=1):
            if unknown := set(point) - fields:
                raise ValueError(f"point {number}: no field “{sorted(unknown)[0]}”")
            if not point.get("tag"):
                raise ValueError(f"point {number} has no tag")
        return self


def project_of(connection: Connection, image: PlantImage | None = None) -> Project:
    """The plant of a database as a project. image: the plant as this connection sees it, where it is loaded
    already."""
    image = image or ImageCache(connection.engine).caught_up(connection)
    name = connection.execute(select(t.plant.c.name)).scalar_one()
    layout = image.layout
    cabinets = [
        ProjectCabinet(
            name=c.name,
            title=c.title,
            ambient_degc=c.ambient_degc,
            racks=[_rack(layout, rack) for rack in layout.racks.values() if rack.cabinet == c.id],
        )
        for c in layout.cabinets.values()
    ]
    views = connection.execute(
        select(t.view.c.name, t.view.c.body).where(t.view.c.owner == "").order_by(t.view.c.name)
    )
    return Project(
        name=name, conventions=image.conventions, module_types=list(layout.types.values()), cabinets=cabinets,
        cables=[CableDocument(**_without_id(cable)) for cable in layout.cables.values()], points=image.filled_texts(),
        typicals=[ProjectTypical(**typical.body()) for typical in typicals(connection)],
        instruments=[ProjectInstrument.model_validate(one.body()) for one in instruments(connection)],
        packages=[
            ProjectPackage.model_validate(
                one.body() | {"points": [image.row_of(p) + 1 for p in one.points if image.has(p)]}
            )
            for one in packages(connection)
        ],
        views=[ProjectView(name=row.name, body=row.body) for row in views],
        wishes=[row + 1 for row in range(len(image)) if image.module[row] >= 0 and not image.landed[row]],
        waivers=[
            ProjectWaiver(rule=body["rule"], tags=_tags(image, (c["point"] for c in body["cells"])), text=body["text"],
                          **{name: body["waived"][name] for name in ("reason", "who", "at")})
            for body in stored_findings(connection) if accepted(body)
        ],
    )  # fmt: skip


def _tags(image: PlantImage, points: Iterable[int]) -> list[str]:
    """The tags of a finding's points, each once."""
    return [image.label(image.row_of(point)) for point in dict.fromkeys(points) if image.has(point)]


def _rack(layout: Layout, rack: Rack) -> ProjectRack:
    modules = [
        ProjectModule(
            slot=m.place,
            type=m.type_key,
            wired=list(m.wired),
            off=list(m.off),
            names=list(m.names),
            label=m.label,
            comment=m.comment,
            remarks=list(m.remarks),
            firmware=m.firmware,
        )
        for m in layout.modules_of(rack.id)
    ]
    return ProjectRack(
        name=rack.name,
        host=rack.host,
        port=rack.port,
        unit=rack.unit,
        period_ms=rack.period_ms,
        first_register=rack.first_register,
        stand_in=rack.stand_in,
        function=rack.function,
        link=rack.link,
        line=rack.line,
        path=rack.path,
        security=rack.security,
        username=rack.username,
        trusted=rack.trusted,
        quiet_s=rack.quiet_s,
        head=rack.head,
        modules=modules,
    )


def written_project(project: Project) -> str:
    """A project as text: the same plant gives the same bytes."""
    return project.model_dump_json(indent=1, exclude_defaults=False) + "\n"


def read_project(document: Any) -> Project:
    """A project from a parsed document. Raises ProjectError."""
    if not isinstance(document, dict) or document.get("format") != "canaleta project":
        raise ProjectError("this is no project file: its “format” is not “canaleta project”")
    if document.get("version") != VERSION:
        raise ProjectError(f"the file is of version {document.get('version')}; this program reads version {VERSION}")
    try:
        return Project.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        report = first["msg"].removeprefix("Value error, ")
        raise ProjectError(f"{place}: {report}" if place else report) from error


def image_of(project: Project) -> PlantImage:
    """The plant of a project as columns, points numbered from 1. Raises ProjectError naming the point."""
    empty = PlantImage.of_rows([{}], layout_of_project(project), project.conventions)
    rows: list[dict[str, Stored]] = []
    for number, point in enumerate(project.points, start=1):
        try:
            rows.append(stored_row(empty, point))
        except TextError as error:
            raise ProjectError(f"point {number}, {point['tag']}: {error}") from error
    return image_from(project, rows)


def image_from(project: Project, rows: list[dict[str, Stored]]) -> PlantImage:
    """The plant of a project whose points were read. rows: {field: stored value} of each."""
    for number in project.wishes:
        at = rows[number - 1].get("channel") if 0 < number <= len(rows) else None
        if isinstance(at, Landing):
            rows[number - 1]["channel"] = at._replace(landed=False)
    return PlantImage.of_rows(rows, layout_of_project(project), project.conventions)


def findings_of(project: Project, image: PlantImage) -> list[Finding]:
    """What the rules find in a project, with what it says was accepted. image: that of the project."""
    known = _waivers(image, project.waivers, audit(image))
    return with_waivers(audit(image), {waiver.key: waiver for waiver in known})


def load_project(connection: Connection, project: Project) -> int:
    """Load a project into an empty database. Returns how many points. Raises ProjectError; then nothing is kept."""
    image = image_of(project)
    connection.execute(insert(t.plant).values(name=project.name, conventions=project.conventions.model_dump()))
    write_hardware(connection, image.layout)
    cells = {name: column for name, column in image.cells.items() if column.strides != (0,)}
    copy_points(
        connection,
        {
            number: {n: c[row] for n, c in cells.items() if c[row] is not None}
            for row, number in enumerate(image.ids.tolist())
        },
    )
    load_typicals(connection, (typical.model_dump() for typical in project.typicals))
    load_instruments(connection, (one.model_dump() for one in project.instruments))
    numbers = image.ids.tolist()
    load_packages(
        connection,
        (
            one.model_dump() | {"points": [numbers[n - 1] for n in one.points if 0 < n <= len(numbers)]}
            for one in project.packages
        ),
    )
    for view in project.views:
        connection.execute(insert(t.view).values(owner="", **view.model_dump()))
    if accepted_ones := _waivers(image, project.waivers, audit(image)) if project.waivers else []:
        connection.execute(insert(t.waiver), [{"id": w.id, **w.columns()} for w in accepted_ones])
    reaudit(connection, ImageCache(connection.engine).caught_up(connection))
    return len(image)


def begin_with(connection: Connection, had: str, name: str, who: str) -> None:
    """Let history begin with a project that took the place of an empty plant: whoever has that one open is told. had:
    what the empty one was called."""
    connection.execute(insert(t.change_set).values(seq=1, who=who, why="", source=LOADED))
    connection.execute(insert(t.change).values(seq=1, entity="project", entity_id=0, fields={"name": [had, name]}))
    connection.execute(update(t.plant).values(seq=1))
    notify(connection, "canaleta_seq", 1)


def _waivers(image: PlantImage, given: Sequence[ProjectWaiver], findings: Sequence[Finding]) -> list[Waiver]:
    """Waivers of findings that are found again, by what they say of which points; the others have lost their
    facts."""
    found = {(f.rule, *_tags(image, [c.point for c in f.cells]), f.text): f for f in findings}
    out: list[Waiver] = []
    for one in given:
        if f := found.pop((one.rule, *one.tags, one.text), None):
            at = one.at.isoformat()
            out.append(Waiver(len(out) + 1, f.key, f.rule, f.fingerprint, one.reason, one.who, at, f.text))
    return out


def layout_of_project(project: Project) -> Layout:
    """The hardware of a project."""
    cabinets: dict[int, Cabinet] = {}
    racks: dict[int, Rack] = {}
    modules: dict[int, Module] = {}
    for c in project.cabinets:
        cabinet = Cabinet(len(cabinets) + 1, c.name, c.title, c.ambient_degc)
        cabinets[cabinet.id] = cabinet
        for r in c.racks:
            rack = Rack(
                len(racks) + 1,
                cabinet.id,
                r.name,
                r.host,
                r.port,
                r.unit,
                r.period_ms,
                r.first_register,
                r.stand_in,
                r.function,
                r.link,
                r.line,
                r.path,
                r.security,
                r.username,
                r.trusted,
                r.quiet_s,
                r.head,
            )
            racks[rack.id] = rack
            for place, m in enumerate(_without_gaps(r.modules), start=1):
                modules[len(modules) + 1] = Module(
                    len(modules) + 1,
                    rack.id,
                    place,
                    m.type,
                    tuple(m.wired),
                    tuple(m.names),
                    m.label,
                    m.comment,
                    tuple(m.remarks),
                    tuple(m.off),
                    m.firmware,
                )
    types = {kind.key: kind for kind in project.module_types}
    if any(m.type_key == KEPT_FREE for m in modules.values()):
        types.setdefault(KEPT_FREE, module_types()[KEPT_FREE])
    cables = {n: Cable(n, **cable.model_dump()) for n, cable in enumerate(project.cables, start=1)}
    return Layout(cabinets, racks, modules, types, project.conventions.channel_base, cables)


def _without_gaps(modules: list[ProjectModule]) -> list[ProjectModule]:
    """The modules in order; a number that an older file skipped is a slot kept free, so that addresses stay."""
    out: list[ProjectModule] = []
    for module in sorted(modules, key=lambda m: m.slot):
        while len(out) + 1 < module.slot:
            out.append(ProjectModule(slot=len(out) + 1, type=KEPT_FREE))
        out.append(module)
    return out


def _without_id(cable: Cable) -> dict[str, Any]:
    return {name: value for name, value in asdict(cable).items() if name != "id"}
