"""Operations on hardware, read one after the other into a draft of the layout. Words and numbers as people type
them."""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from canaleta.catalogue.types import module_types
from canaleta.core.model.by_name import MOST_NAME, SECURITIES, read_name
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.model.links import (
    LINKS,
    USUAL_LINE,
    USUAL_PORT,
    Link,
    is_by_name,
    is_serial,
    read_line,
    serial_device,
)
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.naming import next_name, ruled_address
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError, read_number
from canaleta.plant.records.equipment import LAST_REGISTER

__all__ = ["Draft", "HardwareError", "read_type"]

_LIMITS = {"port": (1, 65_535), "unit": (0, 255), "period_ms": (50, 3_600_000), "first_register": (0, LAST_REGISTER),
           "quiet_s": (0, 86_400)}  # fmt: skip
CABINET_FIELDS = ("name", "title", "ambient_degc")
_COLDEST_DEGC, _HOTTEST_DEGC = -60.0, 120.0
RACK_FIELDS = (
    "name", "host", "port", "unit", "period_ms", "first_register", "function", "link", "line", "path", "security",
    "username", "trusted", "quiet_s", "head",
)  # fmt: skip
_NAME = compiled(r"[^\s·/:.][^·/:.]{0,38}")
_FINGERPRINT = compiled(r"[0-9a-f]{64}")
FIRST_STAND_IN_PORT = 15_020
"""Where stand-ins begin to listen; each further one takes the port behind the last."""
OPERATIONS = frozenset(
    (
        "add cabinet", "change", "remove cabinet", "add rack", "remove rack", "add module", "remove module",
        "replace module", "order", "wire", "switch spare", "call", "name channels", "add cable", "change cable", "remove cable", "put type", "forget type",
    )
)  # fmt: skip
"""What can be done to hardware; docs/hardware.md says what each takes."""


class HardwareError(ValueError):
    """An operation that cannot be done, in words. conflict: somebody changed it meanwhile; forbidden: not with this
    right, whatever the words."""

    def __init__(self, says: str, *, conflict: bool = False, forbidden: bool = False) -> None:
        super().__init__(says)
        self.conflict = conflict
        self.forbidden = forbidden


