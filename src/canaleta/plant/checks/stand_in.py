"""The plant as its stand-ins would be: a document of hardware and of a field in which every device is healthy."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from canaleta.catalogue.demo import DemoPlant
from canaleta.core.model.fields import STORED, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.signals.signal_types import Family

__all__ = ["followed_document", "stand_in_document"]

_FIELD = {Station.DEVICE, Station.LOOP}
_SET = {"filter", "open_action", "enabled"}
_SEPARATE = {"signal", "device_low", "device_high"}


def stand_in_document(image: PlantImage, rack: int | None = None) -> tuple[dict[str, Any], dict[int, int]]:
    """(document, {rack: port}) for the stand-in racks of a plant: its layout, and a device at each landed point; of
    one rack alone if it is said.

    A rack that is no stand-in stands in the document without a port, so that numbers stay those of the list.
    """
    layout = image.layout
    cabinets = [
        {
            "name": cabinet.name,
            "title": cabinet.title,
            "racks": [
                {
                    "number": rack.id,
                    "name": rack.name,
                    "port": rack.port,
                    "period_ms": rack.period_ms,
                    "link": rack.link,
                    "modules": [
                        {"slot": m.place, "type": m.type_key, "names": m.names} for m in layout.modules_of(rack.id)
                    ],
                }
                for rack in layout.racks.values()
                if rack.cabinet == cabinet.id
            ],
        }
        for cabinet in layout.cabinets.values()
    ]
    ports = {rack.id: rack.port for rack in layout.racks.values() if rack.stand_in}
    here = {m.id for m in layout.modules.values() if m.rack in ports and rack in (None, m.rack)}
    rows = np.flatnonzero(image.landed & np.isin(image.module, list(here))).tolist()
    counted = _counted_from_one(layout)
    document = DemoPlant.model_validate(
        {
            "about": "as the list has it",
            "name": "stand-in",
            "cabinets": cabinets,
            "points": [],
            "types": [kind.model_dump() for kind in layout.types.values()],
            "field": [
                _device(image, row, counted.address(int(image.module[row]), int(image.channel[row])))
                for row in rows
                if image.mode[row] >= 0 and image.family[row] >= 0
            ],
        }
    )
    return document.model_dump(mode="json"), ports


def followed_document(
    before: PlantImage, now: PlantImage, rack: int
) -> tuple[dict[str, Any], int, dict[str, str]] | None:
    """What a stand-in rack must become so that it follows the list: (document, port, {address: address before}); None
    where nothing of it changed.

    A point of which nothing changed keeps the device that stands there, with all that somebody made different for
    practice: it stands in the third, with the address where that device is.
    """
    if rack not in now.layout.racks or not now.layout.racks[rack].stand_in:
        return None
    if before.layout is now.layout and all(before.cells[name] is now.cells[name] for name in (*_FACTS, "channel")):
        return None
    was, becomes = _devices_of(before, rack), _devices_of(now, rack)
    same_hardware = _hardware(before, rack) == _hardware(now, rack)
    if same_hardware and was == becomes:
        return None
    keep = {at: was[point][0] for point, (at, device) in becomes.items() if point in was and was[point][1] == device}
    # What is a setting of the module is written to a rack, by somebody who armed it; it does not follow by itself.
    document, ports = stand_in_document(now, rack)
    return document, ports[rack], keep


_FACTS = tuple(f.name for f in STORED if (f.station in _FIELD and f.name not in _SET) or f.name == "signal")


def _devices_of(image: PlantImage, rack: int) -> dict[int, tuple[str, dict[str, Any]]]:
    """{point: (address, its device without the address)} of the landed points of a rack."""
    here = [m.id for m in image.layout.modules.values() if m.rack == rack]
    rows = np.flatnonzero(image.landed & np.isin(image.module, here)).tolist()
    counted = _counted_from_one(image.layout)
    devices = {
        int(image.ids[row]): _device(image, row, counted.address(int(image.module[row]), int(image.channel[row])))
        for row in rows
        if image.mode[row] >= 0 and image.family[row] >= 0
    }
    return {point: (device.pop("at"), _without_settings(device)) for point, device in devices.items()}


def _without_settings(device: dict[str, Any]) -> dict[str, Any]:
    cells = {name: text for name, text in device["cells"].items() if name not in _SET}
    return {name: value for name, value in device.items() if name != "mode"} | {"cells": cells}


def _hardware(image: PlantImage, rack: int) -> list[tuple[int, Any]]:
    return (
        [(m.place, image.layout.type_of(m.id)) for m in image.layout.modules_of(rack)]
        if rack in image.layout.racks
        else []
    )


def _counted_from_one(layout: Layout) -> Layout:
    """The layout by which a stand-in reads addresses: it knows no convention of the plant."""
    return layout if layout.channel_base == 1 else replace(layout, channel_base=1)


def _device(image: PlantImage, row: int, at: str) -> dict[str, Any]:
    low, high = (float(image.number(name)[row]) for name in ("device_low", "device_high"))
    contact = image.family[row] == Family.CONTACT
    known = np.isfinite(low) and np.isfinite(high)
    span = high - low if known else 100.0
    process = (
        {"mean": 0.5, "swing": 0.6, "period_s": 17.0 + int(image.ids[row]) % 40}
        if contact
        else {
            "mean": (low if known else 0.0) + 0.5 * span,
            "swing": abs(span) * 0.05,
            "period_s": 30.0 + int(image.ids[row]) % 90,
            "noise": abs(span) * 0.001,
        }
    )
    cells = {
        f.name: text
        for f in STORED
        if (f.station in _FIELD or f.name in _SET) and f.name not in _SEPARATE and (text := image.text(f.name, row))
    }
    return {
        "at": at,
        "signal": image.text("signal", row),
        "mode": image.text("mode", row),
        "low": low if known else None,
        "high": high if known else None,
        "process": process,
        "cells": cells,
    }
