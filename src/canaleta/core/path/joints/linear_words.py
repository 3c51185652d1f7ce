"""The sentences of a path through currents and voltages: workings, and the words under each figure."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.mode_table import ModeTable
from canaleta.core.notation.text import shown
from canaleta.core.path.joints.base import (
    PathRows,
    StationWords,
    Working,
    decimals_for,
)
from canaleta.core.path.joints.converter import AffineConverter
from canaleta.core.path.joints.linear import (
    OWN_SPAN,
    DeviceJoint,
    InputJoint,
    SignalJoint,
    fits,
    input_unit,
    loop_ohm,
    signal_span,
    signal_unit,
)
from canaleta.core.path.joints.scaling_words import counts_text, cut_off_words, value_words
from canaleta.core.signals.laws import TABLE_LAWS

_STANDARD = {"mA": "IEC 60381-1", "V": "IEC 60381-2"}


def device_working(joint: DeviceJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The device's range as the list has it."""
    low, high, unit = p.text("device_low"), p.text("device_high"), p.text("device_unit")
    law = p.text("device_law")
    root = "√" if law == "square root" else ""
    source = f"device range {low} … {high} {unit} as typed in the list"
    if law in TABLE_LAWS:
        return Working(
            "percent from the device's table",
            f"{shown(x, 3)} {unit} ↔ {shown(y, 3)} %",
            f"the table as typed: {p.text('device_table')[:120]}; {'monotone cubic' if law != 'table' else 'straight'} between its points",
        )
    if not forward:
        square = "(percent / 100)²" if root else "percent / 100"
        share = f"({shown(y, 3)} / 100)²" if root else f"{shown(y, 3)} / 100"
        return Working(
            f"quantity = LRV + {square} · (URV − LRV)",
            f"{low} + {share} · ({high} − {low}) = {shown(x, 3)} {unit}",
            source + "; implied by the device's range, not measured",
        )
    if root and y == 0.0 and (cut := cut_off_words(p, "device")):
        source += f"; below {cut} the device gives none"
    return Working(
        f"percent = 100 · {root}[(quantity − LRV) / (URV − LRV)]",
        f"100 · {root}[({shown(x, 3)} − {low}) / ({high} − {low})] = {shown(y, 3)} %",
        source,
    )


