"""Temperature elements: a thermocouple with head, extension and cold junction; a resistance with leads and wires.

A module that knows the sensor counts degrees; one that does not counts mV or Ω, and our scaling takes the curve.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.field_table import JUMPERS
from canaleta.core.model.module_type import DEGREES, ModeTable
from canaleta.core.model.quality import Reason, mark
from canaleta.core.notation.text import shown
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.joints.base import (
    Chain,
    Floats,
    PathRows,
    Reasons,
    StationWords,
    Working,
    mode_reasons,
    or_zero,
)
from canaleta.core.path.joints.linear import AffineConverter, count_words, fault_counts
from canaleta.core.path.joints.scaling import Scaling, junction_degc, value_words
from canaleta.core.signals.laws import SENSOR_LAW
from canaleta.core.signals.sensors.elements import degrees, electrical, span_degc
from canaleta.core.signals.sensors.extension import EXTENSIONS
from canaleta.core.signals.sensors.resistance import resistance_curves
from canaleta.core.signals.sensors.thermocouples import SOURCE, thermocouple, thermocouple_letters
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = ["RESISTANCE", "THERMOCOUPLE", "elements", "in_degc", "takes"]

Names = NDArray[np.object_]
_CURVES = np.array([*(signal.curve for signal in SIGNALS), ""], dtype=object)
_MADE_BY = np.array([*(wire.makes for wire in EXTENSIONS.values()), ""], dtype=object)
_UNIT_CODES = {unit: ModeTable.UNITS.index(unit) for unit in (*DEGREES, "mV", "Ω")}
_PER_DEGC = {"°C": (1.0, 0.0), "°F": (1.8, 32.0), "K": (1.0, 273.15)}


def elements(p: PathRows) -> Names:
    """The element's curve: a thermocouple letter, a resistance curve, \"own\" or \"\"."""
    return np.asarray(_CURVES[p.code("signal")], dtype=object)


def _made_by_extension(p: PathRows) -> Names:
    """The letter whose emf each extension wire makes: the element's own where none is named."""
    code = p.code("extension")
    return np.where(code >= 0, _MADE_BY[code], elements(p))


class ElementJoint:
    """PROCESS to DEVICE: mV or Ω of the element at its temperature in °C."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """mV, reference junction at 0 °C, or Ω."""
        return electrical(elements(p), x, p.cells("curve_table"))

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """°C."""
        return degrees(elements(p), y, p.cells("curve_table"))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
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


class JunctionJoint:
    """DEVICE to LOOP of a thermocouple: what head, extension wire and cold junction leave at the terminals."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """mV at the terminals."""
        out = x + self.added_mv(p)
        out = np.where(p.hit("reversed"), -out, out)
        out = np.where(p.hit("shorted"), 0.0, out)
        out = np.where(p.hit("opened"), np.nan, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV of the element."""
        return y - self.added_mv(p)

    @staticmethod
    def added_mv(p: PathRows) -> Floats:
        """What everything behind the element adds: −E_element(head) + E_wire(head) − E_wire(junction)."""
        element, wire = elements(p), _made_by_extension(p)
        at = JunctionJoint.where_copper_begins_degc(p)
        head = p.number("head_degc")
        head = np.where(np.isnan(head), at, head)
        sign = np.where(p.hit("extension_reversed"), -1.0, 1.0)
        same = (element == wire) & (sign > 0)
        plain = -electrical(element, at)
        if same.all():
            return plain
        by_wire = np.nan_to_num(electrical(wire, head)) - np.nan_to_num(electrical(wire, at))
        return np.where(same, plain, -electrical(element, head) + sign * by_wire)

    @staticmethod
    def where_copper_begins_degc(p: PathRows) -> Floats:
        """Temperature of the place where element or extension meets copper: the remote box, or the terminals."""
        typed = p.number("junction_degc")
        remote = p.chosen("junction", "remote sensor") & ~np.isnan(typed)
        return np.where(remote, typed, p.conventions.cabinet_ambient_degc)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The cold junction's share, and that of an extension wire of another kind."""
        element, wire = str(elements(p)[0]), str(_made_by_extension(p)[0])
        at, head = float(self.where_copper_begins_degc(p)[0]), p.number("head_degc")[0]
        where = "remote box" if p.text("junction") == "remote sensor" else "terminals"
        if element == wire or np.isnan(head):
            cold = float(electrical(elements(p), np.array([at]))[0])
            figures = f"{shown(x, 4)} − {shown(cold, 4)} = {shown(y, 4)} mV"
            return Working(
                f"U = E − E_{element}({shown(at, 1)} °C)" if forward else f"E = U + E_{element}({shown(at, 1)} °C)",
                figures if forward else f"{shown(y, 4)} + {shown(cold, 4)} = {shown(x, 4)} mV",
                f"junction at the {where} taken as {shown(at, 1)} °C, "
                + ("as typed" if where == "remote box" else "the cabinet's ambient in the plant's conventions"),
            )
        head_mv = float(electrical(elements(p), np.array([float(head)]))[0])
        wire_mv = [
            float(np.nan_to_num(electrical(np.array([wire], dtype=object), np.array([t])))[0]) for t in (head, at)
        ]
        return Working(
            f"U = E − E_{element}(head) + E_{wire or 'copper'}(head) − E_{wire or 'copper'}(junction)",
            f"{shown(x, 4)} − {shown(head_mv, 4)} + {shown(wire_mv[0], 4)} − {shown(wire_mv[1], 4)} = {shown(y, 4)} mV",
            f"head at {shown(float(head), 1)} °C, junction at {shown(at, 1)} °C, extension wire {p.text('extension')}",
        )


