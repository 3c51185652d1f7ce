"""Tables of a manual, pasted as they stand there: the ways a channel can work, the registers, the bits of a status.

Nobody's manual is written for us: cells are apart by tabs, bars, semicolons or wide gaps, ranges are written in many
ways, and a table has headings between its lines. What a line says is taken; what had to be concluded from words is told
as a guess, so that somebody confirms it; a line that says nothing known is told with its number, and none is lost.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import pairwise
from typing import Any

from canaleta.core.model.register_tables import Style, Table, read_place
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError, plain, read_number, read_range
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = ["FromManual", "LineTrouble", "read_bits", "read_modes", "read_registers"]

MOST_LINES = 2000


@dataclass(frozen=True)
class LineTrouble:
    """A line that could not be taken: its number from 1, the line, and why."""

    line: int
    text: str
    says: str


@dataclass
class FromManual:
    """What a pasted table gives: parts of a module type as its document has them. guesses: what was concluded from
    words alone; troubles: lines that were left out; codes: the number that each choice is written as."""

    parts: dict[str, Any] = field(default_factory=dict)
    guesses: list[str] = field(default_factory=list)
    troubles: list[LineTrouble] = field(default_factory=list)
    codes: dict[str, int] = field(default_factory=dict)


_WIDE = compiled(r"\s{2,}")


def _lines(text: str) -> Iterator[tuple[int, list[str]]]:
    """(number, cells) of every line that is not empty. The sign that stands between cells is that of the table."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")[:MOST_LINES]
    apart = next((sign for sign in ("\t", "|", ";") if sum(sign in line for line in lines) * 2 > len(lines)), None)
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        cells = line.split(apart) if apart else _WIDE.split(line.strip())
        cells = [cell.strip() for cell in cells]
        if any(set(cell) - set("-=+: ") for cell in cells):
            yield number, cells if apart != "|" else [c for c in cells if c]


# Bits ---------------------------------------------------------------------------------------------------

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


def read_bits(text: str, base: int = 0) -> FromManual:
    """Bits of a status word: one a line, its number or its mask and what it means. base: the number of the first."""
    out = FromManual(parts={"bits": []})
    bits: list[dict[str, Any]] = out.parts["bits"]
    taken: set[int] = set()
    for number, cells in _lines(text):
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
    return out


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


# Registers ----------------------------------------------------------------------------------------------

_FROM_TO = compiled(r"(.+?)\s*(?:-|–|—|…|\.\.\.?|\bto\b)\s*(.+)", ignore_case=True)
_CHANNEL = compiled(
    r"\b(?:channels?|chan\.?|ch\.?|inputs?|outputs?|ai|ao|di|do|rtd|tc)\s*[#_.]?\s*([0-9]{1,2})(?:\s*(?:-|–|…|to)\s*([0-9]{1,2}))?\b",
    ignore_case=True,
)
_FORMS: tuple[tuple[tuple[str, ...], dict[str, Any]], ...] = (
    (("float64", "double", "lreal", "real64"), {"kind": "float", "bits": 64}),
    (("float", "real", "ieee"), {"kind": "float", "bits": 32}),
    (("bcd",), {"kind": "BCD"}),
    (("uint64", "ulint"), {"bits": 64, "coding": "unsigned"}),
    (("int64", "lint"), {"bits": 64}),
    (("uint32", "udint", "unsigned 32", "u32", "dword"), {"bits": 32, "coding": "unsigned"}),
    (("int32", "dint", "signed 32", "s32", "32 bit", "32-bit"), {"bits": 32}),
    (("uint16", "uint", "unsigned", "u16", "word"), {"coding": "unsigned"}),
)


@dataclass(frozen=True)
class _Line:
    number: int
    table: Table
    first: int
    count: int
    says: str
    text: str


