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
from canaleta.core.notation.tags import Tag, own_letters, read_tag
from canaleta.core.notation.text import TextError

__all__ = ["FOLLOWING", "Following", "follow_cells", "followed_by"]


@dataclass(frozen=True)
class Following:
    """One such column: the field it reads, what follows from what that holds, and which text of it is shown. Columns
    with the same `make` are worked out together."""

    name: str
    reads: str
    make: Callable[[PlantImage], Callable[[Any], Any]]
    pick: Callable[[Any], str] = str


def _tag(image: PlantImage) -> Callable[[Any], Tag | None]:
    try:
        own = own_letters(image.conventions.tag_letters)
    except TextError:
        own = {}
    return lambda value: read_tag(value or "", own)


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


def _addresses(image: PlantImage) -> Callable[[Any], Addresses | None]:
    layout = image.layout
    maps: dict[int, tuple[RackMap, dict[tuple[int, int], int]]] = {}

    def addresses(at: Landing | None) -> Addresses | None:
        module = layout.modules.get(at.module) if at else None
        if at is None or module is None:
            return None
        if module.rack not in maps:
            made = RackMap.of(layout, module.rack)
            pairs = zip(made.modules.tolist(), made.channels.tolist(), strict=True)
            maps[module.rack] = made, dict(zip(list(pairs)[: made.mains], range(made.mains), strict=True))
        rack_map, rows = maps[module.rack]
        row = rows.get((at.module, at.channel))
        return None if row is None else addresses_at(layout, rack_map, row)

    return addresses


FOLLOWING: tuple[Following, ...] = (
    Following("meaning", "tag", _tag, lambda tag: tag.meaning if tag else ""),
    Following("loop", "tag", _tag, lambda tag: tag.loop if tag else ""),
    Following("cabinet", "channel", _cabinet),
    Following("terminals", "channel", _terminals),
    Following("register", "channel", _addresses, lambda at: at.short if at else ""),
    Following("direct", "channel", _addresses, lambda at: at.direct if at else ""),
)


def followed_by(image: PlantImage, names: Iterable[str], rows: Iterable[int] | None = None) -> dict[str, list[str]]:
    """{column: text of each row} for the columns that follow from some fields. rows: all if not given."""
    wanted = set(names)
    at = np.arange(len(image)) if rows is None else np.array(list(rows), dtype=np.int64)
    known: dict[Any, dict[Any, Any]] = {}
    keys: dict[str, list[Any]] = {}
    out: dict[str, list[str]] = {}
    for column in FOLLOWING:
        if column.reads not in wanted:
            continue
        if column.reads not in keys:
            cells = image.cells[column.reads][at]
            keys[column.reads] = [value[:2] if isinstance(value, Landing) else value for value in cells]
            first = dict(zip(keys[column.reads], cells, strict=True))
        if column.make not in known:
            make = column.make(image)
            known[column.make] = {key: make(value) for key, value in first.items()}
        texts = {key: column.pick(means) for key, means in known[column.make].items()}
        out[column.name] = [texts[key] for key in keys[column.reads]]
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
