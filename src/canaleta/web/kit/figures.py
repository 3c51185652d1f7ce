"""Numbers as answers carry them."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.image import PlantImage

__all__ = ["finite", "words_in_hex"]


def finite(value: float) -> float | None:
    """A number as JSON has it: none for what is unknown or without end."""
    return float(value) if np.isfinite(value) else None


def words_in_hex(image: PlantImage, row: int, count: float) -> str:
    """The registers of a count as the point's module writes them; '' where there is none."""
    module = int(image.module[row])
    if not np.isfinite(count) or module not in image.layout.modules:
        return ""
    form = image.layout.type_of(module).word_form
    if not form.least <= count <= form.most:
        return ""
    return "0x" + " ".join(f"{word:04X}" for word in form.words_of(count)[0].tolist())