class CompensationJoint:
    """LOOP to INPUT of a thermocouple: a module that counts degrees adds the junction in mV, by its own curve."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Compensated mV."""
        return np.where(takes(p, Family.THERMOCOUPLE), x + self._added(p), np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV at the terminals."""
        return np.where(takes(p, Family.THERMOCOUPLE), y - self._added(p), np.nan)

    @staticmethod
    def _added(p: PathRows) -> Floats:
        return np.nan_to_num(electrical(p.mode_curves(), junction_degc(p)))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Compensation belongs in mV."""
        curve = str(p.mode_curves()[0])
        if not curve:
            return Working("mV as they come", f"{shown(y, 4)} mV", f"mode {p.text('mode')} does not compensate")
        cold, degc = float(self._added(p)[0]), float(junction_degc(p)[0])
        sign, of, is_now = ("+", x, y) if forward else ("−", y, x)
        known = {"remote sensor": "by the remote sensor", "fixed": "the fixed setting"}.get(p.text("junction"), "")
        return Working(
            f"input = U + E_{curve}(junction)" if forward else f"U = input − E_{curve}(junction)",
            f"{shown(of, 4)} {sign} {shown(cold, 4)} = {shown(is_now, 4)} mV",
            f"cold junction taken as {shown(degc, 1)} °C, "
            + (known or "the cabinet's ambient in the plant's conventions"),
        )


class LeadJoint:
    """DEVICE to LOOP of a resistance: both leads of the measuring circuit count."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Ω between the terminals."""
        out = x + 2.0 * self.lead_ohm(p)
        out = np.where(p.hit("shorted"), 2.0 * self.lead_ohm(p), out)
        out = np.where(p.hit("opened"), np.inf, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Ω of the element."""
        return y - 2.0 * or_zero(p.number("lead_ohm"))

    @staticmethod
    def lead_ohm(p: PathRows) -> Floats:
        """Resistance of one lead, with what a fault adds."""
        return or_zero(p.number("lead_ohm")) + p.added_lead_ohm

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Two leads in series with the element."""
        lead = float(self.lead_ohm(p)[0]) if forward else float(or_zero(p.number("lead_ohm"))[0])
        source = f"one lead {shown(lead, 3)} Ω as typed" if lead else "no lead resistance typed"
        if not forward:
            return Working("R = R at the terminals − 2 · lead",
                           f"{shown(y, 4)} − 2 · {shown(lead, 3)} = {shown(x, 4)} Ω", source)  # fmt: skip
        return Working("R at the terminals = R + 2 · lead",
                       f"{shown(x, 4)} + 2 · {shown(lead, 3)} = {shown(y, 4)} Ω", source)  # fmt: skip


class WireJoint:
    """LOOP to INPUT of a resistance: the leads that the connection takes away again."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Ω the converter works with; infinite where the connection leaves a lead open."""
        out = x - self.taken_away(p) * LeadJoint.lead_ohm(p)
        return np.where(takes(p, Family.RESISTANCE), np.where(self.left_open(p), np.inf, out), np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Ω between the terminals."""
        out = y + self.taken_away(p) * or_zero(p.number("lead_ohm"))
        return np.where(takes(p, Family.RESISTANCE), out, np.nan)

    @staticmethod
    def taken_away(p: PathRows) -> Floats:
        """How many leads the connection compensates: 2 with four or three wires, 0 with two.

        Three wires: the input takes one lead for the other, so equal leads vanish. Fewer wires than the input is
        built for: with the jumper at the head all leads are there; at the input those two share one core.
        """
        wires = np.nan_to_num(p.number("wires"), nan=0.0)
        built = or_zero(p.of_mode("wires"))
        wires = np.where(wires == 0, np.where(built == 0, 4, built), wires)
        built = np.where(built == 0, wires, built)
        at_head = p.code("jumper") == JUMPERS.index("at the head")
        own = np.where(np.minimum(wires, built) >= 3, 2.0, 0.0)
        fewer = wires < built
        # Three cores on a four-wire input: one sense line is made at the input, so one lead counts.
        three_on_four = (wires == 3) & (built == 4)
        short_of = np.where(at_head, 2.0, np.where(three_on_four, 1.0, 0.0))
        return np.where(fewer, short_of, own)

    @staticmethod
    def left_open(p: PathRows) -> NDArray[np.bool_]:
        """Where the jumper that fewer wires need is not there."""
        wires, built = or_zero(p.number("wires")), or_zero(p.of_mode("wires"))
        return np.asarray((wires > 0) & (wires < built) & p.chosen("jumper", "absent"), dtype=bool)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Which leads the connection takes away."""
        n = float(self.taken_away(p)[0])
        lead = float(LeadJoint.lead_ohm(p)[0]) if forward else float(or_zero(p.number("lead_ohm"))[0])
        wires, built = p.text("wires") or "as many wires as the input has", int(or_zero(p.of_mode("wires"))[0])
        jumper = f", jumper {p.text('jumper')}" if p.text("jumper") else ""
        source = f"wires: {wires}; the input is built for {built or 'any'}{jumper}"
        if not forward:
            return Working(f"R at the terminals = input + {n:.0f} · lead",
                           f"{shown(y, 4)} + {n:.0f} · {shown(lead, 3)} = {shown(x, 4)} Ω", source)  # fmt: skip
        return Working(f"input = R at the terminals − {n:.0f} · lead",
                       f"{shown(x, 4)} − {n:.0f} · {shown(lead, 3)} = {shown(y, 4)} Ω", source)  # fmt: skip


class TemperatureConverter:
    """INPUT to COUNTS: mV or Ω into degrees by the mode's curve, then degrees into counts; or mV and Ω as they are."""

    _affine = AffineConverter()

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Counts."""
        curves = p.mode_curves()
        counting = curves != ""
        exact = self._affine.unrounded(p, x)
        if counting.any():
            exact = np.where(counting, self._affine.unrounded(p, self._counted_degrees(p, curves, x)), exact)
        counts = self._affine.counts_from(p, exact)
        opened = np.isinf(x) & (x > 0)
        if opened.any():
            told = p.of_mode("open_counts")
            counts = np.where(opened, np.where(np.isnan(told), p.of_mode("most"), told), counts)
        return counts

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV or Ω at counts; NaN for a count that tells a fault."""
        figure = self._affine.backward(p, y)
        for name in ("open_counts", "short_counts", "under_counts", "over_counts"):
            figure = np.where(y == p.of_mode(name), np.nan, figure)
        curves = p.mode_curves()
        if not (curves != "").any():
            return figure
        return np.where(curves != "", electrical(curves, self.from_unit(p, figure)), figure)

    def _counted_degrees(self, p: PathRows, curves: Names, x: Floats) -> Floats:
        """Degrees in the mode's unit; beyond the curve the module goes to the end of what it counts."""
        degc = degrees(curves, x)
        lost = np.isnan(degc) & ~np.isnan(x)
        if lost.any():
            ends = [span_degc(str(name)) for name in curves]
            low, high = np.array(ends, dtype=np.float64).reshape(-1, 2).T
            at_low = np.nan_to_num(electrical(curves, low), nan=-np.inf)
            degc = np.where(lost, np.where(x <= at_low, low - 1e6, high + 1e6), degc)
            known = np.isfinite(low)
            degc = np.where(lost & ~known, np.nan, degc)
        return self._into_unit(p, degc)

    @staticmethod
    def _scale(p: PathRows) -> tuple[Floats, Floats]:
        unit = p.of_mode("unit")
        factor, offset = np.ones(len(p)), np.zeros(len(p))
        for name, (f, o) in _PER_DEGC.items():
            hit = unit == _UNIT_CODES[name]
            factor, offset = np.where(hit, f, factor), np.where(hit, o, offset)
        return factor, offset

    def _into_unit(self, p: PathRows, degc: Floats) -> Floats:
        factor, offset = self._scale(p)
        return degc * factor + offset

    def from_unit(self, p: PathRows, figure: Floats) -> Floats:
        """Degrees as the mode counts them, in °C."""
        factor, offset = self._scale(p)
        return (figure - offset) / factor

    def counts_at_degc(self, p: PathRows, degc: Floats) -> Floats:
        """Exact counts of a mode that counts degrees."""
        return self._affine.unrounded(p, self._into_unit(p, degc))

    def span_degc(self, p: PathRows) -> tuple[Floats, Floats]:
        """The mode's span in °C."""
        return self.from_unit(p, p.of_mode("signal_low")), self.from_unit(p, p.of_mode("signal_high"))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The curve of the mode, then degrees into counts."""
        curve = str(p.mode_curves()[0])
        if not curve:
            return self._affine.working(p, x, y, forward)
        letter = curve in thermocouple_letters()
        symbol, unit = (f"E_{curve}", "mV") if letter else ("R", "Ω")
        figure = float(self._affine.backward(p, np.array([y]))[0])
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


_CONVERTER = TemperatureConverter()


def in_degc(p: PathRows, figure: Floats) -> Floats:
    """Degrees as a mode counts them, in °C."""
    return _CONVERTER.from_unit(p, figure)


def takes(p: PathRows, family: Family) -> NDArray[np.bool_]:
    """Whether the mode takes an element of this family: by a curve of its own, or mV or Ω as they are."""
    raw = _UNIT_CODES["mV" if family == Family.THERMOCOUPLE else "Ω"]
    straight = (p.mode_curves() == "") & (p.of_mode("unit") == raw)
    return np.asarray((p.mode_family == family) | straight, dtype=bool)


def _derived_counts(p: PathRows) -> tuple[Floats, Floats]:
    """Counts at the mode's own span: what an empty scaling follows."""
    return p.of_mode("counts_low"), p.of_mode("counts_high")


def _derived_ends(p: PathRows, ends: tuple[Floats, Floats, Floats, Floats]) -> tuple[Floats, Floats, Floats, Floats]:
    """Ends of a scaling without typed counts: the value is the temperature the module counts.

    With typed values the counts are those that the module has there; without, the span of the mode is taken. A
    scaling by the sensor's curve is in mV or Ω, as the mode counts them.
    """
    c0, c1, v0, v1 = ends
    sensor = p.chosen("value_law", SENSOR_LAW)
    units = p.cells("value_unit")
    pairs = {unit: factor_and_offset("°C", unit or "°C") or (np.nan, np.nan) for unit in set(units)}
    factor, offset = np.array([pairs[unit] for unit in units], dtype=np.float64).reshape(-1, 2).T
    t0, t1 = _CONVERTER.span_degc(p)
    counting = p.mode_curves() != ""
    low = np.where(sensor | ~counting, p.of_mode("signal_low"), t0 * factor + offset)
    high = np.where(sensor | ~counting, p.of_mode("signal_high"), t1 * factor + offset)
    raw = ~counting & ~sensor
    empty = np.isnan(p.number("counts_low")) & np.isnan(p.number("counts_high"))
    follows = empty & counting & ~sensor
    v0 = np.where(empty & np.isnan(v0), np.where(raw, np.nan, low), v0)
    v1 = np.where(empty & np.isnan(v1), np.where(raw, np.nan, high), v1)
    c0 = np.where(follows, _CONVERTER.counts_at_degc(p, (v0 - offset) / factor), c0)
    c1 = np.where(follows, _CONVERTER.counts_at_degc(p, (v1 - offset) / factor), c1)
    affine = AffineConverter()
    c0 = np.where(empty & sensor, affine.unrounded(p, v0), c0)
    c1 = np.where(empty & sensor, affine.unrounded(p, v1), c1)
    return c0, c1, v0, v1


_SCALING = Scaling(_derived_counts, _derived_ends)


def _reasons_for(family: Family) -> Reasons:
    def reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
        out = mode_reasons(p, takes(p, family))
        counts = stations[4]
        told = fault_counts(p, counts, out)
        with np.errstate(invalid="ignore"):
            opened = np.isinf(stations[3]) & (stations[3] > 0)
            beyond = (counts <= p.of_mode("least")) | (counts >= p.of_mode("most"))
        mark(out, opened & ~told, Reason.OPEN_CIRCUIT)
        told |= opened
        mark(out, beyond & ~told, Reason.OUTSIDE_SENSOR)
        for axis in (0, 1):
            mark(out, np.isnan(stations[axis]) & ~np.isnan(counts) & ~told, Reason.OUTSIDE_SENSOR)
        if family == Family.THERMOCOUPLE:
            b = np.flatnonzero(elements(p) == "B")
            if len(b):
                two = np.zeros(len(p), dtype=bool)
                two[b] = ~thermocouple("B").is_unique(stations[1, b]) & ~np.isnan(stations[1, b])
                mark(out, two, Reason.TWO_TEMPERATURES)
        mark(out, ~np.isnan(counts) & np.isnan(stations[5]), Reason.NOT_SCALED)
        return out

    return reasons


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


def _describe_thermocouple(p: PathRows) -> tuple[StationWords, ...]:
    at = shown(float(junction_degc(p)[0]), 1)
    junction = p.text("junction") or "at the terminals"
    head = f"{p.text('extension') or 'extension'} from {p.text('head_degc')} °C" if p.text("head_degc") else ""
    lines = tuple(line for line in ("at the terminals", f"cold junction {at} °C", head) if line)
    if junction != "at the terminals":
        lines = (junction, *lines[1:])
    return _described(p, "mV", lines, "compensated in mV" if p.mode_curves()[0] else "not compensated")


def _describe_resistance(p: PathRows) -> tuple[StationWords, ...]:
    wires, lead = p.text("wires"), p.text("lead_ohm")
    lines = (f"{wires} wires" if wires else "at the terminals", f"one lead {lead} Ω" if lead else "")
    taken = float(WireJoint.taken_away(p)[0])
    counted = 2 - int(taken)
    seen = ("leads taken away" if counted == 0 else f"{counted} lead{'s' * (counted > 1)} counted in") if lead else ""
    return _described(p, "Ω", tuple(line for line in lines if line), seen)


THERMOCOUPLE = Chain(
    (ElementJoint(), JunctionJoint(), CompensationJoint(), _CONVERTER, _SCALING),
    _reasons_for(Family.THERMOCOUPLE),
    _describe_thermocouple,
)
RESISTANCE = Chain(
    (ElementJoint(), LeadJoint(), WireJoint(), _CONVERTER, _SCALING),
    _reasons_for(Family.RESISTANCE),
    _describe_resistance,
)
