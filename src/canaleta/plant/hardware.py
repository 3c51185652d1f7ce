"""Changing the hardware: cabinets, racks, modules in their order, module types. Previewed, one change set, undone.

Operations are read one after the other against the layout as it is; what they make is one new layout. Points keep
their channels by the module, so moving a module moves nothing else; what loses its channel is named and waits.
"""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import ValidationError
from sqlalchemy import Connection, Engine, func, select

from canaleta.catalogue.types import module_types
from canaleta.core.fields import Landing, Stored
from canaleta.core.image import PlantImage
from canaleta.core.layout import Cabinet, Cable, Layout, Module, Rack, has_channel
from canaleta.core.modules import ModuleType
from canaleta.core.naming import next_name, ruled_address
from canaleta.core.text import TextError, read_number
from canaleta.plant import tables as t
from canaleta.plant.database import take_plant_lock
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.proposals import Applied, Changes, Preview, commit, preview

__all__ = [
    "HardwareChange",
    "HardwareError",
    "Renumbered",
    "change_hardware",
    "plan_hardware",
    "preview_hardware",
    "read_type",
]

LAST_REGISTER = 65_535
MOST_MODULES = 64
_LIMITS = {"port": (1, 65_535), "unit": (0, 255), "period_ms": (50, 3_600_000), "first_register": (0, LAST_REGISTER)}
_NAME = re.compile(r"[^\s·/:.][^·/:.]{0,38}")


OPERATIONS = frozenset(
    (
        "add cabinet", "change", "remove cabinet", "add rack", "remove rack", "add module", "remove module",
        "replace module", "order", "wire", "add cable", "change cable", "remove cable", "put type", "forget type",
    )
)  # fmt: skip
"""What can be done to hardware; docs/hardware.md says what each takes."""


class HardwareError(ValueError):
    """An operation that cannot be done, in words; conflict: somebody changed it meanwhile."""

    def __init__(self, says: str, *, conflict: bool = False) -> None:
        super().__init__(says)
        self.conflict = conflict


@dataclass(frozen=True)
class Renumbered:
    """A channel whose address or register changes while its point stays on it."""

    point: int
    was: str
    becomes: str
    register_was: int
    register: int


@dataclass(frozen=True)
class HardwareChange:
    """What operations make: the layout, the cells of points that follow, who loses a channel, who is renumbered."""

    layout: Layout
    changes: Changes
    freed: tuple[int, ...]
    renumbered: tuple[Renumbered, ...]
    preview: Preview | None = None


def plan_hardware(
    image: PlantImage, operations: Sequence[Mapping[str, Any]], last: Mapping[str, int]
) -> HardwareChange:
    """The layout after the operations. last: the greatest number ever given to a cabinet, rack and module.

    Raises HardwareError; then nothing is changed.
    """
    draft = _Draft(image, dict(last))
    for operation in operations:
        draft.do(operation)
    layout = draft.layout
    _check(layout)
    changes: Changes = {}
    freed = []
    for row, at in enumerate(image.cells["channel"]):
        if isinstance(at, Landing) and not has_channel(layout, at):
            changes[row, "channel"] = None
            freed.append(int(image.ids[row]))
    changes |= _renamed_modes(image, layout, draft.renamed)
    for row, text in enumerate(image.cells["cable"] if draft.recalled else ()):
        if text is not None and (name := draft.recalled.get(str(text).lower())):
            changes[row, "cable"] = name
    return HardwareChange(layout, changes, tuple(freed), _renumbered(image, layout))


def preview_hardware(
    connection: Connection, image: PlantImage, operations: Sequence[Mapping[str, Any]]
) -> HardwareChange:
    """What operations would do, with nothing written. Raises HardwareError."""
    planned = plan_hardware(image, operations, _last(connection))
    return replace(planned, preview=preview(connection, image, planned.changes, planned.layout))