def read_registers(text: str, style: Style, table: Table, channels: int = 0) -> FromManual:
    """Registers of a module: a place or a range of places a line, and what stands there.

    style: how the manual writes places; table: where those stand that do not say it. channels: of the module, 0 to
    count them from the lines. Lines that differ in nothing but the channel's number are one run with a step.
    """
    out = FromManual()
    groups: dict[tuple[Table, str], list[tuple[int, int, _Line]]] = {}
    singles: list[_Line] = []
    for line in _register_lines(text, style, table, out):
        if found := _CHANNEL.search(line.says):
            first, last = int(found[1]), int(found[2] or found[1])
            key = (line.says[: found.start()] + "#" + line.says[found.end() :]).strip().lower()
            groups.setdefault((line.table, key), []).append((first, last, line))
        else:
            singles.append(line)
    base = min((first for some in groups.values() for first, _, _ in some), default=1)
    registers: list[dict[str, Any]] = []
    words: list[dict[str, Any]] = []
    numbers: set[int] = set()
    served = 0
    for (_, key), some in groups.items():
        for run in _runs(some, out):
            first, last, each, step, at = run
            if last < first or last - min(first, base) > 63:
                out.troubles.append(_trouble(some[0][2], "channels that a module cannot have"))
                continue
            numbers.update(range(first, last + 1))
            where = {"table": str(some[0][2].table), "at": at}
            if _is_status(key):
                words.append(where | {"step": step, "channels_a_word": 1, "bits": [{"bit": 0, "means": "fault"}]})
                out.guesses.append(f"“{some[0][2].says}” is a status word a channel; its bits are still to be told")
                continue
            form = _form_of(key, each)
            bits = some[0][2].table.of_bits
            size = 1 if bits else max(each, form.get("bits", 16) // 16)
            holds = "channel bits" if bits else "channel words"
            if any(
                r["holds"] in ("channel words", "channel bits") and _meets(r, first - base, last - base)
                for r in registers
            ):
                holds = "other numbers"
            span = (last - first) * (step or size) + size
            made: dict[str, Any] = {"holds": holds, "count": span, "step": step if step != size else 0, **where}
            made["of"] = {"first": first - base, "count": last - first + 1}
            if form and not bits:
                made["form"] = form
            if holds == "other numbers":
                made["says"] = some[0][2].says[:60]
            registers.append(made)
            served += last - first + 1
            out.guesses.append(f"“{some[0][2].says}” is {holds}, channels {first} to {last}{_form_words(form)}")
    for line in singles:
        low = line.says.lower()
        if "cold junction" in low or "reference junction" in low or "cjc" in low:
            holds = "cold junction"
        elif _is_status(low):
            words.append(
                {
                    "table": str(line.table),
                    "at": line.first,
                    "channels_a_word": 0,
                    "bits": [{"bit": 0, "means": "fault"}],
                }
            )
            out.guesses.append(f"“{line.says}” is a status word of the whole module; its bits are still to be told")
            continue
        else:
            holds = "module registers"
        registers.append(
            {"holds": holds, "table": str(line.table), "at": line.first, "count": line.count, "says": line.says[:60]}
        )
        if holds == "cold junction":
            out.guesses.append(f"“{line.says}” is the {holds}")
    out.parts = {"registers": registers, "status_words": words}
    if numbers:
        out.parts["channels"] = channels or len(numbers)
    return out


def _register_lines(text: str, style: Style, table: Table, out: FromManual) -> Iterator[_Line]:
    for number, cells in _lines(text):
        whole = " ".join(cell for cell in cells if cell)
        why = "no place stands there"
        for k, cell in enumerate(cells[:3]):
            try:
                of, first, count = _places(cell, style, table)
            except TextError as error:
                if cell[:1].isdigit():
                    why = str(error)
                continue
            says = " ".join(c for j, c in enumerate(cells) if j != k and c)
            yield _Line(number, of, first, count, says, whole)
            break
        else:
            if cells[0][:1].isdigit():
                out.troubles.append(LineTrouble(number, whole, why))


def _places(cell: str, style: Style, table: Table) -> tuple[Table, int, int]:
    """(table, first place, how many) of one place or a range. Raises TextError."""
    beside = None if style == "with the table's digit" else table
    try:
        of, first = read_place(cell, style, beside)
        return of or table, first, 1
    except TextError:
        found = _FROM_TO.fullmatch(cell)
        if not found:
            raise
    of, first = read_place(found[1], style, beside)
    _, last = read_place(found[2], style, beside)
    if last < first:
        raise TextError(f"“{cell}” runs backwards")
    return of or table, first, last - first + 1


def _runs(some: list[tuple[int, int, _Line]], out: FromManual) -> Iterator[tuple[int, int, int, int, int]]:
    """(first channel, last, places of each, step, first place) of lines that differ in the channel alone."""
    ranges = [one for one in some if one[1] > one[0]]
    for first, last, line in ranges:
        each, rest = divmod(line.count, last - first + 1)
        if rest:
            out.troubles.append(_trouble(line, f"{line.count} places for {last - first + 1} channels"))
        elif each:
            yield first, last, each, each, line.first
    alone = sorted((one for one in some if one[1] == one[0]), key=lambda one: one[0])
    while alone:
        step = alone[1][2].first - alone[0][2].first if len(alone) > 1 else 0
        end = 1
        for (a, _, one), (b, _, other) in pairwise(alone):
            if b != a + 1 or other.first - one.first != step or step <= 0:
                break
            end += 1
        (begins, _, head), (ends, _, _) = alone[0], alone[end - 1]
        yield begins, ends, head.count, step if end > 1 else 0, head.first
        alone = alone[end:]


def _meets(run: dict[str, Any], first: int, last: int) -> bool:
    of = run["of"]
    return bool(of["first"] <= last and first < of["first"] + of["count"])


def _is_status(low: str) -> bool:
    return any(word in low for word in ("status", "diagnos", "fault", "error", "alarm"))


def _form_of(low: str, each: int) -> dict[str, Any]:
    form = next((dict(form) for words, form in _FORMS if any(word in low for word in words)), {})
    if each in (2, 4) and "bits" not in form:
        form["bits"] = 16 * each
    return form


def _form_words(form: dict[str, Any]) -> str:
    """How its numbers stand, where the words of the table were taken to say it."""
    if not form:
        return ""
    kind = {"float": "real", "BCD": "BCD", "whole": "whole"}[form.get("kind", "whole")]
    return ", " + " ".join((str(form.get("bits", 16)), "bit", kind, form.get("coding", ""))).strip()


def _trouble(line: _Line, says: str) -> LineTrouble:
    return LineTrouble(line.number, line.text, says)


# Modes --------------------------------------------------------------------------------------------------

_CURVE = compiled(r"(?:tc|type|thermocouple)\s*-?\s*([abcejknrst])\b", ignore_case=True)
_ELEMENT = compiled(r"\b(pt|ni|cu)\s?-?([0-9]{2,4})\b", ignore_case=True)
_CODE = compiled(r"(?:0x([0-9a-f]{1,4})|([0-9]{1,5}))", ignore_case=True)
_UNITS = {
    "ma": "mA", "v": "V", "vdc": "V", "mv": "mV", "°c": "°C", "degc": "°C", "c": "°C", "°f": "°F", "degf": "°F", "f": "°F",
    "k": "K", "ω": "Ω", "ohm": "Ω", "ohms": "Ω", "hz": "Hz", "mv/v": "mV/V", "%": "%",
}  # fmt: skip
_PLUS_MINUS = compiled(r"±\s*([0-9]+(?:[.,][0-9]+)?)\s*(.*)")


def read_modes(text: str) -> FromManual:
    """Ways a channel can work: a name, the range of the signal with its unit, the range of the counts, and if the
    manual has it the number that chooses it."""
    out = FromManual(parts={"modes": []})
    modes: list[dict[str, Any]] = out.parts["modes"]
    for number, cells in _lines(text):
        whole = " ".join(cell for cell in cells if cell)
        ranges = [(k, found) for k, cell in enumerate(cells) if (found := _range(cell))]
        if not ranges:
            if modes or any(_range(cell) for cell in cells):
                out.troubles.append(LineTrouble(number, whole, "no range of a signal stands there"))
            continue
        try:
            mode, k_counts = _mode(cells, ranges)
        except TextError as error:
            out.troubles.append(LineTrouble(number, whole, str(error)))
            continue
        if any(known["name"] == mode["name"] for known in modes):
            mode["name"] = f"{mode['name']} {sum(m['name'].startswith(mode['name']) for m in modes) + 1}"
        used = {k for k, _ in ranges[:2]} | ({k_counts} if k_counts is not None else set())
        for k, cell in enumerate(cells):
            if k not in used and (found := _CODE.fullmatch(cell)):
                out.codes[mode["name"]] = int(found[1], 16) if found[1] else int(found[2])
                break
        if k_counts is None:
            out.guesses.append(f"{mode['name']}: no counts were told, so it counts tenths of its unit or thousandths")
        modes.append(mode)
    if len(set(out.codes.values())) < len(out.codes) or (out.codes and len(out.codes) < len(modes)):
        out.guesses.append(
            "the numbers that choose the modes are not all there, or two are alike: they were left out"
        )
        out.codes = {}
    return out


def _range(cell: str) -> tuple[Decimal, Decimal, str] | None:
    """(low, high, unit) of a cell that is a range."""
    if found := _PLUS_MINUS.fullmatch(cell):
        try:
            high = read_number(found[1])
        except TextError:
            return None
        return -high, high, found[2].strip()
    if found := _FROM_TO.fullmatch(cell):
        ends = [_CODE.fullmatch(part.strip()) for part in (found[1], found[2])]
        if any(end and end[1] for end in ends) and all(ends):
            low, high = (Decimal(int(end[1], 16) if end[1] else int(end[2])) for end in ends if end)
            return low, high, ""
    try:
        read = read_range(cell)
    except TextError:
        return None
    return None if read is None else (read.low, read.high, read.unit)


def _mode(
    cells: Sequence[str], ranges: Sequence[tuple[int, tuple[Decimal, Decimal, str]]]
) -> tuple[dict[str, Any], int | None]:
    """A mode's document, and which cell its counts came from."""
    whole = " ".join(cells)
    k, (low, high, unit) = ranges[0]
    counts = next(((j, r) for j, r in ranges[1:] if not _unit(r[2])), None)
    of_counts = counts[0] if counts else -1
    name = next((c for j, c in enumerate(cells) if j != of_counts and c and not _CODE.fullmatch(c)), "")
    curve, family = _curve_of(whole)
    known = _unit(unit) or _unit(next((c for c in cells if _unit(c)), ""))
    if family and known not in ("°C", "°F", "K"):
        known = known or "°C"
        if known not in ("°C", "°F", "K"):
            # An element that is measured in ohms or millivolts has no curve in the module.
            curve, family = "", ""
    if not known:
        raise TextError(f"“{cells[k]}” says no unit: mA, V, mV, °C, °F, K, Ω, Hz or mV/V")
    if low == high:
        raise TextError(f"“{cells[k]}”: the two ends of a span must differ")
    if counts is None:
        each = 10 if family else 1000
        c_low, c_high = low * each, high * each
    else:
        c_low, c_high, _ = counts[1]
        if c_low == c_high:
            raise TextError(f"“{cells[counts[0]]}”: the two ends of the counts must differ")
    mode: dict[str, Any] = {
        "name": (name or f"{plain(low)}…{plain(high)} {known}")[:80],
        "family": family or "linear",
        "signal_unit": known,
        "signal": {"low": float(low), "high": float(high)},
        "counts": {"low": float(c_low), "high": float(c_high)},
    }
    if curve:
        mode["curve"] = curve
    if family:
        mode |= {"least": float(min(c_low, c_high)), "most": float(max(c_low, c_high))}
    return mode, None if counts is None else counts[0]


def _unit(text: str) -> str:
    return _UNITS.get(text.strip().lower().replace(" ", ""), "")


def _curve_of(text: str) -> tuple[str, str]:
    """(curve, family) that a line names, both empty if none."""
    if found := _ELEMENT.search(text):
        named = f"{found[1].capitalize()}{found[2]}"
        signal = next((s for s in SIGNALS if s.family is Family.RESISTANCE and s.name == named), None)
        if signal is not None:
            return signal.curve, "resistance"
    if found := _CURVE.search(text):
        return found[1].upper(), "thermocouple"
    return "", ""
