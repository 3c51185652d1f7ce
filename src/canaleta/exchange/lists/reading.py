"""The rows of a list as texts of our own fields: cells read column by column, each text once however often it stands.

A cell that may be read in several ways is left out until somebody has said which, and told with its code; nothing that
was not read surely passes.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.core.model.fields import Kind, field_named
from canaleta.core.model.layout import SEPARATOR
from canaleta.exchange.lists.cells import NOTHING, UNIT_OF, Answers, Got, cell_reader, range_reader, signal_reader
from canaleta.exchange.lists.contents import is_empty
from canaleta.exchange.lists.figures import (
    DoubtError,
    Marks,
    read_unit_text,
)
from canaleta.exchange.lists.headings import (
    CLASS,
    CLASS_MARKS,
    FORM,
    NUMBER_TARGETS,
    PARTS,
    RANGES,
    STRIP_NAME,
    TAG_PARTS,
    TERMINALS,
)
from canaleta.exchange.lists.judging import Column
from canaleta.exchange.lists.phrases import read_class, read_form
from canaleta.exchange.lists.places import (
    Place,
    Seats,
    address_of,
    context_of,
    read_place,
    read_strip,
)
from canaleta.exchange.lists.tables import Table, row_kind
from canaleta.exchange.sheets import EXACT

__all__ = ["Doubt", "Rows", "figures_of", "read_rows"]


@dataclass(frozen=True)
class Doubt:
    """A cell that was not read. at: its column on the sheet. code: see questions.py. says: why, for people. choices: what
    it may be, where that is known."""

    at: int
    target: str
    typed: str
    code: str
    says: str
    choices: tuple[str, ...] = ()


@dataclass
class Rows:
    """A list as read. numbers: the row of each point on its sheet, from 1. fields: {field: a text for each point}.

    doubts: {index of a point: its cells that were not read}. out: (row, code, text) of rows that are no points.
    """

    numbers: list[int] = field(default_factory=list)
    fields: dict[str, list[str]] = field(default_factory=dict)
    doubts: dict[int, list[Doubt]] = field(default_factory=dict)
    out: list[tuple[int, str, str]] = field(default_factory=list)


def figures_of(
    table: Table, columns: Sequence[Column], cells: Sequence[Sequence[str]], most: int = 50_000
) -> list[str]:
    """The texts of all columns that hold figures, by which the decimal mark is settled. cells: the sheet's columns."""
    wanted = [c.at for c in columns if c.target in NUMBER_TARGETS or c.target in RANGES]
    out: dict[str, None] = {}
    for at in wanted:
        out.update(dict.fromkeys(cells[at][table.data.start : table.data.stop] if at < len(cells) else ()))
        if len(out) > most:
            break
    return [text for text in out if text and not text.endswith(EXACT)]