def change_hardware(
    engine: Engine, keeper: PlantKeeper, operations: Sequence[Mapping[str, Any]], who: str, why: str = ""
) -> tuple[Applied, HardwareChange]:
    """Do the operations as one change set. Raises HardwareError; then nothing is written."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = keeper.caught_up(connection)
        planned = plan_hardware(image, operations, _last(connection))
        same = planned.layout == image.layout
        applied = commit(
            connection, image, planned.changes, who, "hardware", why, layout=None if same else planned.layout
        )
    keeper.adopt(applied.image)
    return applied, planned


def read_type(body: Any) -> ModuleType:
    """A module type from a document. Raises HardwareError that names the place."""
    try:
        return ModuleType.model_validate(body)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        says = first["msg"].removeprefix("Value error, ")
        if first["type"] == "string_too_short":
            place, says = "title" if place == "key" else place, "it needs one"
        raise HardwareError(f"{place}: {says}" if place else says) from error


class _Draft:
    """The layout while operations are read."""

    def __init__(self, image: PlantImage, last: dict[str, int]) -> None:
        layout = image.layout
        self._image = image
        self._last = last
        self._base = layout.channel_base
        self.cabinets, self.racks = dict(layout.cabinets), dict(layout.racks)
        self.modules, self.types, self.cables = dict(layout.modules), dict(layout.types), dict(layout.cables)
        self.renamed: dict[str, dict[str, str]] = {}
        self.recalled: dict[str, str] = {}

    @property
    def layout(self) -> Layout:
        """What has been made so far."""
        types = dict(sorted(self.types.items()))
        return Layout(self.cabinets, self.racks, self.modules, types, self._base, self.cables)

    def do(self, operation: Mapping[str, Any]) -> None:
        """Read one operation."""
        _printable(operation)
        name = str(operation.get("do", ""))
        if name not in OPERATIONS:
            raise HardwareError(f"“{operation.get('do')}” is not something that can be done to hardware")
        does = getattr(self, f"_{name.replace(' ', '_')}")
        does({key: value for key, value in operation.items() if key != "do" and value is not None})

    # Cabinets and racks --------------------------------------------------------------------------------------

    def _add_cabinet(self, given: dict[str, Any]) -> None:
        name = given.get("name") or next_name([c.name for c in self.cabinets.values()], "C-1")
        number = self._next("cabinet")
        self.cabinets[number] = Cabinet(number, _name(name), str(given.get("title", ""))[:80])

    def _add_rack(self, given: dict[str, Any]) -> None:
        cabinet = self._found(self.cabinets, given, "cabinet")
        mine = [r for r in self.racks.values() if r.cabinet == cabinet.id]
        name = _name(given.get("name") or next_name([r.name for r in mine]))
        host = given.get("host") or ruled_address(self._image.conventions.address_rule, cabinet.name, name)
        number = self._next("rack")
        self.racks[number] = Rack(
            number, cabinet.id, name, _host(host or "127.0.0.1"), _whole("port", given.get("port", 502)),
            _whole("unit", given.get("unit", 1)), _whole("period_ms", given.get("period_ms", 1000)),
            _whole("first_register", given.get("first_register", 0)), bool(given.get("stand_in", False)),
        )  # fmt: skip

    def _change(self, given: dict[str, Any]) -> None:
        """One field of a cabinet or a rack, with what stood there."""
        kind, field, text = given.get("what"), str(given.get("field")), given.get("text", "")
        parts: dict[int, Any] = self.racks if kind == "rack" else self.cabinets
        part = self._found(parts, given, "id")
        fields = (
            ("name", "host", "port", "unit", "period_ms", "first_register") if kind == "rack" else ("name", "title")
        )
        if field not in fields:
            raise HardwareError(f"a {kind} has no “{field}” that could be changed")
        now = str(getattr(part, field))
        if "was" in given and now != given["was"]:
            raise HardwareError(f"somebody changed it to “{now}” meanwhile", conflict=True)
        value = _whole(field, text) if field in _LIMITS else _host(text) if field == "host" else str(text).strip()
        if field == "name":
            value = _name(value)
        parts[part.id] = replace(part, **{field: value})

    def _remove_rack(self, given: dict[str, Any]) -> None:
        rack = self._found(self.racks, given, "rack")
        for module in [m for m in self.modules.values() if m.rack == rack.id]:
            del self.modules[module.id]
        del self.racks[rack.id]

    def _remove_cabinet(self, given: dict[str, Any]) -> None:
        cabinet = self._found(self.cabinets, given, "cabinet")
        for rack in [r for r in self.racks.values() if r.cabinet == cabinet.id]:
            self._remove_rack({"rack": rack.id})
        del self.cabinets[cabinet.id]

    # Modules -------------------------------------------------------------------------------------------------

    def _add_module(self, given: dict[str, Any]) -> None:
        rack = self._found(self.racks, given, "rack")
        key = str(given.get("type", ""))
        self._takes(key)
        mine = self._in_rack(rack.id)
        number = self._next("module")
        order = [m.id for m in mine]
        order.insert(min(int(given.get("place", len(order))), len(order)), number)
        self.modules[number] = Module(number, rack.id, 0, key)
        self._put_in_order(rack.id, order)

    def _remove_module(self, given: dict[str, Any]) -> None:
        module = self._found(self.modules, given, "module")
        del self.modules[module.id]
        self._put_in_order(module.rack, [m.id for m in self._in_rack(module.rack)])

    def _replace_module(self, given: dict[str, Any]) -> None:
        """Another type in the same place; points keep their channels where it has them."""
        module = self._found(self.modules, given, "module")
        key = str(given.get("type", ""))
        self._takes(key)
        self.modules[module.id] = replace(module, type_key=key)

    def _order(self, given: dict[str, Any]) -> None:
        """The modules of a rack in a new order; one of another rack may come along."""
        rack = self._found(self.racks, given, "rack")
        was, order = given.get("was"), [int(n) for n in given.get("modules", [])]
        now = [m.id for m in self._in_rack(rack.id)]
        if was is not None and [int(n) for n in was] != now:
            raise HardwareError("somebody changed the order of this rack meanwhile", conflict=True)
        if len(set(order)) != len(order) or not set(now) <= set(order) or not set(order) <= self.modules.keys():
            raise HardwareError("the new order must name each module of the rack once", conflict=True)
        homes = {self.modules[n].rack for n in order} - {rack.id}
        self._put_in_order(rack.id, order)
        for home in homes:
            self._put_in_order(home, [m.id for m in self._in_rack(home)])

    def _wire(self, given: dict[str, Any]) -> None:
        """An unused channel's terminals are wired to the strip, or are not any more."""
        module = self._found(self.modules, given, "module")
        channel = int(given.get("channel", -1))
        if not 0 <= channel < self.types[module.type_key].channels:
            raise HardwareError("there is no such channel")
        wired = {*module.wired, channel} if given.get("wired", True) else set(module.wired) - {channel}
        self.modules[module.id] = replace(module, wired=tuple(sorted(wired)))

    # Cables --------------------------------------------------------------------------------------------------

    def _add_cable(self, given: dict[str, Any]) -> None:
        name = _name(given.get("name") or next_name([c.name for c in self.cables.values()], "W-1"))
        number = self._next("cable")
        self.cables[number] = Cable(
            number, name, _cores(given.get("cores", 2)), str(given.get("kind", ""))[:80],
            str(given.get("colours", ""))[:400], _figure("mm2", given.get("mm2")),
            _figure("length_m", given.get("length_m")), str(given.get("begins", ""))[:60], str(given.get("ends", ""))[:60],
        )  # fmt: skip

    def _change_cable(self, given: dict[str, Any]) -> None:
        """Fields of a cable; points follow its name."""
        cable = self._found(self.cables, given, "cable")
        new: dict[str, Any] = {n: given[n] for n in ("kind", "colours", "begins", "ends") if n in given}
        if "name" in given:
            new["name"] = _name(given["name"])
            self.recalled[cable.name.lower()] = new["name"]
        if "cores" in given:
            new["cores"] = _cores(given["cores"])
        new |= {name: _figure(name, given[name]) for name in ("mm2", "length_m") if name in given}
        self.cables[cable.id] = replace(cable, **new)

    def _remove_cable(self, given: dict[str, Any]) -> None:
        cable = self._found(self.cables, given, "cable")
        named = self._image.cells["cable"]
        users = [row for row, text in enumerate(named) if text and str(text).lower() == cable.name.lower()]
        if users:
            raise HardwareError(f"{len(users)} points run through {cable.name}, {self._image.label(users[0])} first")
        del self.cables[cable.id]

    # Types ---------------------------------------------------------------------------------------------------

    def _put_type(self, given: dict[str, Any]) -> None:
        """A new type, or another form of one that is there. renamed: {mode as it was called: as it is called now}."""
        kind = read_type(given.get("body"))
        known = self.types.get(kind.key)
        if known is not None and not given.get("replace"):
            raise HardwareError(
                f"there is a module type “{kind.key}” already: choose another key, or change that one"
            )
        self.types[kind.key] = kind
        if renamed := {str(a): str(b) for a, b in dict(given.get("renamed", {})).items()}:
            self.renamed[kind.key] = renamed

    def _forget_type(self, given: dict[str, Any]) -> None:
        key = str(given.get("type", ""))
        if any(m.type_key == key for m in self.modules.values()):
            raise HardwareError(f"“{key}” stands in a rack: take those modules out first")
        if self.types.pop(key, None) is None:
            raise HardwareError(f"the plant has no module type “{key}”", conflict=True)

    # Small things --------------------------------------------------------------------------------------------

    def _next(self, kind: str) -> int:
        self._last[kind] += 1
        return self._last[kind]

    def _in_rack(self, rack: int) -> list[Module]:
        return sorted((m for m in self.modules.values() if m.rack == rack), key=lambda m: m.place)

    def _put_in_order(self, rack: int, order: Sequence[int]) -> None:
        for place, number in enumerate(order, start=1):
            self.modules[number] = replace(self.modules[number], rack=rack, place=place)

    def _takes(self, key: str) -> None:
        """A type of the catalogue is copied into the plant at its first use."""
        if key not in self.types:
            found = module_types().get(key)
            if found is None:
                raise HardwareError(f"there is no module type “{key}”")
            self.types[key] = found

    @staticmethod
    def _found(parts: Mapping[int, Any], given: Mapping[str, Any], name: str) -> Any:
        part = parts.get(int(given.get(name, 0)))
        if part is None:
            raise HardwareError(f"this {name if name != 'id' else 'part'} is no longer there", conflict=True)
        return part


