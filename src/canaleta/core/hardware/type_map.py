"""The map of a module type, line by line, as its manual would print it."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table

__all__ = ["MapLine", "map_lines"]

_WHAT = {
    "channel words": "number",
    "channel bits": "state",
    "status bits": "fault",
    "load current": "load current",
    "other numbers": "another number, not read",
}


@dataclass(frozen=True)
class MapLine:
    """One line: the table, the first place from 0, how many places, the bit in it (−1 for all of it), the channel from
    0 (−1 for the module's own), and what stands there."""

    table: Table
    place: int
    count: int
    bit: int
    channel: int
    says: str


def map_lines(kind: ModuleType) -> list[MapLine]:
    """Every place that a module of the type takes, in the order of the tables and their places."""
    out = []
    for run in kind.runs():
        registers = run.registers
        if not run.channels:
            out.append(MapLine(run.table, run.at, registers.count, -1, -1, registers.says or registers.holds))
        for channel in run.channels:
            place, bit = run.place_of(channel)
            what = registers.says or _WHAT.get(registers.holds, registers.holds)
            out.append(MapLine(run.table, place, run.each or 1, -1 if run.table.of_bits else bit, channel, what))
    shared: set[tuple[Table, int, int]] = set()
    for flag in kind.flags():
        table, place = (flag.table, flag.place) if flag.place is not None else _beside(kind, flag.channel)
        at = (table, place, flag.bit)
        if at not in shared:
            shared.add(at)
            alone = flag.word.channels_a_word == 1 or flag.says.of is not None
            says = flag.says.says or flag.says.means
            out.append(
                MapLine(table, place, 1, -1 if table.of_bits else flag.bit, flag.channel if alone else -1, says)
            )
    out += [MapLine(table, place, 1, -1, -1, "reset, written") for table, place in kind.reset_places()]
    out += _settings(kind)
    if kind.firmware is not None:
        out.append(MapLine(Table(kind.firmware.table), kind.firmware.at, kind.firmware.words, -1, -1, "firmware"))
    order = list(Table)
    return sorted(out, key=lambda line: (order.index(line.table), line.place, line.bit))


def _settings(kind: ModuleType) -> list[MapLine]:
    """What is written in places of its own: settings, and what makes them act or keeps them."""
    out = []
    for setting in kind.settings:
        if setting.at is None:
            continue
        table, seen = Table(setting.table), set()
        for channel in range(kind.channels):
            place, low = setting.place_of(channel, kind.channels)
            if (place, low) in seen:
                continue
            seen.add((place, low))
            alone = setting.channels_a_place == 1 or setting.bit_step > 0
            bit = low if setting.bits < 16 and not table.of_bits else -1
            out.append(MapLine(table, place, 1, bit, channel if alone else -1, f"{setting.of}, written"))
    return out + [
        MapLine(Table(a.table), a.at, 1, -1, -1, f"{a.name}, written with {a.word}") for a in kind.after_settings
    ]


def _beside(kind: ModuleType, channel: int) -> tuple[Table, int]:
    run = kind.run_of("channel words", channel) or kind.run_of("channel bits", channel)
    assert run is not None, "every channel stands somewhere"
    return run.table, run.place_of(channel)[0]
