"""Bringing in a list: rows that match a point change it, others become new points; first as a dry run, cell by
cell.

The rows come as texts of our own fields (lists/understanding.py). What a second issue of a list says again is no
difference, however it is typed; a point of which only the tag is another, on the same channel with the same service, is
proposed as renamed, and nothing becomes of it until somebody says so.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import Engine

from canaleta.core.model.fields import Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.exchange.lists.questions import askable
from canaleta.exchange.sheets import SheetError
from canaleta.plant.changes.apply import Applied, Foreseen
from canaleta.plant.changes.change_set import CellChanges
from canaleta.plant.changes.entering import Entered, enter_new, enter_row
from canaleta.plant.changes.rows import add_points
from canaleta.plant.database.cells import same_cell
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["KIND", "TROUBLES", "Choices", "Line", "ListPlan", "Ours", "RowAt", "apply_plan", "plan_list", "unpacked"]

STEP = 500
"""Rows between two looks at whether to go on."""
OUT_SAYS = {
    "heads": "the heads once more",
    "total": "a total",
    "footer": "a line below the list",
    "spare": "a spare channel: nothing is on it",
    "group": "the name of a group of rows",
    "no tag": "no tag stands there",
    "chosen": "left out by choice",
    "twice": "its tag stands in the file more than once",
    "several": "several points of the list have this tag",
    "joined": "the same point once more: what it adds was joined to it",
    "untagged": "a new point needs a tag",
}
"""Why a row of the file is no change, by its code."""


class RowAt(BaseModel):
    """A row of the file: its sheet, from 0, and its number on it, from 1."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    sheet: int = Field(0, ge=0, le=60)
    row: int = Field(ge=1, le=300_000)


class Ours(RowAt):
    """A cell of the file that stays out: its row and its field."""

    field: str = Field(max_length=60)


class Choices(BaseModel):
    """What somebody settled about a list. sheet, header: only this sheet, whose heads stand in this row, from 0; header
    −1 for none.

    answers: {id of a question: the reading, or "left out"}; "column@" and a column's key takes it for a field, asked or
    not. match_by: the field by which rows are found. keep_old: the old channel is kept beside a new one. leave: rows of
    the file that stay out; ours: cells that stay as they are in the list. renamed: what becomes of points that look
    renamed: asked, joined (the point gets its new tag) or new; joined: rows of which the first is said one by one. gone:
    points that the file does not have are taken away.
    """

    model_config = ConfigDict(extra="forbid")

    sheet: int | None = Field(default=None, ge=0, le=60)
    header: int | None = Field(default=None, ge=-1, le=200_000)
    answers: dict[str, str] = Field(default_factory=dict, max_length=1000)
    match_by: Literal["tag", "second_name", "old_address", "channel"] = "tag"
    keep_old: bool = True
    leave: list[RowAt] = Field(default_factory=list, max_length=200_000)
    ours: list[Ours] = Field(default_factory=list, max_length=200_000)
    renamed: Literal["asked", "joined", "new"] = "asked"
    joined: list[RowAt] = Field(default_factory=list, max_length=200_000)
    gone: bool = False


Block = Mapping[str, Sequence[str]]
"""{field: a text for each of some new points}."""


@dataclass(frozen=True)
class Line:
    """What becomes of one row of the file, counted from 1 as a sheet shows it.

    kind: added, changed, same, renamed (a proposal: point is the one it may be), unmatched (a point that the file does
    not have, in no row), or out (left out: code and says tell
    why; by_choice: somebody wanted it so). changes: (field, what stands there, what comes). of: the texts of a new
    point, in the block that it was read in. troubles: (field, typed, why it was not taken, code).
    """

    sheet: int
    row: int
    kind: Literal["added", "changed", "same", "renamed", "out", "unmatched"]
    tag: str
    point: int = 0
    changes: tuple[tuple[str, str, str], ...] = ()
    troubles: tuple[tuple[str, str, str, str], ...] = ()
    code: str = ""
    says: str = ""
    by_choice: bool = False
    of: tuple[Block, int] | None = None

    @property
    def typed(self) -> dict[str, str]:
        """{field: text} of a new point, without what could not be read."""
        if self.of is None:
            return {}
        block, at = self.of
        wrong = {name for name, _, _, code in self.troubles if code == "cell"}
        return {name: texts[at] for name, texts in block.items() if texts[at] and name not in wrong}

    @property
    def cells(self) -> tuple[tuple[str, str, str], ...]:
        """Its cells that change: (field, what stands there, what comes)."""
        return self.changes or tuple((name, "", text) for name, text in self.typed.items())

    def told(self) -> dict[str, Any]:
        """It for JSON, with its cells."""
        return {n: v for n, v in self.__dict__.items() if n not in ("changes", "of")} | {"cells": self.cells}


