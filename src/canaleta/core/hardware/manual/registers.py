"""The registers of a module: lines that differ in the channel alone become one run with a step."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from canaleta.core.hardware.manual.lines import FROM_TO, FromManual, LineTrouble, lines_of
from canaleta.core.model.register_tables import Style, Table, read_place
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError

__all__ = ["read_registers"]

_ORDERS = (
    ("CDAB", ("cdab", "word swap", "words swapped", "low word first", "lo word first", "little-endian words")),
    ("BADC", ("badc", "byte swap", "bytes swapped")),
    ("DCBA", ("dcba", "little endian", "little-endian")),
)
_NAMED = r"(?:channels?|chan\.?|ch\.?|inputs?|outputs?|counters?|sensors?|signals?|values?|temperatures?|temp\.?|ai|ao|di|do|rtd|tc|in|out|x)"
_CHANNEL = compiled(
    rf"\b{_NAMED}\s*[#_.]?\s*([0-9]{{1,2}})"
    rf"(?:\s*(?:-|–|…|\.{{2,3}}|to|/|&|\+|and)\s*(?:{_NAMED}\s*[#_.]?\s*)?([0-9]{{1,2}}))?\b",
    ignore_case=True,
)
_WAYS = {"output": "out", "outputs": "out", "ao": "out", "do": "out", "out": "out", "input": "in", "inputs": "in", "ai": "in", "di": "in", "rtd": "in", "tc": "in", "in": "in"}  # fmt: skip
"""Which names of channels say that they listen or drive."""
_ACCESS = compiled(
    r"r|w|rw|wr|r/w|r\s*/\s*w|ro|wo|r/o|w/o|read(?:[ -]only)?|write(?:[ -]only)?|read\s*/\s*write", ignore_case=True
)
_TABLE_SAID = compiled(
    r"(coils?|discrete inputs?|input registers?|holding registers?|input reg\.?|holding reg\.?)\s*:?\s+(.+)",
    ignore_case=True,
)
_TABLE_OF = {
    "coi": Table.COILS,
    "dis": Table.DISCRETE_INPUTS,
    "inp": Table.INPUT_REGISTERS,
    "hol": Table.HOLDING_REGISTERS,
}
_WRITABLE = {Table.INPUT_REGISTERS: Table.HOLDING_REGISTERS, Table.DISCRETE_INPUTS: Table.COILS}
_SETTINGS = (
    ("filter", ("filter", "integration", "damping", "smoothing", "averag")),
    ("open circuit", ("open circuit", "burnout", "burn-out", "break action", "break behav", "on wire break", "fail")),
    ("enabled", ("enable", "activ", "switched on")),
    ("mode", ("range", "type", "mode", "configuration", "measuring", "function")),
)
"""What a register that can be written sets, by words of its description; the first that fits."""
_STORES = ("store", "save", "eeprom", "flash", "non-volatile", "permanent")
_APPLIES = ("apply", "take over", "commit", "activate config", "accept config", "execute")
_RESETS = ("reset", "acknowledge", "clear")
_FIRMWARE = (
    "firmware", "software version", "software revision", "software rev", "sw version", "sw-version", "fw version", "fw rev",
)  # fmt: skip
_VERSIONS: tuple[tuple[tuple[str, ...], str], ...] = (
    (("ascii", "string", "char", "text"), "text"),
    (("x100", "x 100", "×100", "× 100", "/100", "0.01"), "hundredths"),
    (("major", "minor", "byte", "hex"), "parts in bytes"),
)
"""How a version stands in its registers, by words of the line."""
_WORD = compiled(
    r"\bwrite\s+(?:a\s+|the value\s+)?(?:(?:0x|16#)([0-9a-f]{1,4})|([0-9a-f]{1,4})h|([0-9]{1,5}))\b", ignore_case=True
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
    what: str = ""
    access: str = ""

    @property
    def written(self) -> bool:
        """Whether the manual says that it can be written."""
        return "w" in self.access.lower() and self.table in (Table.HOLDING_REGISTERS, Table.COILS)


def read_registers(text: str, style: Style, table: Table, channels: int = 0) -> FromManual:
    """Registers of a module: a place or a range of places a line, and what stands there.

    style: how the manual writes places; table: where those stand that do not say it. channels: of the module, 0 to
    count them from the lines. Lines that differ in nothing but the channel's number are one run with a step. What can be
    written and has the words of a setting is one; what applies, stores or resets is told apart.
    """
    out = FromManual()
    groups: dict[tuple[Table, str], list[tuple[int, int, _Line]]] = {}
    singles: list[_Line] = []
    for line in _register_lines(text, style, table, out):
        low = line.says.lower()
        after = line.written and any(word in low for word in (*_STORES, *_APPLIES, *_RESETS))
        # The cell that names the channel says what it is; a remark beside it may stand at one line alone.
        if not after and (found := _CHANNEL.search(line.what)):
            first, last = int(found[1]), int(found[2] or found[1])
            key = (line.what[: found.start()] + "#" + line.what[found.end() :]).strip().lower()
            groups.setdefault((line.table, key), []).append((first, last, line))
        else:
            singles.append(line)
    base = min((first for some in groups.values() for first, _, _ in some), default=1)
    registers: list[dict[str, Any]] = []
    words: list[dict[str, Any]] = []
    numbers: set[int] = set()
    served = 0
    families: dict[tuple[str, bool], int] = {}
    settings: list[dict[str, Any]] = []
    after_settings: list[dict[str, Any]] = []
    reset: dict[str, Any] | None = None
    for (_, key), some in groups.items():
        if _is_status(key) and (shared := _shared(some, base)):
            words.append(shared)
            out.guesses.append(f"“{some[0][2].says}” is a status word of {shared['channels_a_word']} channels each")
            numbers.update(n for first, last, _ in some for n in range(first, last + 1))
            continue
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
            if some[0][2].written and (of := _setting_of(key)):
                settings.append({"of": of, **where} | ({"step": step} if step else {}))
                out.guesses.append(f"“{some[0][2].says}” sets the {of} of channels {first} to {last}")
                continue
            form = _form_of(f"{key} {some[0][2].says.lower()}", each)
            bits = some[0][2].table.of_bits
            needs = 1 if bits else form.get("bits", 16) // 16
            if not bits and some[0][2].count > 1 and each < needs:
                says = f"{some[0][2].count} places for {last - first + 1} numbers of {16 * needs} bits"
                out.troubles.append(_trouble(some[0][2], says))
                continue
            size = 1 if bits else max(each, needs)
            holds = "channel bits" if bits else "channel words"
            offset = _offset(families, _way_of(some[0][2].what), bits, served)
            at_first, at_last = first - base + offset, last - base + offset
            if any(
                r["holds"] in ("channel words", "channel bits") and _meets(r, at_first, at_last) for r in registers
            ):
                holds = "other numbers"
            span = (last - first) * (step or size) + size
            made: dict[str, Any] = {"holds": holds, "count": span, "step": step if step != size else 0, **where}
            made["of"] = {"first": at_first, "count": last - first + 1}
            if form and not bits:
                made["form"] = form
            if holds == "other numbers":
                made["says"] = some[0][2].says[:60]
            registers.append(made)
            if holds != "other numbers":
                served = max(served, at_last + 1)
            out.guesses.append(f"“{some[0][2].says}” is {holds}, channels {first} to {last}{_form_words(form)}")
    firmware: dict[str, Any] | None = None
    for line in singles:
        low = line.says.lower()
        if firmware is None and (firmware := _firmware_of(line)):
            out.guesses.append(f"“{line.says}” is the firmware: {firmware['written']}")
            continue
        if "cold junction" in low or "reference junction" in low or "cjc" in low:
            holds = "cold junction"
        elif _is_status(low) and not line.written:
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
        elif line.written and any(word in low for word in (*_STORES, *_APPLIES)):
            name = "store" if any(word in low for word in _STORES) else "apply"
            made = {"name": name, "table": str(line.table), "at": line.first, "word": _word_of(line.says)}
            after_settings.append(made)
            out.guesses.append(
                f"“{line.says}” is written behind settings, with {made['word']}, so that they {'are kept' if name == 'store' else 'act'}"
            )
            continue
        elif line.written and any(word in low for word in _RESETS):
            reset = {"table": str(line.table), "at": line.first, "word": _word_of(line.says)}
            out.guesses.append(f"“{line.says}” resets what latches, with {reset['word']}")
            continue
        else:
            holds = "module registers"
        registers.append(
            {"holds": holds, "table": str(line.table), "at": line.first, "count": line.count, "says": line.says[:60]}
        )
        if holds == "cold junction":
            out.guesses.append(f"“{line.says}” is the {holds}")
    # What acts comes before what is kept.
    after_settings.sort(key=lambda one: one["name"])
    if reset is not None and words:
        words[0]["reset"] = reset
    out.parts = {"registers": registers, "status_words": words}
    if settings:
        out.parts["settings"] = settings
    if firmware:
        out.parts["firmware"] = firmware
    if after_settings:
        out.parts["after_settings"] = after_settings
    if numbers:
        out.parts["channels"] = channels or max(len(numbers), served)
    if len(families) > 1:
        out.parts["groups"] = _groups(families, registers)
        out.guesses.append("channels of several kinds: which of them listen and which drive")
    return out


def _register_lines(text: str, style: Style, table: Table, out: FromManual) -> Iterator[_Line]:
    for number, cells in lines_of(text):
        whole = " ".join(cell for cell in cells if cell)
        why = "no place stands there"
        for k, cell in enumerate(cells[:3]):
            try:
                of, first, count = _places(cell, style, table)
            except TextError as error:
                if cell[:1].isdigit():
                    why = str(error)
                continue
            rest = [c for j, c in enumerate(cells) if j != k and c]
            access = next((c for c in rest if _ACCESS.fullmatch(c)), "")
            if "w" in access.lower() and of in _WRITABLE:
                # What can be written stands in no table that can only be read.
                of = _WRITABLE[of]
            rest = [c for c in rest if c != access] or [""]
            what = next((c for c in rest if _CHANNEL.search(c)), rest[0])
            yield _Line(number, of, first, count, " ".join(rest), whole, what, access)
            break
        else:
            if cells[0][:1].isdigit():
                out.troubles.append(LineTrouble(number, whole, why))


def _places(cell: str, style: Style, table: Table) -> tuple[Table, int, int]:
    """(table, first place, how many) of one place or a range. Raises TextError."""
    if said := _TABLE_SAID.fullmatch(cell):
        table, cell = _TABLE_OF[said[1][:3].lower()], said[2]
    beside = None if style == "with the table's digit" else table
    try:
        of, first = read_place(cell, style, beside)
        return of or table, first, 1
    except TextError:
        found = FROM_TO.fullmatch(cell)
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


def _way_of(what: str) -> str:
    """ "in", "out", or "" where the name of a channel says neither."""
    found = _CHANNEL.search(what)
    name = "".join(letter for letter in found[0] if letter.isalpha()).lower() if found else ""
    return next(
        (way for word, way in _WAYS.items() if name.startswith(word) and (len(word) > 2 or name[:2] == word)), ""
    )


def _offset(families: dict[tuple[str, bool], int], way: str, bits: bool, served: int) -> int:
    """The first channel, from 0, of those that listen or drive, as words or as bits: each such kind is counted from its
    own first. What says neither is of the kind before."""
    if not way and families:
        return next(iter(families.values()))
    return families.setdefault((way, bits), served)


def _groups(families: dict[tuple[str, bool], int], registers: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The channels of each kind, in their order."""
    ends = [r["of"]["first"] + r["of"]["count"] for r in registers if r["holds"] in ("channel words", "channel bits")]
    order = sorted(families.items(), key=lambda one: one[1])
    starts = [first for _, first in order] + [max(ends)]
    return [
        {"first": first, "count": end - first, "direction": way or "in", "bits": bits}
        for ((way, bits), first), end in zip(order, starts[1:], strict=True)
        if end > first
    ]