def read_rows(
    table: Table,
    columns: Sequence[Column],
    rows: Sequence[Sequence[str]],
    sheet: Sequence[Sequence[str]],
    seats: Seats,
    marks: Marks,
    answers: Answers,
    key: str = "tag",
) -> Rows:
    """The points of a list. sheet: the columns of its rows. answers(code, key): what somebody said of a doubt of a column, "" for nothing. key: the
    field that tells which point a row is."""
    out = Rows()
    by = {c.target: c for c in columns if c.target}
    context, strip = context_of([*table.above, table.name], seats)
    # A column that may be the tag tells points from titles as well.
    asked = next((c for c in columns if c.why == "asked" and "tag" in c.likely), None)
    contexts = _points(
        table, by.get(key) or by.get("tag") or by.get(TAG_PARTS[0]) or asked, rows, seats, context, out
    )
    count = len(out.numbers)
    picked = _picked(out.numbers)
    cells: dict[int, list[str]] = {}

    def column(at: int) -> list[str]:
        if at not in cells:
            texts = picked(sheet[at]) if at < len(sheet) else [""] * count
            nothing = {text for text in set(texts) if text and is_empty(text)}
            cells[at] = ["" if text in nothing else text for text in texts] if nothing else texts
        return cells[at]

    classes = [read_class(text) for text in column(by[CLASS].at)] if CLASS in by else [""] * count
    for name in CLASS_MARKS:
        if name in by:
            io = name.removeprefix("marked_as_")
            classes = [
                io if text and text != "0" else had for text, had in zip(column(by[name].at), classes, strict=True)
            ]
    later: list[Column] = []
    for one in columns:
        if not one.target or one.target in _OF_MORE:
            continue
        if one.target in RANGES or one.target == "signal":
            later.append(one)
            continue
        texts = column(one.at)
        if _is_free(one.target) and _take_as_it_is(out, one, texts):
            continue
        keys: Sequence[object] = (
            list(zip(texts, column(by[STRIP_NAME].at), strict=True))
            if one.target == "strip" and STRIP_NAME in by
            else texts
        )
        _take(out, one, texts, keys, cell_reader(one, marks, strip, answers))
    forms = [read_form(text) for text in column(by[FORM].at)] if FORM in by else [""] * count
    for one in later:
        texts = column(one.at)
        if one.target == "signal":
            keys = list(zip(texts, classes, forms, strict=True))
            _take(out, one, texts, keys, signal_reader(one, answers))
        else:
            _take(out, one, texts, texts, range_reader(one, marks, answers))
    if "signal" not in by and FORM in by and any(word in by[FORM].heading.casefold() for word in _CONTACTS):
        out.fields["signal"] = [_CONTACT_OF.get(form, "") for form in forms]
    _addresses(out, by, column, contexts, seats, answers)
    _terminals(out, by, column, strip)
    _tags(out, by, column, answers)
    _units_of_heads(out, columns)
    _without_units(out)
    return out


_OF_MORE = frozenset((*CLASS_MARKS, CLASS, FORM, STRIP_NAME, *PARTS, *TAG_PARTS, *TERMINALS, "channel"))
"""Targets that are read together with others."""
_CONTACT_OF = {"NO": "contact NO", "NC": "contact NC"}
_CONTACTS = ("conta", "kontakt")
"""In a head that says that what stands below is a contact."""


def _picked(numbers: Sequence[int]) -> Callable[[Sequence[str]], list[str]]:
    """What takes the cells of these rows, counted from 1, out of a column."""
    if numbers and numbers[-1] - numbers[0] == len(numbers) - 1:
        return lambda column: list(column[numbers[0] - 1 : numbers[-1]])
    return lambda column: [column[number - 1] for number in numbers]


def _clean(text: str) -> str:
    return "" if is_empty(text) else text


def _points(
    table: Table, named: Column | None, rows: Sequence[Sequence[str]], seats: Seats, context: Place, out: Rows
) -> list[Place]:
    """Tell the points from what is none, and what names over groups of rows say of their place. named: the column that
    tells which point a row is."""
    tag_at = named.at if named else -1
    contexts: list[Place] = []
    words = frozenset(word for sign in table.again for word in sign)
    now = context
    for at in range(table.data.start, table.data.stop):
        row = rows[at]
        cells = row[table.start : table.stop]
        filled = len(cells) - cells.count("")
        tag = row[tag_at] if 0 <= tag_at < len(row) else ""
        kind = row_kind(cells, filled, _clean(tag), table.again, words)
        if kind == "empty":
            continue
        if kind:
            text = next(cell for cell in cells if cell)
            out.out.append((at + 1, kind, text))
            if kind == "group":
                said, _ = context_of([" ".join(cell for cell in cells if cell)], seats)
                if said != Place():
                    # A new cabinet has racks of its own; a new rack stays in its cabinet.
                    now = (
                        said
                        if said.cabinet
                        else Place(
                            now.cabinet, said.rack or now.rack, said.slot if said.slot or said.rack else now.slot
                        )
                    )
            continue
        out.numbers.append(at + 1)
        contexts.append(now)
    return contexts


