"""A project file read as far as it can be: what the schema refuses is left out and named, the rest is audited.

Nothing of it is loaded: a plant is read whole or not at all (project.py). What is left out is never put in the place of
something else that a rule would then speak of: a module type of which one part is refused goes as a whole, with
its modules, and points on them are held to have no channel.
"""

from __future__ import annotations

import copy
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from canaleta.core.model.fields import STORED, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.rules import Finding
from canaleta.core.rules.rule import rule_named
from canaleta.exchange.project import VERSION, Project, ProjectError, image_from, layout_of_project
from canaleta.plant.changes.seed import stored_row

__all__ = ["LeftOut", "read_in_part", "said_of_what_was_read"]

PASSES = 40
"""How often the schema is asked: what is taken out may lay bare something else."""
_USUAL = {"port": 502, "unit": 1}
_WHOLE = ("module_types", "typicals", "instruments", "packages", "views", "waivers", "cables")
"""Lists whose items go as a whole."""


@dataclass(frozen=True)
class LeftOut:
    """A part of the file that was not read. place: where it stands, as in "cabinets.0.racks.2.modules.3"; kind: what
    the schema calls the trouble; says: it in words, with what it is called in the plant where that is known. point,
    field: the cell of a point that it is, counted from 1."""

    place: str
    kind: str
    says: str
    point: int = 0
    field: str = ""


def said_of_what_was_read(findings: Sequence[Finding], left: Sequence[LeftOut]) -> list[Finding]:
    """The findings without those that rest on a cell which was not read: a range of which one end was refused is no half
    range."""
    lost = {(one.point, one.field) for one in left if one.point}
    return [
        f
        for f in findings
        if not any((point, name) in lost for point in f.points for name in rule_named(f.rule).reads)
    ]


def read_in_part(document: Any) -> tuple[Project, PlantImage, list[LeftOut]]:
    """A project from a parsed document, its plant, and what of it was left out. Raises ProjectError for what is no
    project at all."""
    if not isinstance(document, dict) or document.get("format") != "canaleta project":
        raise ProjectError("this is no project file: its “format” is not “canaleta project”")
    body: dict[str, Any] = copy.deepcopy(document)
    left: list[LeftOut] = []
    if body.get("version") != VERSION:
        says = f"the file is of version {_word(body.get('version'))}; it was read as version {VERSION}"
        left.append(LeftOut("version", "version", says))
        body["version"] = VERSION
    for name in ("module_types", "cabinets", "points"):
        if not isinstance(body.get(name), list):
            left.append(LeftOut(name, "missing", f"“{name}” is no list: nothing of it was read"))
            body[name] = []
    if not isinstance(body.get("name"), str) or not body["name"].strip():
        left.append(LeftOut("name", "missing", "the plant has no name"))
        body["name"] = "a plant without a name"
    stood = _points(body, left)
    for _ in range(PASSES):
        try:
            _together(body, left)
            project = Project.model_validate(body)
        except ValidationError as error:
            _take_out(body, error, left)
            continue
        image = image_from(project, _rows(project, stood, left))
        return project, image, left
    raise ProjectError("too much of the file is refused by the schema: export it again")


def _points(body: dict[str, Any], left: list[LeftOut]) -> list[int]:
    """Points are texts by field: what is none of both goes, cell by cell. Places of others follow those that stay. Returns
    where each that stays stood in the file, from 0."""
    fields = {f.name for f in STORED}
    kept: list[dict[str, str]] = []
    number_of: dict[int, int] = {}
    for number, point in enumerate(body["points"], start=1):
        place = f"points.{number - 1}"
        if not isinstance(point, dict) or not str(point.get("tag") or "").strip():
            left.append(LeftOut(place, "missing", f"point {number} has no tag"))
            continue
        out: dict[str, str] = {}
        for name, value in point.items():
            if name not in fields:
                left.append(
                    LeftOut(f"{place}.{name}", "unknown field", f"{point['tag']}: there is no field “{_word(name)}”")
                )
            elif isinstance(value, str | int | float) and not isinstance(value, bool):
                out[name] = str(value)
            elif value is not None:
                left.append(
                    LeftOut(f"{place}.{name}", "no text", f"{point['tag']}, {name}: {_word(value)} is no text")
                )
        kept.append(out)
        number_of[number] = len(kept)
    body["points"] = kept
    wishes = body.get("wishes")
    if isinstance(wishes, list):
        body["wishes"] = [number_of[n] for n in wishes if isinstance(n, int) and n in number_of]
    return [number - 1 for number in number_of]


