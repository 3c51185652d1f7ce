"""What the arrays are called that everything is computed on, once for all."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["Bools", "Floats", "Names", "Rows", "States", "Whole", "Words"]

Floats = NDArray[np.float64]
"""Figures, NaN for none."""
Bools = NDArray[np.bool_]
Rows = NDArray[np.int64]
"""Rows of an image, counted from 0."""
Whole = NDArray[np.int64]
States = NDArray[np.int8]
"""0, 1, or -1 where there is no state."""
Words = NDArray[np.uint16]
"""16-bit words of registers."""
Names = NDArray[np.object_]
"""Texts, "" or None for none."""
