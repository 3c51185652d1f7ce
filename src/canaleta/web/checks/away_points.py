"""What a package holds of its points, so that they are tested where no server answers: what is put on, what is due, how a typed
figure is judged on the spot, what to look out for."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

import numpy as np

from canaleta.core.checks.loopcheck import CheckStep, TestOf, span_of, steps_of, tolerance_of
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.signals.signal_types import Family
from canaleta.plant.live import temporary
from canaleta.plant.records.instruments import instruments
from canaleta.plant.records.plant import plant_name
from canaleta.web.checks.away_pages import Places, page_away
from canaleta.web.checks.judging import step_out
from canaleta.web.kit.figures import finite
from canaleta.web.kit.shared import shared

__all__ = ["FORMAT", "VERSION", "plant_away", "points_away", "with_pages"]

FORMAT, VERSION = "canaleta away", 1


def plant_away(package: str) -> dict[str, Any]:
    """What a package says of the plant: its name, when it was taken along, the instruments that are kept."""
    with shared().engine.connect() as connection:
        plant = plant_name(connection)
        kept = [{"name": x.name, "serial": x.serial, "due": x.due} for x in instruments(connection)]
    now = datetime.fromtimestamp(shared().clock.looked_lately(), UTC)
    return {
        "format": FORMAT, "version": VERSION, "plant": plant, "package": package,
        "taken_at": now.isoformat(timespec="seconds"), "instruments": kept,
    }  # fmt: skip


def points_away(image: PlantImage, points: Sequence[int]) -> list[dict[str, Any]]:
    """Each point with its steps, in the order given."""
    open_: dict[int, list[str]] = {}
    with shared().engine.connect() as connection:
        for entry in temporary.listed(connection, most=100_000):
            open_.setdefault(entry.point, []).append(f"{entry.kind}: {entry.what} ({entry.who})")
    return [_point(image, image.row_of(point)) | {"open": open_.get(point, [])} for point in points]


def with_pages(image: PlantImage, points: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same with the pages of each point, for a screen: paper has its own."""
    places = Places(image)
    return [one | {"page": page_away(image, image.row_of(one["id"]), places)} for one in points]


def _point(image: PlantImage, row: int) -> dict[str, Any]:
    words = describe(image, row)
    contact = image.family[row] == Family.CONTACT
    why_not, steps = "", []
    try:
        steps = steps_of(image, row)
    except TextError as error:
        why_not = str(error)
    told = {
        name: image.text(name, row)
        for name in ("tag", "service", "area", "system", "cable", "cores", "strip", "inhibit", "tell", "trips")
    }
    return told | {
        "id": int(image.ids[row]), "channel": image.text("channel", row), "terminals": _terminals(image, row),
        "contact": bool(contact), "words": [image.text("text_0", row) or "0", image.text("text_1", row) or "1"],
        "unit": words[STATIONS.index(Station.VALUE)].unit, "decimals": words[STATIONS.index(Station.VALUE)].decimals,
        "signal_unit": words[STATIONS.index(Station.LOOP)].unit, "span": finite(span_of(image, row)),
        "tolerance": tolerance_of(image, row), "trips_told": list(trips_of(image, row)), "why_not": why_not,
        "steps": _steps(image, row, steps),
    }  # fmt: skip


def _steps(image: PlantImage, row: int, steps: Sequence[CheckStep]) -> list[dict[str, Any]]:
    slopes = _slopes(image, row, steps)
    return [
        step_out(image, row, step).model_dump() | {"due": finite(step.due(TestOf.LOOP)), "per_signal": finite(slope)}
        for step, slope in zip(steps, slopes, strict=True)
    ]


def _slopes(image: PlantImage, row: int, steps: Sequence[CheckStep]) -> list[float]:
    """How far the value moves for one unit of signal at each step: what a calibrator that stands a little beside it makes of
    what is due. 0 where it does not follow."""
    if not steps or image.family[row] == Family.CONTACT:
        return [0.0] * len(steps)
    signals = np.array([step.signal for step in steps])
    span = float(np.nanmax(signals) - np.nanmin(signals)) or 1.0
    reach = 0.001 * span
    at = np.concatenate([signals - reach, signals, signals + reach])
    low, middle, high = evaluate(image, Station.LOOP, at, np.full(len(at), row)).at(Station.VALUE).reshape(3, -1)
    both, up, down = (high - low) / (2 * reach), (high - middle) / reach, (middle - low) / reach
    slope = np.where(np.isfinite(both), both, np.where(np.isfinite(up), up, down))
    return [float(x) for x in np.nan_to_num(slope)]


def _terminals(image: PlantImage, row: int) -> str:
    if not image.landed[row]:
        return ""
    module, channel = int(image.module[row]), int(image.channel[row])
    kind = image.layout.type_at(module, channel, image.text("mode", row))
    return ", ".join(f"{mark} {role}".strip() for mark, role in kind.terminal_marks(channel))
