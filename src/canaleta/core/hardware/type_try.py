"""A module type held against the real thing: what its map makes of the registers as they stand, and what looks wrong.

Whether a number can be right is judged by the limits of the mode: a count beyond them is no reading of this module. What
else the same registers could mean is tried: the order of the bytes, how the sign is kept, one place earlier or later.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from canaleta.core.hardware.type_map import MapLine, map_lines
from canaleta.core.model.module_map import Run
from canaleta.core.model.module_type import Mode, ModuleType
from canaleta.core.model.register_tables import LAST_PLACE, Table
from canaleta.core.model.registers import plan_requests
from canaleta.core.notation.text import shown
from canaleta.core.signals.converters import ORDERS, WordForm

__all__ = ["Doubt", "Tried", "TriedLine", "reads_of", "tried"]

Words = Mapping[Table, Mapping[int, int]]
"""What stands at each place that could be read."""
MOST_DOUBTS = 6


@dataclass(frozen=True)
class TriedLine:
    """A line of the map with what stands there. raw: the words in hexadecimal, "" where nothing could be read; means:
    what the map makes of them; state: "", "settle" where it cannot be right, "refused"."""

    line: MapLine
    raw: str
    means: str
    state: str


@dataclass(frozen=True)
class Doubt:
    """Something that looks wrong, and the change of the document that would mend it. run or word, bit: which of its
    parts; changes: its fields."""

    says: str
    changes: dict[str, Any]
    run: int = -1
    word: int = -1
    bit: int = -1


@dataclass(frozen=True)
class Tried:
    """The whole of it. right: how many channels show what can be right; of: how many were read."""

    lines: list[TriedLine]
    doubts: list[Doubt]
    right: int
    of: int


def reads_of(kind: ModuleType, function: str = "input") -> list[tuple[Table, int, int]]:
    """(table, first place, count) of the requests that read all of the map, and the places beside its numbers, each
    on its own: a device may refuse what it does not have."""
    spans: dict[Table, set[tuple[int, int]]] = {}
    beside: dict[Table, set[int]] = {}
    for table, place in kind.setting_places():
        # What is only written may be refused: it takes nothing else along.
        beside.setdefault(table, set()).add(place)
    for run in kind.runs(function):
        for places in run.places():
            spans.setdefault(run.table, set()).add((places.start, len(places)))
            if run.registers.holds == "channel words":
                beside.setdefault(run.table, set()).update({places.start - 1, places.stop})
    for flag in kind.flags(function):
        if flag.place is not None:
            spans.setdefault(flag.table, set()).add((flag.place, 1))
    out = []
    for table in [of for of in Table if of in spans or of in beside]:
        requests = plan_requests(spans.get(table, ()), table.most_a_request, gap=0)
        out += [(table, request.first, request.count) for request in requests]
        read = {place for request in requests for place in range(request.first, request.first + request.count)}
        out += [(table, place, 1) for place in sorted(beside.get(table, set()) - read) if 0 <= place <= LAST_PLACE]
    return out


def tried(kind: ModuleType, words: Words, mode: str = "", function: str = "input") -> Tried:
    """What the map makes of the words. mode: in which the channels work, "" for the first."""
    works = kind.mode_named(mode) or (kind.modes[0] if kind.modes else None)
    lines = [_line(kind, line, words, works, function) for line in map_lines(kind)]
    doubts: list[Doubt] = []
    right = of = 0
    for index, run in enumerate(kind.runs(function)):
        if run.registers.holds != "channel words" or works is None:
            continue
        good, read = _fits(run, run.form, 0, words, works)
        right, of = right + good, of + read
        if read and good < read:
            doubts += _others(index, run, words, works, good)
    if of and right == of:
        doubts += _polarity(kind, words, function)
    return Tried(lines, doubts[:MOST_DOUBTS], right, of)


def _line(kind: ModuleType, line: MapLine, words: Words, mode: Mode | None, function: str) -> TriedLine:
    there = words.get(line.table, {})
    given = [there.get(line.place + k) for k in range(line.count)]
    if any(word is None for word in given):
        return TriedLine(line, "", "the device does not have it", "refused")
    known = [int(word) for word in given if word is not None]
    raw = " ".join(str(word) if line.table.of_bits else f"{word:04X}" for word in known)
    if line.bit >= 0 or line.table.of_bits:
        return TriedLine(line, raw, "1" if known[0] >> max(line.bit, 0) & 1 else "0", "")
    run = next((r for r in kind.runs(function) if r.table is line.table and line.channel in r.channels and r.each
                and r.place_of(line.channel)[0] == line.place), None)  # fmt: skip
    if run is None:
        return TriedLine(line, raw, str(known[0]) if len(known) == 1 else "", "")
    count = float(run.form.counts_of(known)[0])
    if run.registers.holds != "channel words" or mode is None or mode.family == "contact":
        return TriedLine(line, raw, f"{count:g}", "")
    return TriedLine(line, raw, _in_words(count, mode), "" if _can_be(count, mode) else "settle")


def _in_words(count: float, mode: Mode) -> str:
    if not np.isfinite(count):
        return "no number"
    share = (count - mode.counts.low) / (mode.counts.high - mode.counts.low)
    signal = mode.signal.low + share * (mode.signal.high - mode.signal.low)
    return f"{count:.6g}, {shown(signal, 3 if mode.signal_unit in ('mA', 'V') else 1)} {mode.signal_unit}"


def _can_be(count: float, mode: Mode) -> bool:
    told = (mode.open_counts, mode.short_counts, mode.under_counts, mode.over_counts)
    return bool(np.isfinite(count)) and (mode.least <= count <= mode.most or count in told)


def _fits(run: Run, form: WordForm, shift: int, words: Words, mode: Mode) -> tuple[int, int]:
    """(channels whose number can be right, channels that could be read) by some form, some places on."""
    there = words.get(run.table, {})
    good = read = 0
    for channel in run.channels:
        first = run.place_of(channel)[0] + shift
        given = [there.get(first + k) for k in range(form.words)]
        if any(word is None for word in given):
            continue
        read += 1
        good += _can_be(float(form.counts_of([int(word or 0) for word in given])[0]), mode)
    return good, read


def _others(index: int, run: Run, words: Words, mode: Mode, now: int) -> Iterator[Doubt]:
    """What else the same registers could mean, where more of it can be right; the likeliest first."""
    found = []
    for says, form, shift in _variants(run):
        good, read = _fits(run, form, shift, words, mode)
        if good > now and read:
            found.append((good, says, form, shift))
    found.sort(key=lambda one: -one[0])
    best = found[0][0] if found else 0
    for good, says, form, shift in found:
        if good == best:
            where: dict[str, Any] = {"at": run.at + shift} if shift else {"form": form.model_dump(mode="json")}
            yield Doubt(
                f"{says}: then {good} of {len(run.channels)} channels can be right, now {now}", where, run=index
            )


def _variants(run: Run) -> Iterator[tuple[str, WordForm, int]]:
    form = run.form
    for shift, says in ((1, "one place later"), (-1, "one place earlier")):
        yield f"the map begins {says}", form, shift
    for order in ORDERS[: 4 if form.words > 1 else 3 : 1 if form.words > 1 else 2]:
        if order != form.order:
            yield f"the bytes come as {order}", form.model_copy(update={"order": order}), 0
    if form.kind == "whole":
        for coding in ("two's complement", "unsigned", "offset binary"):
            if coding != form.coding:
                yield f"the numbers are {coding}", form.model_copy(update={"coding": coding}), 0


def _polarity(kind: ModuleType, words: Words, function: str) -> Iterator[Doubt]:
    """Bits that tell a fault on every channel while every number can be right."""
    for w, word in enumerate(kind.status_words):
        for b, bit in enumerate(word.bits):
            states = []
            for flag in kind.flags(function):
                if flag.word is not word or flag.says is not bit or bit.means == "note" or flag.place is None:
                    continue
                value = words.get(flag.table, {}).get(flag.place)
                if value is not None:
                    states.append((value >> flag.bit & 1 == 1) == (bit.one_means == "fault"))
            if len(states) > 1 and all(states):
                other = "healthy" if bit.one_means == "fault" else "fault"
                yield Doubt(
                    f"bit {bit.bit} tells {bit.means} on every channel, and every number can be right: the other way round?",
                    {"one_means": other}, word=w, bit=b,
                )  # fmt: skip