_PACKED = tuple(name for name in Line.__dataclass_fields__ if name != "of")
KIND, TROUBLES = _PACKED.index("kind"), _PACKED.index("troubles")
"""Where a packed line has its kind and what of it was not taken."""


@dataclass
class ListPlan:
    """What a list would do. unmatched: points of the plant that it does not have."""

    seq: int
    lines: list[Line] = field(default_factory=list)
    changes: CellChanges = field(default_factory=dict)
    unmatched: list[int] = field(default_factory=list)
    entered: list[tuple[Entered, frozenset[int]]] = field(default_factory=list)

    @cached_property
    def new(self) -> list[dict[str, Stored]]:
        """{field: stored value} of each new point, put together when it is asked for."""
        return [
            cells for some, left in self.entered for at, cells in enumerate(some.rows()) if not left or at not in left
        ]

    @property
    def adds(self) -> bool:
        """Whether there are new points."""
        return any(some.count > len(left) for some, left in self.entered)

    def packed(self) -> dict[str, Any]:
        """The lines for JSON; the texts of new points stay in their blocks, as columns. `unpacked` tells one again."""
        blocks: dict[int, int] = {}
        kept: list[Block] = []
        lines = []
        for line in self.lines:
            at = None
            if line.of is not None:
                number = blocks.setdefault(id(line.of[0]), len(kept))
                if number == len(kept):
                    kept.append(line.of[0])
                at = number, line.of[1]
            lines.append((*(line.__dict__[name] for name in _PACKED), at))
        return {"lines": lines, "blocks": kept, "unmatched": self.unmatched}

    def counts(self) -> dict[str, int]:
        """How many rows of each kind, cells that change, cells that cannot be read, points not in the file."""
        out = Counter(line.kind for line in self.lines)
        wrong = sum(len(line.troubles) for line in self.lines)
        return {
            **{kind: out[kind] for kind in ("added", "changed", "same", "renamed", "out")},
            "cells": len(self.changes),
            "wrong": wrong,
            "unmatched": len(self.unmatched),
        }

    def reasons(self, most: int = 40) -> list[dict[str, Any]]:
        """Why cells were not taken, each reason told once: its code and field, how often, and some of the texts."""
        out: dict[tuple[str, str], dict[str, Any]] = {}
        for line in self.lines:
            for name, typed, says, code in line.troubles:
                one = out.setdefault(
                    (code, name),
                    {"code": code, "field": name, "says": says, "cells": 0, "typed": [], "asked": askable(code)},
                )
                one["cells"] += 1
                if len(one["typed"]) < 4 and typed not in one["typed"]:
                    one["typed"].append(typed)
        return sorted(out.values(), key=lambda one: -one["cells"])[:most]


def unpacked(line: Sequence[Any], blocks: Sequence[Block]) -> dict[str, Any]:
    """A line as `packed` told it, by the names of `Line`, with its cells: (field, what stands there, what comes)."""
    *told, of = line
    out = dict(zip(_PACKED, told, strict=True))
    cells = out.pop("changes")
    if of is not None:
        wrong = {name for name, _, _, code in out["troubles"] if code == "cell"}
        texts = ((name, column[of[1]]) for name, column in blocks[of[0]].items())
        cells = [[name, "", text] for name, text in texts if text and name not in wrong]
    return out | {"cells": cells}