def _shared(some: list[tuple[int, int, _Line]], base: int) -> dict[str, Any] | None:
    """A status word that several channels have together, one behind the other; None where each has its own."""
    lines = sorted(some, key=lambda one: one[0])
    first, head = lines[0][0], lines[0][2]
    share = lines[0][1] - first + 1
    if share < 2 or any(line.count != 1 or b - a + 1 != share for a, b, line in lines) or first != base:
        return None
    step = lines[1][2].first - head.first if len(lines) > 1 else 1
    even = all(b == a + share and other.first - one.first == step for (a, _, one), (b, _, other) in pairwise(lines))
    if not even or step < 1:
        return None
    bits = [{"bit": 0, "means": "fault"}]
    return {"table": str(head.table), "at": head.first, "step": step, "channels_a_word": share, "bits": bits}


def _setting_of(low: str) -> str:
    return next((name for name, words in _SETTINGS if any(word in low for word in words)), "")


def _word_of(says: str) -> int:
    """What a manual says is written; 1 where it does not say."""
    found = _WORD.search(says)
    if not found:
        return 1
    word = int(found[1] or found[2], 16) if found[1] or found[2] else int(found[3])
    return word if word <= 65_535 else 1


def _meets(run: dict[str, Any], first: int, last: int) -> bool:
    of = run["of"]
    return bool(of["first"] <= last and first < of["first"] + of["count"])


