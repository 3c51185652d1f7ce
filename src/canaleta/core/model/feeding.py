"""What feeds a point, in volts: the supply that it says, or the one that its channel is on, or else the plant's."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.supplies import Feed, Group
from canaleta.core.notation.arrays import Floats, Rows

__all__ = ["channel_feeds", "channel_supply_v", "fed", "feeds_of", "supply_of"]


def channel_feeds(image: PlantImage, rows: Rows) -> NDArray[np.object_]:
    """The name of the supply or fuse that each row's channel is on, by what the plant says of cabinets, racks, modules and
    channels; None for none. Where several are said, the narrowest counts."""
    out = np.full(len(rows), None, dtype=object)
    if not len(rows):
        return out
    groups: dict[str, list[tuple[Group, Feed]]] = {}
    for feed in image.conventions.feeds.by_name.values():
        for group in feed.on:
            groups.setdefault(group.cabinet.casefold(), []).append((group, feed))
    layout, on = image.layout, image.module[rows]
    order = np.argsort(on, kind="stable")
    numbers, begins = np.unique(on[order], return_index=True)
    for number, mine in zip(numbers.tolist(), np.split(order, begins[1:]), strict=True):
        module = layout.modules.get(number)
        if module is None:
            continue
        rack = layout.racks[module.rack]
        cabinet = layout.cabinets[rack.cabinet].name
        here = [one for one in groups.get(cabinet.casefold(), ()) if one[0].holds(rack.name, layout.slots[number])]
        channel = image.channel[rows[mine]] + layout.channel_base
        for group, feed in sorted(here, key=lambda one: one[0].narrow):
            out[mine if group.last < 0 else mine[(channel >= group.first) & (channel <= group.last)]] = feed.name
    return out


def fed(image: PlantImage, rows: Rows) -> NDArray[np.object_]:
    """What each row is fed from: as it says itself, else by its channel; None for neither."""
    own = image.cells["fed_from"][rows]
    if not image.conventions.feeds.grouped:
        return own
    out: NDArray[np.object_] = np.where(image.filled("fed_from")[rows], own, channel_feeds(image, rows))
    return out


def feeds_of(image: PlantImage, points: Iterable[int]) -> set[str]:
    """The names of all supplies and fuses that feed some points."""
    rows = np.array([image.row_of(p) for p in points if image.has(p)], dtype=np.int64)
    return {f.name for text in set(fed(image, rows)) - {None} for f in image.conventions.feeds.chain(text)}


def supply_of(image: PlantImage, rows: Rows) -> tuple[Floats, Floats, Floats]:
    """(nominal, least, greatest) voltage of what feeds each row, V: of the supply that it says or that its channel is on,
    or else the plant's."""
    c = image.conventions
    own = np.tile(np.array([[c.supply_v], [c.least_supply_v], [c.greatest_supply_v]]), (1, len(rows)))
    if c.feeds.by_name:
        texts = fed(image, rows)
        for text in set(texts[texts != None]):  # noqa: E711 (an array is compared)
            for at, volts in enumerate(_volts(c.feeds.chain(text))):
                if volts is not None:
                    own[at, texts == text] = volts
    return own[0], own[1], own[2]


def channel_supply_v(image: PlantImage, rows: Rows) -> Floats:
    """The voltage that each row's channel itself works with, V: what spans that follow the supply follow."""
    out = np.full(len(rows), image.conventions.supply_v, dtype=np.float64)
    feeds = image.conventions.feeds
    if feeds.grouped:
        names = channel_feeds(image, rows)
        for name in set(names[names != None]):  # noqa: E711 (an array is compared)
            volts = _volts(feeds.chain(name))[0]
            if volts is not None:
                out[names == name] = volts
    return out


def _volts(chain: tuple[Feed, ...]) -> tuple[float | None, float | None, float | None]:
    """(nominal, least, greatest) of a chain: the nearest that says something speaks, and of a supply without limits its own
    voltage is all that is known."""
    nominal = next((f.volts for f in chain if f.volts is not None), None)
    least = next((f.least_v for f in chain if f.least_v is not None), nominal)
    greatest = next((f.greatest_v for f in chain if f.greatest_v is not None), nominal)
    return nominal, least, greatest