class _Row:
    """A row of the file. fields: the texts of its table; own: its own, once those of another sheet were joined to it."""

    __slots__ = ("at", "fields", "number", "out", "own", "sheet", "table", "troubles")

    def __init__(
        self,
        table: int,
        sheet: int,
        number: int,
        fields: Block,
        at: int,
        troubles: tuple[tuple[str, str, str, str], ...],
    ) -> None:
        self.table, self.sheet, self.number, self.fields, self.at = table, sheet, number, fields, at
        self.own: dict[str, str] | None = None
        self.troubles, self.out = troubles, ""

    def text(self, name: str) -> str:
        """The text of one field, "" for none."""
        if self.own is not None:
            return self.own.get(name, "")
        column = self.fields.get(name)
        return column[self.at] if column is not None else ""

    def typed(self) -> dict[str, str]:
        """{field: text}, those that hold something."""
        if self.own is not None:
            return self.own
        return {name: texts[self.at] for name, texts in self.fields.items() if texts[self.at]}


def plan_list(
    image: PlantImage,
    understood: Mapping[str, Any],
    choices: Choices | None = None,
    goes_on: Callable[[float], None] = lambda share: None,
) -> ListPlan:
    """Hold every row against the plant; nothing is written. understood: a file as `apart` tells it.

    goes_on hears the share that is done from time to time, and may raise to stop. Raises SheetError where no column
    tells which point a row is.
    """
    choices = choices or Choices()
    by = choices.match_by
    tables = understood["tables"]
    if not any(by in table["fields"] for table in tables) and not any(
        q["code"] in ("joined", "column", "where", "place") for q in understood["questions"]
    ):
        raise SheetError(_no_key(by, understood))
    planner = _Planner(image, choices, goes_on)
    rows = planner.merged(list(_rows(tables)))
    planner.find(rows)
    for number, row in enumerate(rows):
        if number % STEP == 0:
            goes_on(number / max(1, len(rows)))
        planner.take(row)
    return planner.done(tables)


def _no_key(by: str, understood: Mapping[str, Any]) -> str:
    heads = [f"“{c['heading']}”" for table in understood["tables"] for c in table["columns"]]
    if not heads:
        first: list[str] = next((row for _, rows in understood["first"] for row in rows if any(row)), [])
        heads = [f"“{cell}”" for cell in first if cell]
        return (
            "no sheet of the file holds a list of points: heads in one row, with a column of tags among them. its first "
            f"row has {', '.join(heads[:8]) or 'nothing'}: say in which row the heads stand"
        )
    return f"no column is the {field_named(by).label}: choose which one it is. the file has {', '.join(heads[:12])}"


def _rows(tables: Sequence[Mapping[str, Any]]) -> Iterator[_Row]:
    for place, table in enumerate(tables):
        fields = {name: texts for name, texts in table["fields"].items() if any(texts)}
        sheet, doubts = table["sheet"], {int(at): some for at, some in table["doubts"].items()}
        for at, number in enumerate(table["numbers"]):
            troubles = tuple((d["target"], d["typed"], d["says"], d["code"]) for d in doubts.get(at, ()))
            yield _Row(place, sheet, number, fields, at, troubles)


