"""What a signal source puts on the terminals of a point, read from words: a level, a signal that moves, a fault."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.faults import read_fault
from canaleta.core.sheet.entry import read_station
from canaleta.core.signals.signal_types import Family
from canaleta.core.signals.waveforms import waveform_of

__all__ = ["TAKE_OFF", "Injection", "loop_unit", "read_injection", "read_signal"]


@dataclass(frozen=True)
class Injection:
    """What stands on terminals: level and high in the loop's unit (see loop_unit), form and period_s of
    core.signals.waveforms, faults as (kind, amount) of core.path.faults. level None and no fault: nothing is put on any more."""

    level: float | None = None
    form: str = "fixed"
    high: float = 0.0
    period_s: float = 10.0
    faults: tuple[tuple[str, str], ...] = ()


TAKE_OFF = Injection()


def read_injection(
    image: PlantImage,
    row: int,
    level: str,
    form: str = "fixed",
    high: str = "",
    period_s: float = 10.0,
    faults: Sequence[tuple[str, str]] = (),
) -> Injection:
    """What is put on the terminals of a point, from what was typed. Raises TextError for the person who typed it."""
    put = Injection(
        read_signal(image, row, level), form, read_signal(image, row, high) or 0.0, period_s, tuple(faults)
    )
    if form != "fixed":
        if put.level is None:
            raise TextError(f"“{form}” needs the level it begins at")
        waveform_of(form, put.level, put.high, period_s)
    for kind, amount in faults:
        read_fault(kind, amount)
    return put


def read_signal(image: PlantImage, row: int, text: str) -> float | None:
    """A level on the wires as typed, in the loop's unit; contacts take “closed” and “open”. None for no text."""
    typed = text.strip().lower()
    if not typed:
        return None
    if image.family[row] == Family.CONTACT and typed in ("closed", "open"):
        closed = evaluate(image, Station.DEVICE, float(typed == "closed"), np.array([row]))
        return float(closed.at(Station.LOOP)[0])
    return read_station(image, row, Station.LOOP, text)


def loop_unit(image: PlantImage, row: int) -> str:
    """What stands on the wires of this point: V, mA, mV or Ω."""
    return describe(image, row)[STATIONS.index(Station.LOOP)].unit
