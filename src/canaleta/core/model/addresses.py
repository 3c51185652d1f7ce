"""Every address of a channel, derived from where it is: Modbus register and bit, IEC 61131-3 direct address."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.layout import Layout
from canaleta.core.model.registers import RackMap

__all__ = ["Addresses", "addresses_at", "addresses_of"]

_LENGTH = {1: "W", 2: "D"}
"""Letters of IEC 61131-3, table 16, for one register and for two."""


@dataclass(frozen=True)
class Addresses:
    """Addresses of one channel. register: counted from 0; bit: in that register from 0, -1 for the whole word.

    number: the same register as documents that count from 1 write it. direct: of IEC 61131-3, with the rack's number
    before the register, as its hierarchical addresses allow.
    """

    register: int
    bit: int
    number: int
    direct: str

    @property
    def words(self) -> str:
        """Register and bit in both number bases."""
        bit = f", bit {self.bit} (the {_ordinal(self.bit + 1)})" if self.bit >= 0 else ""
        return f"register {self.register} from 0, {self.number} from 1, 0x{self.register:04X}{bit}"


def addresses_of(layout: Layout, rack_map: RackMap, module: int, channel: int) -> Addresses:
    """The addresses of a channel, counted from 0. rack_map: of the rack it is in. Raises IndexError if it has
    none."""
    return addresses_at(layout, rack_map, rack_map.row_of(module, channel))


def addresses_at(layout: Layout, rack_map: RackMap, at: int) -> Addresses:
    """The addresses of the channel in one row of a rack's map."""
    register, bit, module = int(rack_map.word[at]), int(rack_map.bit[at]), int(rack_map.modules[at])
    kind = layout.type_of(module)
    rack = layout.rack_numbers[layout.modules[module].rack]
    side = "Q" if kind.direction == "out" else "I"
    if bit >= 0:
        direct = f"%{side}X{rack}.{register}.{bit}"
    else:
        direct = f"%{side}{_LENGTH[kind.word_form.words]}{rack}.{register}"
    return Addresses(register, bit, register + 1, direct)


def _ordinal(number: int) -> str:
    if number % 100 in (11, 12, 13):
        return f"{number}th"
    return str(number) + {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