class _Planner:
    """A plan while it is made."""

    def __init__(self, image: PlantImage, choices: Choices, goes_on: Callable[[float], None]) -> None:
        self._image, self._choices, self._by = image, choices, choices.match_by
        self._goes_on = goes_on
        self._texts: dict[str, list[str]] = {}
        self._leave = {(at.sheet, at.row) for at in choices.leave}
        self._ours = {(cell.sheet, cell.row, cell.field) for cell in choices.ours}
        self._joined = {(at.sheet, at.row) for at in choices.joined}
        self._seen: set[int] = set()
        self._new: list[_Row] = []
        self._rows_of: dict[str, list[int]] = {}
        for row, text in enumerate(self._column(self._by)):
            if text:
                self._rows_of.setdefault(text.casefold(), []).append(row)
        self._in_file: set[str] = set()
        self._held: dict[tuple[str, str], int] = {}
        self._out = ListPlan(image.seq)

    def _column(self, name: str) -> list[str]:
        if name not in self._texts:
            self._texts[name] = self._image.texts(name)
        return self._texts[name]

    def merged(self, rows: list[_Row]) -> list[_Row]:
        """Rows of several lists about one point as one; of one list, the same tag twice is told and neither taken."""
        first: dict[str, _Row] = {}
        for row in rows:
            key = row.text(self._by).casefold()
            if not key:
                continue
            if (have := first.setdefault(key, row)) is row:
                continue
            if have.typed() == row.typed():
                row.out = "joined"
            elif have.table == row.table:
                have.out = row.out = "twice"
            else:
                row.out = "joined"
                self._join(have, row)
        self._in_file = set(first)
        return rows

    def _join(self, have: _Row, row: _Row) -> None:
        have.own = own = dict(have.typed())
        for name, text in row.typed().items():
            there = own.setdefault(name, text)
            if there != text and name != self._by and not _equal(name, there, text):
                says = f"“{there}” here, “{text}” in row {row.number} of another sheet"
                have.troubles = (*have.troubles, (name, text, says, "two sheets"))
        have.troubles = (*have.troubles, *(t for t in row.troubles if t[0] not in own))

    def find(self, rows: Sequence[_Row]) -> None:
        """Points that the file does not have, by channel and service: what looks renamed is one of them."""
        services, channels = self._column("service"), self._column("channel")
        if self._by != "tag" or self._choices.renamed == "new":
            return
        if not any(row.text("channel") or row.text("service") for row in rows):
            return
        for at, text in enumerate(self._column("tag")):
            if channels[at] and services[at] and self._image.landed[at] and text.casefold() not in self._in_file:
                self._held[channels[at], services[at].casefold()] = at

    def take(self, row: _Row) -> None:
        """Plan one row."""
        at = (row.sheet, row.number)
        key = row.text(self._by)
        tag = row.text("tag") or key
        if at in self._leave:
            return self._leave_out(row, tag, "chosen", by_choice=True)
        if row.out:
            return self._leave_out(row, tag, row.out)
        if not key:
            return self._leave_out(row, tag, "no tag")
        known = self._rows_of.get(key.casefold(), ())
        if len(known) > 1:
            return self._leave_out(row, tag, "several")
        if known:
            return self._change(row, known[0])
        was = self._held.get((row.text("channel"), row.text("service").casefold())) if self._held else None
        if was is not None:
            if self._choices.renamed == "joined" or at in self._joined:
                return self._change(row, was)
            point = int(self._image.ids[was])
            self._seen.add(point)
            cells = (("tag", self._image.text("tag", was), tag),)
            says = f"{self._image.text('tag', was)} is not in the file and stood on this channel with this service"
            return self._out.lines.append(
                Line(row.sheet, row.number, "renamed", tag, point, cells, row.troubles, "renamed", says)
            )
        return self._new.append(row)

    def _leave_out(self, row: _Row, tag: str, code: str, *, by_choice: bool = False) -> None:
        self._out.lines.append(
            Line(row.sheet, row.number, "out", tag, 0, (), row.troubles, code, OUT_SAYS[code], by_choice)
        )

    def _enter(self) -> None:
        """Read the new points: those of a table together, by its columns."""
        ours = {(cell.sheet, cell.row) for cell in self._choices.ours}
        loose: list[_Row] = []
        of_table: dict[int, list[_Row]] = {}
        for row in self._new:
            alone = row.own is not None or (row.sheet, row.number) in ours
            (loose if alone else of_table.setdefault(row.table, [])).append(row)
        for rows in of_table.values():
            fields = rows[0].fields
            places = [row.at for row in rows]
            whole = bool(fields) and len(places) == len(next(iter(fields.values())))
            self._enter_block(
                rows,
                fields if whole else {name: [texts[at] for at in places] for name, texts in fields.items()},
            )
        if loose:
            typed = [self._without_ours(row) for row in loose]
            names = dict.fromkeys(name for one in typed for name in one)
            self._enter_block(loose, {name: [one.get(name, "") for one in typed] for name in names})

    def _enter_block(self, rows: Sequence[_Row], block: Block) -> None:
        entered = enter_new(self._image, block, len(rows))
        left = set()
        for at, row in enumerate(rows):
            told = row.troubles
            if wrong := entered.troubles.get(at):
                told = (*told, *((n, block[n][at], says, "cell") for n, says in wrong.items()))
            if not entered.has(at, "tag"):
                row.troubles = told
                self._leave_out(row, row.text("tag"), "untagged")
                left.add(at)
                continue
            tag = block["tag"][at]
            self._out.lines.append(Line(row.sheet, row.number, "added", tag, troubles=told, of=(block, at)))
        self._out.entered.append((entered, frozenset(left)))
        self._goes_on(1.0)

    def _without_ours(self, row: _Row) -> dict[str, str]:
        return {n: t for n, t in row.typed().items() if (row.sheet, row.number, n) not in self._ours}

    def _change(self, row: _Row, at: int) -> None:
        image = self._image
        self._seen.add(int(image.ids[at]))
        wanted = {
            name: text
            for name, text in row.typed().items()
            if self._column(name)[at] != text and (row.sheet, row.number, name) not in self._ours
        }
        values, wrong = enter_row(image, at, wanted) if wanted else ({}, {})
        troubles = (*row.troubles, *((n, wanted[n], says, "cell") for n, says in wrong.items()))
        differs = {
            n: v
            for n, v in values.items()
            if not _says_the_same(image.cells[n][at], v) and (row.sheet, row.number, n) not in self._ours
        }
        old = self._column("channel")[at]
        if self._choices.keep_old and "channel" in differs and old and "old_address" not in differs:
            differs["old_address"] = old
        cells = tuple((n, self._column(n)[at], wanted.get(n) or _shown(image, v)) for n, v in differs.items())
        self._out.changes |= {(at, name): value for name, value in differs.items()}
        kind: Literal["changed", "same"] = "changed" if differs else "same"
        self._out.lines.append(
            Line(row.sheet, row.number, kind, image.label(at), int(image.ids[at]), cells, troubles)
        )

    def done(self, tables: Sequence[Mapping[str, Any]]) -> ListPlan:
        """The plan, with the rows that are no points and the points that the file does not have."""
        self._enter()
        for table in tables:
            self._out.lines += [
                Line(table["sheet"], number, "out", text, code=code, says=OUT_SAYS[code])
                for number, code, text in table["out"]
            ]
        self._out.lines.sort(key=lambda line: (line.sheet, line.row))
        image, keys = self._image, self._column(self._by)
        self._out.unmatched = [
            int(point)
            for point, key in zip(image.ids, keys, strict=True)
            if int(point) not in self._seen and key.casefold() not in self._in_file
        ]
        return self._out


