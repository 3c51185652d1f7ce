"""Columns of the list that follow from others and are never typed or stored: what a tag says, where a channel is.

Each is a function of what one cell holds, so that the same text or channel is worked out once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from canaleta.core.model.addresses import Addresses, addresses_at
from canaleta.core.model.field import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.tags import own_letters, read_tag
from canaleta.core.notation.text import TextError

__all__ = ["FOLLOWING", "Following", "follow_cells", "followed_by"]


@dataclass(frozen=True)
class Following:
    """One such column: the field it reads and the text that follows from what that holds."""

    name: str
    reads: str
    make: Callable[[PlantImage], Callable[[Any], str]]


def _of_tag(pick: str) -> Callable[[PlantImage], Callable[[Any], str]]:
    def make(image: PlantImage) -> Callable[[Any], str]:
        try:
            own = own_letters(image.conventions.tag_letters)
        except TextError:
            own = {}

        def text(value: Any) -> str:
            tag = read_tag(value or "", own)
            return getattr(tag, pick) if tag else ""

        return text

    return make


def _cabinet(image: PlantImage) -> Callable[[Any], str]:
    layout = image.layout

    def text(at: Landing | None) -> str:
        module = layout.modules.get(at.module) if at else None
        return layout.cabinets[layout.racks[module.rack].cabinet].name if module else ""

    return text


def _terminals(image: PlantImage) -> Callable[[Any], str]:
    layout = image.layout

    def text(at: Landing | None) -> str:
        if at is None or at.module not in layout.modules:
            return ""
        return ", ".join(mark for mark, _ in layout.type_at(at.module, at.channel).terminal_marks(at.channel))

    return text


def _addresses(pick: Callable[[Addresses], str]) -> Callable[[PlantImage], Callable[[Any], str]]:
    def make(image: PlantImage) -> Callable[[Any], str]:
        layout = image.layout
        maps: dict[int, tuple[RackMap, dict[tuple[int, int], int]]] = {}

        def text(at: Landing | None) -> str:
            module = layout.modules.get(at.module) if at else None
            if at is None or module is None:
                return ""
            if module.rack not in maps:
                made = RackMap.of(layout, module.rack)
                pairs = zip(made.modules.tolist(), made.channels.tolist(), strict=True)
                maps[module.rack] = made, dict(zip(list(pairs)[: made.mains], range(made.mains), strict=True))
            rack_map, rows = maps[module.rack]
            row = rows.get((at.module, at.channel))
            return "" if row is None else pick(addresses_at(layout, rack_map, row))

        return text

    return make


FOLLOWING: tuple[Following, ...] = (
    Following("meaning", "tag", _of_tag("meaning")),
    Following("loop", "tag", _of_tag("loop")),
    Following("cabinet", "channel", _cabinet),
    Following("terminals", "channel", _terminals),
    Following("register", "channel", _addresses(lambda a: a.short)),
    Following("direct", "channel", _addresses(lambda a: a.direct)),
)


def followed_by(image: PlantImage, names: Iterable[str], rows: Iterable[int] | None = None) -> dict[str, list[str]]:
    """{column: text of each row} for the columns that follow from some fields. rows: all if not given."""
    wanted = set(names)
    at = np.arange(len(image)) if rows is None else np.array(list(rows), dtype=np.int64)
    out: dict[str, list[str]] = {}
    for column in FOLLOWING:
        if column.reads not in wanted:
            continue
        make = column.make(image)
        known: dict[Any, str] = {}
        texts = []
        for value in image.cells[column.reads][at]:
            key = value[:2] if isinstance(value, Landing) else value
            if key not in known:
                known[key] = make(value)
            texts.append(known[key])
        out[column.name] = texts
    return out


def follow_cells(image: PlantImage, cells: Iterable[tuple[int, str]]) -> list[tuple[int, str, str]]:
    """What follows from changed cells, given as (point, field): (point, column, text). Points that are gone are left
    out."""
    by_field: dict[str, list[int]] = {}
    for point, name in cells:
        if image.has(point):
            by_field.setdefault(name, []).append(point)
    out = []
    for name, points in by_field.items():
        rows = [image.row_of(point) for point in points]
        for column, texts in followed_by(image, (name,), rows).items():
            out += [(point, column, text) for point, text in zip(points, texts, strict=True)]
    return out
