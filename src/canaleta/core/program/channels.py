"""Channels as a controller addresses them: an array a module and direction, from which the points are mapped."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.addresses import Addresses, addresses_at
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.quality import BAD_SIGNAL
from canaleta.core.model.registers import RackMap
from canaleta.core.program.names import legal
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.plc_types import raw_type

__all__ = ["Channel", "ChannelArray", "Decode", "StatusBit", "array_name", "arrays_of", "channels_of"]


@dataclass(frozen=True)
class Decode:
    """How a number is taken out of what is read. bits: 16: `shift` to the right, `mask`, `half` the weight of the first bit of one
    that is signed or offset binary; 32: words, or the bytes of each, are swapped before it is taken for `into`."""

    bits: int
    shift: int = 0
    mask: int = 0
    half: int = 0
    signed: bool = False
    offset: bool = False
    words_swapped: bool = False
    bytes_swapped: bool = False
    into: str = ""


_LETTERS = {"BOOL": "X", "INT": "W", "UINT": "W", "WORD": "W", "DINT": "D", "UDINT": "D", "DWORD": "D", "REAL": "D"}


@dataclass(frozen=True)
class Channel:
    """A channel of a module. index: its number in its array, counted as the plant counts. type: of the array's elements. form: how
    its number stands. decode: where it is not simply there. tells_faults: whether the module reports faults of the channel by itself. least, most: what the
    word holds. refused, says: why no code reads it, "" if it can be read."""

    module: int
    channel: int
    index: int
    direction: str
    type: str
    array: str
    form: WordForm
    decode: Decode | None
    least: float
    most: float
    address: Addresses
    tells_faults: bool = False
    refused: str = ""
    says: str = ""


@dataclass(frozen=True)
class StatusBit:
    """A bit that says that a channel's signal is bad: in which word, at which direct address, and whether it is 1 then."""

    word: str
    at: str
    bit: int
    fault_is_one: bool


@dataclass(frozen=True)
class ChannelArray:
    """An array of a module's channels. channels: their numbers as the plant counts, from low to high. at: the direct address, ""
    where there is none that the whole array could have; says: why. tells_faults: whether the module reports faults of them; status:
    (channel, bits that do), of those that stand in registers."""

    name: str
    module: int
    direction: str
    type: str
    low: int
    high: int
    at: str
    says: str
    channels: tuple[int, ...]
    tells_faults: bool = False
    status: tuple[tuple[int, tuple[StatusBit, ...]], ...] = ()


def array_name(layout: Layout, module: int, direction: str, of: str) -> str:
    """The name of a module's array: cabinet, rack, slot, and letters as in a direct address: TC_1_1_S02_IW."""
    found = layout.modules[module]
    rack = layout.racks[found.rack]
    place = legal(f"{layout.cabinets[rack.cabinet].name} {rack.name}")
    side = "I" if direction == "in" else "Q"
    return f"{place}_S{layout.slots[module]:02d}_{side}{_LETTERS[of]}"


def channels_of(image: PlantImage, rows: NDArray[np.int64]) -> dict[int, Channel]:
    """{row: its channel} of the points that claim one."""
    layout, out = image.layout, {}
    maps: dict[int, RackMap] = {}
    names: dict[tuple[int, str, str], str] = {}
    modes = image.cells["mode"]
    for row in rows.tolist():
        module, channel = int(image.module[row]), int(image.channel[row])
        if module < 0 or module not in layout.modules or channel >= layout.type_of(module).channels:
            continue
        rack = layout.modules[module].rack
        if rack not in maps:
            maps[rack] = RackMap.of(layout, rack)
        out[row] = _channel(layout, maps[rack], module, channel, str(modes[row] or ""), names)
    return out


def _channel(
    layout: Layout, rack: RackMap, module: int, channel: int, mode: str, names: dict[tuple[int, str, str], str]
) -> Channel:
    kind = layout.type_at(module, channel, mode)
    chosen = kind.mode_named(mode)
    at = rack.row_of(module, channel)
    address = addresses_at(layout, rack, at)
    form = rack.forms[int(rack.form[at])]
    discrete = address.table.of_bits or address.bit >= 0 or (chosen is not None and chosen.family == "contact")
    refused = says = ""
    decode = None
    if discrete:
        of = "BOOL"
    else:
        of, decode, refused, says = _word(form)
    if chosen is not None and chosen.reads:
        refused, says = "other number", f"its mode reads {chosen.reads}, which has no place in the array"
    key = (module, kind.direction, of)
    if key not in names:
        names[key] = array_name(layout, *key)
    return Channel(
        module, channel, channel + layout.channel_base, kind.direction, of, names[key], form, decode,
        0.0 if discrete else form.least, 1.0 if discrete else form.most, address, _tells_faults(rack, at), refused, says,
    )  # fmt: skip


def _tells_faults(rack: RackMap, at: int) -> bool:
    """Whether there is a bit that says the channel's signal is bad."""
    if rack.status_word[at] >= 0:
        return True
    mine = rack.flags.row == at
    return bool((rack.flags.reason[mine] & BAD_SIGNAL).any())


