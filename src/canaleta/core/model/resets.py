"""What resets the status bits of a channel that latch in its module: a register or a coil, and what is written there."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.layout import Layout
from canaleta.core.model.register_tables import Table

__all__ = ["ResetWrite", "resets_of"]


@dataclass(frozen=True)
class ResetWrite:
    """One write. place: from 0; word, mask: the bits that are written, of a coil whether it is on. others: how many
    further channels it resets as well. bits: what it resets, in the manual's words or ours."""

    table: Table
    place: int
    word: int
    mask: int
    others: int
    bits: tuple[str, ...]

    @property
    def says(self) -> str:
        """What is written where: “holding register 100 becomes 1”."""
        if self.table is Table.COILS:
            return f"coil {self.place} {'on' if self.word else 'off'}"
        if self.mask == 0xFFFF:
            return f"holding register {self.place} becomes {self.word}"
        return f"bits 0x{self.mask:04X} of holding register {self.place} become 0x{self.word & self.mask:04X}"


def resets_of(layout: Layout, module: int, channel: int) -> list[ResetWrite]:
    """The writes that reset what latches of a channel, counted from 0."""
    rack = layout.racks[layout.modules[module].rack]
    if rack.by_name:
        return []
    flags = [f for f in layout.type_of(module).flags(rack.function) if f.says.latches and f.word.reset is not None]
    if not any(flag.channel == channel for flag in flags):
        return []
    first = layout.first_places(rack.id)[module]
    at: dict[tuple[Table, int, int, int], list[tuple[int, str]]] = {}
    for flag in flags:
        reset = flag.word.reset
        assert reset is not None
        table = Table(reset.table)
        place = first[table] + reset.at + flag.nth * reset.step
        at.setdefault((table, place, reset.word, reset.mask), []).append(
            (flag.channel, flag.says.says or flag.says.means)
        )
    out = []
    for (table, place, word, mask), served in at.items():
        channels = {of for of, _ in served}
        if channel in channels:
            bits = tuple(dict.fromkeys(says for of, says in served if of == channel))
            out.append(ResetWrite(table, place, word, mask, len(channels) - 1, bits))
    return out
