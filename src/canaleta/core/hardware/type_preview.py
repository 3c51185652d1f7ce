"""A module type before it is used: its terminals by channel, and what each of its modes makes of a signal."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.module_type import Mode, ModuleType
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.sheet.document import read_document
from canaleta.core.sheet.entry import station_figure
from canaleta.core.signals.signal_types import SIGNALS, Family, Signal

__all__ = ["ModePreview", "mode_previews", "signal_for"]


@dataclass(frozen=True)
class ModePreview:
    """One mode: a signal that suits it, and rows of figures at LOOP, INPUT and COUNTS from low to high."""

    mode: str
    signal: str
    rows: tuple[tuple[str, str, str, str], ...]


def signal_for(mode: Mode, output: bool = False) -> Signal | None:
    """The device's signal that a mode is meant for: of its span if there is one, else any it can take.

    output: whether the mode drives.
    """
    family = mode.family_code
    fits = [s for s in SIGNALS if s.family == family]
    if mode.curve:
        return next((s for s in fits if s.curve == mode.curve), None)
    if family == Family.CONTACT:
        inputs = "AC contact" if mode.current == "AC" else "NAMUR" if mode.source_v else "contact"
        wanted = inputs if not output else "AC load" if mode.current == "AC" else "load"
        return next((s for s in fits if s.switch == wanted), None)
    if family == Family.LINEAR:
        fits = [s for s in fits if s.unit == mode.signal_unit]
        return next(
            (s for s in fits if (s.low, s.high) == (mode.signal.low, mode.signal.high)), fits[0] if fits else None
        )
    return fits[0] if fits else None


def mode_previews(kind: ModuleType) -> list[ModePreview]:
    """What each mode makes of its signal; a mode that no signal suits is left without rows.

    Straight ones at both ends and the middle, sensors at the quarters of what the count can show.
    """
    out = []
    for mode in kind.modes:
        own = kind.for_mode(mode.name)
        signal = signal_for(mode, own.direction == "out")
        if own is not kind:
            # As a type of its own: what is said of other channels belongs to them.
            own = own.model_copy(update={"settings": (), "first_terminal": max(own.first_terminal, 0)})
        out.append(ModePreview(mode.name, signal.name if signal else "", _rows(own, mode, signal) if signal else ()))
    return out


def _rows(kind: ModuleType, mode: Mode, signal: Signal) -> tuple[tuple[str, str, str, str], ...]:
    contact = signal.family == Family.CONTACT
    curve = bool(signal.curve)
    device: dict[str, object] = {"signal": signal.name}
    if signal.own_span:
        device |= {"signal_low": mode.signal.low, "signal_high": mode.signal.high}
    if not contact:
        device |= {"low": 0.0, "high": 100.0, "unit": "°C" if curve else "%"}
    image, _ = read_document({"device": device, "input": {"module": kind.model_dump(), "mode": mode.name}}, {})
    station = Station.PROCESS if contact or curve else Station.DEVICE
    given = np.array([0.0, 1.0] if contact else [0.0, 50.0, 100.0])
    if curve:
        per_count = (mode.signal.high - mode.signal.low) / (mode.counts.high - mode.counts.low)
        given = (
            mode.signal.low
            + (np.array([0.25, 0.5, 0.75]) * (mode.most - mode.least) + mode.least - mode.counts.low) * per_count
        )
    rows = np.zeros(len(given), dtype=np.int64)
    found = evaluate(image, station, given, rows).stations
    words = describe(image, 0)
    first = STATIONS.index(station)
    shown = []
    for k in range(len(given)):
        cells = [
            (station_figure(image, 0, s, float(found[s, k]), words[s].decimals), words[s].unit) for s in range(6)
        ]
        texts = [" ".join(part for part in cells[s] if part) for s in (first, 2, 3, 4)]
        shown.append((texts[0], texts[1], texts[2], texts[3]))
    return tuple(shown)