def status_bits(layout: Layout, module: int, rack: RackMap) -> dict[int, tuple[StatusBit, ...]]:
    """{channel as the plant counts: bits that say its signal is bad}, of those that stand in registers."""
    out: dict[int, tuple[StatusBit, ...]] = {}
    if rack.names:
        return out
    for at in np.flatnonzero(rack.modules[: rack.mains] == module).tolist():
        told = [
            (int(rack.flags.word[n]), int(rack.flags.bit[n]), bool(rack.flags.fault_is_one[n]))
            for n in np.flatnonzero((rack.flags.row == at) & ((rack.flags.reason & BAD_SIGNAL) != 0)).tolist()
        ]
        if rack.status_word[at] >= 0:
            told.append((int(rack.status_word[at]), int(rack.status_bit[at]), not rack.healthy_is_one[at]))
        found = []
        for word, bit, fault_is_one in told:
            space = rack.space_of(word)
            if not space.table.of_bits:
                found.append(_status_bit(layout, module, space.place(word), bit, fault_is_one))
        if found:
            out[int(rack.channels[at]) + layout.channel_base] = tuple(dict.fromkeys(found))
    return out


def _status_bit(layout: Layout, module: int, place: int, bit: int, fault_is_one: bool) -> StatusBit:
    rack = layout.racks[layout.modules[module].rack]
    name = legal(f"{layout.cabinets[rack.cabinet].name} {rack.name} W{place}")
    return StatusBit(name, f"%IW{layout.rack_numbers[rack.id]}.{place}", bit, fault_is_one)


def _word(form: WordForm) -> tuple[str, Decode | None, str, str]:
    """(type, decode, refused, sentence) of a number's form."""
    plain = not form.used_bits or form.used_bits == form.bits
    swapped = form.order in ("CDAB", "DCBA"), form.order in ("BADC", "DCBA")
    if form.bits == 64 or form.kind not in ("whole", "float"):
        return (
            "WORD",
            None,
            "word form",
            f"a number kept as {form.kind} in {form.bits} bits is not read by the generated code",
        )
    if form.bits == 32:
        if not plain or form.coding == "offset binary":
            return (
                "DWORD",
                None,
                "word form",
                "32 bits that are not all used, or offset binary, are not read by the generated code",
            )
        of = raw_type(form)
        return (
            (of, None, "", "")
            if form.order == "ABCD"
            else ("DWORD", Decode(32, words_swapped=swapped[0], bytes_swapped=swapped[1], into=of), "", "")
        )
    if swapped[1]:
        return (
            "WORD",
            None,
            "word form",
            f"a word whose bytes are swapped ({form.order}) is not read by the generated code",
        )
    if plain and form.coding != "offset binary":
        return raw_type(form), None, "", ""
    width = form.used_bits or form.bits
    shift = form.bits - width if form.low_bit is None else form.low_bit
    signed, offset = form.coding == "two's complement", form.coding == "offset binary"
    return "WORD", Decode(16, shift, (1 << width) - 1, 1 << (width - 1), signed, offset), "", ""


def arrays_of(layout: Layout, module: int, rack: RackMap) -> list[ChannelArray]:
    """The arrays of a module, inputs before outputs. rack: the map of its rack."""
    kind = layout.type_of(module)
    names: dict[tuple[int, str, str], str] = {}
    groups: dict[tuple[str, str], list[Channel]] = {}
    for channel in range(kind.channels):
        own = kind.at_channel(channel)
        # A channel that may do both belongs where its first mode puts it, until a point says otherwise.
        first = own.modes[0].name if own.modes else ""
        one = _channel(layout, rack, module, channel, first, names)
        groups.setdefault((one.direction, one.type), []).append(one)
    out = []
    for (direction, of), some in sorted(groups.items()):
        low, high = min(c.index for c in some), max(c.index for c in some)
        at, says = _located(some, of)
        tells = direction == "in" and of != "BOOL" and any(c.tells_faults for c in some)
        bits = status_bits(layout, module, rack) if tells else {}
        status = tuple((c.index, bits[c.index]) for c in some if c.index in bits)
        channels = tuple(c.index for c in some)
        out.append(ChannelArray(some[0].array, module, direction, of, low, high, at, says, channels, tells, status))
    return out


def _located(some: list[Channel], of: str) -> tuple[str, str]:
    """The direct address of an array's first element, where the others follow it."""
    first = some[0].address
    if first.by_name:
        return "", "reached by name: connect it to what the rack publishes"
    width = 1 if of in ("INT", "UINT", "WORD", "BOOL") else 2
    for n, one in enumerate(some):
        a = one.address
        if one.index != some[0].index + n:
            return "", "its channels do not follow one another: connect each by hand"
        where = (a.register * 16 + a.bit) if a.bit >= 0 else a.register
        begin = (first.register * 16 + first.bit) if first.bit >= 0 else first.register
        if where != begin + n * width:
            return "", "its channels do not stand side by side: connect each by hand"
    return first.direct, ""
