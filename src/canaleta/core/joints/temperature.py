"""Thermocouples: an element, its leads, a module with a cold junction that compensates in mV and counts degrees."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.joints.base import (
    Chain,
    Floats,
    PathRows,
    StationWords,
    Working,
    mode_reasons,
)
from canaleta.core.joints.linear import ConverterJoint, value_words
from canaleta.core.joints.scaling import TwoPointScaling
from canaleta.core.quality import Reason, mark
from canaleta.core.sensors.thermocouples import SOURCE, Thermocouple, thermocouple, thermocouple_letters
from canaleta.core.signals import SIGNALS, Family
from canaleta.core.text import shown

__all__ = ["CHAIN"]

_CURVE = [signal.curve for signal in SIGNALS]


def _each_letter(p: PathRows, letters: NDArray[np.object_], x: Floats, forward: bool) -> Floats:
    """x through the reference function of each row's letter: °C to mV, or back."""
    out = np.full(x.shape, np.nan)
    for letter in thermocouple_letters():
        mask = letters == letter
        if mask.any():
            element = thermocouple(letter)
            out[mask] = element.emf_mv(x[mask]) if forward else element.temperature_degc(x[mask])
    return out


def _element_letters(p: PathRows) -> NDArray[np.object_]:
    return np.array([_CURVE[code] for code in p.code("signal")], dtype=object)


def _mode_letters(p: PathRows) -> NDArray[np.object_]:
    curves = p.image.layout.mode_table.curve
    return np.array([curves[m] if m >= 0 else "" for m in p.image.mode[p.rows]], dtype=object)


def _junction_mv(p: PathRows, letters: NDArray[np.object_]) -> Floats:
    degc = np.full(len(p), p.conventions.cabinet_ambient_degc)
    return _each_letter(p, letters, degc, forward=True)


class ElementJoint:
    """PROCESS to DEVICE: the emf of the element, reference junction at 0 °C, in mV."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """mV at °C."""
        return _each_letter(p, _element_letters(p), x, forward=True)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """°C at mV."""
        return _each_letter(p, _element_letters(p), y, forward=False)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The reference function."""
        letter = _element_letters(p)[0]
        if not forward:
            return Working(
                f"t = E_{letter}⁻¹(E), the true inverse",
                f"E_{letter}⁻¹({shown(y, 4)} mV) = {shown(x, 2)} °C",
                SOURCE,
            )
        return Working(
            f"E = E_{letter}(t), reference junction at 0 °C",
            f"E_{letter}({shown(x, 2)} °C) = {shown(y, 4)} mV",
            SOURCE,
        )


class JunctionJoint:
    """DEVICE to LOOP: at the terminals the cold junction takes its share away."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """mV at the terminals."""
        return x - _junction_mv(p, _element_letters(p))

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV of the element."""
        return y + _junction_mv(p, _element_letters(p))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Compensation belongs in mV."""
        if not forward:
            return _junction_working(p, _element_letters(p), "E(t) = terminals + E(tⱼ)", y, "+", x)
        return _junction_working(p, _element_letters(p), "terminals = E(t) − E(tⱼ)", x, "−", y)


class CompensationJoint:
    """LOOP to INPUT: the module adds the emf of its own cold junction, by the curve of its mode."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Compensated mV."""
        return x + _junction_mv(p, _mode_letters(p))

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV at the terminals."""
        return y - _junction_mv(p, _mode_letters(p))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Compensation belongs in mV."""
        if not forward:
            return _junction_working(p, _mode_letters(p), "terminals = compensated − E(tⱼ)", y, "−", x)
        return _junction_working(p, _mode_letters(p), "compensated = terminals + E(tⱼ)", x, "+", y)


