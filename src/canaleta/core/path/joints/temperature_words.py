"""The sentences of a path through a temperature element: workings, and the words under each figure."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.mode_table import ModeTable
from canaleta.core.notation.text import shown
from canaleta.core.path.joints import linear_words
from canaleta.core.path.joints.base import (
    PathRows,
    StationWords,
    Working,
    or_zero,
)
from canaleta.core.path.joints.linear_words import count_words
from canaleta.core.path.joints.scaling import junction_degc
from canaleta.core.path.joints.scaling_words import value_words
from canaleta.core.path.joints.temperature import (
    CompensationJoint,
    ElementJoint,
    JunctionJoint,
    LeadJoint,
    TemperatureConverter,
    WireJoint,
    elements,
    lead_apart_ohm,
    made_by_extension,
    one_lead_ohm,
    taken_off_ohm,
)
from canaleta.core.signals.sensors.elements import electrical, span_degc
from canaleta.core.signals.sensors.resistance import resistance_curves
from canaleta.core.signals.sensors.thermocouples import SOURCE, thermocouple_letters


def element_working(joint: ElementJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The reference function or the curve."""
    name = str(elements(p)[0])
    if name in thermocouple_letters():
        symbol, unit, source, decimals = f"E_{name}", "mV", SOURCE, 4
        formula = f"E = E_{name}(t), reference junction at 0 °C"
    else:
        symbol, unit, decimals = "R", "Ω", 4
        formula = f"R = R(t) of {p.text('signal')}"
        source = resistance_curves()[name].source if name in resistance_curves() else "the curve as typed"
    if not forward:
        return Working(
            f"t = {symbol}⁻¹, the true inverse",
            f"{symbol}⁻¹({shown(y, decimals)} {unit}) = {shown(x, 2)} °C",
            source,
        )
    return Working(formula, f"{symbol}({shown(x, 2)} °C) = {shown(y, decimals)} {unit}", source)


