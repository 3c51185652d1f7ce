"""Bringing in a list: rows that match a point change it, others become new points; first as a dry run, cell by
cell."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import Engine

from canaleta.core.model.fields import Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import SEPARATOR
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError
from canaleta.exchange.headings import NUMBER_TARGETS, PARTS
from canaleta.exchange.recognise import FoundList
from canaleta.exchange.sheets import Page, SheetError
from canaleta.plant.changes.apply import Applied
from canaleta.plant.changes.change_set import CellChanges
from canaleta.plant.changes.entering import enter_row
from canaleta.plant.changes.rows import add_points
from canaleta.plant.database.cells import same_cell
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["Choices", "Line", "ListPlan", "apply_plan", "plan_list"]

_TWO_WAYS = compiled(r"[-+\x{2212}]?[1-9]\d{0,2}(,\d{3})+")
STEP = 500
"""Rows between two looks at whether to go on."""


class Ours(BaseModel):
    """A cell of the file that stays out: its row, counted from 1, and its field."""

    model_config = ConfigDict(extra="forbid")

    row: int = Field(ge=1, le=300_000)
    field: str = Field(max_length=60)


class Choices(BaseModel):
    """What somebody settled about a list. sheet, header: counted from 0, header −1 for none.

    columns: {column: field, part of the address, or "" to leave it out}, over what was recognised. comma: what a
    comma before three digits is. match_by: the field by which rows are found. keep_old: the old channel is kept
    beside a new one. leave: rows of the file that stay out; ours: cells that stay as they are in the list. gone:
    points that the file does not have are taken away.
    """

    model_config = ConfigDict(extra="forbid")

    sheet: int | None = Field(default=None, ge=0, le=40)
    header: int | None = Field(default=None, ge=-1, le=200_000)
    columns: dict[int, str] = Field(default_factory=dict, max_length=300)
    comma: Literal["", "decimal", "thousands"] = ""
    match_by: Literal["tag", "second_name", "old_address", "channel"] = "tag"
    keep_old: bool = True
    leave: list[int] = Field(default_factory=list, max_length=200_000)
    ours: list[Ours] = Field(default_factory=list, max_length=200_000)
    gone: bool = False


@dataclass(frozen=True)
class Line:
    """What becomes of one row of the file, counted from 1 as a sheet shows it.

    kind: added, changed, same, or out (left out: says why; by_choice: somebody wanted it so). cells: (field, what
    stands there, what comes). troubles: (field, typed, why it cannot be read).
    """

    row: int
    kind: Literal["added", "changed", "same", "out"]
    tag: str
    point: int = 0
    cells: tuple[tuple[str, str, str], ...] = ()
    troubles: tuple[tuple[str, str, str], ...] = ()
    says: str = ""
    by_choice: bool = False


@dataclass
class ListPlan:
    """What a list would do. unmatched: points of the plant that it does not have."""

    seq: int
    lines: list[Line] = field(default_factory=list)
    changes: CellChanges = field(default_factory=dict)
    new: list[dict[str, Stored]] = field(default_factory=list)
    unmatched: list[int] = field(default_factory=list)

    def counts(self) -> dict[str, int]:
        """How many rows of each kind, cells that change, cells that cannot be read, points not in the file."""
        out = Counter(line.kind for line in self.lines)
        wrong = sum(len(line.troubles) for line in self.lines)
        return {
            **{kind: out[kind] for kind in ("added", "changed", "same", "out")},
            "cells": len(self.changes),
            "wrong": wrong,
            "unmatched": len(self.unmatched),
        }


def plan_list(
    image: PlantImage,
    page: Page,
    found: FoundList,
    choices: Choices | None = None,
    goes_on: Callable[[float], None] = lambda share: None,
) -> ListPlan:
    """Read every row against the plant; nothing is written.

    goes_on hears the share that is done from time to time, and may raise to stop. Raises SheetError where no column
    tells which point a row is.
    """
    choices = choices or Choices()
    targets = {c: t for c, t in (found.targets | choices.columns).items() if t}
    by = choices.match_by
    if by not in targets.values() and not (by == "channel" and any(t in PARTS for t in targets.values())):
        heads = ", ".join(f"“{h}”" for h in found.headings[:12])
        raise SheetError(f"no column is the {field_named(by).label}: choose which one it is. the file has {heads}")
    rows_of: dict[str, list[int]] = {}
    for row in range(len(image)):
        if key := image.text(by, row).casefold():
            rows_of.setdefault(key, []).append(row)
    out = ListPlan(image.seq)
    lines = page.rows[found.data :]
    texts = [_texts(line, targets, found, choices) for line in lines]
    twice = Counter(text.get(by, "").casefold() for text in texts)
    leave, ours = set(choices.leave), {(cell.row, cell.field) for cell in choices.ours}
    seen: set[int] = set()
    for number, (line, typed) in enumerate(zip(lines, texts, strict=True), start=found.data + 1):
        if number % STEP == 0:
            goes_on((number - found.data) / len(lines))
        if not any(line):
            continue
        told = _line(image, number, typed, rows_of, twice, by, leave, ours, choices, out, found)
        out.lines.append(told)
        if told.point:
            seen.add(told.point)
    in_file = {text.get(by, "").casefold() for text in texts}
    out.unmatched = [
        int(image.ids[row])
        for row in range(len(image))
        if int(image.ids[row]) not in seen and image.text(by, row).casefold() not in in_file
    ]
    return out


def _line(
    image: PlantImage,
    number: int,
    typed: dict[str, str],
    rows_of: Mapping[str, Sequence[int]],
    twice: Mapping[str, int],
    by: str,
    leave: set[int],
    ours: set[tuple[int, str]],
    choices: Choices,
    out: ListPlan,
    found: FoundList,
) -> Line:
    key = typed.get(by, "")
    tag = typed.get("tag", key)
    label = field_named(by).label
    if number in leave:
        return Line(number, "out", tag, says="left out by choice", by_choice=True)
    if not key:
        return Line(number, "out", tag, says=f"no {label}: a heading or an empty line")
    if _is_heading(typed, found):
        return Line(number, "out", tag, says="the headings once more")
    known = rows_of.get(key.casefold(), ())
    if twice[key.casefold()] > 1:
        return Line(number, "out", tag, says=f"the {label} {key} stands in the file more than once")
    if len(known) > 1:
        return Line(number, "out", tag, says=f"{len(known)} points of the list have the {label} {key}")
    row = known[0] if known else None
    wanted = {
        name: text
        for name, text in typed.items()
        if text and (number, name) not in ours and (row is None or image.text(name, row) != text)
    }
    values, wrong = enter_row(image, row, wanted)
    troubles = tuple((name, wanted[name], says) for name, says in wrong.items())
    if row is None:
        if "tag" not in values:
            return Line(number, "out", tag, troubles=troubles, says="a new point needs a tag")
        out.new.append({name: value for name, value in values.items() if value is not None})
        cells = tuple((name, "", text) for name, text in wanted.items() if name not in wrong)
        return Line(number, "added", str(values["tag"]), cells=cells, troubles=troubles)
    differs = {n: v for n, v in values.items() if not same_cell(image.cells[n][row], v) and (number, n) not in ours}
    old = image.text("channel", row)
    if choices.keep_old and "channel" in differs and old and "old_address" not in differs:
        differs["old_address"] = old
    cells = tuple((name, image.text(name, row), wanted.get(name) or _shown(image, v)) for name, v in differs.items())
    out.changes |= {(row, name): value for name, value in differs.items()}
    kind: Literal["changed", "same"] = "changed" if differs else "same"
    return Line(number, kind, image.label(row), int(image.ids[row]), cells, troubles)


def _shown(image: PlantImage, value: Any) -> str:
    """A value that followed, as text."""
    probe = PlantImage.of_rows([{"notes": value}], image.layout)
    return probe.text("notes", 0)


def _is_heading(typed: Mapping[str, str], found: FoundList) -> bool:
    """Whether a row is the headings again, as lists of many printed pages have them."""
    says = [found.headings[column].casefold() for column in found.targets]
    return len(typed) > 1 and sum(text.casefold() in says for text in typed.values() if text) > len(typed) / 2


def _texts(line: Sequence[str], targets: Mapping[int, str], found: FoundList, choices: Choices) -> dict[str, str]:
    """The texts of a row by field: parts of an address put together, units of the headings beside their figures."""
    out: dict[str, str] = {}
    parts: dict[str, str] = {}
    for column, target in targets.items():
        text = line[column] if column < len(line) else ""
        if target in PARTS:
            parts[target] = text
        elif text:
            out[target] = _comma(text, choices.comma) if target in NUMBER_TARGETS else text
            unit = found.units.get(column)
            if unit and any(c.isdigit() for c in text) and not any(c.isalpha() for c in text):
                out.setdefault(f"{target.partition('_')[0]}_unit", unit)
    if "channel" not in out and parts.get(PARTS[-1]):
        out["channel"] = SEPARATOR.join(parts[name] for name in PARTS if parts.get(name))
    # A lone low and high with the unit in a column of its own are read as they stand.
    return out


def _comma(text: str, comma: str) -> str:
    """A figure that could be read two ways, read the way that was chosen for the file."""
    if not comma or not _TWO_WAYS.fullmatch(text.strip()):
        return text
    return text.replace(",", "." if comma == "decimal" else "")


def apply_plan(
    engine: Engine,
    cache: ImageCache,
    plan: Callable[[PlantImage], ListPlan],
    planned: ListPlan,
    choices: Choices,
    who: str,
    source: str,
) -> tuple[Applied, ListPlan]:
    """Take a list in as one change set, which can be undone; all of it or nothing.

    planned: worked out before. It is worked out again, by `plan`, only if the plant changed meanwhile.
    """
    final = [planned]

    def under_lock(image: PlantImage) -> tuple[CellChanges, Sequence[Mapping[str, Stored]]]:
        if image.seq != planned.seq:
            final[0] = plan(image)
        return final[0].changes, final[0].new

    gone = (lambda: final[0].unmatched) if choices.gone else (list)
    try:
        applied = add_points(engine, cache, under_lock, who, source, gone)
    except TextError as error:  # pragma: no cover - cells were read when it was planned
        raise SheetError(str(error)) from error
    return applied, final[0]