class Draft:
    """The layout while operations are read."""

    def __init__(self, image: PlantImage, last: dict[str, int]) -> None:
        layout = image.layout
        self._image = image
        self._conventions = image.conventions
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
        simulated = bool(given.get("stand_in", False))
        last = max((r.port for r in self.racks.values() if r.stand_in), default=FIRST_STAND_IN_PORT - 1)
        host = given.get("host") or ruled_address(self._conventions.address_rule, cabinet.name, name)
        link = _link(given.get("link", LINKS[0]), simulated)
        port = given.get("port", last + 1 if simulated else USUAL_PORT.get(link, 502))
        number = self._next("rack")
        self.racks[number] = Rack(
            number,
            cabinet.id,
            name,
            _host(host or "127.0.0.1", link),
            _whole("port", port),
            _whole("unit", given.get("unit", 1)),
            _whole("period_ms", given.get("period_ms", 1000)),
            _whole("first_register", given.get("first_register", 0)),
            simulated,
            _function(given.get("function", "input")),
            link,
            _line(given.get("line", USUAL_LINE)),
            _path(given.get("path", ""), link),
            _security(given.get("security", SECURITIES[0]), link),
            _short_text("user name", given.get("username", ""), 80),
            quiet_s=_whole("quiet_s", given.get("quiet_s", 0)),
        )

    def _change(self, given: dict[str, Any]) -> None:
        """One field of a cabinet or a rack, with what stood there."""
        kind, field, text = given.get("what"), str(given.get("field")), given.get("text", "")
        parts: dict[int, Any] = self.racks if kind == "rack" else self.cabinets
        part = self._found(parts, given, "id")
        fields = RACK_FIELDS if kind == "rack" else CABINET_FIELDS
        if field not in fields:
            raise HardwareError(f"a {kind} has no “{field}” that could be changed")
        stands = getattr(part, field)
        now = "" if stands is None else f"{stands:g}" if isinstance(stands, float) else str(stands)
        if "was" in given and now != given["was"]:
            raise HardwareError(f"somebody changed it to “{now}” meanwhile", conflict=True)
        value, moves = _changed(part, field, text), False
        if field == "link":
            before, part = part, _relinked(part, value, str(given.get("host", "")))
            moves = part.host != before.host or before.by_name or is_by_name(value)
            if before.by_name:
                # What something is called in one place means nothing in another.
                for module in [m for m in self.modules.values() if m.rack == part.id]:
                    self.modules[module.id] = replace(module, names=())
        if field in ("link", "line") and not moves:
            # A port or a gateway works one way for all that hang on it.
            for other in [r for r in self.racks.values() if self._shares_way(r, part)]:
                other_way: dict[str, Any] = {field: value}
                parts[other.id] = replace(other, **other_way)
        parts[part.id] = replace(part, **{field: value})

    @staticmethod
    def _shares_way(one: Rack, other: Rack) -> bool:
        return not one.stand_in and (one.link, one.reached_at) == (other.link, other.reached_at)

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
        # Where nobody says otherwise it comes last, but not behind what ends the bus.
        last = next((k for k, m in enumerate(mine) if self.types[m.type_key].ends_bus), len(order))
        order.insert(min(int(given.get("place", last)), len(order)), number)
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
        self._nothing_behind_an_end(module.rack)

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

    def _switch_spare(self, given: dict[str, Any]) -> None:
        """An unused channel is switched off, or on again."""
        module = self._found(self.modules, given, "module")
        channel = int(given.get("channel", -1))
        if not 0 <= channel < self.types[module.type_key].channels:
            raise HardwareError("there is no such channel")
        off = {*module.off, channel} if given.get("off", True) else set(module.off) - {channel}
        self.modules[module.id] = replace(module, off=tuple(sorted(off)))

    def _wire(self, given: dict[str, Any]) -> None:
        """An unused channel's terminals are wired to the strip, or are not any more."""
        module = self._found(self.modules, given, "module")
        channel = int(given.get("channel", -1))
        if not 0 <= channel < self.types[module.type_key].channels:
            raise HardwareError("there is no such channel")
        wired = {*module.wired, channel} if given.get("wired", True) else set(module.wired) - {channel}
        self.modules[module.id] = replace(module, wired=tuple(sorted(wired)))

    def _call(self, given: dict[str, Any]) -> None:
        """What people call a module and say about it, or about one of its channels; and which firmware it is to have."""
        module = self._found(self.modules, given, "module")
        new: dict[str, Any] = {}
        if "label" in given:
            new["label"] = _short_text("name", given["label"], 40)
        if "comment" in given:
            new["comment"] = _short_text("comment", given["comment"], 400)
        if "remark" in given:
            channel = self._channel(module, given)
            new["remarks"] = _with(module.remarks, channel, _short_text("comment", given["remark"], 200))
        if "firmware" in given:
            new["firmware"] = _short_text("firmware", given["firmware"], 40)
        self.modules[module.id] = replace(module, **new)

    def _name_channels(self, given: dict[str, Any]) -> None:
        """What some channels are called at their rack, from a channel on; "" for none."""
        module = self._found(self.modules, given, "module")
        link, names = self.racks[module.rack].link, module.names
        if not is_by_name(link):
            raise HardwareError(f"a rack that is reached by {link} has registers, and no names")
        first = self._channel(module, given)
        typed = [str(name) for name in given.get("names", [])]
        if first + len(typed) > self.types[module.type_key].channels:
            raise HardwareError(
                f"{len(typed)} names from channel {first + self._base} on are more than the module has"
            )
        for channel, text in enumerate(typed, start=first):
            try:
                names = _with(names, channel, read_name(link, text))
            except TextError as error:
                raise HardwareError(str(error)) from error
        self.modules[module.id] = replace(module, names=names)

    def _channel(self, module: Module, given: Mapping[str, Any]) -> int:
        channel = int(given.get("channel", -1))
        if not 0 <= channel < self.types[module.type_key].channels:
            raise HardwareError("there is no such channel")
        return channel

    # Cables --------------------------------------------------------------------------------------------------

    def _add_cable(self, given: dict[str, Any]) -> None:
        name = _name(given.get("name") or next_name([c.name for c in self.cables.values()], "W-1"))
        number = self._next("cable")
        self.cables[number] = Cable(
            number,
            name,
            _cores(given.get("cores", 2)),
            str(given.get("kind", ""))[:80],
            str(given.get("colours", ""))[:400],
            _figure("mm2", given.get("mm2")),
            _figure("length_m", given.get("length_m")),
            str(given.get("begins", ""))[:60],
            str(given.get("ends", ""))[:60],
        )

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
        self._nothing_behind_an_end(rack)

    def _nothing_behind_an_end(self, rack: int) -> None:
        mine = self._in_rack(rack)
        ends = [k for k, m in enumerate(mine) if self.types[m.type_key].ends_bus]
        if ends and ends[0] < len(mine) - 1:
            behind, end = mine[ends[0] + 1], mine[ends[0]]
            raise HardwareError(
                f"{self.types[behind.type_key].title} would stand behind {self.types[end.type_key].title}, the end of the "
                f"bus, and never be read: put it before place {end.place}"
            )

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