def _printable(part: Any) -> None:
    """No text anywhere in an operation holds a character that nobody can see or store."""
    if isinstance(part, str) and not part.isprintable():
        raise HardwareError("a text holds characters that cannot be printed")
    if isinstance(part, Mapping):
        for key, value in part.items():
            _printable(key)
            _printable(value)
    elif isinstance(part, list):
        for value in part:
            _printable(value)


def _name(typed: object) -> str:
    name = str(typed).strip()
    if not _NAME.fullmatch(name):
        raise HardwareError(f"“{name}”: a name has 1 to 39 characters and none of · / : .")
    return name


def _host(typed: object) -> str:
    text = str(typed).strip()
    try:
        return str(ipaddress.ip_address(text))
    except ValueError as error:
        raise HardwareError(f"“{text}” is not a network address such as 192.168.10.21") from error


def _cores(typed: object) -> int:
    text = str(typed).strip()
    if not text.isdecimal() or not 1 <= int(text) <= 200:
        raise HardwareError(f"“{text}”: a cable has 1 to 200 cores")
    return int(text)


def _figure(field: str, typed: object) -> float | None:
    if typed is None or not str(typed).strip():
        return None
    try:
        figure = float(read_number(str(typed)))
    except TextError as error:
        raise HardwareError(str(error)) from error
    if not 0 < figure <= 50_000:
        raise HardwareError(f"“{typed}”: {'a length in m' if field == 'length_m' else 'a section in mm²'} is above 0")
    return figure


