"""Changing the hardware, and module types: previewed, applied as one change set, undone like any other."""

from __future__ import annotations

from typing import Any, Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.manual import read_bits, read_modes, read_registers
from canaleta.core.hardware.type_map import MapLine, map_lines
from canaleta.core.hardware.type_preview import mode_previews
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Style, Table, place_in_all_styles
from canaleta.plant.changes.hardware import HardwareChange, change_hardware, preview_hardware
from canaleta.plant.changes.operations import HardwareError, read_type
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("hardware", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_TOLD = 400


class HardwareIn(Shape):
    """Operations in order, each {"do": …} as docs/hardware.md lists them; `apply` false only says what they would
    do."""

    model_config = ConfigDict(extra="forbid")

    operations: list[dict[str, Any]] = Field(min_length=1, max_length=400)
    why: str = Field("", max_length=400)
    apply: bool = True


class RenumberedOut(Shape):
    """A channel whose address or register changes while its point stays on it."""

    point: int
    tag: str
    was: str
    becomes: str
    register_was: int
    register_now: int


class MovedValueOut(Shape):
    """A value that moves: at one level on the wires, what the list showed and what it would show."""

    point: int
    tag: str
    at: str
    was: str
    becomes: str


class HardwareOut(Shape):
    """What operations did, or would do. Long lists of either are cut; the counts are whole."""

    seq: int
    applied: bool
    renumbered: list[RenumberedOut]
    renumbered_count: int
    freed: list[str]
    moved: list[MovedValueOut]
    moved_count: int
    opened: list[str]
    closed: int


class TypeOut(Shape):
    """A module type: how many stand in racks, and whether the plant or only the catalogue has it."""

    key: str
    title: str
    summary: str
    channels: int
    used: int
    in_plant: bool
    in_catalogue: bool
    body: dict[str, Any]


class TypesOut(Shape):
    """Every module type of the plant and of the catalogue."""

    seq: int
    types: list[TypeOut]


class TypeIn(Shape):
    """A module type as a document; see /api/module-types/schema."""

    model_config = ConfigDict(extra="forbid")

    body: dict[str, Any]


class TerminalsOut(Shape):
    """The terminals of one channel in their order, with the isolation group and the fuse it belongs to."""

    channel: int
    group: int
    fuse: int
    terminals: list[tuple[str, str]]


class ModeRows(Shape):
    """A mode and what it makes of a signal that suits it: what is given, LOOP, INPUT, COUNTS."""

    mode: str
    signal: str
    rows: list[tuple[str, str, str, str]]


class MapLineOut(Shape):
    """One line of the map. place: as the manual writes it; also: in every other way. bit: -1 for the whole place;
    channel: -1 for the module's own."""

    table: str
    place: str
    also: str
    count: int
    bit: int
    channel: int
    says: str


class TypePreviewOut(Shape):
    """What a type is like before it is used, or what is wrong with it."""

    says: str
    terminals: list[TerminalsOut]
    modes: list[ModeRows]
    registers: int
    settings: int
    map: list[MapLineOut]


class ManualIn(Shape):
    """A table of a manual as it was pasted. what: which of its tables; numbering: how the manual writes places; table:
    where places stand that do not say it; base: the number of the first bit; channels: of the module, 0 if unknown."""

    model_config = ConfigDict(extra="forbid")

    what: Literal["modes", "registers", "bits"]
    text: str = Field(max_length=200_000)
    numbering: Style = "from 0"
    table: Table = Table.INPUT_REGISTERS
    base: Literal[0, 1] = 0
    channels: int = Field(0, ge=0, le=64)


class ManualTrouble(Shape):
    """A line that could not be taken, and why."""

    line: int
    text: str
    says: str


class ManualOut(Shape):
    """What the table gives: parts of a module type as its document has them, what was guessed, and lines left out.
    codes: the number that chooses each mode."""

    parts: dict[str, Any]
    guesses: list[str]
    troubles: list[ManualTrouble]
    codes: dict[str, int]


@api.get("/module-types", responses={200: TypesOut})
@needs("read")
def types() -> Response:
    """Every module type, those of the plant first."""
    image = shared().image()
    catalogue, own = module_types(), image.layout.types
    used: dict[str, int] = {}
    for module in image.layout.modules.values():
        used[module.type_key] = used.get(module.type_key, 0) + 1
    out = [
        TypeOut(
            key=key,
            title=kind.title,
            summary=kind.summary,
            channels=kind.channels,
            used=used.get(key, 0),
            in_plant=key in own,
            in_catalogue=key in catalogue,
            body=kind.model_dump(mode="json"),
        )
        for key, kind in (own | {k: v for k, v in catalogue.items() if k not in own}).items()
    ]
    return jsonify(TypesOut(seq=image.seq, types=out).model_dump())


@api.get("/module-types/schema", responses={200: None})
@needs("read")
def type_schema() -> Response:
    """The JSON schema of a module type."""
    schema = ModuleType.model_json_schema() | {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return jsonify(schema)


@api.post("/module-types/preview", responses={200: TypePreviewOut})
@needs("look")
def preview_type(body: TypeIn) -> Response:
    """The terminals of a type and a path through each of its modes; or what is wrong with it, in words."""
    try:
        kind = read_type(body.body)
    except HardwareError as error:
        return jsonify(
            TypePreviewOut(says=str(error), terminals=[], modes=[], registers=0, settings=0, map=[]).model_dump()
        )
    out = TypePreviewOut(
        says="",
        terminals=[
            TerminalsOut(
                channel=n,
                group=kind.group_of(n),
                fuse=kind.fuse_of(n),
                terminals=kind.at_channel(n).terminal_marks(n),
            )
            for n in range(kind.channels)
        ],
        modes=[ModeRows(mode=m.mode, signal=m.signal, rows=list(m.rows)) for m in mode_previews(kind)],
        registers=kind.register_count,
        settings=kind.setting_count,
        map=[_map_line(kind, line) for line in map_lines(kind)],
    )
    return jsonify(out.model_dump())


def _map_line(kind: ModuleType, line: MapLine) -> MapLineOut:
    styles = place_in_all_styles(line.table, line.place)
    also = " · ".join(f"{text} {style}" if style.startswith("from") else text for style, text in styles.items() if style != kind.numbering)  # fmt: skip
    return MapLineOut(
        table=line.table, place=styles[kind.numbering], also=also, count=line.count, bit=line.bit, channel=line.channel,
        says=line.says,
    )  # fmt: skip


@api.post("/module-types/manual", responses={200: ManualOut})
@needs("look")
def read_manual(body: ManualIn) -> Response:
    """Read a pasted table of a manual. Nothing is kept: the parts come back, with what was guessed."""
    if body.what == "modes":
        found = read_modes(body.text)
    elif body.what == "bits":
        found = read_bits(body.text, body.base)
    else:
        found = read_registers(body.text, body.numbering, body.table, body.channels)
    troubles = [ManualTrouble(line=t.line, text=t.text[:200], says=t.says) for t in found.troubles]
    out = ManualOut(parts=found.parts, guesses=found.guesses, troubles=troubles, codes=found.codes)
    return jsonify(out.model_dump())


@api.post("/hardware", responses={200: HardwareOut})
@needs("engineer")
def hardware(body: HardwareIn) -> Response:
    """Preview or apply operations on cabinets, racks, modules, cables and module types."""
    try:
        if body.apply:
            before = shared().image()
            applied, planned = change_hardware(
                shared().engine, shared().cache, body.operations, session_now().account, body.why
            )
            return _told(before, planned, applied.seq, applied.preview, applied=True)
        with shared().engine.connect() as connection:
            image = shared().image(connection)
            planned = preview_hardware(connection, image, body.operations)
            return _told(image, planned, image.seq, planned.preview, applied=False)
    except HardwareError as error:
        if error.forbidden:
            raise ProblemError(
                403, str(error), "nothing was changed", "an administrator says where, among the plant's rules"
            ) from error
        raise ProblemError(
            409 if error.conflict else 422,
            str(error),
            "nothing was changed",
            "look at it as it is now" if error.conflict else "what was typed is kept: mend it",
        ) from error
    except (TypeError, ValueError) as error:
        raise ProblemError(422, "an operation is not understood", str(error)[:200], "see docs/hardware.md") from error


def _told(image: PlantImage, planned: HardwareChange, seq: int, shown: Any, *, applied: bool) -> Response:
    def tag(point: int) -> str:
        return image.label(image.row_of(point)) if image.has(point) else ""

    out = HardwareOut(
        seq=seq, applied=applied,
        renumbered=[
            RenumberedOut(point=r.point, tag=tag(r.point), was=r.was, becomes=r.becomes,
                          register_was=r.register_was, register_now=r.register)
            for r in planned.renumbered[:MOST_TOLD]
        ],
        renumbered_count=len(planned.renumbered),
        freed=[tag(point) for point in planned.freed],
        moved=[MovedValueOut(point=m.point, tag=tag(m.point), at=m.at, was=m.was, becomes=m.becomes)
               for m in (shown.moved if shown else ())],
        moved_count=shown.moved_count if shown else 0,
        opened=[f.text for f in shown.come] if shown else [],
        closed=len(shown.closed) if shown else 0,
    )  # fmt: skip
    return jsonify(out.model_dump())
