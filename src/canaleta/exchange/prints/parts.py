"""Which points a print is of, and the list as it was issued, to hold it against."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from canaleta.core.model.fields import Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.seed import stored_row

__all__ = ["PARTS", "as_issued", "rows_of"]

PARTS = ("", "area", "cabinet", "system")


def rows_of(image: PlantImage, part: str, name: str) -> Rows:
    """The rows of a part of the plant, "" for all of it. Raises LookupError where there is none."""
    if not part:
        return np.arange(len(image), dtype=np.int64)
    if part == "cabinet":
        layout = image.layout
        mine = [m.id for m in layout.modules.values() if layout.cabinets[layout.racks[m.rack].cabinet].name == name]
        rows = np.flatnonzero(np.isin(image.module, mine))
    else:
        rows = np.flatnonzero([text == name for text in image.texts(part)])
    if not len(rows):
        raise LookupError(f"no point belongs to the {part} “{name}”")
    return rows


def as_issued(image: PlantImage, points: Mapping[int, Mapping[str, str]]) -> PlantImage:
    """The list as it was issued, on the hardware as it is now. What nobody reads any more is left out."""
    empty = PlantImage.of_rows([{}], image.layout, image.conventions)
    rows = []
    for texts in points.values():
        row: dict[str, Stored] = {}
        for name, text in texts.items():
            if name not in image.cells or not text:
                continue
            try:
                row |= stored_row(empty, {name: text})
            except (TextError, KeyError):
                continue
        rows.append(row)
    return PlantImage.of_rows(rows, image.layout, image.conventions, ids=list(points))