def _is_free(target: str) -> bool:
    """Whether a field takes any text."""
    return target not in ("hart",) and field_named(target).kind is Kind.TEXT


def _take_as_it_is(out: Rows, one: Column, texts: list[str]) -> bool:
    """Take a column of free text whole, where none of its cells is a failed formula or a workbook's number."""
    if one.target in out.fields:
        return False
    joined = "\n".join(("", *texts, ""))
    if "\n#" in joined or EXACT in joined:
        return False
    out.fields[one.target] = texts
    return True


def _take(out: Rows, one: Column, texts: Sequence[str], keys: Sequence[object], read: Callable[..., Got]) -> None:
    """Read a column: each of its texts once."""
    known: dict[object, Got] = {}
    for key in set(keys):
        text = key[0] if isinstance(key, tuple) else key
        known[key] = read(*key) if isinstance(key, tuple) and text else read(text) if text else NOTHING
    names = dict.fromkeys(name for got in known.values() for name in got.fields)
    for name in names:
        values = {key: got.fields.get(name, "") for key, got in known.items()}
        as_it_is = keys is texts and all(key == value for key, value in values.items())
        column = list(texts) if as_it_is else [values[key] for key in keys]
        if (have := out.fields.get(name)) is not None:
            # A column of its own comes before what stands beside something else.
            column = (
                [a or b for a, b in zip(have, column, strict=True)]
                if one.target != name
                else [b or a for a, b in zip(have, column, strict=True)]
            )
        out.fields[name] = column
    doubtful = {key for key, got in known.items() if got.code}
    if doubtful:
        for number, key in enumerate(keys):
            if key in doubtful:
                got = known[key]
                doubt = Doubt(one.at, one.target, texts[number], got.code, got.says, got.choices)
                out.doubts.setdefault(number, []).append(doubt)


# What needs more than one column ------------------------------------------------------------------


def _addresses(
    out: Rows,
    by: Mapping[str, Column],
    column: Callable[[int], list[str]],
    contexts: Sequence[Place],
    seats: Seats,
    answers: Answers,
) -> None:
    """The channel of each point, of one column or of its parts, with what the lines above say."""
    whole = by.get("channel")
    parts = [by.get(name) for name in PARTS]
    if whole is None and parts[3] is None:
        return
    one = whole or parts[3]
    assert one is not None
    count = len(out.numbers)
    empty = [""] * count
    texts = column(one.at)
    if whole and all(not text or seats.has(text) for text in texts):
        # As the plant writes them: its own list comes back.
        out.fields["channel"] = texts
        return
    columns = [column(p.at) if p else empty for p in parts]
    order = _order(one.heading) if whole else ()
    dotted = answers("dotted", one.key)
    if whole and not order and not dotted and _are_dotted(texts):
        # 4.0 to 4.7 may be bytes and bits of a controller: they would be channels of another slot.
        for number, text in enumerate(texts):
            if text:
                says = f"“{text}” may be a slot and a channel, or a byte and a bit"
                out.doubts.setdefault(number, []).append(Doubt(one.at, "channel", text.rstrip(EXACT), "dotted", says))
        return
    places: list[Place | None] = []
    read: dict[str, Place | None] = {}
    for number in range(count):
        cabinet, rack, slot, channel = (c[number].rstrip(EXACT) for c in columns)
        said = Place(
            cabinet,
            _figures(rack) if rack[:1].isalpha() and _figures(rack) else rack,
            _figures(slot),
            "" if whole else _figures(channel),
        )
        if whole:
            text = texts[number].rstrip(EXACT)
            if text and text not in read:
                read[text] = read_place(text, seats, order)
            own = read.get(text) if text else None
            places.append(own.under(said).under(contexts[number]) if own else None)
        else:
            places.append(said.under(contexts[number]) if said.channel else None)
    # A list that has a channel 0 counts from there.
    channels = [int(p.channel) for p in places if p and p.channel.isdecimal()]
    shift = seats.base if channels and min(channels) == 0 else 0
    known: dict[Place, Got] = {}
    values, old = [""] * count, [""] * count
    chosen = answers("where", one.key)
    keep_old = "old address" in (answers("place", one.key), dotted)
    for number, place in enumerate(places):
        text = texts[number].rstrip(EXACT)
        if not text:
            continue
        got: Got
        if dotted == "old address":
            old[number] = text
            continue
        if place is None:
            typed, got = text, Got({}, "place", f"“{text}” is not a rack, a slot and a channel")
        else:
            typed = text if whole else place.text()
            if place not in known:
                known[place] = _address(place, seats, shift, chosen)
            got = known[place]
        if got.code:
            if keep_old or (got.code == "where" and chosen == "old address"):
                old[number] = typed
            else:
                out.doubts.setdefault(number, []).append(Doubt(one.at, "channel", typed, got.code, got.says))
        else:
            values[number] = got.fields["channel"]
    if any(values):
        out.fields["channel"] = values
    if any(old):
        have = out.fields.get("old_address", empty)
        out.fields["old_address"] = [a or b for a, b in zip(have, old, strict=True)]