def _whole(field: str, typed: object) -> int:
    least, most = _LIMITS[field]
    text = str(typed).strip()
    if not text.isdecimal() or not least <= int(text) <= most:
        raise HardwareError(f"“{text}”: {field.replace('_', ' ')} is a whole number from {least} to {most}")
    return int(text)


def _check(layout: Layout) -> None:
    """What a layout must hold to as a whole."""
    names = [c.name.lower() for c in layout.cabinets.values()]
    if twice := [c.name for c in layout.cabinets.values() if names.count(c.name.lower()) > 1]:
        raise HardwareError(f"two cabinets are called {twice[0]}")
    ropes = [c.name.lower() for c in layout.cables.values()]
    if same := [c.name for c in layout.cables.values() if ropes.count(c.name.lower()) > 1]:
        raise HardwareError(f"two cables are called {same[0]}")
    inside = [(r.cabinet, r.name.lower()) for r in layout.racks.values()]
    if doubled := [r for r in layout.racks.values() if inside.count((r.cabinet, r.name.lower())) > 1]:
        raise HardwareError(f"two racks of {layout.cabinets[doubled[0].cabinet].name} are called {doubled[0].name}")
    reached = [(r.host, r.port, r.unit) for r in layout.racks.values() if not r.host.startswith("127.")]
    if shared := [place for place in reached if reached.count(place) > 1]:
        host, port, unit = shared[0]
        raise HardwareError(f"two racks are reached at {host}:{port}, unit {unit}")
    for rack in layout.racks.values():
        modules = layout.modules_of(rack.id)
        if len(modules) > MOST_MODULES:
            raise HardwareError(f"rack {rack.name} would have {len(modules)} modules; {MOST_MODULES} is the most")
        if (
            modules
            and layout.first_registers[modules[-1].id] + layout.type_of(modules[-1].id).register_count > LAST_REGISTER
        ):
            raise HardwareError(f"rack {rack.name} would need registers beyond {LAST_REGISTER}")


