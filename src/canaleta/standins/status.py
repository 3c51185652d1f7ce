"""The status words of a stand-in rack: what a module tells of its channels, what latches, and what resets it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.layout import Layout
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap

__all__ = ["ResetPlace", "StatusWords"]


@dataclass(frozen=True)
class ResetPlace:
    """A place that resets bits which latch, when these bits of it are written. flags: rows of the map's flags."""

    table: Table
    place: int
    word: int
    mask: int
    flags: tuple[int, ...]

    def asked(self, word: int) -> bool:
        """Whether what was written there is what resets them."""
        return word & self.mask == self.word & self.mask


class StatusWords:
    """Bits of the status words of one rack. A bit that latches stays until its place is written; what is still wrong
    then raises it again."""

    def __init__(self, layout: Layout, rack: int, rack_map: RackMap) -> None:
        self._flags = rack_map.flags
        self._latched = np.zeros(len(rack_map.flags), dtype=bool)
        self._latches = np.zeros(len(rack_map.flags), dtype=bool)
        self.resets: tuple[ResetPlace, ...] = tuple(self._read(layout, rack))

    def _read(self, layout: Layout, rack: int) -> Iterator[ResetPlace]:
        if layout.racks[rack].by_name:
            return
        places, at = layout.first_places(rack), 0
        found: dict[tuple[Table, int, int, int], list[int]] = {}
        for module in layout.modules_of(rack):
            for flag in layout.type_of(module.id).flags(layout.racks[rack].function):
                reset = flag.word.reset
                if flag.says.latches and reset is not None:
                    self._latches[at] = True
                    table = Table(reset.table)
                    place = places[module.id][table] + reset.at + flag.nth * reset.step
                    found.setdefault((table, place, reset.word, reset.mask), []).append(at)
                at += 1
        for (table, place, word, mask), flags in found.items():
            yield ResetPlace(table, place, word, mask, tuple(flags))

    def reset(self, place: ResetPlace) -> None:
        """Let go what latched."""
        self._latched[list(place.flags)] = False

    def put(self, words: NDArray[np.int64], rows: NDArray[np.int64], reasons: NDArray[np.uint32]) -> None:
        """Set the bits among the words, in place. rows: of the map, of each device; reasons: what is wrong with it,
        (devices,). A channel with nothing wired to it is open, which is no fault here."""
        flags = self._flags
        if not len(flags):
            return
        of_row = np.zeros(int(flags.row.max()) + 1, dtype=np.uint32)
        known = rows < len(of_row)
        of_row[rows[known]] = reasons[known]
        raised = (of_row[flags.row] & flags.reason) != 0
        self._latched |= raised & self._latches
        raised |= self._latched
        # Two channels that share a bit raise it together.
        faulty = np.zeros((len(words), 16), dtype=bool)
        np.logical_or.at(faulty, (flags.word, flags.bit), raised)
        told = faulty[flags.word, flags.bit] == flags.fault_is_one
        one = np.int64(1) << flags.bit
        np.bitwise_and.at(words, flags.word, ~one)
        np.bitwise_or.at(words, flags.word, np.where(told, one, 0))
