"""Check points and curve of one point: what stands at every station at the places people test."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.references import between_units, value_unit
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import shown
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.faults import Fault
from canaleta.core.signals.sensors.elements import span_degc
from canaleta.core.signals.signal_types import Family, signal_named

__all__ = ["CheckPoint", "Curve", "check_points", "curve", "true_value"]


TEMPERATURE = (Family.THERMOCOUPLE, Family.RESISTANCE)
_SHARES = (0, 25, 50, 75, 100)
_FAULT_COUNTS = (
    ("open", "open_counts"),
    ("short", "short_counts"),
    ("under", "under_counts"),
    ("over", "over_counts"),
)


@dataclass(frozen=True)
class CheckPoint:
    """One line of the table: a label, the station and value it starts from, and what is wrong meanwhile.

    share: of the span, %, for those that divide it.
    """

    label: str
    station: Station
    given: float
    faults: tuple[Fault, ...] = ()
    share: int | None = None


def check_points(image: PlantImage, row: int) -> list[CheckPoint]:
    """The check points that suit a point's signal: parts of span, limits of the signal, and the faults it can
    show."""
    family = Family(int(image.family[row]))
    signal = signal_named(image.text("signal", row))
    if signal is None:
        return []
    if family == Family.CONTACT:
        out = [
            CheckPoint("at rest", Station.PROCESS, 0.0),
            CheckPoint("acted upon", Station.PROCESS, 1.0),
            CheckPoint("wire off", Station.PROCESS, 1.0, (Fault("open"),)),
            CheckPoint("cores touch", Station.PROCESS, 0.0, (Fault("short"),)),
        ]
        return out if signal.unit == "mA" else [*out, CheckPoint("8 V", Station.LOOP, 8.0)]
    if family in TEMPERATURE:
        points = [
            CheckPoint(f"{share}", Station.PROCESS, degc, share=share)
            for share, degc in zip(_SHARES, _used_degc(image, row, np.array(_SHARES) / 100.0), strict=True)
        ]
        middle = points[2].given
        points.append(CheckPoint("open", Station.PROCESS, middle, (Fault("open"),)))
        points.append(CheckPoint("short", Station.PROCESS, middle, (Fault("short"),)))
        if family == Family.THERMOCOUPLE:
            points.append(CheckPoint("reversed", Station.PROCESS, middle, (Fault("reversed"),)))
        return points
    points = [CheckPoint(f"{share}", Station.DEVICE, float(share), share=share) for share in _SHARES]
    points.append(CheckPoint("open", Station.DEVICE, 50.0, (Fault("open"),)))
    if signal.live_zero and signal.unit == "mA":
        namur = image.conventions.namur
        points += [
            CheckPoint(f"{shown(ma, 1)} mA", Station.LOOP, ma)
            for ma in (namur.failed_low_ma, namur.good_from_ma, namur.good_to_ma, namur.failed_high_ma)
        ]
    mode = int(image.mode[row])
    if mode >= 0:
        numbers = image.layout.mode_table.numbers
        points += [
            CheckPoint(f"{label} count", Station.COUNTS, float(numbers[name][mode]))
            for label, name in _FAULT_COUNTS
            if not np.isnan(numbers[name][mode])
        ]
    return points


def _used_degc(image: PlantImage, row: int, shares: Floats) -> list[float]:
    """Temperatures at shares of the range in use, in °C: as typed, else all that the element has."""
    low, high = image.number("device_low")[row], image.number("device_high")[row]
    factor, offset = factor_and_offset(image.text("device_unit", row) or "°C", "°C") or (1.0, 0.0)
    low, high = low * factor + offset, high * factor + offset
    signal = signal_named(image.text("signal", row))
    ends = span_degc(signal.curve if signal else "", image.cells["curve_table"][row])
    low, high = (ends[0] if np.isnan(low) else low), (ends[1] if np.isnan(high) else high)
    return [float(x) for x in low + shares * (high - low)]


def true_value(image: PlantImage, row: int, process: float) -> float | None:
    """The quantity at PROCESS in the unit of VALUE, or None where the two measure different quantities."""
    of = "°C" if image.family[row] in TEMPERATURE else image.text("device_unit", row)
    pair = between_units(image, row, of, value_unit(image, row))
    return None if pair is None else process * pair[0] + pair[1]


@dataclass(frozen=True)
class Curve:
    """What the list shows and what the device means, over the signal on the wires; arrays of one length.

    device is None where device and value measure different quantities. straight is the line between the ends of
    the curve, where the law is not straight, to hold it against.
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
    elif family in TEMPERATURE:
        paths = evaluate(image, Station.PROCESS, _used_degc(image, row, np.linspace(0.0, 1.0, steps)), rows)
    else:
        return None
    shows, loop = paths.at(Station.VALUE), paths.at(Station.LOOP)
    process = paths.at(Station.PROCESS)
    pair = true_value(image, row, 0.0)
    device = None
    if pair is not None:
        device = np.array([true_value(image, row, float(x)) for x in process], dtype=np.float64)
    straight = None
    laws = {image.text(name, row) for name in ("device_law", "value_law")}
    if family != Family.LINEAR or laws - {"", "straight line"}:
        inside = np.flatnonzero(~np.isnan(loop + shows))
        if len(inside) > 1:
            a, b = inside[[0, -1]]
            with np.errstate(divide="ignore", invalid="ignore"):
                straight = shows[a] + (loop - loop[a]) / (loop[b] - loop[a]) * (shows[b] - shows[a])
    return Curve(loop, shows, device, straight)
