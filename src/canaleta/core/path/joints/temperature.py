"""Temperature elements: a thermocouple with head, extension and cold junction; a resistance with leads and wires.

A module that knows the sensor counts degrees; one that does not counts mV or Ω, and our scaling takes the curve.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.field_table import JUMPERS
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.module_type import DEGREES
from canaleta.core.model.quality import Reason, mark
from canaleta.core.notation.arrays import Bools, Floats, Names
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.joints.base import PathRows, Reasons, mode_reasons, or_zero
from canaleta.core.path.joints.converter import AffineConverter, fault_counts
from canaleta.core.path.joints.scaling import Scaling, junction_degc
from canaleta.core.signals.laws import SENSOR_LAW
from canaleta.core.signals.loops import cable_ohm
from canaleta.core.signals.sensors.elements import degrees, electrical, span_degc
from canaleta.core.signals.sensors.extension import EXTENSIONS
from canaleta.core.signals.sensors.thermocouples import thermocouple
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = [
    "CONVERTER",
    "SCALING",
    "elements",
    "in_degc",
    "lead_apart_ohm",
    "one_lead_ohm",
    "reasons_for",
    "taken_off_ohm",
    "takes",
]

_CURVES = np.array([*(signal.curve for signal in SIGNALS), ""], dtype=object)
_MADE_BY = np.array([*(wire.makes for wire in EXTENSIONS.values()), ""], dtype=object)
_UNIT_CODES = {unit: ModeTable.UNITS.index(unit) for unit in (*DEGREES, "mV", "Ω")}
_PER_DEGC = {"°C": (1.0, 0.0), "°F": (1.8, 32.0), "K": (1.0, 273.15)}


def elements(p: PathRows) -> Names:
    """The element's curve: a thermocouple letter, a resistance curve, \"own\" or \"\"."""
    return np.asarray(_CURVES[p.code("signal")], dtype=object)


def made_by_extension(p: PathRows) -> Names:
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
        element, wire = elements(p), made_by_extension(p)
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
        return np.where(remote, typed, p.ambient_degc)


