"""Plants built in words, for tests: plant_of("4–20 mA, 0…600 mbar, shows 0…500 mbar").

A sentence is: [TAG: ]SIGNAL[, LOW…HIGH UNIT][, shows LOW…HIGH UNIT][, by square root][, reverse][, on ADDRESS].
Points land one after the other on the module of their signal in cabinet TC-1, rack 1: slot 1 DI-16, slot 2
AI-8 U/I, slot 3 TC-8. "nowhere" leaves a point without a channel.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

import numpy as np

from canaleta.catalogue.types import module_types
from canaleta.core.model.fields import Landing, Station, Stored, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Layout, Module, Rack
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Reason
from canaleta.core.path.evaluate import evaluate
from canaleta.core.sheet.document import read_document
from canaleta.core.signals.signal_types import Family, signal_named
from canaleta.plant.live.blocks import LiveBlock, RackState

SLOTS = ("di16-24v", "ai8-ui", "tc8")
MODULE_OF = {Family.CONTACT: 1, Family.LINEAR: 2, Family.THERMOCOUPLE: 3}
MODE_OF = {"0–10 V": "0–10 V", "0–20 mA": "0–20 mA", "4–20 mA": "4–20 mA"}


def layout_with(types: Iterable[ModuleType] = (), base: int = 1) -> Layout:
    """Cabinet TC-1 with one rack: the three modules of the catalogue, then one of each type given."""
    kinds = module_types() | {kind.key: kind for kind in types}
    keys = [*SLOTS, *(kind.key for kind in types)]
    modules = {i: Module(i, 1, i, key) for i, key in enumerate(keys, start=1)}
    return Layout(
        {1: Cabinet(1, "TC-1", "test")}, {1: Rack(1, 1, "1", "127.0.0.1", 1502, 1, 1000)}, modules, kinds, base
    )


def plant_of(*sentences: str, layout: Layout | None = None) -> PlantImage:
    """An image with one point a sentence."""
    layout = layout or layout_with()
    rows = []
    used: dict[int, int] = {}
    for number, sentence in enumerate(sentences, start=1):
        rows.append(_point(sentence, number, layout, used))
    return PlantImage.of_rows(rows, layout)


def _point(sentence: str, number: int, layout: Layout, used: dict[int, int]) -> dict[str, Stored]:
    tag, _, rest = sentence.rpartition(": ")
    point: dict[str, Stored] = {"tag": tag or f"P-{number}"}
    parts = [part.strip() for part in rest.split(",")]
    signal = signal_named(parts[0])
    assert signal, f"no such signal: {parts[0]}"
    point["signal"] = signal.name
    analog = signal.family is not Family.CONTACT
    module = MODULE_OF[signal.family]
    point["mode"] = f"{signal.name}, 0.1 °C" if signal.curve else MODE_OF.get(signal.name, "24 V DC")
    if analog:
        high = "12000" if signal.family is Family.THERMOCOUPLE else "32000"
        point |= _cell("counts_low", f"0…{high}")
    landed: Landing | None = Landing(module, used.get(module, 0), landed=True)
    for part in parts[1:]:
        if part.startswith("shows "):
            point |= _cell("value_low", part[6:])
        elif part == "by square root":
            point["value_law"] = "square root"
        elif part == "reverse":
            point["acting"] = "reverse"
        elif part == "nowhere":
            landed = None
        elif part.startswith("on "):
            landed = Landing(*layout.read_address(part[3:]), landed=True)
        else:
            point |= _cell("device_low", part)
    if landed:
        used[landed.module] = max(used.get(landed.module, 0), landed.channel + 1)
    return point | {"channel": landed}


def _cell(name: str, text: str) -> dict[str, Stored]:
    return read_cell(field_named(name), re.sub(r"\s+", " ", text))


def path_of(**document: Any) -> PlantImage:
    """An image of one point from the sections of a path document: device=…, loop=…, input=…, value=…."""
    return read_document(document, module_types())[0]


def mode(
    unit: str = "V", signal: tuple[float, float] = (0, 10), counts: tuple[float, float] = (0, 32000), **rest: Any
) -> dict[str, Any]:
    """The `input` section with a mode of its own."""
    outside = {k: rest.pop(k) for k in ("common", "direction", "word") if k in rest}
    return {"mode": {"signal_unit": unit, "signal": list(signal), "counts": list(counts)} | rest} | outside


def stations(plant: PlantImage, station: Station, value: float, row: int = 0) -> list[float]:
    """All six stations of one point."""
    return [float(x) for x in evaluate(plant, station, value, np.array([row])).stations[:, 0]]


def block_of(
    points: list[int],
    counts: list[float],
    value: list[float],
    *,
    quality: list[int] | None = None,
    reasons: list[int] | None = None,
    injected: list[int] | None = None,
    **head: Any,
) -> LiveBlock:
    """A live block of rack 1 in which nothing else is to be known. head: scan, epoch, seq, read_at, state."""
    n = len(points)
    none, unknown = np.zeros(n, np.uint8), np.full(n, -1, np.int8)
    report: dict[str, Any] = {
        "rack": 1,
        "scan": 1,
        "epoch": 1,
        "seq": 0,
        "read_at": datetime.now(UTC),
        "state": RackState.ANSWERS,
        "says": "",
    }
    return LiveBlock(
        **(report | head), points=np.array(points), counts=np.array(counts, dtype=np.float64), value=np.array(value, dtype=np.float64),
        quality=np.array(quality or [0] * n, np.uint8), reasons=np.array(reasons or [0] * n, np.uint32),
        injected=np.array(injected or [0] * n, np.uint8), switch=unknown, flags=none, alarm=none, band=unknown,
        meters=np.zeros(0, np.int64), counted=np.zeros(0), total=np.zeros(0), rate=np.zeros(0), shown=np.full(n, np.nan),
        loaded=np.zeros(0, np.int64), load_ma=np.zeros(0),
    )  # fmt: skip


def reasons(plant: PlantImage, station: Station, value: float) -> Reason:
    """The reasons of the one point."""
    return Reason(int(evaluate(plant, station, value).reasons[0]))