def _firmware_of(line: _Line) -> dict[str, Any] | None:
    """Where the module says its firmware, if that is what a line says; None for any other."""
    low = line.says.lower()
    if line.table.of_bits or line.written or not any(word in low for word in _FIRMWARE):
        return None
    usual = "number" if any(word in low for word in ("uint32", "udint", "dword")) else "parts in bytes"
    written = next((how for words, how in _VERSIONS if any(word in low for word in words)), usual)
    words = min(line.count, 2 if written in ("number", "hundredths") else 16)
    return {"table": str(line.table), "at": line.first, "words": words, "written": written}


def _is_status(low: str) -> bool:
    return any(word in low for word in ("status", "diagnos", "fault", "error", "alarm"))


def _form_of(low: str, each: int) -> dict[str, Any]:
    form = next((dict(form) for words, form in _FORMS if any(word in low for word in words)), {})
    if each in (2, 4) and "bits" not in form:
        form["bits"] = 16 * each
    if form.get("bits", 16) > 16 and (order := next((o for o, words in _ORDERS if any(w in low for w in words)), "")):
        form["order"] = order
    return form


def _form_words(form: dict[str, Any]) -> str:
    """How its numbers stand, where the words of the table were taken to say it."""
    if not form:
        return ""
    kind = {"float": "real", "BCD": "BCD", "whole": "whole"}[form.get("kind", "whole")]
    said = (str(form.get("bits", 16)), "bit", kind, form.get("coding", ""), form.get("order", ""))
    return ", " + " ".join(part for part in said if part)


def _trouble(line: _Line, says: str) -> LineTrouble:
    return LineTrouble(line.number, line.text, says)
