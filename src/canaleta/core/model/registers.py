"""Register maps: which place holds what, how few requests read it, and what the words mean.

Every address is derived from the layout; numbers count from 0, as Modbus carries them. What is read of a rack stands in
one array of words: first the table that its channels stand in, by place; behind it what it has of other tables. A coil
or a discrete input is a word of 0 or 1 there.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.layout import Layout, Module
from canaleta.core.model.module_map import Run
from canaleta.core.model.register_tables import Table, table_of_function
from canaleta.core.notation.arrays import Bools, Floats, Words
from canaleta.core.signals.converters import WordForm

__all__ = ["DOUBLE", "Decoded", "RackMap", "Request", "Space", "decode", "encode", "plan_requests"]

DOUBLE = WordForm(kind="float", bits=64)
"""How the number of a channel that has a name stands among the words of its rack."""
MOST_REGISTERS = 125
"""The most registers one request may read (MODBUS Application Protocol V1.1b3, 6.4)."""


@dataclass(frozen=True)
class Request:
    """One read: `count` words of the rack's from `first`."""

    first: int
    count: int


@dataclass(frozen=True)
class Space:
    """A table of a rack among its words: `count` of them from `at` are the table's places from `first`."""

    table: Table
    first: int
    at: int
    count: int

    def place(self, word: int) -> int:
        """The place in the table, from 0."""
        return self.first + word - self.at


