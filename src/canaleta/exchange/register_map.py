"""The register map as a file, and brought back: our own or another's, with addresses in whatever style it has them.

What comes back changes nothing by itself: it becomes edits of `published_at` and `read_by`, beside what is the same, what is
of no point here, and what could mean two things, which is taken by nobody.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import orjson

from canaleta.core.model.image import PlantImage
from canaleta.core.model.register_tables import STYLES, Style, Table, read_place
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.register_map import MAP_HEADS, map_rows
from canaleta.core.signals.converters import ORDERS
from canaleta.core.signals.decodings import read_shown
from canaleta.exchange.workbook import Sheet

__all__ = ["MapEdit", "MapPlan", "map_sheet", "maps_json", "plan_map", "rows_of_json"]

_WIDTHS = (14, 30, 18, 8, 8, 12, 14, 9, 8, 8, 8, 8, 9, 9, 9, 9, 9, 9, 9, 12, 12, 10, 18, 26, 20)
_FIGURES = ("from 0", "from 1", "registers", "times", "decimals", "low", "high", "LL", "L", "H", "HH")
_HEADS: dict[str, tuple[str, ...]] = {
    "tag": ("tag", "name", "point", "tag name", "variable", "symbol"),
    "at": ("published at",),
    "table": ("table", "function", "register type", "area", "memory area"),
    "from 0": ("from 0", "offset", "register offset", "address from 0"),
    "from 1": ("from 1", "register number", "address from 1"),
    "hexadecimal": ("hexadecimal", "hex", "hex address"),
    "with the table's digit": ("with the table's digit", "address", "modbus address", "register", "register address"),
    "type": ("type", "data type", "datatype", "format"),
    "order": ("order", "byte order", "word order", "endianness"),
    "read_by": ("read by", "reader", "consumer"),
}
_TYPES = {
    "int": "int", "int16": "int", "s16": "int", "signed": "int", "uint": "uint", "uint16": "uint", "u16": "uint", "word": "uint",
    "unsigned": "uint", "dint": "dint", "int32": "dint", "s32": "dint", "udint": "udint", "uint32": "udint", "u32": "udint",
    "dword": "udint", "real": "real", "float": "real", "float32": "real", "f32": "real", "ieee754": "real", "bool": "uint",
}  # fmt: skip
_TABLES = {
    "holding register": "holding", "holding registers": "holding", "holding": "holding", "4x": "holding", "hr": "holding",
    "3": "holding", "input register": "input", "input registers": "input", "input": "input", "3x": "input", "ir": "input", "4": "input",
}  # fmt: skip


@dataclass(frozen=True)
class MapEdit:
    """A cell that a map would change. row: of the file, from 1."""

    point: int
    tag: str
    field: str
    was: str
    becomes: str
    row: int


@dataclass(frozen=True)
class MapPlan:
    """What a map comes to. same: how many lines say what the list says; wrong: (row from 1, what it says, why it is left out)."""

    edits: tuple[MapEdit, ...]
    same: int
    wrong: tuple[tuple[int, str, str], ...]
    unmapped: int
    """Points that are published in the list and of which the map says nothing: they stay."""


def map_sheet(image: PlantImage) -> Sheet:
    """The map as a sheet."""
    return Sheet(
        "register map", [""] * len(MAP_HEADS), list(MAP_HEADS), list(_WIDTHS), [head in _FIGURES for head in MAP_HEADS],
        map_rows(image),
    )  # fmt: skip


def maps_json(image: PlantImage) -> bytes:
    """The map as JSON: a list of values, each with its heads as names."""
    rows = [dict(zip(MAP_HEADS, row, strict=True)) for row in map_rows(image)]
    return orjson.dumps({"canaleta": "register map", "values": rows}, option=orjson.OPT_INDENT_2)


def rows_of_json(data: bytes) -> list[list[str]]:
    """Lines of a map in JSON, its heads first. Raises TextError."""
    try:
        body = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise TextError(f"the file is no JSON: {error}") from error
    values = body.get("values") if isinstance(body, dict) else body
    if not isinstance(values, list) or not all(isinstance(one, dict) for one in values):
        raise TextError("a register map in JSON is a list of values, or has one under “values”")
    heads = list(dict.fromkeys(str(name) for one in values for name in one))
    return [heads, *([_word(one.get(head)) for head in heads] for one in values)]


def _word(value: Any) -> str:
    return "" if value is None else str(value)


def plan_map(image: PlantImage, rows: Sequence[Sequence[str]]) -> MapPlan:
    """What a map's rows come to. Raises TextError where no row has heads that could be those of a map."""
    heads_at, columns = _heads(rows)
    row_of = {str(tag).casefold(): k for k, tag in enumerate(image.texts("tag")) if tag}
    wrong: list[tuple[int, str, str]] = []
    lines: dict[int, tuple[int, str, str | None]] = {}
    doubles: set[int] = set()
    for number, cells in enumerate(rows[heads_at + 1 :], heads_at + 2):
        one = {name: cells[at].strip() if at < len(cells) else "" for name, at in columns.items()}
        tag = one.get("tag", "").lstrip("'")
        if not any(one.values()):
            continue
        row = row_of.get(tag.casefold())
        if row is None:
            wrong.append((number, tag or "no tag", "no point of the list is called so"))
            continue
        try:
            text = _published(one)
        except TextError as error:
            wrong.append((number, tag, str(error)))
            continue
        if row in lines:
            doubles.add(row)
            wrong.append((number, tag, f"it stands in row {lines[row][0]} as well"))
            continue
        lines[row] = (number, text, one.get("read_by") if "read_by" in columns else None)
    for row in doubles:
        number, _, _ = lines.pop(row)
        wrong.append((number, image.label(row), "it stands there more than once: neither is taken"))
    _overlaps(image, lines, wrong)
    edits, same = [], 0
    for row, (number, text, reader) in sorted(lines.items(), key=lambda one: one[1][0]):
        mine = [
            MapEdit(int(image.ids[row]), image.label(row), field, image.text(field, row), becomes, number)
            for field, becomes in (("published_at", text), *([("read_by", reader)] if reader is not None else []))
            if not _alike(field, image.text(field, row), becomes)
        ]
        edits += mine
        same += not mine
    stays = int(image.filled("published_at").sum()) - sum(1 for row in lines if image.filled("published_at")[row])
    return MapPlan(tuple(edits), same, tuple(sorted(wrong)), max(0, stays))


