"""Where channels are: cabinets, racks and modules in physical order, and every address derived from it.

An address of a channel is cabinet · rack · slot · channel. Register addresses follow from the order of the
modules and the registers that each type occupies; nobody types them.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.by_name import SECURITIES, Security
from canaleta.core.model.fields import Landing
from canaleta.core.model.links import LINKS, USUAL_LINE, Link, is_by_name, is_serial
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table, table_of_function
from canaleta.core.notation.text import TextError

_APART = str.maketrans(dict.fromkeys(".·/:-", " "))
"""What may stand between the parts of an address."""

__all__ = ["SEPARATOR", "Cabinet", "Cable", "Layout", "Module", "Rack", "has_channel"]

SEPARATOR = "·"


@dataclass(frozen=True)
class Cabinet:
    """A cabinet by its name, as written on its door. ambient_degc: how warm it is inside, None where the plant's convention
    counts."""

    id: int
    name: str
    title: str
    ambient_degc: float | None = None


@dataclass(frozen=True)
class Rack:
    """A rack in a cabinet and how it is reached over Modbus. first_register counts from 0; function: whether its
    channels stand in "input" registers (function code 4) or in "holding" registers (3). link: see core.model.links; on a
    serial port `host` is its device file, and line says how it works.

    Of a rack by name alone: path, of an OPC UA server's endpoint, or the topics that a broker is asked for when one
    looks for names; security: how the connection is protected; username: "" for none; trusted: SHA-256 of the
    certificate that a server must show, "" for any; quiet_s: after how long without a message a topic's last word is no
    value any more, 0 for as long as the connection stands.

    head: what its head is to say of itself, its maker, what it is and its firmware; "" where nobody noted it.
    """

    id: int
    cabinet: int
    name: str
    host: str
    port: int
    unit: int
    period_ms: int
    first_register: int = 0
    stand_in: bool = False
    function: str = "input"
    link: Link = LINKS[0]
    line: str = USUAL_LINE
    path: str = ""
    security: Security = SECURITIES[0]
    username: str = ""
    trusted: str = ""
    quiet_s: int = 0
    head: str = ""

    @property
    def by_name(self) -> bool:
        """Whether its channels have names there, and no registers."""
        return is_by_name(self.link)

    @property
    def reached_at(self) -> str:
        """Where it is reached, in words: an address and a port, or a serial port and how it works."""
        if is_serial(self.link):
            return f"{self.host}, {self.line}"
        return f"{self.host}:{self.port}{self.path if self.link == 'OPC UA' else ''}"


@dataclass(frozen=True)
class Module:
    """A module in its place on the rail, counted from the left. type_key names its type among the plant's own.

    wired: unused channels, from 0, whose terminals are wired to the strip already. off: unused channels that are switched off.
    names: what each channel is called
    where its rack is reached by name, "" for none; shorter than the channels where the rest have none. label, comment:
    what people call the module and say about it. remarks: of channels, in the same way. firmware: the one that it is to
    have, "" where nobody noted it.
    """

    id: int
    rack: int
    place: int
    type_key: str
    wired: tuple[int, ...] = ()
    names: tuple[str, ...] = ()
    label: str = ""
    comment: str = ""
    remarks: tuple[str, ...] = ()
    off: tuple[int, ...] = ()
    firmware: str = ""

    def name_of(self, channel: int) -> str:
        """What a channel is called at its rack."""
        return self.names[channel] if channel < len(self.names) else ""

    def remark_of(self, channel: int) -> str:
        """What people say about a channel."""
        return self.remarks[channel] if channel < len(self.remarks) else ""


@dataclass(frozen=True)
class Cable:
    """A cable by the name on its ends. kind: what it is made as; colours: its cores' colours in order, with commas,
    empty for numbered cores; mm2: of a core, length_m: one way, None where unknown; begins, ends: places."""

    id: int
    name: str
    cores: int
    kind: str = ""
    colours: str = ""
    mm2: float | None = None
    length_m: float | None = None
    begins: str = ""
    ends: str = ""

    def core(self, number: int) -> str:
        """How a core, counted from 1, is told from the others: its colour, or its number."""
        colours = [part.strip() for part in self.colours.split(",") if part.strip()]
        return colours[number - 1] if 0 < number <= len(colours) else str(number)


@dataclass(frozen=True)
class Layout:
    """The plant's hardware. channel_base: the number of the first channel, 0 or 1, a convention of the plant."""

    cabinets: dict[int, Cabinet]
    racks: dict[int, Rack]
    modules: dict[int, Module]
    types: dict[str, ModuleType]
    channel_base: int = 1
    cables: dict[int, Cable] = field(default_factory=dict)
    mode_table: ModeTable = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "mode_table", ModeTable.of(self.types))

    def type_of(self, module: int) -> ModuleType:
        """The module type of a module."""
        return self.types[self.modules[module].type_key]

    def type_at(self, module: int, channel: int, mode: str = "") -> ModuleType:
        """The type of a module as one of its channels has it, from 0; see ModuleType.at_channel."""
        return self.type_of(module).at_channel(channel, mode)

    def modules_of(self, rack: int) -> list[Module]:
        """The modules of a rack in the order they sit, passive items among them."""
        return self._in_order.get(rack, [])

    @cached_property
    def _type_code(self) -> NDArray[np.int32]:
        codes = {key: code for code, key in enumerate(self.types)}
        out = np.full(max(self.modules, default=0) + 1, -1, dtype=np.int32)
        for number, module in self.modules.items():
            out[number] = codes[module.type_key]
        return out

    def type_codes(self, modules: NDArray[np.int64]) -> NDArray[np.int32]:
        """The place of each module's type among the types, (n,); -1 for no module."""
        known = (modules >= 0) & (modules < len(self._type_code))
        return np.where(known, self._type_code[np.where(known, modules, 0)], -1).astype(np.int32)

    @cached_property
    def warm_cabinets(self) -> bool:
        """Whether any cabinet says itself how warm it is inside."""
        return any(cabinet.ambient_degc is not None for cabinet in self.cabinets.values())

    @cached_property
    def _in_order(self) -> dict[int, list[Module]]:
        out: dict[int, list[Module]] = {}
        for module in sorted(self.modules.values(), key=lambda m: (m.rack, m.place)):
            out.setdefault(module.rack, []).append(module)
        return out

    @cached_property
    def rack_numbers(self) -> dict[int, int]:
        """The number of each rack in the plant, from 1 in the order of cabinets and of racks in them."""
        order = sorted(self.racks.values(), key=lambda r: (r.cabinet, r.id))
        return {rack.id: number for number, rack in enumerate(order, start=1)}

    @cached_property
    def slots(self) -> dict[int, int]:
        """The slot of each module, counted from 1 across whatever takes a slot; 0 for what takes none."""
        out: dict[int, int] = {}
        for modules in self._in_order.values():
            slot = 0
            for module in modules:
                counts = self.types[module.type_key].takes_slot
                slot += counts
                out[module.id] = slot if counts else 0
        return out

    @cached_property
    def first_registers(self) -> dict[int, int]:
        """The first place of each module in the table of its rack's channels, counted from 0: each follows the one
        before it in the rack."""
        out: dict[int, int] = {}
        for rack in self.racks.values():
            at, table = rack.first_register, table_of_function(rack.function)
            for module in self.modules_of(rack.id):
                out[module.id] = at
                at += self.type_of(module.id).extents(rack.function).get(table, 0)
        return out

    @cached_property
    def first_settings(self) -> dict[int, int]:
        """The first holding register of each module, counted from 0: its own number, then its settings."""
        out: dict[int, int] = {}
        for rack in self.racks.values():
            at = 0
            for module in self.modules_of(rack.id):
                out[module.id] = at
                at += self.type_of(module.id).setting_count
        return out

    def first_places(self, rack: int) -> dict[int, dict[Table, int]]:
        """{module: {table: first place}} of a rack. In the table of the rack's channels the first module begins where
        the rack says; in all others at 0. In each a module follows the one before it."""
        at = dict.fromkeys(Table, 0)
        at[table_of_function(self.racks[rack].function)] = self.racks[rack].first_register
        out = {}
        for module in self.modules_of(rack):
            out[module.id] = dict(at)
            for table, count in self.type_of(module.id).extents(self.racks[rack].function).items():
                at[table] += count
        return out

    @cached_property
    def _module_at(self) -> dict[tuple[str, str, int], Module]:
        out = {}
        for module in self.modules.values():
            rack = self.racks[module.rack]
            if slot := self.slots[module.id]:
                out[self.cabinets[rack.cabinet].name.lower(), rack.name.lower(), slot] = module
        return out

    @cached_property
    def _modules_written(self) -> dict[str, tuple[int, int]]:
        """(module id, its channels) by where it sits, as `address` writes it: most addresses are read so."""
        last = f"{SEPARATOR}{self.channel_base}"
        return {self.address(n, 0).removesuffix(last): (n, self.type_of(n).channels) for n in self.modules}

    def address(self, module: int, channel: int) -> str:
        """The address of a channel (counted from 0) as people write it, with the plant's channel base."""
        found = self.modules.get(module)
        if found is None:
            return ""
        rack = self.racks[found.rack]
        parts = (self.cabinets[rack.cabinet].name, rack.name, self.slots[module], channel + self.channel_base)
        return SEPARATOR.join(str(part) for part in parts)

    def read_address(self, text: str) -> tuple[int, int]:
        """(module id, channel from 0) of a typed address.

        The last three parts are rack, slot and channel, whatever stands between them; what stands before is
        the cabinet, which may be left out while the plant has one. Raises TextError.
        """
        head, _, last = text.strip().rpartition(SEPARATOR)
        if (written := self._modules_written.get(head)) and last.isdecimal() and len(last) < 5:
            number = int(last) - self.channel_base
            if 0 <= number < written[1]:
                return written[0], number
        parts = text.translate(_APART).split()
        if len(parts) < 3:
            raise TextError(f"“{text.strip()}” is not a channel: write it as {self._example()}")
        *name, rack, slot, channel = parts
        if not (slot.isdecimal() and channel.isdecimal() and len(slot) < 5 and len(channel) < 5):
            raise TextError(f"“{text.strip()}”: slot and channel are whole numbers, as in {self._example()}")
        cabinet = self._cabinet("-".join(name), text.strip())
        module = self._module_at.get((cabinet.name.lower(), rack.lower(), int(slot)))
        if module is None:
            raise TextError(f"there is no slot {slot} in rack {rack} of {cabinet.name}")
        number = int(channel) - self.channel_base
        count = self.type_of(module.id).channels
        if not count:
            raise TextError(f"slot {slot} is a {self.type_of(module.id).title}, which has no channels")
        if not 0 <= number < count:
            first = self.channel_base
            raise TextError(
                f"slot {slot} is a {self.type_of(module.id).title} with channels {first} to {first + count - 1}"
            )
        return module.id, number

    @cached_property
    def cable_named(self) -> dict[str, Cable]:
        """Cables by their names in lower case."""
        return {cable.name.lower(): cable for cable in self.cables.values()}

    @cached_property
    def _cabinet_named(self) -> dict[str, Cabinet]:
        return {_bare(cabinet.name): cabinet for cabinet in self.cabinets.values()}

    def _cabinet(self, name: str, typed: str) -> Cabinet:
        if not name and len(self.cabinets) == 1:
            return next(iter(self.cabinets.values()))
        if found := self._cabinet_named.get(_bare(name)):
            return found
        known = ", ".join(sorted(c.name for c in self.cabinets.values())) or "none yet"
        raise TextError(f"“{typed}”: the plant's cabinets are {known}")

    def _example(self) -> str:
        for module in self.modules.values():
            if self.types[module.type_key].channels:
                return self.address(module.id, 0)
        return SEPARATOR.join(("cabinet", "rack", "slot", "channel"))


def has_channel(layout: Layout, at: Landing) -> bool:
    """Whether a layout has the channel of a landing."""
    return at.module in layout.modules and at.channel < layout.type_of(at.module).channels


def _bare(text: str) -> str:
    return "-".join(text.translate(_APART).split()).lower()
