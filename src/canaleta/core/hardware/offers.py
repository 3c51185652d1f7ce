"""What may be typed into a cell of a point, best first: free channels, modes, units, the device's own range.

Where the answer depends on one point alone. What a field takes at any point are its `choices`.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from canaleta.core.hardware.fit import Judgement, Level, judge_module
from canaleta.core.model.fields import Kind, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import rounded_text
from canaleta.core.notation.units import convert, find_unit, units

__all__ = ["MOST_OFFERED", "Offer", "offers_for"]

MOST_OFFERED = 200
_AS_DEVICE = {"value_low": "device_low", "value_high": "device_high", "value_unit": "device_unit"}
_OTHER_UNIT = {"device_unit": "value_unit", "value_unit": "device_unit"}


@dataclass(frozen=True)
class Offer:
    """A text for a cell. says: what it is, in words, '' where it explains itself. fits: whether nothing speaks
    against it."""

    text: str
    says: str
    fits: bool = True


def offers_for(image: PlantImage, row: int, field: str) -> list[Offer]:
    """Texts for a field of a point, at most MOST_OFFERED; none where the field has no such choice. Raises KeyError
    for no such field."""
    kind = field_named(field).kind
    if kind is Kind.ADDRESS:
        return _channels(image, row)
    if kind is Kind.UNIT:
        return _units(image, row, field)
    if field in _AS_DEVICE:
        return _as_the_device(image, row, field)
    return []


def _channels(image: PlantImage, row: int) -> list[Offer]:
    """Channels that no point holds or wishes for: those of the module it is on, then those that take the signal before
    those to beware of, and of these its rack, then the cabinet where most of its area is."""
    layout = image.layout
    claimed = set(zip(image.module.tolist(), image.channel.tolist(), strict=True))
    judged: dict[str, Judgement] = {}
    own = layout.modules.get(int(image.module[row]))
    near = _cabinets_of(image, image.text("area", row))
    ranked = []
    for module in layout.modules.values():
        kind = layout.type_of(module.id)
        if kind.passive:
            continue
        if module.type_key not in judged:
            judged[module.type_key] = judge_module(image, row, module.id)
        told = judged[module.type_key]
        if told.level is Level.REFUSED:
            continue
        rack = layout.racks[module.rack]
        order = (
            own is None or own.id != module.id,
            told.level,
            own is None or own.rack != module.rack,
            -near.get(rack.cabinet, 0),
            rack.id,
            module.place,
        )
        ranked.append((order, module, told))
    ranked.sort(key=lambda one: one[0])
    out: list[Offer] = []
    for _, module, told in ranked:
        kind = layout.type_of(module.id)
        free = [c for c in told.channels or range(kind.channels) if (module.id, c) not in claimed]
        for channel in sorted(free, key=lambda c: (c not in module.wired, c)):
            spare = ", wired spare" if channel in module.wired else ""
            beware = "; ".join(told.reasons[:1])
            says = f"{kind.title}, {told.mode}{spare}{f': {beware}' if beware else ''}"
            out.append(Offer(layout.address(module.id, channel), says, told.level is Level.FITS))
            if len(out) == MOST_OFFERED:
                return out
    return out


def _cabinets_of(image: PlantImage, area: str) -> Counter[int]:
    """How many landed points of an area each cabinet has."""
    out: Counter[int] = Counter()
    if not area:
        return out
    here = image.landed & np.array([text == area for text in image.cells["area"]])
    for module, count in zip(*np.unique(image.module[here], return_counts=True), strict=True):
        found = image.layout.modules.get(int(module))
        if found:
            out[image.layout.racks[found.rack].cabinet] += int(count)
    return out


def _units(image: PlantImage, row: int, field: str) -> list[Offer]:
    """Units of the quantity that the point's other unit measures; those the plant uses before the rest."""
    other = image.text(_OTHER_UNIT.get(field, field), row)
    known = find_unit(other) or find_unit(image.text(field, row))
    used = Counter(text for text in image.cells[field] if text)
    wanted = [unit for unit in units() if known is None or unit.quantity == known.quantity]
    wanted.sort(key=lambda unit: (unit.shown != other, -used[unit.shown]))
    out = []
    for unit in wanted[:MOST_OFFERED]:
        as_device = field == "value_unit" and unit.shown == other
        out.append(Offer(unit.shown, "same as the device" if as_device else "" if known else unit.quantity))
    return out


def _as_the_device(image: PlantImage, row: int, field: str) -> list[Offer]:
    """The device's own end of the range, in the value's unit."""
    text = image.text(_AS_DEVICE[field], row)
    if not text:
        return []
    of, into = image.text("device_unit", row), image.text("value_unit", row)
    if not into or of == into:
        return [Offer(text, "same as the device")]
    here, there = find_unit(of), find_unit(into)
    if here is None or there is None or here.quantity != there.quantity:
        return []
    figure = convert(float(image.number(_AS_DEVICE[field])[row]), of, into)
    return [Offer(rounded_text(figure), f"same as the device, {text} {of}")]