def _are_dotted(texts: Sequence[str]) -> bool:
    """Whether addresses are two figures with a point between them, and nothing else."""
    some = [text.rstrip(EXACT) for text in texts if text][:200]
    return bool(some) and all(
        len(parts := text.split(".")) == 2 and all(part.isdecimal() for part in parts) for text in some
    )


def _address(place: Place, seats: Seats, shift: int, chosen: str) -> Got:
    try:
        if chosen and chosen != "old address":
            cabinet, _, rack = chosen.partition(SEPARATOR)
            if not place.cabinet or place.cabinet == cabinet:
                place = Place(cabinet, place.rack or rack, place.slot, place.channel)
        return Got({"channel": address_of(place, seats, shift)})
    except DoubtError as doubt:
        return Got({}, doubt.code, str(doubt))


def _figures(text: str) -> str:
    """The number of "CH05", "Slot 3" or "3", without the zeros before it; the text itself if it has none."""
    digits = "".join(c for c in text if c.isdigit())
    return (digits.lstrip("0") or "0") if digits and sum(c.isalpha() for c in text) <= 8 else text


def _order(heading: str) -> tuple[str, ...]:
    """The order of figures that a head such as "Slot/Ch" or "C/R/S" says, () if it says none."""
    words = [w for w in heading.lower().replace("/", " ").replace("-", " ").replace(".", " ").split() if w]
    labels = {"rack": "rack", "rk": "rack", "r": "rack", "bgt": "rack", "chassis": "rack", "slot": "slot", "sl": "slot", "s": "slot", "karte": "slot", "module": "slot",
              "card": "slot", "ch": "channel", "channel": "channel", "kanal": "channel", "c": "channel", "voie": "channel", "canal": "channel", "point": "channel"}  # fmt: skip
    found = tuple(labels[w] for w in words if w in labels)
    return found if len(found) == len(set(found)) >= 2 else ()


def _terminals(out: Rows, by: Mapping[str, Column], column: Callable[[int], list[str]], strip: str) -> None:
    """Terminals that stand in two or three columns, with the name of their strip."""
    marks = [by[name] for name in TERMINALS if name in by]
    if not marks:
        return
    names = column(by[STRIP_NAME].at) if STRIP_NAME in by else [""] * len(out.numbers)
    ends = [column(one.at) for one in marks]
    values = [""] * len(out.numbers)
    for number, texts in enumerate(zip(*ends, strict=True)):
        filled = [text.rstrip(EXACT) for text in texts if text]
        if not filled:
            continue
        try:
            values[number] = "; ".join(read_strip(text, names[number] or strip) for text in filled)
        except DoubtError as doubt:
            out.doubts.setdefault(number, []).append(
                Doubt(marks[0].at, "strip", " ".join(filled), doubt.code, str(doubt))
            )
    out.fields["strip"] = [a or b for a, b in zip(out.fields.get("strip", values), values, strict=True)]