def _together(body: dict[str, Any], left: list[LeftOut]) -> None:
    """What the schema asks of parts against each other: modules of known types, cables of different names, fields of
    typicals."""
    known = {kind.get("key") for kind in body["module_types"] if isinstance(kind, dict)}
    for c, cabinet in enumerate(_dicts(body["cabinets"])):
        for r, rack in enumerate(_dicts(cabinet.get("racks"))):
            modules = rack.get("modules")
            if not isinstance(modules, list):
                continue
            for m, module in reversed(list(enumerate(modules))):
                if isinstance(module, dict) and module.get("type") not in known:
                    where = f"{_word(cabinet.get('name'))} rack {_word(rack.get('name'))} slot {_word(module.get('slot'))}"
                    place = f"cabinets.{c}.racks.{r}.modules.{m}"
                    left.append(LeftOut(place, "unknown type", f"{where}: no type “{_word(module.get('type'))}”"))
                    del modules[m]
    fields = {f.name for f in STORED}
    for n, typical in enumerate(_dicts(body.get("typicals"))):
        cells = typical.get("cells")
        if not isinstance(cells, dict):
            continue
        for name in [name for name in cells if name not in fields]:
            says = f"typical {_word(typical.get('name'))}: there is no field “{_word(name)}”"
            left.append(LeftOut(f"typicals.{n}.cells.{name}", "unknown field", says))
            del cells[name]
    names: set[str] = set()
    cables = body.get("cables")
    if not isinstance(cables, list):
        return
    for n, cable in reversed(list(enumerate(cables))):
        name = str(cable.get("name", "")).lower() if isinstance(cable, dict) else ""
        if name in names:
            left.append(LeftOut(f"cables.{n}", "twice", f"two cables are called {_word(name)}"))
            del cables[n]
        names.add(name)


def _word(value: object) -> str:
    """What stands in the file, as a sentence names it."""
    text = " ".join(str(value).split())
    return text if len(text) <= 40 else f"{text[:39]}…"


def _dicts(value: Any) -> list[dict[str, Any]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def _take_out(body: dict[str, Any], error: ValidationError, left: list[LeftOut]) -> None:
    """Take out what the schema refuses; from the back, so that places stay what they are."""
    gone: set[tuple[str | int, ...]] = set()
    for one in sorted(error.errors(), key=lambda e: tuple(map(str, e["loc"]))):
        path = _standing(body, one["loc"], one["type"] == "missing")
        if not path or path in gone or any(path[:n] in gone for n in range(1, len(path))):
            continue
        gone.add(path)
        place = ".".join(map(str, path))
        says = f"{_called(body, path)}{one['msg'].removeprefix('Value error, ')}"
        left.append(LeftOut(place, one["type"], f"{place}: {says}"))
    for path in sorted(gone, key=lambda p: [(isinstance(k, str), k if isinstance(k, str) else -k) for k in p]):
        _remove(body, path)


def _standing(body: Any, loc: Sequence[str | int], missing: bool) -> tuple[str | int, ...]:
    """The part of the file that a place of the schema is about: an item of a list as a whole where it cannot be without
    what is wrong."""
    path: list[str | int] = []
    at: Any = body
    for key in loc:
        try:
            at = at[key]
        except (KeyError, IndexError, TypeError):
            # The schema's place has parts that the file has not: which of several kinds it took a part for.
            continue
        path.append(key)
    if path and path[0] in _WHOLE and len(path) >= 2:
        return tuple(path[:2])
    if missing:
        while path and not isinstance(path[-1], int):
            path.pop()
    return tuple(path)


def _called(body: Any, path: Sequence[str | int]) -> str:
    """What the parts on the way are called: "KC-1 rack 2: "."""
    names = []
    at: Any = body
    for key in path:
        at = at[key]
        if isinstance(at, dict) and (name := at.get("key") or at.get("name") or at.get("tag")):
            names.append(_word(name))
    return f"{' '.join(names)}: " if names else ""


def _remove(body: Any, path: Sequence[str | int]) -> None:
    *way, last = path
    at = body
    for key in way:
        at = at[key]
    if len(path) == 5 and path[0] == "cabinets" and last in _USUAL:
        # A rack without its address still holds its modules.
        at[last] = _USUAL[str(last)]
        return
    if len(path) == 5 and path[0] == "cabinets" and last == "host":
        at[last] = f"left-out-{path[1]}-{path[3]}.invalid"
        return
    del at[last]


def _rows(project: Project, stood: Sequence[int], left: list[LeftOut]) -> list[dict[str, Stored]]:
    empty = PlantImage.of_rows([{}], layout_of_project(project), project.conventions)
    rows = []
    for number, point in enumerate(project.points):
        try:
            rows.append(stored_row(empty, point))
        except TextError:
            out: dict[str, Stored] = {}
            for name, text in point.items():
                try:
                    out |= stored_row(empty, {name: text})
                except TextError as error:
                    says = f"{point['tag']}, {name}: {error}"
                    left.append(LeftOut(f"points.{stood[number]}.{name}", "cell", says, number + 1, name))
            rows.append(out)
    return rows
