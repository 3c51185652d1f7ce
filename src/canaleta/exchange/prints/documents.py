"""A document by what it is called: of the points that are asked for, with what changed since the last issue marked."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.exchange.prints.drawings import elevations, loop_sheets
from canaleta.exchange.prints.paper import About, Column, Framed, Line, Paper, Told, lines_of
from canaleta.exchange.prints.tables import TABLES

__all__ = ["DOCUMENTS", "printed"]

DRAWINGS = {"loops": loop_sheets, "elevations": elevations}
REDLINE = "redline"
DOCUMENTS = (*TABLES, *DRAWINGS, REDLINE)
"""What there is, by its name."""


def printed(
    name: str, image: PlantImage, rows: Rows, about: About, paper: Paper, issued: PlantImage | None = None,
    told: Told = lambda share: None,
) -> bytes:  # fmt: skip
    """A document as PDF. issued: the list as it was issued last, None where it never was; what changed since is marked.
    told: hears the share that is done. Raises KeyError for a name that there is not."""
    if name in DRAWINGS:
        page: Framed = DRAWINGS[name](image, rows, about, paper, told, issued)
        return page.packed()
    if name == REDLINE:
        changes = list(_redline(image, rows, issued))
        page = Framed(about, "redline", paper, _REDLINE, rows=len(changes))
        page.add_page()
        page.table_of(changes, "nothing changed since" if issued is not None else "nothing was issued yet", told)
        return page.packed()
    kind = TABLES[name]
    before: Mapping[str, tuple[str, ...]] | None = None
    if issued is not None:
        mine = np.flatnonzero(np.isin(issued.ids, image.ids[rows]))
        before = {key: cells for _, key, cells in kind.rows(issued, mine)}
    lines = lines_of(kind.rows(image, rows), before)
    page = Framed(about, kind.title, paper, kind.columns, rows=len(lines))
    page.add_page()
    page.table_of(lines, kind.empty, told)
    return page.packed()


_REDLINE = (Column("field", 34), Column("issued", 80), Column("now", 80))


def _redline(image: PlantImage, rows: Rows, issued: PlantImage | None) -> Iterator[Line]:
    """Every cell that is not as it was issued, point by point; points that are new, and of the whole plant those that are
    gone."""
    if issued is None:
        return
    names = [name for name in image.cells if field_named(name).stored]
    for row in rows.tolist():
        point = int(image.ids[row])
        new = not issued.has(point)
        was = None if new else issued.row_of(point)
        cells = [
            (field_named(name).label, old, now)
            for name in names
            if (now := image.text(name, row)) != (old := "" if was is None else issued.text(name, was))
        ]
        if cells:
            yield Line(heading=f"{image.label(row)}{', new' if new else ''}")
            yield from (Line(one, (False, not new, not new), new) for one in cells)
    if len(rows) == len(image):
        for row, point in enumerate(issued.ids.tolist()):
            if not image.has(point):
                yield Line(heading=f"{issued.label(row)}, taken away")