def signal_working(joint: SignalJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The signal's span."""
    low, high = (float(a[0]) for a in signal_span(p))
    unit = signal_unit(p)
    low_text, high_text = (shown(end, _whole(end)) for end in (low, high))
    standard = f" ({_STANDARD[unit]})" if unit in _STANDARD else ""
    source = f"the device's output, {p.text('signal')}{standard}"
    if not forward:
        return Working(
            "percent = 100 · (signal − low) / (high − low)",
            f"100 · ({shown(y, 4)} − {low_text}) / ({high_text} − {low_text}) = {shown(x, 3)} %",
            source,
        )
    figures = f"{low_text} + {shown(x, 3)} / 100 · ({high_text} − {low_text}) = {shown(y, 4)} {unit}"
    wanted = low + x / 100.0 * (high - low)
    if unit == "mA" and y < wanted - 1e-9:
        figures = f"{shown(wanted, 4)} mA wanted; the loop lets {shown(y, 4)} mA through"
        source += (
            f"; {shown(float(p.supply_v[0]), 1)} V over {shown(float(loop_ohm(p)[0]), 1)} Ω"
            f" with {p.text('lift_off_v') or '0'} V lift-off"
        )
    return Working("signal = low + percent / 100 · (high − low)", figures, source)


def input_working(joint: InputJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """Ohm's law over the burden or the shunt, the excitation, or the signal as it is."""
    unit, seen = signal_unit(p), input_unit(p)
    gain = float(joint.gain(p, p.resistor_factor if forward else 1.0)[0])
    mode = p.text("mode")
    if unit == seen and gain == 1.0:
        return Working("what stands at the terminals", f"{shown(y, 4)} {seen}", f"mode {mode}: taken as it is")
    if unit == "mA":
        ohm = gain * (1000.0 if seen == "V" else 1.0)
        source = f"burden of the module in mode {mode}"
        if float(p.of_mode("burden_ohm")[0]) == 0:
            source = f"shunt {p.text('shunt_ohm')} Ω as typed"
            parallel = float(p.of_mode("input_ohm")[0])
            if parallel > 0:
                source += f", with the input's {shown(parallel, 0)} Ω beside it"
        divisor = " / 1000" if seen == "V" else ""
        decimals = 0 if abs(ohm - round(ohm)) < 1e-9 else 4
        if not forward:
            return Working(
                "I = U / R",
                f"{shown(y, 4)} {seen} / {shown(ohm, decimals)} Ω{' · 1000' if seen == 'V' else ''} = {shown(x, 4)} mA",
                source,
            )
        return Working(
            "U = I · R", f"{shown(x, 4)} mA · {shown(ohm, decimals)} Ω{divisor} = {shown(y, 4)} {seen}", source
        )
    source = f"excitation {p.text('excitation_v')} V as typed" if unit in ("mV/V", "Ω") else f"mode {mode}"
    return Working("input = signal · gain", f"{shown(x, 4)} {unit} ↔ {shown(y, 4)} {seen}", source)


def converter_working(joint: AffineConverter, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The converter's span and limits."""
    low, high = (float(a[0]) for a in joint.seen_span(p))
    c0, c1, least, most = (float(p.of_mode(c)[0]) for c in ("counts_low", "counts_high", "least", "most"))
    source = (
        f"module type, mode {p.text('mode')}: {shown(c0, 0)} … {shown(c1, 0)} counts,"
        f" stops at {shown(least, 0)} and {shown(most, 0)}"
    )
    step = float(p.of_mode("step")[0])
    if step > 1:
        source += f", moves by {plain_or(step)}"
    if not forward:
        return Working(
            "input = low + (count − c₀) / (c₁ − c₀) · (high − low)",
            f"{shown(low, 3)} + ({counts_text(y)} − {shown(c0, 0)}) / ({shown(c1, 0)} − {shown(c0, 0)})"
            f" · ({shown(high, 3)} − {shown(low, 3)}) = {shown(x, 5)} {input_unit(p)}",
            source,
        )
    said = joint.unrounded(p, np.array([x]))
    exact = float(p.as_counted(said)[0])
    figures = (
        f"{shown(c0, 0)} + ({shown(x, 5)} − {shown(low, 3)}) / ({shown(high, 3)} − {shown(low, 3)})"
        f" · ({shown(c1, 0)} − {shown(c0, 0)}) = {counts_text(round(float(said[0]), 3))}"
    )
    if exact != said[0]:
        figures += f"; this channel was found to give {counts_text(round(exact, 3))} there"
    if not least <= exact <= most:
        figures += f", the word says {shown(y, 0)}"
    return Working("count = c₀ + (input − low) / (high − low) · (c₁ − c₀), rounded", figures, source)


def plain_or(number: float) -> str:
    """A whole number without decimals, any other with two."""
    return shown(number, _whole(number))


def _whole(number: float) -> int:
    return 0 if number == round(number) else 3


def describe(p: PathRows) -> tuple[StationWords, ...]:
    low, high = float(p.number("device_low")[0]), float(p.number("device_high")[0])
    unit = signal_unit(p)
    burden = float(p.of_mode("burden_ohm")[0])
    law = p.text("device_law")
    device = [p.text("signal") + (f", {law}" if law not in ("", "straight line") else "")]
    if not np.isnan(low + high):
        device.append(" ".join((f"{p.text('device_low')} … {p.text('device_high')}", p.text("device_unit"))))
    if p.text("acting") == "reverse":
        device.append("reverse acting")
    if OWN_SPAN[p.code("signal")[0]]:
        device.append(f"{p.text('signal_low') or '?'} … {p.text('signal_high') or '?'} {unit}")
    loop = [f"{p.text('wires')} wires" if p.text("wires") else "", _fed(p)]
    if unit == "mA" and p.text("supply") in ("module", "own 24 V"):
        loop.append(f"{shown(p.conventions.least_supply_v, 1)} V at least")
    if p.text("shunt_ohm"):
        loop.append(f"shunt {p.text('shunt_ohm')} Ω")
    seen = [f"mode {p.text('mode')}" if p.text("mode") else "no mode yet"]
    if burden > 0:
        seen.append(f"{shown(burden, 0)} Ω inside")
    process = (p.text("service"), p.text("device_reference"))
    into = input_unit(p)
    return (
        StationWords(p.text("device_unit"), decimals_for(high - low), tuple(line for line in process if line)),
        StationWords("%", 2, tuple(device)),
        StationWords(unit, {"mA": 3, "V": 3}.get(unit, 2), tuple(line for line in loop if line)),
        StationWords(into, 4 if burden > 0 else 3, tuple(seen)),
        count_words(p),
        value_words(p),
    )


def count_words(p: PathRows) -> StationWords:
    """The COUNTS station: where the word stops, and how it moves."""
    least, most, step = (float(p.of_mode(name)[0]) for name in ("least", "most", "step"))
    if np.isnan(least):
        return StationWords("", 0, ())
    lines = [f"stops at {shown(least, _whole(least))}", f"and at {shown(most, _whole(most))}"]
    if step > 1:
        lines.append(f"moves by {plain_or(step)}")
    decimals = 3 if p.of_mode("rounding")[0] == ModeTable.ROUNDINGS.index("none") else 0
    return StationWords("", decimals, tuple(lines))


def _fed(p: PathRows) -> str:
    """Who drives what stands on the wires, in words."""
    supply = p.text("supply")
    if p.mode_flag("outputs")[0] and supply in ("", "none"):
        return "driven by the output"
    report = {"": "", "none": "no supply", "own 24 V": "fed by its own 24 V"}
    return report.get(supply, f"fed by the {supply}")


def limits(p: PathRows) -> tuple[str, str]:
    """The signals at which the count stops."""
    if not fits(p)[0]:
        return "", ""
    unit = signal_unit(p)
    ends = (InputJoint().backward(p, AffineConverter().backward(p, p.of_mode(end)))[0] for end in ("least", "most"))
    low, high = (f"{shown(float(end), 2)} {unit}" for end in ends)
    return low, high