def _heads(rows: Sequence[Sequence[str]]) -> tuple[int, dict[str, int]]:
    """(row of the heads, {what: column})."""
    for at, row in enumerate(rows[:40]):
        names = [" ".join(cell.strip().casefold().split()) for cell in row]
        columns = {what: names.index(name) for what, all_ in _HEADS.items() for name in all_[::-1] if name in names}
        columns |= {what: names.index(all_[0]) for what, all_ in _HEADS.items() if all_[0] in names}
        if "tag" in columns and (columns.keys() & {"at", *STYLES}):
            return at, columns
    raise TextError(
        "no row has the heads of a register map: it needs a column “tag”, and one of “published at”, “from 0”, “from 1”,"
        " “hexadecimal” or “address”"
    )


def _published(one: dict[str, str]) -> str:
    """What stands in `published_at` of a line, "" where it is published nowhere. Raises TextError."""
    if text := one.get("at", ""):
        read_shown(text)
        return text
    table = _TABLES.get(one.get("table", "").casefold(), "")
    places: dict[int, str] = {}
    for style in STYLES:
        if not (typed := one.get(style, "")):
            continue
        named, place = _place(typed, style, table)
        table = table or named
        places[place] = typed
    if not places:
        return ""
    if len(places) > 1:
        raise TextError(f"its addresses do not agree: {', '.join(places.values())}")
    if not table:
        raise TextError("it does not say whether it is an input or a holding register")
    word = one.get("type", "").casefold().replace(" ", "").replace("-", "")
    if word not in _TYPES:
        raise TextError(f"“{one.get('type', '')}” is no data type: int, uint, dint, udint or real")
    order = one.get("order", "").upper()
    if order and order not in (*ORDERS, "AB"):
        raise TextError(f"“{one['order']}” is no order of bytes: {', '.join(ORDERS)}")
    (register,) = places
    text = f"{table} {register} {_TYPES[word]}" + (f" {order}" if order not in ("", "AB", "ABCD") else "")
    read_shown(text)
    return text


def _place(typed: str, style: Style, table: str) -> tuple[str, int]:
    """(table, register from 0). A column that is only called “address” may have any style: the table's digit, or from 0."""
    given = typed.replace(",", "").removesuffix(".0")
    if style == "with the table's digit" and table and given.isdigit() and len(given) < 5:
        style = "from 0"
    beside = Table.HOLDING_REGISTERS if table == "holding" else Table.INPUT_REGISTERS if table == "input" else None
    named, place = read_place(given, style, beside)
    word = {Table.HOLDING_REGISTERS: "holding", Table.INPUT_REGISTERS: "input"}.get(named or Table.COILS, "")
    if named is not None and not word:
        raise TextError(f"“{typed}” is a bit: values stand in registers")
    return word, place


def _overlaps(
    image: PlantImage, lines: dict[int, tuple[int, str, str | None]], wrong: list[tuple[int, str, str]]
) -> None:
    """Two lines at one register: neither is taken."""
    places: list[tuple[str, int, int, int]] = []
    for row, (_, text, _) in lines.items():
        if text:
            shown = read_shown(text)
            places.append((shown.function, shown.register, shown.register + shown.form.words, row))
    places.sort()
    out: dict[int, int] = {}
    last: tuple[str, int, int, int] | None = None
    for one in places:
        if last is not None and last[0] == one[0] and one[1] < last[2]:
            out |= {last[3]: one[3], one[3]: last[3]}
        if last is None or last[0] != one[0] or one[2] > last[2]:
            last = one
    for row, other in out.items():
        number = lines.pop(row)[0]
        wrong.append(
            (number, image.label(row), f"its registers are those of {image.label(other)} as well: neither is taken")
        )


def _alike(field: str, was: str, becomes: str) -> bool:
    if was == becomes or field != "published_at" or not was or not becomes:
        return was == becomes
    try:
        return read_shown(was) == read_shown(becomes)
    except TextError:
        return False