def _renamed_modes(image: PlantImage, layout: Layout, renamed: Mapping[str, Mapping[str, str]]) -> Changes:
    """Points follow a mode that is only called something else now."""
    out: dict[tuple[int, str], Stored] = {}
    for row in np.flatnonzero(image.module >= 0).tolist():
        module = layout.modules.get(int(image.module[row]))
        if module and (names := renamed.get(module.type_key)) and (now := names.get(image.text("mode", row))):
            out[row, "mode"] = now
    return out


def _renumbered(image: PlantImage, layout: Layout) -> tuple[Renumbered, ...]:
    before = image.layout
    if before is layout:
        return ()
    out = []
    for row in np.flatnonzero(image.landed).tolist():
        at = image.cells["channel"][row]
        if not has_channel(layout, at):
            continue
        was, becomes = before.address(at.module, at.channel), layout.address(at.module, at.channel)
        registers = before.first_registers[at.module], layout.first_registers[at.module]
        if was != becomes or registers[0] != registers[1]:
            out.append(Renumbered(int(image.ids[row]), was, becomes, *registers))
    return tuple(out)


def _last(connection: Connection) -> dict[str, int]:
    """The greatest number ever given; history speaks of what was taken away, so none is given twice."""
    out = {}
    for kind, table in (("cabinet", t.cabinet), ("rack", t.rack), ("module", t.module), ("cable", t.cable)):
        now = connection.execute(select(func.coalesce(func.max(table.c.id), 0))).scalar_one()
        gone = connection.execute(
            select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == kind)
        ).scalar_one()
        out[kind] = max(int(now), int(gone))
    return out