class CompensationJoint:
    """LOOP to INPUT of a thermocouple: a module that counts degrees adds the junction in mV, by its own curve."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Compensated mV."""
        return np.where(takes(p, Family.THERMOCOUPLE), x + self.compensation_mv(p), np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV at the terminals."""
        return np.where(takes(p, Family.THERMOCOUPLE), y - self.compensation_mv(p), np.nan)

    @staticmethod
    def compensation_mv(p: PathRows) -> Floats:
        return np.nan_to_num(electrical(p.mode_curves(), junction_degc(p)))


def one_lead_ohm(p: PathRows) -> Floats:
    """Resistance of one lead, Ω: as typed, else of its cable's length and section (IEC 60228), at 20 °C where nobody says
    how warm it is; 0 where neither is known."""
    typed, section, warm = p.number("lead_ohm"), p.number("cable_mm2"), p.number("cable_degc")
    both = cable_ohm(
        or_zero(p.number("cable_m")),
        np.where(np.isnan(section), p.conventions.cable_mm2, section),
        np.where(np.isnan(warm), 20.0, warm),
    )
    return np.where(np.isnan(typed), both / 2.0, typed)


def lead_apart_ohm(p: PathRows) -> Floats:
    """How much more one lead has than the other, Ω."""
    return or_zero(p.number("lead_apart_ohm"))


def taken_off_ohm(p: PathRows) -> Floats:
    """Ω that a figure set in the module or the controller takes off for the leads."""
    return or_zero(p.number("lead_taken_ohm"))


class LeadJoint:
    """DEVICE to LOOP of a resistance: both leads of the measuring circuit count."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Ω between the terminals."""
        both = 2.0 * self.lead_ohm(p) + lead_apart_ohm(p)
        out = np.where(p.hit("shorted"), both, x + both)
        out = np.where(p.hit("opened"), np.inf, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Ω of the element."""
        return y - 2.0 * one_lead_ohm(p) - lead_apart_ohm(p)

    @staticmethod
    def lead_ohm(p: PathRows) -> Floats:
        """Resistance of one lead, with what a fault adds."""
        return one_lead_ohm(p) + p.added_lead_ohm


class WireJoint:
    """LOOP to INPUT of a resistance: the leads that the connection takes away again."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Ω the converter works with; infinite where the connection leaves a lead open."""
        out = x - self.taken_away(p) * LeadJoint.lead_ohm(p) - self.apart_taken_away(p) - taken_off_ohm(p)
        return np.where(takes(p, Family.RESISTANCE), np.where(self.left_open(p), np.inf, out), np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Ω between the terminals."""
        out = y + self.taken_away(p) * one_lead_ohm(p) + self.apart_taken_away(p) + taken_off_ohm(p)
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
    def apart_taken_away(p: PathRows) -> Floats:
        """What four wires take away of leads that are not alike, Ω: all of it. Three take one lead for the other, so that
        their difference stays."""
        wires, built = or_zero(p.number("wires")), or_zero(p.of_mode("wires"))
        wires = np.where(wires == 0, np.where(built == 0, 4.0, built), wires)
        four = np.minimum(wires, np.where(built == 0, wires, built)) >= 4
        return np.where(four, lead_apart_ohm(p), 0.0)

    @staticmethod
    def left_open(p: PathRows) -> Bools:
        """Where the jumper that fewer wires need is not there."""
        wires, built = or_zero(p.number("wires")), or_zero(p.of_mode("wires"))
        return np.asarray((wires > 0) & (wires < built) & p.chosen("jumper", "absent"), dtype=bool)


class TemperatureConverter:
    """INPUT to COUNTS: mV or Ω into degrees by the mode's curve, then degrees into counts; or mV and Ω as they
    are."""

    affine = AffineConverter()

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Counts."""
        curves = p.mode_curves()
        counting = curves != ""
        exact = self.affine.unrounded(p, x)
        if counting.any():
            exact = np.where(counting, self.affine.unrounded(p, self._counted_degrees(p, curves, x)), exact)
        counts = self.affine.counts_from(p, exact)
        opened = np.isinf(x) & (x > 0)
        if opened.any():
            told = p.of_mode("open_counts")
            counts = np.where(opened, np.where(np.isnan(told), p.of_mode("most"), told), counts)
        return counts

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """mV or Ω at counts; NaN for a count that tells a fault."""
        figure = self.affine.backward(p, y)
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
        return self.affine.unrounded(p, self._into_unit(p, degc))

    def span_degc(self, p: PathRows) -> tuple[Floats, Floats]:
        """The mode's span in °C."""
        return self.from_unit(p, p.of_mode("signal_low")), self.from_unit(p, p.of_mode("signal_high"))


CONVERTER = TemperatureConverter()


def in_degc(p: PathRows, figure: Floats) -> Floats:
    """Degrees as a mode counts them, in °C."""
    return CONVERTER.from_unit(p, figure)


def takes(p: PathRows, family: Family) -> Bools:
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
    t0, t1 = CONVERTER.span_degc(p)
    counting = p.mode_curves() != ""
    low = np.where(sensor | ~counting, p.of_mode("signal_low"), t0 * factor + offset)
    high = np.where(sensor | ~counting, p.of_mode("signal_high"), t1 * factor + offset)
    raw = ~counting & ~sensor
    empty = np.isnan(p.number("counts_low")) & np.isnan(p.number("counts_high"))
    follows = empty & counting & ~sensor
    v0 = np.where(empty & np.isnan(v0), np.where(raw, np.nan, low), v0)
    v1 = np.where(empty & np.isnan(v1), np.where(raw, np.nan, high), v1)
    c0 = np.where(follows, CONVERTER.counts_at_degc(p, (v0 - offset) / factor), c0)
    c1 = np.where(follows, CONVERTER.counts_at_degc(p, (v1 - offset) / factor), c1)
    affine = AffineConverter()
    c0 = np.where(empty & sensor, affine.unrounded(p, v0), c0)
    c1 = np.where(empty & sensor, affine.unrounded(p, v1), c1)
    return c0, c1, v0, v1


SCALING = Scaling(_derived_counts, _derived_ends)


def reasons_for(family: Family) -> Reasons:
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
