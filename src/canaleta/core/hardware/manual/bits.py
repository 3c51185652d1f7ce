"""The bits of a status word, one a line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from canaleta.core.hardware.manual.lines import FromManual, LineTrouble, lines_of
from canaleta.core.notation.patterns import compiled

__all__ = ["read_bits"]

_BIT = compiled(r"(?:bit|b)?\s*\.?#?\s*([0-9]{1,2})", ignore_case=True)
_MASK = compiled(r"0x([0-9a-f]{1,4})", ignore_case=True)
_MEANINGS: tuple[tuple[tuple[str, ...], str], ...] = (
    (("calib",), "not calibrated"),
    (("short", "s/c"), "short circuit"),
    (("wire break", "wire-break", "broken", "open", "burn", "break", "line fault"), "open circuit"),
    (("underrange", "under range", "underflow", "under", "below", "low"), "under range"),
    (("overrange", "over range", "overflow", "over", "above", "exceed", "high"), "over range"),
    (("supply", "24 v", "24v", "voltage", "power", "fuse"), "supply fault"),
    (("module", "internal", "hardware", "memory", "checksum", "converter", "watchdog"), "module fault"),
    (("fault", "error", "fail", "invalid", "not valid", "alarm", "diagnos"), "fault"),
)
_HEALTHY = (
    "1 = ok",
    "1=ok",
    "1: ok",
    "0 = fault",
    "0=fault",
    "0 = error",
    "0=error",
    "healthy",
    "1 = valid",
    "1=valid",
    "is ok",
)
_LATCHES = ("latch", "stored", "until reset", "retained", "acknowledge")
_UNUSED = ("reserved", "not used", "unused", "always 0", "n/a", "spare")


_OF = compiled(
    r"\b(?:channels?|chan\.?|ch\.?|inputs?|outputs?|ai|ao|di|do)\s*[#_.]?\s*([0-9]{1,2}|[a-d])\b", ignore_case=True
)


def read_bits(text: str, base: int = 0) -> FromManual:
    """Bits of a status word: one a line, its number or its mask and what it means. base: the number of the first."""
    out = FromManual(parts={"bits": []})
    bits: list[dict[str, Any]] = out.parts["bits"]
    taken: set[int] = set()
    for number, cells in lines_of(text):
        at, rest = _bit_of(cells, base)
        says = " ".join(cell for cell in rest if cell)
        if at is None:
            if bits or _has_digit(cells):
                out.troubles.append(
                    LineTrouble(number, " ".join(cells), "no number of a bit and no mask stands there")
                )
            continue
        if not base <= at <= base + 15:
            out.troubles.append(LineTrouble(number, " ".join(cells), f"bit {at} is none of {base} to {base + 15}"))
            continue
        low = says.lower()
        if any(word in low for word in _UNUSED):
            continue
        if at in taken:
            out.troubles.append(LineTrouble(number, " ".join(cells), f"bit {at} was told before"))
            continue
        taken.add(at)
        means = next((m for words, m in _MEANINGS if any(word in low for word in words)), "note")
        healthy = any(word in low for word in _HEALTHY)
        bits.append(
            {
                "bit": at,
                "means": means,
                "one_means": "healthy" if healthy else "fault",
                "says": says[:80],
                "latches": any(word in low for word in _LATCHES),
            }
        )
        out.guesses.append(f"bit {at}: “{says[:80]}” is {means}" + (", and 1 is healthy" if healthy else ""))
    _of_channels(bits, out)
    return out


def _of_channels(bits: list[dict[str, Any]], out: FromManual) -> None:
    """Bits that name a channel, where several are named, are that one's; the lowest is the first of its word."""
    named = {k: found[1].lower() for k, bit in enumerate(bits) if (found := _OF.search(bit["says"]))}
    order = sorted(set(named.values()), key=lambda name: (len(name), name))
    if len(order) < 2:
        return
    for k, name in named.items():
        bits[k]["of"] = order.index(name)
    out.guesses.append(f"the word is of {len(order)} channels: {', '.join(order)}")


def _bit_of(cells: Sequence[str], base: int) -> tuple[int | None, list[str]]:
    for k, cell in enumerate(cells[:2]):
        if found := _MASK.fullmatch(cell):
            mask = int(found[1], 16)
            if mask and mask & (mask - 1) == 0:
                return mask.bit_length() - 1 + base, [*cells[:k], *cells[k + 1 :]]
        if found := _BIT.fullmatch(cell):
            return int(found[1]), [*cells[:k], *cells[k + 1 :]]
    # “3 wire break”, with a single space between.
    head, _, tail = cells[0].partition(" ")
    if found := _BIT.fullmatch(head.rstrip(":.)=")):
        return int(found[1]), [tail.lstrip(":=- "), *cells[1:]]
    word, _, tail = tail.partition(" ")
    if head.lower() in ("bit", "b") and (found := _BIT.fullmatch(word.rstrip(":.)="))):
        return int(found[1]), [tail.lstrip(":=- "), *cells[1:]]
    return None, list(cells)


def _has_digit(cells: Sequence[str]) -> bool:
    return any(letter.isdigit() for cell in cells for letter in cell)
