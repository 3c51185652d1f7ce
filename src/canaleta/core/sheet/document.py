"""One whole path as a document people write by hand: device, loop, input, counts, value, and what is wrong.

The keys are the fields of a point by station (fields.py), without the station's name: `device.low`, `value.unit`.
The input names a mode in full, or a module type and the name of one of its modes.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Kind, Landing, Station, Stored, read_cell, read_choice
from canaleta.core.model.fields import Field as PointField
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Layout, Module, Rack
from canaleta.core.model.module_type import Mode, ModuleType, Registers, Terminal
from canaleta.core.notation.text import TextError
from canaleta.core.path.faults import Fault, read_fault

__all__ = ["DocumentError", "key_of", "path_schema", "read_document"]

_SECTIONS = (Station.DEVICE, Station.LOOP, Station.COUNTS, Station.VALUE)
_CELL = str | float | int | bool | None


class DocumentError(ValueError):
    """The document cannot be read as a path. The message names the place and says what is wrong there."""


class _FaultIn(BaseModel):
    model_config = ConfigDict(extra="forbid")

    kind: str = Field(
        description="open, short, reversed, wrong sensor, wrong extension, extension reversed, "
        "leads added, shunt off, zero off, slope off, supply low, noise"
    )
    amount: str | float = Field(default="", description="a figure, or the signal or wire that is there instead")


class _InputIn(BaseModel):
    model_config = ConfigDict(extra="forbid")

    mode: str | Mode = Field(description="the name of a mode of `module`, or a mode in full")
    module: str | ModuleType | None = Field(
        default=None, description="a module type of the catalogue by its key, or one in full"
    )
    common: Literal["0 V", "24 V", ""] = Field(
        default="", description="where the inputs' common is, for a mode in full"
    )
    direction: Literal["in", "out"] = Field(default="in", description="for a mode in full: an input or an output")
    word: dict[str, Any] | None = Field(
        default=None, description="for a mode in full: how the number stands in words"
    )


def key_of(field: PointField) -> str:
    """The key of a field within its station."""
    return field.name.removeprefix(f"{field.station.lower()}_")


@cache
def _model() -> type[BaseModel]:
    sections: dict[str, Any] = {}
    for station in _SECTIONS:
        keys: dict[str, Any] = {}
        for f in STORED:
            if f.station is station:
                keys[key_of(f)] = (_type_of(f), Field(default=None, description=_says(f)))
        section = create_model(f"{station.value.title()}", __config__=ConfigDict(extra="forbid"), **keys)
        sections[station.lower()] = (section, Field(default_factory=section))
    return create_model(
        "Path",
        __config__=ConfigDict(extra="forbid", title="One signal path"),
        tag=(str, "point"),
        input=(_InputIn | None, None),
        conventions=(Conventions, Field(default_factory=Conventions)),
        faults=(list[_FaultIn], Field(default_factory=list)),
        **sections,
    )


def _type_of(f: PointField) -> Any:
    if f.kind is Kind.TABLE:
        return str | list[tuple[float, float]] | None
    if f.kind is Kind.CHOICE:
        return Annotated[_CELL, Field(json_schema_extra={"examples": list(f.choices)})]
    return _CELL


def _says(f: PointField) -> str:
    unit = f", {f.unit}" if f.unit else ""
    only = f"; for {f.when[0]}: {', '.join(w or 'empty' for w in f.when[1])}" if f.when else ""
    return f"{f.says}{unit}{only}"


def path_schema() -> dict[str, Any]:
    """The JSON schema of a document."""
    return _model().model_json_schema() | {"$schema": "https://json-schema.org/draft/2020-12/schema"}


def read_document(document: Any, types: Mapping[str, ModuleType]) -> tuple[PlantImage, list[Fault]]:
    """(image of one point landed on its module, faults). types: the catalogue, for modules named by key.

    Raises DocumentError.
    """
    try:
        body: Any = _model().model_validate(document)
    except ValidationError as error:
        raise DocumentError(_first(error)) from error
    cells: dict[str, Stored] = {"tag": body.tag}
    for station in _SECTIONS:
        section = getattr(body, station.lower())
        for f in STORED:
            if f.station is station and (given := getattr(section, key_of(f))) is not None:
                cells |= _cell(f, given)
    layout = _layout(body.input, types, body.conventions)
    if body.input is not None:
        name = body.input.mode
        kind = layout.types["of the path"]
        try:
            mode = read_choice([m.name for m in kind.modes], name) if isinstance(name, str) else name.name
        except TextError as error:
            raise DocumentError(f"input.mode: {error}") from error
        cells |= {"mode": mode, "channel": Landing(1, 0, landed=True)}
    try:
        faults = [
            read_fault(f.kind, f"{f.amount:g}" if isinstance(f.amount, float) else f.amount) for f in body.faults
        ]
    except TextError as error:
        raise DocumentError(f"faults: {error}") from error
    return PlantImage.of_rows([cells], layout, body.conventions), faults


def _cell(f: PointField, given: Any) -> dict[str, Stored]:
    if isinstance(given, list):
        text = "; ".join(f"{x!r} {y!r}" for x, y in given)
    elif isinstance(given, bool):
        text = "yes" if given else "no"
    else:
        text = given if isinstance(given, str) else repr(given)
    try:
        return read_cell(f, text)
    except TextError as error:
        raise DocumentError(f"{f.station.lower()}.{key_of(f)}: {error}") from error


def _layout(given: Any, types: Mapping[str, ModuleType], conventions: Conventions) -> Layout:
    kinds: dict[str, ModuleType] = {}
    if given is not None:
        kinds["of the path"] = _module(given, types)
    modules = {1: Module(1, 1, 1, "of the path")} if kinds else {}
    rack = Rack(1, 1, "1", "127.0.0.1", 502, 1, 1000)
    return Layout({1: Cabinet(1, "P", "")}, {1: rack}, modules, kinds, conventions.channel_base)


def _module(given: Any, types: Mapping[str, ModuleType]) -> ModuleType:
    if isinstance(given.module, ModuleType):
        return given.module
    if isinstance(given.mode, Mode):
        try:
            return ModuleType.model_validate(
                {
                    "key": "of the path",
                    "title": "of the path",
                    "summary": "",
                    "channels": 1,
                    "terminals": [Terminal(mark="{n}", role="signal in")],
                    "modes": [given.mode],
                    "registers": [
                        Registers(holds="channel words", count=given.word.words if given.word else 1, says="")
                    ],
                    "common": given.common,
                    "direction": given.direction,
                    "word": given.word,
                }
            )
        except ValidationError as error:
            raise DocumentError(f"input: {_first(error)}") from error
    if given.module is None:
        raise DocumentError("input.module: a mode given by its name needs the module type it belongs to")
    if given.module not in types:
        raise DocumentError(f"input.module: “{given.module}” is not one of {', '.join(types)}")
    return types[given.module]


def _first(error: ValidationError) -> str:
    """What is wrong and where, at most three complaints; of alternatives, the one that got furthest."""
    told: dict[str, str] = {}
    for e in error.errors():
        place = ".".join(str(part) for part in e["loc"] if _is_key(part))
        told.setdefault(place, f"{place}: {e['msg'].removeprefix('Value error, ')}" if place else e["msg"])
    deepest = [place for place in told if not any(other.startswith(f"{place}.") for other in told)]
    more = f" (and {len(deepest) - 3} more)" if len(deepest) > 3 else ""
    return "; ".join(told[place] for place in deepest[:3]) + more


def _is_key(part: object) -> bool:
    """Whether a part of a place is a key of the document, not the name of a model among alternatives."""
    return isinstance(part, int) or (
        isinstance(part, str)
        and part.isidentifier()
        and part.islower()
        and part not in ("str", "float", "int", "bool")
    )
