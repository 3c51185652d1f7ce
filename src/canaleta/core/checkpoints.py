"""Check points and curve of one point: what stands at every station at the places people test."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.fields import Station
from canaleta.core.image import PlantImage
from canaleta.core.path import evaluate
from canaleta.core.signals import Family, signal_named
from canaleta.core.units import factor_and_offset

__all__ = ["CheckPoint", "Curve", "check_points", "curve", "true_value"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class CheckPoint:
    """One line of the table: a label and the station and value it starts from."""

    label: str
    station: Station
    given: float


def check_points(image: PlantImage, row: int) -> list[CheckPoint]:
    """The check points that suit a point's signal: parts of span, and the faults it can show."""
    family = Family(int(image.family[row]))
    signal = signal_named(image.text("signal", row))
    if signal is None:
        return []
    if family == Family.CONTACT:
        return [
            CheckPoint("at rest", Station.PROCESS, 0.0),
            CheckPoint("acted upon", Station.PROCESS, 1.0),
            CheckPoint("wire off", Station.LOOP, 0.0),
            CheckPoint("8 V", Station.LOOP, 8.0),
        ]
    if family == Family.THERMOCOUPLE:
        low, high = image.number("device_low")[row], image.number("device_high")[row]
        factor, offset = factor_and_offset(image.text("device_unit", row) or "°C", "°C") or (1.0, 0.0)
        points = [
            CheckPoint(f"{share}", Station.PROCESS, float((low + share / 100 * (high - low)) * factor + offset))
            for share in (0, 25, 50, 75, 100)
        ]
        mode = int(image.mode[row])
        open_counts = image.layout.mode_table.open_counts[mode] if mode >= 0 else np.nan
        return [*points, CheckPoint("open", Station.COUNTS, float(open_counts))]
    points = [CheckPoint(f"{share}", Station.DEVICE, float(share)) for share in (0, 25, 50, 75, 100)]
    if signal.live_zero:
        namur = image.conventions.namur
        points += [
            CheckPoint("open", Station.LOOP, 0.0),
            CheckPoint("low", Station.LOOP, namur.failed_low_ma),
            CheckPoint("high", Station.LOOP, namur.failed_high_ma),
        ]
    else:
        points.append(CheckPoint("open", Station.LOOP, 0.0))
    return points


def true_value(image: PlantImage, row: int, process: float) -> float | None:
    """The quantity at PROCESS in the unit of VALUE, or None where the two measure different quantities."""
    of = "°C" if image.family[row] == Family.THERMOCOUPLE else image.text("device_unit", row)
    pair = factor_and_offset(of, image.text("value_unit", row))
    return None if pair is None else process * pair[0] + pair[1]


@dataclass(frozen=True)
class Curve:
    """What the list shows and what the device means, over the signal on the wires; arrays of one length.

    device is None where device and value measure different quantities; then `straight` is the line between
    the end points, to hold the law against.
    """

    loop: Floats
    shows: Floats
    device: Floats | None
    straight: Floats | None


def curve(image: PlantImage, row: int, steps: int = 61) -> Curve | None:
    """The curve of one analog point, or None for a contact or a point with no signal."""
    family = Family(int(image.family[row]))
    rows = np.full(steps, row)
    if family == Family.LINEAR:
        paths = evaluate(image, Station.DEVICE, np.linspace(-2.0, 105.0, steps), rows)
    elif family == Family.THERMOCOUPLE:
        low, high = image.number("device_low")[row], image.number("device_high")[row]
        factor, offset = factor_and_offset(image.text("device_unit", row) or "°C", "°C") or (1.0, 0.0)
        paths = evaluate(image, Station.PROCESS, np.linspace(low, high, steps) * factor + offset, rows)
    else:
        return None
    unit = "°C" if family == Family.THERMOCOUPLE else image.text("device_unit", row)
    pair = factor_and_offset(unit, image.text("value_unit", row))
    shows, loop = paths.at(Station.VALUE), paths.at(Station.LOOP)
    device = None if pair is None else paths.at(Station.PROCESS) * pair[0] + pair[1]
    straight = None
    if device is None:
        v0, v1 = image.number("value_low")[row], image.number("value_high")[row]
        straight = v0 + paths.at(Station.DEVICE) / 100.0 * (v1 - v0)
    return Curve(loop, shows, device, straight)