@dataclass(frozen=True)
class RackMap:
    """Where each channel of a rack stands. All arrays have shape (channels,), in slot and channel order.

    word: first word of the channel's number, by its place among the rack's words. bit: its bit in that word, -1 if the
    whole word is the channel. form: how the number stands there, an index into forms. status_word, status_bit: where
    its fault bit is, -1 if it has none. healthy_is_one: polarity of that bit. load_word: where the current through its
    load is, -1 if it has none. cold: where the temperatures of cold junctions are. used: runs of (first, count) words.
    spaces: which table's places the words are. flags: the bits of status words, a row of each. names: of a rack that is
    reached by name, what each channel is called there, "" for none: its number stands as a double in four words. reads: of
    rows behind those of all channels, which other number of its channel a row is; a mode chooses it.
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
    cold: ColdJunctions
    used: tuple[tuple[int, int], ...]
    spaces: tuple[Space, ...]
    flags: Flags
    names: tuple[str, ...] = ()
    reads: tuple[str, ...] = ()

    @classmethod
    def of(cls, layout: Layout, rack: int) -> RackMap:
        """The map of one rack, from its modules in slot order."""
        modules = layout.modules_of(rack)
        if rack in layout.racks and layout.racks[rack].by_name:
            return cls._by_name(layout, modules)
        function = layout.racks[rack].function if rack in layout.racks else "input"
        places = layout.first_places(rack) if modules else {}
        placed = [
            (m, run, places[m.id][run.table])
            for m in modules
            for run in layout.type_of(m.id).runs(function)
            if run.registers.holds not in NOT_READ or run.registers.says in layout.type_of(m.id).read_beside
        ]
        taken: dict[Table, list[tuple[int, int]]] = {table_of_function(function): []}
        for _, run, base in placed:
            taken.setdefault(run.table, []).extend((base + p.start, len(p)) for p in run.places())
        for module in modules:
            for flag in layout.type_of(module.id).flags(function):
                if flag.place is not None:
                    taken.setdefault(flag.table, []).append((places[module.id][flag.table] + flag.place, 1))
        spaces = _spaces(taken)
        to_word = {space.table: space.at - space.first for space in spaces}
        forms: list[WordForm] = []
        rows: list[_Row] = []
        cold: list[tuple[int, int, float, int]] = []
        flags: list[tuple[int, int, int, bool, int]] = []
        for module in modules:
            kind = layout.type_of(module.id)
            by_kind: dict[str, list[tuple[Run, int]]] = {}
            for run in kind.runs(function):
                if run.registers.holds not in NOT_READ:
                    base = places[module.id][run.table] + to_word[run.table]
                    by_kind.setdefault(run.registers.holds, []).append((run, base))
            healthy = kind.status is not None and kind.status.one_means == "healthy"
            for channel in range(kind.channels):
                word, bit, form = _at(by_kind, ("channel words", "channel bits"), channel)
                status, status_bit, _ = _at(by_kind, ("status bits",), channel)
                load, _, _ = _at(by_kind, ("load current",), channel)
                where, cold_form = _junction_at(by_kind, channel)
                read_as = _place_in(forms, form)
                cold.append(
                    (where, _place_in(forms, cold_form), kind.junction_per_degree, _DEGREES.index(kind.junction_unit))
                )
                rows.append((module.id, channel, word, bit, read_as, status, max(status_bit, 0) if status >= 0 else -1, healthy, load))  # fmt: skip
            for flag in kind.flags(function):
                at = len(rows) - kind.channels + flag.channel
                beside = rows[at][2]
                where = (
                    beside if flag.place is None else places[module.id][flag.table] + to_word[flag.table] + flag.place
                )
                reason = flag.says.reason or 0
                flags.append((at, where, flag.bit, flag.says.one_means == "fault", int(reason)))
        row_at = {(row[0], row[1]): k for k, row in enumerate(rows)}
        reads: list[str] = []
        for module, run, base in placed:
            if run.registers.holds != "other numbers":
                continue
            for channel in run.channels:
                # The same channel with another number: its faults and its junction are the channel's.
                main = row_at[module.id, channel]
                place, _ = run.place_of(channel)
                flags += [(len(rows), *flag[1:]) for flag in flags if flag[0] == main]
                cold.append(cold[main])
                rows.append(
                    (
                        *rows[main][:2],
                        base + to_word[run.table] + place,
                        -1,
                        _place_in(forms, run.form),
                        *rows[main][5:],
                    )
                )
                reads.append(run.registers.says)
        columns = list(zip(*rows, strict=True)) if rows else [()] * 9
        ints = [np.array(c, dtype=np.int64) for c in columns]
        used = tuple((first + to_word[table], count) for table, runs in taken.items() for first, count in runs)
        return cls(
            ints[0], ints[1], ints[2], ints[3], ints[4], tuple(forms), ints[5], ints[6], ints[7].astype(bool),
            ints[8], ColdJunctions.of(cold), used, spaces, Flags.of(flags),
            reads=tuple(reads),
        )  # fmt: skip

    @classmethod
    def _by_name(cls, layout: Layout, modules: Sequence[Module]) -> RackMap:
        """Whatever number stands behind a name, it is one: a double holds it to the last digit of 53 bits."""
        channels = [(m, channel) for m in modules for channel in range(layout.type_of(m.id).channels)]
        count = len(channels)
        none = np.full(count, -1, dtype=np.int64)
        return cls(
            np.array([m.id for m, _ in channels], dtype=np.int64), np.array([c for _, c in channels], dtype=np.int64),
            np.arange(count, dtype=np.int64) * DOUBLE.words, none, np.zeros(count, dtype=np.int64), (DOUBLE,), none,
            none, np.zeros(count, dtype=bool), none, ColdJunctions.of([(-1, 0, 1.0, 0)] * count), ((0, count * DOUBLE.words),) if count else (),
            (Space(Table.INPUT_REGISTERS, 0, 0, count * DOUBLE.words),), Flags.of(()),
            tuple(m.name_of(channel) for m, channel in channels),
        )  # fmt: skip

    def __len__(self) -> int:
        return len(self.word)

    @property
    def size(self) -> int:
        """How many words the rack has."""
        return max((space.at + space.count for space in self.spaces), default=0)

    def space_of(self, word: int) -> Space:
        """The table that a word is of."""
        return next(space for space in reversed(self.spaces) if word >= space.at)

    def requests(self) -> list[Request]:
        """The reads that cover every word that is used; each is of one table."""
        out = []
        for space in self.spaces:
            here = [(first, count) for first, count in self.used if space.at <= first < space.at + space.count]
            out += plan_requests(here, space.table.most_a_request)
        return out

    def atoms(self) -> list[Request]:
        """The runs that mean something only as a whole, by word: a number, a word of bits, a cold junction."""
        runs: dict[int, int] = {}
        for k, first in enumerate(self.word.tolist()):
            count = self.forms[int(self.form[k])].words if self.bit[k] < 0 else 1
            runs[first] = max(runs.get(first, 0), count)
        single = (
            self.status_word,
            self.load_word,
            self.cold.word,
            self.flags.word,
        )
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
        np.logical_or.at(out, self.flags.row, refused[self.flags.word])
        return out

    @property
    def mains(self) -> int:
        """How many rows are channels with their own number; those behind them are other numbers of theirs."""
        return len(self.word) - len(self.reads)

    def reads_at(self, row: int) -> str:
        """Which number of its channel a row is, "" for its own."""
        return self.reads[row - self.mains] if row >= self.mains else ""

    def row_of(self, module: int, channel: int, reads: str = "") -> int:
        """The row of one channel, or of another number of it; its own where it has no such one."""
        found = np.flatnonzero((self.modules == module) & (self.channels == channel)).tolist()
        return int(next((row for row in found if self.reads_at(row) == reads), found[0]))

    def register_of(self, module: int, channel: int) -> tuple[Table, int, int]:
        """(table, place, bit) of one channel; bit -1 for a whole word."""
        return self.place_at(self.row_of(module, channel))

    def place_at(self, at: int) -> tuple[Table, int, int]:
        """(table, place, bit) of the channel in a row of the map. A coil and a discrete input have no bit: -1."""
        word = int(self.word[at])
        space = self.space_of(word)
        return space.table, space.place(word), -1 if space.table.of_bits else int(self.bit[at])


@dataclass(frozen=True)
class ColdJunctions:
    """Temperatures of cold junctions that modules measure, (channels,) each. word: the first of the number, -1 where there is
    none. form: an index into the map's forms. per_degree: what one degree is in the number. unit: index into °C, °F, K."""

    word: NDArray[np.int64]
    form: NDArray[np.int64]
    per_degree: Floats
    unit: NDArray[np.int64]

    @classmethod
    def of(cls, rows: Sequence[tuple[int, int, float, int]]) -> ColdJunctions:
        """Columns of rows."""
        word, form, per, unit = zip(*rows, strict=True) if rows else ((),) * 4
        whole = [np.array(column, dtype=np.int64) for column in (word, form, unit)]
        return cls(whole[0], whole[1], np.array(per, dtype=np.float64), whole[2])

    def degc(self, words: Words, forms: Sequence[WordForm]) -> Floats:
        """°C of each channel's, (channels,); NaN where none is measured."""
        out = np.full(len(self.word), np.nan)
        for number, form in enumerate(forms):
            mine = np.flatnonzero((self.word >= 0) & (self.form == number))
            if len(mine):
                counts = form.counts_of(words[self.word[mine][:, None] + np.arange(form.words)])
                given = counts / self.per_degree[mine]
                unit = self.unit[mine]
                out[mine] = np.select([unit == 1, unit == 2], [(given - 32.0) / 1.8, given - 273.15], given)
        return out

    def put(self, degc: float, words: NDArray[np.int64], forms: Sequence[WordForm]) -> None:
        """Put one temperature where each of them stands, in place."""
        for k in np.flatnonzero(self.word >= 0).tolist():
            given = (degc, degc * 1.8 + 32.0, degc + 273.15)[int(self.unit[k])] * self.per_degree[k]
            form, at = forms[int(self.form[k])], int(self.word[k])
            words[at : at + form.words] = form.words_of(np.array([given]))[0]


