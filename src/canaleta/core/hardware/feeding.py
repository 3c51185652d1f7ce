"""What feeds a point, in volts: the supply that it says, or else the plant's."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats, Rows

__all__ = ["supply_of"]


def supply_of(image: PlantImage, rows: Rows) -> tuple[Floats, Floats, Floats]:
    """(nominal, least, greatest) voltage of what feeds each row, V: of the supply that it says, or else the plant's."""
    c = image.conventions
    own = np.tile(np.array([[c.supply_v], [c.least_supply_v], [c.greatest_supply_v]]), (1, len(rows)))
    if c.feeds.by_name:
        texts = image.cells["fed_from"][rows]
        for text in set(texts[image.filled("fed_from")[rows]]):
            # The nearest that says something speaks.
            chain = c.feeds.chain(text)
            for at, name in enumerate(("volts", "least_v", "greatest_v")):
                said = next((v for feed in chain if (v := getattr(feed, name)) is not None), None)
                if said is None and at and (volts := next((f.volts for f in chain if f.volts), None)):
                    # Of a supply without limits its own voltage is all that is known.
                    said = volts
                if said is not None:
                    own[at, texts == text] = said
    return own[0], own[1], own[2]
