"""What the controller itself shows: the second, optional address of a point, read beside ours in as few requests as
can be."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.register_tables import table_named
from canaleta.core.notation.text import TextError
from canaleta.core.signals.decodings import Shown, read_shown, runs
from canaleta.racks.reader import RackSilentError
from canaleta.racks.readers import AnyReader

__all__ = ["shown_values"]


@lru_cache(maxsize=10_000)
def _place(text: str) -> Shown | None:
    try:
        return read_shown(text)
    except TextError:
        return None


async def shown_values(reader: AnyReader, image: PlantImage, rows: NDArray[np.int64]) -> dict[int, float]:
    """{point: what the controller shows} of the points that say where; those that cannot be read are left out."""
    named = rows[image.filled("controller_at")[rows]]
    places = {
        int(image.ids[row]): place for row in named.tolist() if (place := _place(image.text("controller_at", row)))
    }
    if not places:
        return {}
    words: dict[tuple[str, int], int] = {}
    for function, first, count in runs(list(places.values())):
        try:
            found = await reader.read_run(table_named(function), first, count)
        except RackSilentError:
            # A refused address is no silent rack: the point's own value stands, and this one is not shown.
            continue
        words |= {(function, first + k): word for k, word in enumerate(found)}
    out = {}
    for point, place in places.items():
        mine = [words.get((place.function, place.register + k)) for k in range(place.form.words)]
        numbers = [word for word in mine if word is not None]
        if len(numbers) == len(mine):
            out[point] = float(place.form.counts_of([numbers])[0])
    return out