class TemperatureConverterJoint:
    """INPUT to COUNTS: the module linearises by its curve and counts degrees."""

    _affine = ConverterJoint()

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Whole counts at compensated mV."""
        degrees = _each_letter(p, _mode_letters(p), x, forward=False)
        beyond = np.isnan(degrees) & ~np.isnan(x)
        counts = self._affine.forward(p, degrees)
        over = np.where(x > 0, p.of_mode("most"), p.of_mode("least"))
        return np.where(beyond & ~np.isnan(_junction_mv(p, _mode_letters(p))), over, counts)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Compensated mV at counts; NaN for the count that means an open circuit."""
        degrees = self._affine.backward(p, y)
        degrees = np.where(y == p.of_mode("open_counts"), np.nan, degrees)
        return _each_letter(p, _mode_letters(p), degrees, forward=True)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The curve of the mode, then degrees into counts."""
        letter = _mode_letters(p)[0]
        degrees = float(self._affine.backward(p, np.array([y]))[0])
        per_degree = float((p.of_mode("counts_high") - p.of_mode("counts_low"))[0]) / float(
            (p.of_mode("signal_high") - p.of_mode("signal_low"))[0]
        )
        source = f"module type, mode {p.text('mode')}; {SOURCE}"
        if not forward:
            return Working(
                f"input = E_{letter}(count / {shown(per_degree, 0)})",
                f"E_{letter}({shown(y, 0)} / {shown(per_degree, 0)} °C) = {shown(x, 4)} mV",
                source,
            )
        return Working(
            f"count = t · {shown(per_degree, 0)}, t from E_{letter}(t) = input",
            f"E_{letter}⁻¹({shown(x, 4)} mV) = {shown(degrees, 2)} °C → {shown(y, 0)}",
            source,
        )


def _junction_working(
    p: PathRows, letters: NDArray[np.object_], formula: str, x: float, sign: str, y: float
) -> Working:
    degc = p.conventions.cabinet_ambient_degc
    junction = float(_junction_mv(p, letters)[0])
    return Working(
        formula,
        f"{shown(x, 4)} {sign} {shown(junction, 4)} = {shown(y, 4)} mV",
        f"cold junction taken as {shown(degc, 1)} °C, the cabinet's ambient in the plant's conventions",
    )


def _reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
    out = mode_reasons(p, Family.THERMOCOUPLE)
    counts = stations[4]
    with np.errstate(invalid="ignore"):
        opened = counts == p.of_mode("open_counts")
        beyond = (counts <= p.of_mode("least")) | (counts >= p.of_mode("most"))
    mark(out, opened, Reason.OPEN_CIRCUIT)
    mark(out, beyond & ~opened, Reason.OUTSIDE_SENSOR)
    for axis in (0, 1):
        mark(out, np.isnan(stations[axis]) & ~np.isnan(counts) & ~opened, Reason.OUTSIDE_SENSOR)
    mark(out, ~np.isnan(counts) & np.isnan(stations[5]), Reason.NOT_SCALED)
    return out


def _describe(p: PathRows) -> tuple[StationWords, ...]:
    element: Thermocouple = thermocouple(str(_element_letters(p)[0]))
    low, high, unit = p.text("device_low"), p.text("device_high"), p.text("device_unit")
    used = f"used {low} … {high} {unit}" if low and high else "no range typed"
    junction = shown(p.conventions.cabinet_ambient_degc, 1)
    mode = p.text("mode")
    least, most = float(p.of_mode("least")[0]), float(p.of_mode("most")[0])
    counts = () if np.isnan(least) else (f"{shown(least, 0)} … {shown(most, 0)}",)
    return (
        StationWords("°C", 1, (p.text("service"), used)),
        StationWords(
            "mV",
            3,
            (
                f"element type {element.letter}",
                f"{shown(element.low_degc, 0)} … {shown(element.high_degc, 0)} °C",
            ),
        ),
        StationWords("mV", 3, ("at the terminals", f"cold junction {junction} °C")),
        StationWords("mV", 3, (f"mode {mode}" if mode else "no mode yet", "compensated in mV")),
        StationWords("", 0, counts),
        value_words(p),
    )


CHAIN = Chain(
    (ElementJoint(), JunctionJoint(), CompensationJoint(), TemperatureConverterJoint(), TwoPointScaling()),
    _reasons,
    _describe,
)
