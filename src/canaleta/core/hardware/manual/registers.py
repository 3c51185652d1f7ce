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
