"""Bringing in a list: rows with a known tag change that point, others become new points; first as a dry run."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from sqlalchemy import Engine

from canaleta.core.fields import Kind, Stored
from canaleta.core.image import PlantImage
from canaleta.core.text import TextError
from canaleta.exchange.csv_list import CsvError, Sheet, columns_of
from canaleta.plant.cells import SCALING_FORMS, read, read_alone, same_cell
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.proposals import Changes
from canaleta.plant.rows import add_points

__all__ = ["Brought", "Trouble", "bring_in", "plan_list"]

MOST_TOLD = 200


@dataclass(frozen=True)
class Trouble:
    """A cell or row that cannot be taken, by its row in the file, counted with the headers as row 1."""

    row: int
    header: str
    typed: str
    says: str


@dataclass(frozen=True)
class Brought:
    """What a list would do, or did: new points, changed ones with their cells, troubles, headers without a field."""

    columns: dict[str, str]
    ignored: tuple[str, ...]
    added: int
    changed: int
    cells: int
    same: int
    troubles: tuple[Trouble, ...]
    more_troubles: int
    seq: int = 0


@dataclass(frozen=True)
class _Plan:
    said: Brought
    changes: Changes
    new: tuple[dict[str, Stored], ...]


def plan_list(image: PlantImage, sheet: Sheet) -> _Plan:
    """Read every row against the image; nothing is written. Raises CsvError if no column is the tag."""
    columns, ignored = columns_of(sheet.headers)
    tag_at = next((at for at, f in columns.items() if f.name == "tag"), None)
    if tag_at is None:
        raise CsvError(
            "no column is the tag: call one “tag”. the file has " + ", ".join(f"“{h}”" for h in sheet.headers[:12])
        )
    rows_of: dict[str, list[int]] = {}
    for row, tag in enumerate(image.cells["tag"]):
        rows_of.setdefault(str(tag).casefold(), []).append(row)
    blank = PlantImage.of_rows([{}], image.layout, image.conventions)
    twice = Counter(line[tag_at].casefold() for line in sheet.rows)
    changes: Changes = {}
    new: list[dict[str, Stored]] = []
    troubles: list[Trouble] = []
    changed = same = 0
    # A mode means what the module offers, so the channel is read before it; the signal before both.
    order = sorted(columns.items(), key=lambda item: {"signal": 0, "channel": 1}.get(item[1].name, 2))
    for number, line in enumerate(sheet.rows, start=2):
        tag = line[tag_at]
        known = rows_of.get(tag.casefold(), [])
        if not tag or twice[tag.casefold()] > 1 or len(known) > 1:
            why = "no tag: the row is left out" if not tag else "this tag stands there more than once: left out"
            troubles.append(Trouble(number, sheet.headers[tag_at], tag, why))
            continue
        base = image.only(np.array([known[0]])) if known else blank
        values: dict[str, Stored] = {}
        for at, f in order:
            typed = line[at]
            if not typed or (known and base.text(f.name, 0) == typed):
                continue
            try:
                if f.kind is Kind.MODE or f.name in SCALING_FORMS or (known and f.name == "signal"):
                    after = base.with_cells({(0, name): value for name, value in values.items()})
                    unplaced = f.kind is Kind.MODE and after.module[0] < 0
                    got = {f.name: typed} if unplaced else read(after, 0, f, typed)
                else:
                    got = read_alone(image.layout, f, typed)
            except TextError as error:
                troubles.append(Trouble(number, sheet.headers[at], typed, str(error)))
                continue
            values |= {name: value for name, value in got.items() if name == f.name or name not in values}
        if not known:
            new.append({**values, "tag": tag})
            continue
        differs = {n: v for n, v in values.items() if not same_cell(base.cells[n][0], v)}
        changes |= {(known[0], name): value for name, value in differs.items()}
        changed, same = changed + bool(differs), same + (not differs)
    said = Brought(
        {sheet.headers[at]: f.name for at, f in columns.items()}, tuple(ignored), len(new), changed, len(changes), same,
        tuple(troubles[:MOST_TOLD]), max(0, len(troubles) - MOST_TOLD), image.seq,
    )  # fmt: skip
    return _Plan(said, changes, tuple(new))


def bring_in(engine: Engine, keeper: PlantKeeper, sheet: Sheet, who: str, source: str) -> Brought:
    """Take a list in as one change set, which can be undone. Cells that cannot be read stay as they were."""
    planned: list[_Plan] = []

    def plan(image: PlantImage) -> tuple[Changes, tuple[dict[str, Stored], ...]]:
        planned.append(plan_list(image, sheet))
        return planned[-1].changes, planned[-1].new

    applied = add_points(engine, keeper, plan, who, source)
    said = planned[-1].said
    return Brought(**{**said.__dict__, "seq": applied.seq})