def _function(given: Any) -> str:
    """Which registers a rack's channels stand in. Raises HardwareError."""
    text = str(given).strip().lower()
    if text not in ("input", "holding"):
        raise HardwareError(f"“{given}”: the channels stand in input or in holding registers")
    return text


def _link(given: Any, stand_in: bool) -> Link:
    """The way to a rack. Raises HardwareError."""
    found = next((link for link in LINKS if link.lower() == str(given).strip().lower()), None)
    if found is None:
        raise HardwareError(f"“{given}”: a rack is reached by {', '.join(LINKS[:-1])} or {LINKS[-1]}")
    if stand_in and found != LINKS[0] and not is_by_name(found):
        raise HardwareError(
            f"a stand-in answers {LINKS[0]}, OPC UA or MQTT: a rack that is reached by {found} is a real one"
        )
    return found


def _ambient(typed: str) -> float | None:
    """Degrees inside a cabinet as typed, with or without the unit; None for nothing. Raises HardwareError."""
    if not typed:
        return None
    try:
        degc = float(read_number(typed.removesuffix("°C")))
    except TextError as error:
        raise HardwareError(f"“{typed}” is no temperature: write degrees Celsius, as in 45") from error
    if not _COLDEST_DEGC <= degc <= _HOTTEST_DEGC:
        raise HardwareError(
            f"a cabinet is between {_COLDEST_DEGC:g} and {_HOTTEST_DEGC:g} °C warm inside, and {degc:g} was typed"
        )
    return degc


def _changed(part: Cabinet | Rack, field: str, text: Any) -> Any:
    """A new value of a field of a rack or a cabinet, as typed. Raises HardwareError."""
    typed = str(text).strip()
    if field in _LIMITS:
        return _whole(field, text)
    if field == "name":
        return _name(typed)
    if field == "ambient_degc":
        return _ambient(typed)
    if not isinstance(part, Rack):
        return typed
    match field:
        case "host":
            return _host(text, part.link)
        case "function":
            return _function(typed)
        case "line":
            return _line(typed)
        case "path":
            return _path(typed, part.link)
        case "security":
            return _security(typed, part.link)
        case "username":
            return _short_text("user name", typed, 80)
        case "head":
            return _short_text("head", typed, 200)
        case "link":
            return _link(typed, part.stand_in)
    if typed and not _FINGERPRINT.fullmatch(typed):
        raise HardwareError(f"“{typed[:20]}” is no SHA-256 of a certificate: 64 hexadecimal digits")
    return typed


def _relinked(rack: Rack, link: str, host: str) -> Rack:
    """A rack before it is reached another way: with an address, a port and a protection that are of that way."""
    # What names a port of the machine names nothing in a network, and the other way round.
    host = _host(host or rack.host, link)
    usual = {USUAL_PORT.get(known, 502) for known in LINKS}
    port = USUAL_PORT.get(link, 502) if rack.port in usual and not is_serial(link) else rack.port
    security = rack.security if rack.security in _securities(link) else SECURITIES[0]
    return replace(rack, host=host, port=port, security=security)


def _path(given: Any, link: str) -> str:
    """Of an endpoint, behind its port, or the topics that one looks through. Raises HardwareError."""
    text = _short_text("path", given, MOST_NAME)
    if any(character.isspace() for character in text):
        raise HardwareError(f"“{text[:60]}”: a path has no spaces")
    return f"/{text}" if link == "OPC UA" and text and not text.startswith("/") else text


def _securities(link: str) -> tuple[str, ...]:
    if link == "MQTT":
        return ("none", "TLS")
    return tuple(one for one in SECURITIES if one != "TLS") if link == "OPC UA" else ("none",)


def _security(given: Any, link: str) -> Any:
    """How a connection is protected. Raises HardwareError."""
    known = _securities(link)
    found = next((one for one in known if one.lower() == str(given).strip().lower()), None)
    if found is None:
        raise HardwareError(f"“{given}”: over {link} a connection is protected by {' or '.join(known)}")
    return found


def _short_text(name: str, given: Any, most: int) -> str:
    text = str(given).strip()
    if len(text) > most:
        raise HardwareError(f"“{text[:40]}…”: a {name} has {most} characters at most")
    return text


def _with(texts: tuple[str, ...], at: int, text: str) -> tuple[str, ...]:
    """Texts of channels with one of them changed; what is empty at the end is left out."""
    out = list(texts) + [""] * (at + 1 - len(texts))
    out[at] = text
    while out and not out[-1]:
        out.pop()
    return tuple(out)


def _line(given: Any) -> str:
    try:
        return str(read_line(str(given)))
    except TextError as error:
        raise HardwareError(str(error)) from error


def _host(typed: object, link: str) -> str:
    text = str(typed).strip()
    if is_serial(link):
        try:
            return serial_device(text)
        except TextError as error:
            raise HardwareError(str(error)) from error
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
