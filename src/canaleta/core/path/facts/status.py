"""The status of a channel: where its bits stand, their masks, what each means, what latches and what resets it."""

from __future__ import annotations

from canaleta.core.model.fields import Station
from canaleta.core.model.module_map import Flag
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap
from canaleta.core.model.resets import resets_of
from canaleta.core.path.facts.base import Row, Section
from canaleta.core.path.joints.base import PathRows

__all__ = ["status_bit", "status_words"]


def status_bit(p: PathRows) -> Section | None:
    """Register, bit as the module numbers it, and mask, for modules that have a status word."""
    row = int(p.rows[0])
    layout, module, channel = p.image.layout, int(p.image.module[row]), int(p.image.channel[row])
    if module not in layout.modules:
        return None
    kind = layout.type_of(module)
    rack = layout.modules[module].rack
    run = kind.run_of("status bits", channel, layout.racks[rack].function)
    if kind.status is None or run is None:
        return None
    offset, nth = run.place_of(channel)
    bit = nth + kind.status.bit_base
    place = layout.first_places(rack)[module][run.table] + offset
    mask = kind.status.mask([bit])
    return Section(
        Station.INPUT,
        "status word",
        (
            Row(run.table.one, str(place), "counted from 0"),
            Row("bit", str(bit), f"the module counts its bits from {kind.status.bit_base}"),
            Row("mask", f"{mask}, 0x{mask:04X}, {mask:016b}", "decimal, hex, binary"),
            Row("1 means", kind.status.one_means, "judged before the count is scaled"),
        ),
    )


def status_words(p: PathRows) -> Section | None:
    """Each bit that the module has of the channel, and what resets those that latch."""
    row = int(p.rows[0])
    layout, module, channel = p.image.layout, int(p.image.module[row]), int(p.image.channel[row])
    if module not in layout.modules:
        return None
    rack = layout.modules[module].rack
    if layout.racks[rack].by_name:
        return None
    flags = [f for f in layout.type_of(module).flags(layout.racks[rack].function) if f.channel == channel]
    if not flags:
        return None
    rack_map = RackMap.of(layout, rack)
    table, beside, _ = rack_map.register_of(module, channel)
    first = layout.first_places(rack)[module]
    rows = []
    for flag in flags:
        of, place = (table, beside) if flag.place is None else (flag.table, first[flag.table] + flag.place)
        rows.append(Row(flag.says.says or flag.says.means, _where(of, place, flag), _what(flag)))
    rows += [
        Row(
            "reset", reset.says, f"resets {reset.others} channels more as well" if reset.others else "of this channel"
        )
        for reset in resets_of(layout, module, channel)
    ]
    return Section(Station.INPUT, "status words", tuple(rows))


def _where(table: Table, place: int, flag: Flag) -> str:
    if table.of_bits:
        return f"{table.one} {place}"
    return f"{table.one} {place}, bit {flag.says.bit}, mask 0x{1 << flag.bit:04X}"


def _what(flag: Flag) -> str:
    means = "a note alone" if flag.says.means == "note" else f"{flag.says.one_means} where it is 1"
    if flag.says.says and flag.says.means != "note":
        means = f"{flag.says.means}; {means}"
    shared = "" if flag.says.of is not None or flag.word.channels_a_word == 1 else "; of several channels together"
    return means + shared + ("; latches until it is reset" if flag.says.latches else "")
