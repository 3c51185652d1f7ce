"""How far a plant has come, part by part: which rung how many points of an area, a cabinet, a system or a kind are on."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.field_table import LADDER
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows

__all__ = ["BY", "Part", "grouped"]


@dataclass(frozen=True)
class Part:
    """A part of the plant. counts: points by their highest rung, the first for those on none; open: items of the punch list by
    severity."""

    name: str
    points: int
    counts: tuple[int, ...]
    open: Mapping[str, int]


def _cells(name: str) -> Callable[[PlantImage], list[str]]:
    return lambda image: image.texts(name)


def _cabinets(image: PlantImage) -> list[str]:
    layout = image.layout
    names = {m.id: layout.cabinets[layout.racks[m.rack].cabinet].name for m in layout.modules.values()}
    return [names.get(module, "") for module in image.module.tolist()]


BY: Mapping[str, Callable[[PlantImage], list[str]]] = {
    "area": _cells("area"),
    "cabinet": _cabinets,
    "system": _cells("system"),
    "kind": _cells("signal"),
}
"""What a plant is divided by: the part that each of its points belongs to."""


def grouped(
    image: PlantImage, of: Callable[[PlantImage], list[str]], items: Rows, severities: Sequence[str]
) -> list[Part]:
    """The parts of a plant, by name, those without one last. items: rows of the points that open punch items belong to,
    -1 for those of none; severities: of the same items."""
    if not len(image):
        return []
    names, where = np.unique(np.array(of(image), dtype=str), return_inverse=True)
    rungs = image.code("status").astype(np.int64) + 1
    width = len(LADDER) + 1
    counts = np.bincount(where * width + rungs, minlength=len(names) * width).reshape(len(names), width)
    open_: list[dict[str, int]] = [dict.fromkeys("ABC", 0) for _ in names]
    for row, severity in zip(items.tolist(), severities, strict=True):
        if row >= 0:
            open_[int(where[row])][severity] += 1
    parts = [
        Part(str(name), int(counts[k].sum()), tuple(counts[k].tolist()), open_[k]) for k, name in enumerate(names)
    ]
    return sorted(parts, key=lambda part: (part.name == "", part.name.casefold()))