def junction_working(joint: JunctionJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The cold junction's share, and that of an extension wire of another kind."""
    element, wire = str(elements(p)[0]), str(made_by_extension(p)[0])
    at, head = float(joint.where_copper_begins_degc(p)[0]), p.number("head_degc")[0]
    remote = p.text("junction") == "remote sensor"
    where = "remote box" if remote else "terminals"
    if element == wire or np.isnan(head):
        cold = float(electrical(elements(p), np.array([at]))[0])
        figures = f"{shown(x, 4)} − {shown(cold, 4)} = {shown(y, 4)} mV"
        return Working(
            f"U = E − E_{element}({shown(at, 1)} °C)" if forward else f"E = U + E_{element}({shown(at, 1)} °C)",
            figures if forward else f"{shown(y, 4)} + {shown(cold, 4)} = {shown(x, 4)} mV",
            f"junction at the {where} taken as {shown(at, 1)} °C, "
            + ("as typed" if remote else "the temperature of its cabinet"),
        )
    head_mv = float(electrical(elements(p), np.array([float(head)]))[0])
    wire_mv = [float(np.nan_to_num(electrical(np.array([wire], dtype=object), np.array([t])))[0]) for t in (head, at)]
    return Working(
        f"U = E − E_{element}(head) + E_{wire or 'copper'}(head) − E_{wire or 'copper'}(junction)",
        f"{shown(x, 4)} − {shown(head_mv, 4)} + {shown(wire_mv[0], 4)} − {shown(wire_mv[1], 4)} = {shown(y, 4)} mV",
        f"head at {shown(float(head), 1)} °C, junction at {shown(at, 1)} °C, extension wire {p.text('extension')}",
    )


def compensation_working(joint: CompensationJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """Compensation belongs in mV."""
    curve = str(p.mode_curves()[0])
    if not curve:
        return Working("mV as they come", f"{shown(y, 4)} mV", f"mode {p.text('mode')} does not compensate")
    cold, degc = float(joint.compensation_mv(p)[0]), float(junction_degc(p)[0])
    sign, of, is_now = ("+", x, y) if forward else ("−", y, x)
    known = {"remote sensor": "by the remote sensor", "fixed": "the fixed setting"}.get(p.text("junction"), "")
    return Working(
        f"input = U + E_{curve}(junction)" if forward else f"U = input − E_{curve}(junction)",
        f"{shown(of, 4)} {sign} {shown(cold, 4)} = {shown(is_now, 4)} mV",
        f"cold junction taken as {shown(degc, 1)} °C, " + (known or "the temperature of its cabinet"),
    )


def lead_working(joint: LeadJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """Two leads in series with the element."""
    lead = float(joint.lead_ohm(p)[0]) if forward else float(one_lead_ohm(p)[0])
    said = "as typed" if p.text("lead_ohm") else "by the length and section of its cable"
    source = f"one lead {shown(lead, 3)} Ω {said}" if lead else "no lead resistance typed"
    apart = float(lead_apart_ohm(p)[0])
    more = f" + {shown(apart, 3)}" if apart else ""
    source += f"; one of them has {shown(apart, 3)} Ω more" if apart else ""
    if not forward:
        return Working(
            "R = R at the terminals − 2 · lead",
            f"{shown(y, 4)} − (2 · {shown(lead, 3)}{more}) = {shown(x, 4)} Ω"
            if apart
            else f"{shown(y, 4)} − 2 · {shown(lead, 3)} = {shown(x, 4)} Ω",
            source,
        )
    return Working(
        "R at the terminals = R + 2 · lead", f"{shown(x, 4)} + 2 · {shown(lead, 3)}{more} = {shown(y, 4)} Ω", source
    )


def wire_working(joint: WireJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """Which leads the connection takes away."""
    n = float(joint.taken_away(p)[0])
    lead = float(LeadJoint.lead_ohm(p)[0]) if forward else float(one_lead_ohm(p)[0])
    wires, built = p.text("wires") or "as many wires as the input has", int(or_zero(p.of_mode("wires"))[0])
    jumper = f", jumper {p.text('jumper')}" if p.text("jumper") else ""
    taken = float(taken_off_ohm(p)[0])
    also, figure = (" − what is taken off", f" − {shown(taken, 3)}") if taken else ("", "")
    source = f"wires: {wires}; the input is built for {built or 'any'}{jumper}"
    if not forward:
        return Working(
            f"R at the terminals = input + {n:.0f} · lead{also.replace('−', '+')}",
            f"{shown(y, 4)} + {n:.0f} · {shown(lead, 3)}{figure.replace(' − ', ' + ')} = {shown(x, 4)} Ω",
            source,
        )
    return Working(
        f"input = R at the terminals − {n:.0f} · lead{also}",
        f"{shown(x, 4)} − {n:.0f} · {shown(lead, 3)}{figure} = {shown(y, 4)} Ω",
        source,
    )


def converter_working(joint: TemperatureConverter, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The curve of the mode, then degrees into counts."""
    curve = str(p.mode_curves()[0])
    if not curve:
        return linear_words.converter_working(joint.affine, p, x, y, forward)
    letter = curve in thermocouple_letters()
    symbol, unit = (f"E_{curve}", "mV") if letter else ("R", "Ω")
    figure = float(joint.affine.backward(p, np.array([y]))[0])
    per_degree = float((p.of_mode("counts_high") - p.of_mode("counts_low"))[0]) / float(
        (p.of_mode("signal_high") - p.of_mode("signal_low"))[0]
    )
    degree = ModeTable.UNITS[int(p.of_mode("unit")[0])]
    held = SOURCE if letter else f"{curve}, {resistance_curves()[curve].source}"
    source = f"module type, mode {p.text('mode')}; {held}"
    if not forward:
        return Working(
            f"input = {symbol}(count / {shown(per_degree, 0)})",
            f"{symbol}({shown(y, 0)} / {shown(per_degree, 0)} {degree}) = {shown(x, 4)} {unit}",
            source,
        )
    return Working(
        f"count = t · {shown(per_degree, 0)}, t from {symbol}(t) = input",
        f"{symbol}⁻¹({shown(x, 4)} {unit}) = {shown(figure, 2)} {degree} → {shown(y, 0)}",
        source,
    )


def _described(p: PathRows, unit: str, loop: tuple[str, ...], seen: str) -> tuple[StationWords, ...]:
    name, table = str(elements(p)[0]), p.cells("curve_table")[0]
    low_degc, high_degc = span_degc(name, table)
    low, high, of = p.text("device_low"), p.text("device_high"), p.text("device_unit")
    used = f"used {low} … {high} {of}" if low and high else "no range typed"
    mode = p.text("mode")
    tolerance = f", class {p.text('tolerance_class')}" if p.text("tolerance_class") else ""
    what = f"element type {name}" if unit == "mV" else p.text("signal")
    span = "no curve typed yet" if np.isnan(low_degc) else f"{shown(low_degc, 0)} … {shown(high_degc, 0)} °C"
    return (
        StationWords("°C", 1, (p.text("service"), used)),
        StationWords(unit, 3, (what + tolerance, span)),
        StationWords(unit, 3, loop),
        StationWords(unit, 3, tuple(line for line in (f"mode {mode}" if mode else "no mode yet", seen) if line)),
        count_words(p),
        value_words(p),
    )


def describe_thermocouple(p: PathRows) -> tuple[StationWords, ...]:
    at = shown(float(junction_degc(p)[0]), 1)
    junction = p.text("junction") or "at the terminals"
    head = f"{p.text('extension') or 'extension'} from {p.text('head_degc')} °C" if p.text("head_degc") else ""
    lines = tuple(line for line in ("at the terminals", f"cold junction {at} °C", head) if line)
    if junction != "at the terminals":
        lines = (junction, *lines[1:])
    return _described(p, "mV", lines, "compensated in mV" if p.mode_curves()[0] else "not compensated")


def describe_resistance(p: PathRows) -> tuple[StationWords, ...]:
    wires, of_cable = p.text("wires"), float(one_lead_ohm(p)[0])
    lead = p.text("lead_ohm") or (shown(of_cable, 2) if of_cable else "")
    lines = (f"{wires} wires" if wires else "at the terminals", f"one lead {lead} Ω" if lead else "")
    taken = float(WireJoint.taken_away(p)[0])
    counted = 2 - int(taken)
    seen = ("leads taken away" if counted == 0 else f"{counted} lead{'s' * (counted > 1)} counted in") if lead else ""
    return _described(p, "Ω", tuple(line for line in lines if line), seen)
