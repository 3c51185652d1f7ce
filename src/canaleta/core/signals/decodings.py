"""All that the same registers can mean, side by side, until one makes sense; and where a controller shows its
value."""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

from canaleta.core.notation.patterns import SPACE, compiled
from canaleta.core.notation.text import TextError
from canaleta.core.signals.converters import ORDERS, WordForm

__all__ = ["AS_IT_COMES", "Decoding", "Shown", "decodings", "read_limits", "read_pair", "read_shown", "runs"]


@dataclass(frozen=True)
class Decoding:
    """One reading of registers. words: registers it takes; order: of the bytes, A the most significant; values: one
    for each whole number of words from the first register on."""

    name: str
    words: int
    order: str
    values: tuple[float, ...]


_FORMS: tuple[tuple[str, WordForm], ...] = (
    ("16 bit, unsigned", WordForm(coding="unsigned")),
    ("16 bit, signed", WordForm()),
    ("16 bit, offset binary", WordForm(coding="offset binary")),
    ("32 bit, unsigned", WordForm(bits=32, coding="unsigned")),
    ("32 bit, signed", WordForm(bits=32)),
    ("32 bit, IEEE 754", WordForm(bits=32, kind="float")),
)


def decodings(words: Sequence[int]) -> Iterator[Decoding]:
    """Every decoding of a run of registers: 16 bit in both byte orders, 32 bit in four, 64 bit reals in both word
    orders, and digits in BCD where they are."""
    for name, form in _FORMS:
        for order in ORDERS if form.words == 2 else ("AB", "BA"):
            at = {"AB": "ABCD", "BA": "BADC"}.get(order, order)
            pieces = [words[k : k + form.words] for k in range(0, len(words) - form.words + 1, form.words)]
            made = form.model_copy(update={"order": at})
            values = tuple(float(made.counts_of([list(piece)])[0]) for piece in pieces)
            yield Decoding(name, form.words, order, values)
    for order, turn in (("ABCDEFGH", False), ("GHEFCDAB", True)):
        pieces = [list(words[k : k + 4]) for k in range(0, len(words) - 3, 4)]
        values = tuple(struct.unpack(">d", struct.pack(">4H", *(p[::-1] if turn else p)))[0] for p in pieces)
        if pieces:
            yield Decoding("64 bit, IEEE 754", 4, order, values)
    if words and all(_is_bcd(word) for word in words):
        yield Decoding("16 bit, BCD", 1, "AB", tuple(float(f"{word:x}") for word in words))


def _is_bcd(word: int) -> bool:
    return all((word >> shift & 0xF) <= 9 for shift in (0, 4, 8, 12))


@dataclass(frozen=True)
class Shown:
    """Where the controller itself shows a value: function "input" or "holding", first register from 0, its form; or by its
    name where it has no registers, and function is "name"."""

    function: str
    register: int
    form: WordForm
    name: str = ""

    @property
    def where(self) -> str:
        """In words."""
        return self.name or f"{self.function} register {self.register} (from 0)"


_KINDS = {
    "int": WordForm(),
    "uint": WordForm(coding="unsigned"),
    "dint": WordForm(bits=32),
    "udint": WordForm(bits=32, coding="unsigned"),
    "real": WordForm(bits=32, kind="float"),
}


_SHOWN = compiled(
    rf"(input|holding){SPACE}+(\d{{1,5}}){SPACE}+(int|uint|dint|udint|real)(?:{SPACE}+([A-D]{{4}}))?",
    ignore_case=True,
)


def read_shown(text: str) -> Shown:
    """ "holding 120 real CDAB" as an address. Raises TextError in words.

    The data types are those of IEC 61131-3; the order of the bytes may be left out and is then ABCD.
    """
    found = _SHOWN.fullmatch(text.strip())
    if not found or int(found[2]) > 65_534 or (found[4] and found[4].upper() not in ORDERS):
        raise TextError(
            f"“{text}”: write where it stands as in holding 120 real, or input 40 dint CDAB; orders: {', '.join(ORDERS)}"
        )
    form = _KINDS[found[3].lower()].model_copy(update={"order": (found[4] or "ABCD").upper()})
    return Shown(found[1].lower(), int(found[2]), form)