def _equal(name: str, a: str, b: str) -> bool:
    """Whether two texts say the same figure."""
    try:
        return Decimal(a) == Decimal(b)
    except (ArithmeticError, ValueError):
        return a.casefold() == b.casefold() and name in ("tag", "device_unit", "value_unit")


def _says_the_same(was: Stored, becomes: Stored) -> bool:
    """Whether a list says again what stands there: equal figures are equal, whatever their decimals."""
    if isinstance(was, Decimal) and isinstance(becomes, Decimal):
        return was == becomes
    if isinstance(was, Landing) and isinstance(becomes, Landing):
        return was[:2] == becomes[:2]
    return same_cell(was, becomes)


def _shown(image: PlantImage, value: Any) -> str:
    """A value that followed, as text."""
    probe = PlantImage.of_rows([{"notes": value}], image.layout)
    return probe.text("notes", 0)


def apply_plan(
    engine: Engine,
    cache: ImageCache,
    plan: Callable[[PlantImage], ListPlan],
    planned: ListPlan,
    choices: Choices,
    who: str,
    source: str,
    foreseen: Foreseen | None = None,
) -> tuple[Applied, ListPlan]:
    """Take a list in as one change set, which can be undone; all of it or nothing.

    foreseen: what it does, if that was worked out. planned: worked out before. It is worked out again, by `plan`, only if the plant changed meanwhile.
    """
    final = [planned]

    def under_lock(image: PlantImage) -> tuple[CellChanges, Sequence[Mapping[str, Stored]]]:
        if image.seq != planned.seq:
            final[0] = plan(image)
        return final[0].changes, final[0].new

    gone = (lambda: final[0].unmatched) if choices.gone else (list)
    try:
        applied = add_points(engine, cache, under_lock, who, source, gone, foreseen)
    except TextError as error:  # pragma: no cover - cells were read when it was planned
        raise SheetError(str(error)) from error
    return applied, final[0]
