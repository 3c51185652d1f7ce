"""Register maps: which register holds what, how few requests read it, and what the words mean.

Every address is derived from the layout; numbers count from 0, as Modbus TCP carries them.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.layout import Layout
from canaleta.core.notation.arrays import Bools, Floats, Words
from canaleta.core.signals.converters import WordForm

__all__ = ["Decoded", "RackMap", "Request", "decode", "encode", "plan_requests"]

MOST_REGISTERS = 125
"""The most registers one request may read (MODBUS Application Protocol V1.1b3, 6.4)."""


@dataclass(frozen=True)
class Request:
    """One read: `count` registers from `first`."""

    first: int
    count: int


@dataclass(frozen=True)
class RackMap:
    """Where each channel of a rack stands. All arrays have shape (channels,), in slot and channel order.

    word: first register of the channel's number. bit: its bit in that word, -1 if the whole word is the channel.
    form: how the number stands in its registers, an index into forms. status_word, status_bit: where its fault bit
    is, -1 if it has none. healthy_is_one: polarity of that bit. load_word: the register of the current through its
    load, -1 if it has none. junction: registers of cold junctions, by module.
    """

    modules: NDArray[np.int64]
    channels: NDArray[np.int64]
    word: NDArray[np.int64]
    bit: NDArray[np.int64]
    form: NDArray[np.int64]
    forms: tuple[WordForm, ...]
    status_word: NDArray[np.int64]
    status_bit: NDArray[np.int64]
    healthy_is_one: Bools
    load_word: NDArray[np.int64]
    junction: dict[int, int]
    used: tuple[tuple[int, int], ...]

    @classmethod
    def of(cls, layout: Layout, rack: int) -> RackMap:
        """The map of one rack, from its modules in slot order."""
        rows: list[tuple[int, int, int, int, int, int, int, bool, int]] = []
        forms: list[WordForm] = []
        junction: dict[int, int] = {}
        used: list[tuple[int, int]] = []
        for module in layout.modules_of(rack):
            kind, base = layout.type_of(module.id), layout.first_registers[module.id]
            if kind.word_form not in forms:
                forms.append(kind.word_form)
            form = forms.index(kind.word_form)
            used.append((base, kind.register_count))
            words, bits = kind.offset_of("channel words"), kind.offset_of("channel bits")
            status, cold = kind.offset_of("status bits"), kind.offset_of("cold junction")
            load = kind.offset_of("load current")
            if cold is not None:
                junction[module.id] = base + cold
            for channel in range(kind.channels):
                if words is not None:
                    word, bit = base + words + channel * kind.word_form.words, -1
                else:
                    word, bit = base + (bits or 0) + channel // 16, channel % 16
                fault = (-1, -1) if status is None else (base + status + channel // 16, channel % 16)
                polarity = kind.status is not None and kind.status.one_means == "healthy"
                rows.append(
                    (
                        module.id,
                        channel,
                        word,
                        bit,
                        form,
                        *fault,
                        polarity,
                        -1 if load is None else base + load + channel,
                    )
                )
        columns = list(zip(*rows, strict=True)) if rows else [()] * 9
        ints = [np.array(c, dtype=np.int64) for c in columns]
        return cls(
            ints[0], ints[1], ints[2], ints[3], ints[4], tuple(forms), ints[5], ints[6], ints[7].astype(bool),
            ints[8], junction, tuple(used),
        )  # fmt: skip

    def __len__(self) -> int:
        return len(self.word)

    def requests(self) -> list[Request]:
        """The reads that cover every register of the rack."""
        return plan_requests(self.used)

    def atoms(self) -> list[Request]:
        """The runs that mean something only as a whole, by register: a number, a word of bits, a cold junction."""
        runs: dict[int, int] = {}
        for k, first in enumerate(self.word.tolist()):
            count = self.forms[int(self.form[k])].words if self.bit[k] < 0 else 1
            runs[first] = max(runs.get(first, 0), count)
        single = (self.status_word, self.load_word, np.array(list(self.junction.values()), dtype=np.int64))
        for register in {int(r) for words in single for r in words.tolist() if r >= 0}:
            runs.setdefault(register, 1)
        return [Request(first, count) for first, count in sorted(runs.items())]

    def without(self, refused: Bools) -> Bools:
        """Which channels stand on a register that was refused, (channels,). refused: (registers,), by number."""
        out = refused[self.word] | (refused[np.maximum(self.status_word, 0)] & (self.status_word >= 0))
        for at, form in enumerate(self.forms):
            mine = np.flatnonzero((self.bit < 0) & (self.form == at))
            for k in range(1, form.words):
                out[mine] |= refused[self.word[mine] + k]
        return out

    def row_of(self, module: int, channel: int) -> int:
        """The row of one channel."""
        return int(np.flatnonzero((self.modules == module) & (self.channels == channel))[0])

    def register_of(self, module: int, channel: int) -> tuple[int, int]:
        """(register, bit) of one channel; bit -1 for a whole word."""
        at = self.row_of(module, channel)
        return int(self.word[at]), int(self.bit[at])


@dataclass(frozen=True)
class Decoded:
    """Counts of every channel, float64 (channels,), whether the module reports a fault on it, and the current through
    its load, mA, NaN where it is not measured."""

    counts: Floats
    fault: Bools
    load_ma: Floats


def plan_requests(spans: Iterable[tuple[int, int]], most: int = MOST_REGISTERS, gap: int = 16) -> list[Request]:
    """As few reads as possible for runs of (first, count) registers.

    Runs that lie no further than `gap` apart are read together; none is longer than `most`.
    """
    out: list[list[int]] = []
    for first, count in sorted(spans):
        end = first + count
        if out and first <= out[-1][1] + gap:
            out[-1][1] = max(out[-1][1], end)
        else:
            out.append([first, end])
    return [Request(at, min(most, end - at)) for first, end in out for at in range(first, end, most)]


def decode(rack: RackMap, words: Words) -> Decoded:
    """Channels from raw registers. words: (registers,) uint16, indexed by register number."""
    raw = words[rack.word].astype(np.int64)
    counts = ((raw >> np.maximum(rack.bit, 0)) & 1).astype(np.float64)
    for at, form in enumerate(rack.forms):
        mine = np.flatnonzero((rack.bit < 0) & (rack.form == at))
        if len(mine):
            registers = rack.word[mine][:, None] + np.arange(form.words)
            counts[mine] = form.counts_of(words[registers])
    status = (words[np.maximum(rack.status_word, 0)].astype(np.int64) >> np.maximum(rack.status_bit, 0)) & 1
    fault = (rack.status_word >= 0) & (status != rack.healthy_is_one)
    load = np.where(rack.load_word >= 0, words[np.maximum(rack.load_word, 0)].astype(np.float64), np.nan)
    return Decoded(counts, fault, load)


def encode(rack: RackMap, at: NDArray[np.int64], counts: Floats, words: Words) -> None:
    """Put counts of some channels into raw registers: the inverse of `decode`. at: rows of the map. In place."""
    for number, form in enumerate(rack.forms):
        mine = np.flatnonzero((rack.bit[at] < 0) & (rack.form[at] == number))
        if len(mine):
            registers = rack.word[at[mine]][:, None] + np.arange(form.words)
            words[registers] = form.words_of(np.clip(counts[mine], form.least, form.most))
    bits = np.flatnonzero(rack.bit[at] >= 0)
    np.bitwise_or.at(
        words, rack.word[at[bits]], (counts[bits].astype(np.int64) << rack.bit[at[bits]]).astype(np.uint16)
    )