@dataclass(frozen=True)
class Flags:
    """Bits of status words, (bits,) each. row: the channel's in the map. word, bit: where it stands. fault_is_one:
    its polarity. reason: what it makes of the value, 0 for nothing."""

    row: NDArray[np.int64]
    word: NDArray[np.int64]
    bit: NDArray[np.int64]
    fault_is_one: Bools
    reason: NDArray[np.uint32]

    @classmethod
    def of(cls, flags: Sequence[tuple[int, int, int, bool, int]]) -> Flags:
        """Columns of rows."""
        row, word, bit, one, reason = zip(*flags, strict=True) if flags else ((),) * 5
        rows, words, bits = (np.array(column, dtype=np.int64) for column in (row, word, bit))
        return cls(rows, words, bits, np.array(one, dtype=bool), np.array(reason, dtype=np.uint32))

    def __len__(self) -> int:
        return len(self.row)

    def raised(self, words: Words) -> Bools:
        """Which of them tell their fault, (bits,)."""
        ones: Bools = ((words[self.word].astype(np.int64) >> self.bit) & 1).astype(bool)
        return np.equal(ones, self.fault_is_one)

    def reasons(self, words: Words, channels: int) -> NDArray[np.uint32]:
        """What they make of each channel's value, (channels,)."""
        out = np.zeros(channels, dtype=np.uint32)
        if len(self):
            up = self.raised(words)
            np.bitwise_or.at(out, self.row[up], self.reason[up])
        return out


