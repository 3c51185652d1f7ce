"""Values that a controller keeps as whole numbers: how many of them one unit is."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.field_table import VALUE_TYPES, WHOLE_TYPES
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats, Rows

__all__ = ["whole_factor"]

_WHOLE = np.array([*(name in WHOLE_TYPES for name in VALUE_TYPES), False])


def whole_factor(image: PlantImage, rows: Rows) -> Floats:
    """What each row's value is multiplied by before it becomes a whole number, (n,); 1 where it is none or nobody says."""
    factor = image.number("value_factor")[rows]
    return np.where(_WHOLE[image.code("value_type")[rows]] & (factor > 0), factor, 1.0)
