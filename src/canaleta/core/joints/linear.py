"""Currents and voltages: a device with a range, a loop, an input with a burden, a converter with a span."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core import laws
from canaleta.core.joints.base import (
    Chain,
    Floats,
    PathRows,
    StationWords,
    Working,
    decimals_for,
    mode_reasons,
)
from canaleta.core.joints.scaling import TwoPointScaling, counts_text
from canaleta.core.modules import ModeTable
from canaleta.core.quality import Reason, mark, signal_reasons
from canaleta.core.signals import SIGNALS, Family
from canaleta.core.text import shown

__all__ = ["CHAIN", "ConverterJoint"]

_LOW = np.array([s.low for s in SIGNALS] + [np.nan])
_HIGH = np.array([s.high for s in SIGNALS] + [np.nan])
_LIVE_ZERO = np.array([s.live_zero for s in SIGNALS] + [False])
_UNIT = np.array([ModeTable.UNITS.index(s.unit) for s in SIGNALS] + [-1])
_STANDARD = {"mA": "IEC 60381-1", "V": "IEC 60381-2"}
_MA = ModeTable.UNITS.index("mA")


class DeviceJoint:
    """PROCESS to DEVICE: the device's range and its own law, in percent of its output span."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Percent of output at a quantity in the device's unit."""
        low, high = self._range(p)
        return 100.0 * laws.apply(p.code("device_law"), (x - low) / (high - low))

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The quantity that the device's range implies."""
        low, high = self._range(p)
        return low + laws.invert(p.code("device_law"), y / 100.0) * (high - low)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The device's range as the list has it."""
        low, high, unit = p.text("device_low"), p.text("device_high"), p.text("device_unit")
        root = "√" if p.text("device_law") == "square root" else ""
        source = f"device range {low} … {high} {unit} as typed in the list"
        if not forward:
            square = "(percent / 100)²" if root else "percent / 100"
            share = f"({shown(y, 3)} / 100)²" if root else f"{shown(y, 3)} / 100"
            return Working(
                f"quantity = LRV + {square} · (URV − LRV)",
                f"{low} + {share} · ({high} − {low}) = {shown(x, 3)} {unit}",
                source + "; implied by the device's range, not measured",
            )
        return Working(
            f"percent = 100 · {root}[(quantity − LRV) / (URV − LRV)]",
            f"100 · {root}[({shown(x, 3)} − {low}) / ({high} − {low})] = {shown(y, 3)} %",
            source,
        )

    @staticmethod
    def _range(p: PathRows) -> tuple[Floats, Floats]:
        low, high = p.number("device_low"), p.number("device_high")
        return np.where(low == high, np.nan, low), high


class SignalJoint:
    """DEVICE to LOOP: percent of span onto the wires. Hops in series do not change a current."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Signal in mA or V at percent."""
        low, high = self._span(p)
        return low + x / 100.0 * (high - low)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Percent at a signal."""
        low, high = self._span(p)
        return 100.0 * (y - low) / (high - low)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The signal's span."""
        low, high = (float(a[0]) for a in self._span(p))
        unit = ModeTable.UNITS[int(_UNIT[p.code("signal")[0]])]
        source = f"the device's output, {p.text('signal')} ({_STANDARD[unit]})"
        if not forward:
            return Working(
                "percent = 100 · (signal − low) / (high − low)",
                f"100 · ({shown(y, 4)} − {shown(low, 0)}) / ({shown(high, 0)} − {shown(low, 0)}) = {shown(x, 3)} %",
                source,
            )
        return Working(
            "signal = low + percent / 100 · (high − low)",
            f"{shown(low, 0)} + {shown(x, 3)} / 100 · ({shown(high, 0)} − {shown(low, 0)}) = {shown(y, 4)} {unit}",
            source,
        )

    @staticmethod
    def _span(p: PathRows) -> tuple[Floats, Floats]:
        code = p.code("signal")
        return _LOW[code], _HIGH[code]