_DEGREES = ("°C", "°F", "K")
_Row = tuple[int, int, int, int, int, int, int, bool, int]
NOT_READ = frozenset({"other numbers", "module registers"})
"""What a module has and is documented alone."""


def _place_in(forms: list[WordForm], form: WordForm) -> int:
    """Where a form stands among others, put there if it does not. Most are the very same one: asked first."""
    for at, one in enumerate(forms):
        if one is form:
            return at
    if form not in forms:
        forms.append(form)
    return forms.index(form)


_NO_FORM = WordForm()


def _at(runs: dict[str, list[tuple[Run, int]]], holds: tuple[str, ...], channel: int) -> tuple[int, int, WordForm]:
    """(word, bit, form) of what is held of a channel; word -1 where the module has none of it."""
    for kind in holds:
        for run, base in runs.get(kind, ()):
            if channel in run.channels:
                place, bit = run.place_of(channel)
                return base + place, bit, run.form
    return -1, -1, _NO_FORM


def _junction_at(runs: dict[str, list[tuple[Run, int]]], channel: int) -> tuple[int, WordForm]:
    """(word, form) of the cold junction of a channel: its own, or that of the module; word -1 for none."""
    found = -1, _NO_FORM
    for run, base in runs.get("cold junction", ()):
        of = run.registers.of
        if of is None:
            found = base + run.at, run.form
        elif of.first <= channel < of.first + of.count:
            return base + run.at + (channel - of.first) * (run.registers.step or run.form.words), run.form
    return found


def _spaces(taken: dict[Table, list[tuple[int, int]]]) -> tuple[Space, ...]:
    """The tables one behind the other. Words of the first, that of the rack's channels, are its places from 0."""
    out: list[Space] = []
    at = 0
    for table, runs in taken.items():
        first = 0 if not out else min((first for first, _ in runs), default=0)
        end = max((start + count for start, count in runs), default=first)
        out.append(Space(table, first, at, end - first))
        at += end - first
    return tuple(out)


@dataclass(frozen=True)
class Decoded:
    """Counts of every channel, float64 (channels,), whether the module reports a fault on it, the current through its
    load, mA, NaN where it is not measured, and the reasons that its status words give."""

    counts: Floats
    fault: Bools
    load_ma: Floats
    reasons: NDArray[np.uint32]


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
    return Decoded(counts, fault, load, rack.flags.reasons(words, len(rack)))


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