_NAME = compiled(r"(?:ns=\d{1,5};)?[isgb]=.+|[^/]*/.*")
"""A node of OPC UA, or a topic: no register is written so."""
_BETWEEN = compiled(rf",{SPACE}+")
"""What stands between two names, which may have commas in them."""
AS_IT_COMES = WordForm(kind="float", bits=64)
"""A number behind a name."""


def _parts(text: str) -> list[str]:
    """What stands one behind the other, with commas."""
    by_name = [part.strip() for part in _BETWEEN.split(text.strip())]
    named = any(_NAME.fullmatch(part.split(" ", 1)[-1]) or _NAME.fullmatch(part) for part in by_name)
    return by_name if named else [part.strip() for part in text.split(",")]


def _kept_at(text: str) -> Shown:
    """Where a controller keeps a number that can be set: “holding 200 int”, or its name. Raises TextError."""
    if _NAME.fullmatch(text):
        return Shown("name", 0, AS_IT_COMES, text)
    return read_shown(text)


def read_pair(text: str) -> tuple[Shown, Shown]:
    """ "holding 200 int, holding 201 int": where the counts of the low and of the high end stand. Only holding registers can
    be written. Where the controller has names: "ns=2;s=PT-1.low, ns=2;s=PT-1.high". Raises TextError in words."""
    places = [_kept_at(part) for part in _parts(text)]
    if len(places) != 2 or len({p.function for p in places}) != 1 or places[0].function == "input":
        raise TextError(
            f"“{text}”: write both ends, as in holding 200 int, holding 201 int, or two names with a comma and a blank"
        )
    low, high = places
    if low.name:
        if low.name == high.name:
            raise TextError(f"“{text}”: both ends have one name")
        return low, high
    if low.register < high.register + high.form.words and high.register < low.register + low.form.words:
        raise TextError(f"“{text}”: both ends stand in the same registers")
    return low, high


_LIMIT = compiled(rf"(ll|l|h|hh){SPACE}+(.+)", ignore_case=True)


def read_limits(text: str) -> dict[str, Shown]:
    """ "HH holding 300 real, H holding 302 real": where the controller keeps the limits of alarms, {"hh": place}; or by their
    names: "HH ns=2;s=PT-1.hh". Raises TextError in words."""
    out: dict[str, Shown] = {}
    taken: dict[int | str, str] = {}
    for part in _parts(text):
        found = _LIMIT.fullmatch(part)
        if not found:
            raise TextError(
                f"“{text}”: write which limit stands where, as in HH holding 300 real, H holding 302 real"
            )
        level, place = found[1].lower(), _kept_at(found[2])
        if place.function == "input":
            raise TextError(f"“{text}”: a limit that can be set stands in holding registers")
        if level in out:
            raise TextError(f"“{text}”: {level.upper()} is there twice")
        out[level] = place
        own = [place.name] if place.name else range(place.register, place.register + place.form.words)
        for at in own:
            if at in taken:
                kind = "have one name" if place.name else "stand in the same register"
                raise TextError(f"“{text}”: {taken[at]} and {level.upper()} {kind}")
            taken[at] = level.upper()
    if len({place.function for place in out.values()}) > 1:
        raise TextError(f"“{text}”: all of them stand in registers, or all of them have names")
    return out


def runs(places: Sequence[Shown], gap: int = 16, most: int = 120) -> list[tuple[str, int, int]]:
    """(function, first, count) of as few reads as cover all of them."""
    out: list[tuple[str, int, int]] = []
    for function, some in groupby(sorted(places, key=lambda s: (s.function, s.register)), key=lambda s: s.function):
        first = end = None
        for place in some:
            last = place.register + place.form.words
            if first is not None and end is not None and place.register <= end + gap and last - first <= most:
                end = max(end, last)
                continue
            if first is not None and end is not None:
                out.append((function, first, end - first))
            first, end = place.register, last
        if first is not None and end is not None:
            out.append((function, first, end - first))
    return out
