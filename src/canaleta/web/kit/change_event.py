"""One change set as everybody is told of it: by the stream, and in the answer to whoever made it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, select

from canaleta.core.model.fields import STORED, Landing, field_named, written
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.sheet.follows import follow_cells, followed_by
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import from_json
from canaleta.plant.records.points import ADDED, INSTRUMENT, PACKAGE, REMOVED, TYPICAL, WAIVER

__all__ = ["MOST_REPLAYED", "cell_text", "change_events", "point_row"]

MOST_REPLAYED = 2000
MOST_CELLS = 40_000
"""Cells of one change set that are told one by one; beyond, the list is better read anew."""


def change_events(
    connection: Connection, image: PlantImage, after: int, upto: int | None = None
) -> list[dict[str, Any]]:
    """Every change set after `after`, up to another one if given, oldest first. As JSON: seq, at, who, source; cells,
    (point, field, text) of those that changed and of those that follow from them; added, rows of points that came;
    removed, points that went; racks, (point, rack) where points that moved are read now; opened and closed findings;
    typicals, whether they changed; anew, that the list is better read anew, and then cells and points are left out.

    image: the plant at least as new as these sets; what follows from cells, and points that came, are told as they
    are in it, for later sets bring every reader there anyway.
    """

    def within(column: Any) -> Any:
        return column > after if upto is None else column.between(after + 1, upto)

    sets = connection.execute(
        select(t.change_set).where(within(t.change_set.c.seq)).order_by(t.change_set.c.seq)
    ).all()
    if not sets:
        return []
    news: dict[int, _News] = {s.seq: _News() for s in sets}
    for row in connection.execute(select(t.change).where(within(t.change.c.seq))):
        news[row.seq].take(row.entity, row.entity_id, row.fields, image)
    return [_told(s, news[s.seq], image) for s in sets]


@dataclass
class _News:
    """What one change set did to the list. anew: that it is better read anew."""

    cells: list[tuple[int, str, str]] = field(default_factory=list)
    added: list[int] = field(default_factory=list)
    removed: list[int] = field(default_factory=list)
    typicals: bool = False
    anew: bool = False

    def take(self, entity: str, number: int, fields: dict[str, Any], image: PlantImage) -> None:
        if entity == "point":
            self.cells += [(number, n, cell_text(image.layout, n, becomes)) for n, (_, becomes) in fields.items()]
        elif entity == ADDED:
            self.added.append(number)
        elif entity == REMOVED:
            self.removed.append(number)
        elif entity == TYPICAL:
            self.typicals = True
        elif entity in (WAIVER, INSTRUMENT, PACKAGE):
            # A waiver is told by the findings that it opens: they carry what was accepted. Instruments and packages are in no list.
            pass
        else:
            # Conventions and hardware change how everything else is written.
            self.anew = True


def _told(row: Any, news: _News, image: PlantImage) -> dict[str, Any]:
    if len(news.added) + len(news.removed) > MOST_REPLAYED or len(news.cells) > MOST_CELLS:
        news = _News(anew=True)
    changed = [(point, name) for point, name, _ in news.cells]
    return {
        "seq": row.seq,
        "at": row.at.isoformat(),
        "who": row.who,
        "source": row.source,
        "cells": [*news.cells, *follow_cells(image, changed)],
        "closed": row.findings_closed,
        "opened": row.findings_opened,
        "added": [point_row(image, number) for number in news.added if image.has(number)],
        "removed": news.removed,
        "racks": _moved_racks(image, changed),
        "typicals": news.typicals,
        "anew": news.anew,
    }


def _moved_racks(image: PlantImage, cells: Iterable[tuple[int, str]]) -> list[tuple[int, int]]:
    """(point, rack) of the points among changed cells whose channel changed: their readings come from there now."""
    moved = {point for point, name in cells if name == "channel" and image.has(point)}
    if not moved:
        return []
    rack_of = {m.id: m.rack for m in image.layout.modules.values()}
    return [(point, rack_of.get(int(image.module[image.row_of(point)]), 0)) for point in sorted(moved)]


def point_row(image: PlantImage, number: int) -> dict[str, Any]:
    """One point as a row of the list: {"id", "rack", "cells": {field: text}}; empty cells are left out."""
    at = image.row_of(number)
    cells = {f.name: text for f in STORED if (text := image.text(f.name, at))}
    cells |= {name: texts[0] for name, texts in followed_by(image, ("tag", "channel"), [at]).items()}
    module = image.layout.modules.get(int(image.module[at]))
    return {"id": number, "rack": module.rack if module else 0, "cells": cells}


def cell_text(layout: Layout, name: str, value: Any) -> str:
    """A cell as history keeps it, as the text that the API carries."""
    stored = from_json(field_named(name), value)
    return layout.address(stored.module, stored.channel) if isinstance(stored, Landing) else written(stored)