class InputJoint:
    """LOOP to INPUT: what the electronics see. A current makes a voltage over the burden."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Volts at the input; NaN where the mode takes another kind of signal."""
        return np.where(fits(p), x * self._volts_per_unit(p), np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The signal that makes these volts."""
        return np.where(fits(p), y / self._volts_per_unit(p), np.nan)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Ohm's law over the module's burden, or the voltage as it is."""
        burden = float(p.of_mode("burden_ohm")[0])
        if burden == 0:
            return Working("voltage at the terminals", f"{shown(y, 4)} V", f"mode {p.text('mode')}: high impedance")
        if not forward:
            return Working(
                "I = U / R",
                f"{shown(y, 4)} V / {shown(burden, 0)} Ω · 1000 = {shown(x, 4)} mA",
                f"burden of the module in mode {p.text('mode')}",
            )
        return Working(
            "U = I · R",
            f"{shown(x, 4)} mA · {shown(burden, 0)} Ω / 1000 = {shown(y, 4)} V",
            f"burden of the module in mode {p.text('mode')}",
        )

    @staticmethod
    def _volts_per_unit(p: PathRows) -> Floats:
        burden = p.of_mode("burden_ohm")
        return np.where(burden > 0, burden / 1000.0, 1.0)


class ConverterJoint:
    """INPUT to COUNTS: an affine span, rounded to whole counts and stopped at the converter's limits."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Whole counts at what the input sees."""
        return np.clip(np.rint(self.unrounded(p, x)), p.of_mode("least"), p.of_mode("most"))

    def unrounded(self, p: PathRows, x: Floats) -> Floats:
        """Counts before rounding and limits."""
        low, high = self.seen_span(p)
        c0, c1 = p.of_mode("counts_low"), p.of_mode("counts_high")
        return c0 + (x - low) / (high - low) * (c1 - c0)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """What the input sees at a count; y need not be whole."""
        low, high = self.seen_span(p)
        c0, c1 = p.of_mode("counts_low"), p.of_mode("counts_high")
        return low + (y - c0) / (c1 - c0) * (high - low)

    def seen_span(self, p: PathRows) -> tuple[Floats, Floats]:
        """The mode's signal span in the unit of the INPUT station."""
        burden = p.of_mode("burden_ohm")
        volts = np.where(burden > 0, burden / 1000.0, 1.0)
        return p.of_mode("signal_low") * volts, p.of_mode("signal_high") * volts

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The converter's span and limits."""
        low, high = (float(a[0]) for a in self.seen_span(p))
        c0, c1, least, most = (float(p.of_mode(c)[0]) for c in ("counts_low", "counts_high", "least", "most"))
        source = (
            f"module type, mode {p.text('mode')}: {shown(c0, 0)} … {shown(c1, 0)} counts,"
            f" stops at {shown(least, 0)} and {shown(most, 0)}"
        )
        if not forward:
            return Working(
                "input = low + (count − c₀) / (c₁ − c₀) · (high − low)",
                f"{shown(low, 3)} + ({counts_text(y)} − {shown(c0, 0)}) / ({shown(c1, 0)} − {shown(c0, 0)})"
                f" · ({shown(high, 3)} − {shown(low, 3)}) = {shown(x, 5)} V",
                source,
            )
        exact = float(self.unrounded(p, np.array([x]))[0])
        figures = (
            f"{shown(c0, 0)} + ({shown(x, 5)} − {shown(low, 3)}) / ({shown(high, 3)} − {shown(low, 3)})"
            f" · ({shown(c1, 0)} − {shown(c0, 0)}) = {counts_text(round(exact, 3))}"
        )
        if not least <= exact <= most:
            figures += f", stopped at {shown(min(max(exact, least), most), 0)}"
        return Working(
            "count = c₀ + (input − low) / (high − low) · (c₁ − c₀), rounded",
            figures,
            source,
        )


def fits(p: PathRows) -> NDArray[np.bool_]:
    """Whether the channel's mode takes the device's kind of signal, current or voltage."""
    return np.asarray((p.mode_family == Family.LINEAR) & (p.of_mode("unit") == _UNIT[p.code("signal")]), dtype=bool)


def _reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
    """Judged by what the count says, not by what is on the wires: the controller knows no more than that."""
    out = mode_reasons(p, Family.LINEAR)
    mark(out, p.has_mode & ~fits(p), Reason.MODE_MISFIT)
    counts = stations[4]
    code = p.code("signal")
    seen = InputJoint().backward(p, ConverterJoint().backward(p, counts))
    current = np.where(_UNIT[code] == _MA, seen, np.nan)
    with np.errstate(invalid="ignore"):
        at_least, at_most = counts <= p.of_mode("least"), counts >= p.of_mode("most")
        out |= signal_reasons(current, _LIVE_ZERO[code], at_least, at_most, p.conventions.namur)
    mark(out, ~np.isnan(counts) & np.isnan(stations[5]), Reason.NOT_SCALED)
    return out


def _describe(p: PathRows) -> tuple[StationWords, ...]:
    low, high = float(p.number("device_low")[0]), float(p.number("device_high")[0])
    unit = ModeTable.UNITS[int(_UNIT[p.code("signal")[0]])]
    burden = float(p.of_mode("burden_ohm")[0])
    least, most = float(p.of_mode("least")[0]), float(p.of_mode("most")[0])
    conventions = p.conventions
    root = p.text("device_law") == "square root"
    device = [p.text("signal") + (", square root" if root else "")]
    if not np.isnan(low + high):
        device.append(f"{p.text('device_low')} … {p.text('device_high')} {p.text('device_unit')}")
    if p.text("acting") == "reverse":
        device.append("reverse acting")
    loop = [f"{p.text('wires')} wires" if p.text("wires") else "", _fed(p.text("supply"))]
    if unit == "mA" and p.text("supply") in ("module", "own 24 V"):
        loop.append(f"{shown(conventions.least_supply_v, 1)} V at least")
    seen = [f"mode {p.text('mode')}" if p.text("mode") else "no mode yet"]
    if burden > 0:
        seen.append(f"{shown(burden, 0)} Ω inside")
    counts = [] if np.isnan(least) else [f"stops at {shown(least, 0)}", f"and at {shown(most, 0)}"]
    return (
        StationWords(p.text("device_unit"), decimals_for(high - low), (p.text("service"),)),
        StationWords("%", 2, tuple(device)),
        StationWords(unit, 3, tuple(line for line in loop if line)),
        StationWords("V", 4 if burden > 0 else 3, tuple(seen)),
        StationWords("", 0, tuple(counts)),
        value_words(p),
    )


def value_words(p: PathRows) -> StationWords:
    """The VALUE station of a scaled point."""
    v0, v1 = float(p.number("value_low")[0]), float(p.number("value_high")[0])
    typed = p.number("value_decimals")[0]
    decimals = decimals_for(v1 - v0) if np.isnan(typed) else int(typed)
    unit = p.text("value_unit")
    if np.isnan(v0 + v1):
        return StationWords(unit, decimals, ("not scaled yet",))
    law = p.text("value_law")
    lines = (
        f"scaled {p.text('value_low')} … {p.text('value_high')} {unit}".rstrip(),
        law if law and law != "straight line" else "",
    )
    return StationWords(unit, decimals, tuple(line for line in lines if line))


def _fed(supply: str) -> str:
    return {"": "", "none": "no supply"}.get(
        supply, f"fed by {'its ' if supply.startswith('own') else 'the '}{supply}"
    )


def _limits(p: PathRows) -> tuple[str, str]:
    if not fits(p)[0]:
        return "", ""
    unit = ModeTable.UNITS[int(_UNIT[p.code("signal")[0]])]
    ends = (InputJoint().backward(p, ConverterJoint().backward(p, p.of_mode(end)))[0] for end in ("least", "most"))
    low, high = (f"{shown(float(end), 2)} {unit}" for end in ends)
    return low, high


CHAIN = Chain(
    (DeviceJoint(), SignalJoint(), InputJoint(), ConverterJoint(), TwoPointScaling()),
    _reasons,
    _describe,
    _limits,
)