def _tags(out: Rows, by: Mapping[str, Column], column: Callable[[int], list[str]], answers: Answers) -> None:
    """A tag in parts, joined as somebody said."""
    parts = [by[name] for name in TAG_PARTS if name in by]
    if not parts or "tag" in by:
        return
    said = answers("joined", parts[0].key)
    texts = [column(one.at) for one in parts]
    joined = {"with a dash": "-", "without": "", "with a dot": "."}
    if said in joined:
        out.fields["tag"] = [joined[said].join(p.rstrip(EXACT) for p in row if p) for row in zip(*texts, strict=True)]
        return
    for number, row in enumerate(zip(*texts, strict=True)):
        typed = " ".join(p.rstrip(EXACT) for p in row if p)
        if typed:
            out.doubts.setdefault(number, []).append(
                Doubt(parts[0].at, "tag", typed, "joined", "it is not said how its parts are joined")
            )


def _units_of_heads(out: Rows, columns: Sequence[Column]) -> None:
    """Units that stand in the heads go with the figures of their columns."""
    for one in columns:
        if not one.unit or one.target not in (*NUMBER_TARGETS, *RANGES):
            continue
        if one.target in RANGES:
            low, _, unit = RANGES[one.target]
        else:
            low, unit = one.target, field_named(one.target).unit_field
        figures = out.fields.get(low)
        if figures is None:
            continue
        if unit:
            have = out.fields.get(unit, [""] * len(figures))
            out.fields[unit] = [u or (one.unit if f else "") for f, u in zip(figures, have, strict=True)]
        else:
            name = f"{UNIT_OF}{one.target}"
            have = out.fields.get(name, [""] * len(figures))
            out.fields[name] = [u or (one.unit if f else "") for f, u in zip(figures, have, strict=True)]
    for unit in ("device_unit", "value_unit"):
        if unit in out.fields:
            cache: dict[str, str] = {}
            for text in set(out.fields[unit]):
                try:
                    cache[text] = read_unit_text(text)
                except DoubtError:
                    cache[text] = text
            out.fields[unit] = [cache[text] for text in out.fields[unit]]


def _without_units(out: Rows) -> None:
    """Figures of fields without a unit of their own, with the unit they were written with: it must be the point's own."""
    empty = [""] * len(out.numbers)
    for name in [n for n in out.fields if n.startswith(UNIT_OF)]:
        target = name.removeprefix(UNIT_OF)
        said = out.fields.pop(name)
        field_ = field_named(target)
        figures = out.fields[target]
        own = out.fields.get("value_unit", empty), out.fields.get("device_unit", empty)
        owns = [field_.unit or a or b for a, b in zip(*own, strict=True)]
        same = {(unit, fixed): _same_unit(unit, fixed) for unit, fixed in set(zip(said, owns, strict=True)) if unit}
        if all(same.values()):
            continue
        for number, (unit, fixed) in enumerate(zip(said, owns, strict=True)):
            if not unit or not figures[number] or same[unit, fixed]:
                continue
            typed = f"{figures[number]} {unit}"
            figures[number] = ""
            says = f"“{typed}” is not in {fixed}" if fixed else f"“{typed}”: the point has no unit to hold it against"
            out.doubts.setdefault(number, []).append(Doubt(-1, target, typed, "other unit", says))


def _same_unit(a: str, b: str) -> bool:
    try:
        return bool(b) and read_unit_text(a).split()[0] == read_unit_text(b).split()[0]
    except DoubtError:
        return a == b
