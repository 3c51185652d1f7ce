"""Where channels are: cabinets, racks and modules in physical order, and every address derived from it.

An address of a channel is cabinet · rack · slot · channel. Register addresses follow from the order of the
modules and the registers that each type occupies; nobody types them.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import cached_property

from canaleta.core.modules import ModeTable, ModuleType
from canaleta.core.text import TextError

__all__ = ["SEPARATOR", "Cabinet", "Layout", "Module", "Rack"]

SEPARATOR = "·"


@dataclass(frozen=True)
class Cabinet:
    """A cabinet by its name, as written on its door."""

    id: int
    name: str
    title: str


@dataclass(frozen=True)
class Rack:
    """A rack in a cabinet and how it is reached over Modbus TCP. first_register counts from 0."""

    id: int
    cabinet: int
    name: str
    host: str
    port: int
    unit: int
    period_ms: int
    first_register: int = 0


@dataclass(frozen=True)
class Module:
    """A module in its slot. type_key names its type among the plant's own types."""

    id: int
    rack: int
    slot: int
    type_key: str


@dataclass(frozen=True)
class Layout:
    """The plant's hardware. channel_base: the number of the first channel, 0 or 1, a convention of the plant."""

    cabinets: dict[int, Cabinet]
    racks: dict[int, Rack]
    modules: dict[int, Module]
    types: dict[str, ModuleType]
    channel_base: int = 1
    mode_table: ModeTable = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "mode_table", ModeTable.of(self.types))

    def type_of(self, module: int) -> ModuleType:
        """The module type of a module."""
        return self.types[self.modules[module].type_key]

    def modules_of(self, rack: int) -> list[Module]:
        """The modules of a rack in slot order."""
        return sorted((m for m in self.modules.values() if m.rack == rack), key=lambda m: m.slot)

    @cached_property
    def first_registers(self) -> dict[int, int]:
        """The first register of each module, counted from 0: each follows the one before it in the rack."""
        out: dict[int, int] = {}
        for rack in self.racks.values():
            at = rack.first_register
            for module in self.modules_of(rack.id):
                out[module.id] = at
                at += self.type_of(module.id).register_count
        return out

    @cached_property
    def _module_at(self) -> dict[tuple[str, str, int], Module]:
        out = {}
        for module in self.modules.values():
            rack = self.racks[module.rack]
            out[self.cabinets[rack.cabinet].name.lower(), rack.name.lower(), module.slot] = module
        return out

    def address(self, module: int, channel: int) -> str:
        """The address of a channel (counted from 0) as people write it, with the plant's channel base."""
        found = self.modules.get(module)
        if found is None:
            return ""
        rack = self.racks[found.rack]
        parts = (self.cabinets[rack.cabinet].name, rack.name, found.slot, channel + self.channel_base)
        return SEPARATOR.join(str(part) for part in parts)

    def read_address(self, text: str) -> tuple[int, int]:
        """(module id, channel from 0) of a typed address.

        The last three parts are rack, slot and channel, whatever stands between them; what stands before is
        the cabinet, which may be left out while the plant has one. Raises TextError.
        """
        parts = re.split(r"[\s.·/:-]+", text.strip())
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
        if not 0 <= number < count:
            first = self.channel_base
            raise TextError(
                f"slot {slot} is a {self.type_of(module.id).title} with channels {first} to {first + count - 1}"
            )
        return module.id, number

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
        for module in self.modules:
            return self.address(module, 0)
        return SEPARATOR.join(("cabinet", "rack", "slot", "channel"))


def _bare(text: str) -> str:
    return re.sub(r"[\s.·/:-]+", "-", text.strip()).lower()
