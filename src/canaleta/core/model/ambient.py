"""How warm it is where a point ends: in its cabinet, as that says, or else as the plant's convention does."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats, Rows

__all__ = ["ambient_degc", "rack_ambient_degc"]


def ambient_degc(image: PlantImage, rows: Rows) -> Floats:
    """The temperature at each row's terminals in its cabinet, °C, (n,)."""
    layout, usual = image.layout, image.conventions.cabinet_ambient_degc
    out = np.full(len(rows), usual, dtype=np.float64)
    if not layout.warm_cabinets:
        return out
    numbers, where = np.unique(image.module[rows], return_inverse=True)
    own = [rack_ambient_degc(image, m.rack) if (m := layout.modules.get(n)) else usual for n in numbers.tolist()]
    return np.array(own, dtype=np.float64)[where] if len(own) else out


def rack_ambient_degc(image: PlantImage, rack: int) -> float:
    """How warm it is in the cabinet of a rack, °C."""
    own = image.layout.cabinets[image.layout.racks[rack].cabinet].ambient_degc
    return image.conventions.cabinet_ambient_degc if own is None else own
