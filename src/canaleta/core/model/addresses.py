"""Every address of a channel, derived from where it is: place and bit in a table of Modbus, IEC 61131-3 direct
address."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.layout import Layout
from canaleta.core.model.register_tables import Table, written_place
from canaleta.core.model.registers import RackMap

__all__ = ["Addresses", "addresses_at", "addresses_of"]

_LENGTH = {1: "W", 2: "D", 4: "L"}
"""Letters of IEC 61131-3, table 16, for one register, two and four."""


@dataclass(frozen=True)
class Addresses:
    """Addresses of one channel. table: that it stands in. register: the place there, from 0; bit: in that register
    from 0, -1 for the whole word, and in a table of bits.

    number: the same place as documents that count from 1 write it. direct: of IEC 61131-3, with the rack's number
    before the register, as its hierarchical addresses allow. name: what it is called at a rack that has no registers;
    register is then the place of the channel in the rack. by_name: whether it is such a rack.
    """

    table: Table
    register: int
    bit: int
    number: int
    direct: str
    name: str = ""
    by_name: bool = False

    @property
    def short(self) -> str:
        """As a column of a list has it: “12”, “12.3”, or a name."""
        if self.by_name:
            return self.name
        return f"{self.register}.{self.bit}" if self.bit >= 0 else str(self.register)

    @property
    def words(self) -> str:
        """Place and bit in every way that manuals number them."""
        if self.by_name:
            return self.name or "no name at the rack yet"
        bit = f", bit {self.bit} (the {_ordinal(self.bit + 1)})" if self.bit >= 0 else ""
        hexadecimal, tabled = (
            written_place(self.table, self.register, style) for style in ("hexadecimal", "with the table's digit")
        )
        one = "place" if self.table.of_bits else "register"
        return f"{one} {self.register} from 0, {self.number} from 1, {hexadecimal}, {tabled}{bit}"

    @property
    def told(self) -> str:
        """Table, place and bit in short: “input register 12, bit 3”, counted from 0; or the name."""
        if self.by_name:
            return self.words
        return f"{self.table.one} {self.register}" + (f", bit {self.bit}" if self.bit >= 0 else "")

    @property
    def told_fully(self) -> str:
        """The same with what it counts from: “input register 12, bit 3 (from 0)”."""
        return self.told if self.by_name else f"{self.told} (from 0)"


def addresses_of(layout: Layout, rack_map: RackMap, module: int, channel: int, mode: str = "") -> Addresses:
    """The addresses of a channel, counted from 0, of the number that its mode reads. rack_map: of the rack it is in. Raises
    IndexError if it has none."""
    chosen = layout.type_of(module).mode_named(mode) if mode else None
    return addresses_at(layout, rack_map, rack_map.row_of(module, channel, chosen.reads if chosen else ""))


def addresses_at(layout: Layout, rack_map: RackMap, at: int) -> Addresses:
    """The addresses of the channel in one row of a rack's map."""
    (table, register, bit), module = rack_map.place_at(at), int(rack_map.modules[at])
    kind = layout.type_at(module, int(rack_map.channels[at]))
    rack = layout.rack_numbers[layout.modules[module].rack]
    side = "Q" if kind.direction == "out" else "I"
    if rack_map.names:
        return Addresses(table, at, -1, at + 1, "", rack_map.names[at], by_name=True)
    if table.of_bits:
        direct = f"%{side}X{rack}.{register}"
    elif bit >= 0:
        direct = f"%{side}X{rack}.{register}.{bit}"
    else:
        direct = f"%{side}{_LENGTH[rack_map.forms[int(rack_map.form[at])].words]}{rack}.{register}"
    return Addresses(table, register, bit, register + 1, direct)


def _ordinal(number: int) -> str:
    if number % 100 in (11, 12, 13):
        return f"{number}th"
    return str(number) + {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
