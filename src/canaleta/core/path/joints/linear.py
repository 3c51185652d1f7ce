"""Currents, voltages and whatever else has a straight span: a device with a range, wires, an input, a converter."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.module_type import ModeTable
from canaleta.core.model.quality import Reason, mark, signal_reasons
from canaleta.core.notation.text import shown
from canaleta.core.path.joints.base import (
    Chain,
    Floats,
    PathRows,
    StationWords,
    Working,
    decimals_for,
    mode_reasons,
    or_zero,
)
from canaleta.core.path.joints.scaling import Scaling, counts_text, value_words
from canaleta.core.signals import laws
from canaleta.core.signals.converters import round_counts
from canaleta.core.signals.hops_and_factors import hops_of
from canaleta.core.signals.laws import LAW_NAMES, TABLE_LAWS
from canaleta.core.signals.loops import cable_ohm
from canaleta.core.signals.signal_types import SIGNALS, Family
from canaleta.core.signals.tables import through_tables

__all__ = ["CHAIN", "AffineConverter", "derived_counts", "loop_drop_v", "loop_ohm", "signal_unit"]

_LOW = np.array([s.low for s in SIGNALS] + [np.nan])
_HIGH = np.array([s.high for s in SIGNALS] + [np.nan])
_OWN_SPAN = np.array([s.own_span for s in SIGNALS] + [False])
_LIVE_ZERO = np.array([s.live_zero for s in SIGNALS] + [False])
_UNIT = np.array([ModeTable.UNITS.index(s.unit) for s in SIGNALS] + [-1])
_STANDARD = {"mA": "IEC 60381-1", "V": "IEC 60381-2"}
_MA, _V, _MV, _OHM, _BRIDGE = (ModeTable.UNITS.index(unit) for unit in ("mA", "V", "mV", "Ω", "mV/V"))
_RAW = (Family.RESISTANCE, Family.THERMOCOUPLE)


def signal_unit(p: PathRows) -> str:
    """The unit of the first row's signal on the wires."""
    return ModeTable.UNITS[int(_UNIT[p.code("signal")[0]])]


def signal_span(p: PathRows) -> tuple[Floats, Floats]:
    """Ends of each signal's span in its unit; the point's own where the signal has none of its own."""
    return p.once("signal span", lambda: _signal_span(p))


def _signal_span(p: PathRows) -> tuple[Floats, Floats]:
    code = p.code("signal")
    low, high = _LOW[code], _HIGH[code]
    own = _OWN_SPAN[code]
    if own.any():
        low, high = np.where(own, p.number("signal_low"), low), np.where(own, p.number("signal_high"), high)
    return low, high


class DeviceJoint:
    """PROCESS to DEVICE: the device's range and its own law, in percent of its output span."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Percent of output at a quantity in the device's unit."""
        low, high = self._range(p)
        codes = p.code("device_law")
        share = laws.cut_off(codes, laws.apply(codes, (x - low) / (high - low)), p.number("device_cutoff"))
        return self._through_tables(p, x, 100.0 * share, forward=True)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The quantity that the device's range implies."""
        low, high = self._range(p)
        straight = low + laws.invert(p.code("device_law"), y / 100.0) * (high - low)
        return self._through_tables(p, y, straight, forward=False)

    @staticmethod
    def _through_tables(p: PathRows, x: Floats, otherwise: Floats, forward: bool) -> Floats:
        codes = p.code("device_law")
        first = LAW_NAMES.index(TABLE_LAWS[0])
        rows = np.flatnonzero(codes >= first)
        if not len(rows):
            return otherwise
        out = otherwise.copy()
        out[rows] = through_tables(p.cells("device_table")[rows].tolist(), codes[rows] > first, x[rows], forward)
        return out

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
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
        if root and y == 0.0 and p.text("device_cutoff"):
            source += f"; below {p.text('device_cutoff')} % of output the device gives none"
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
    """DEVICE to LOOP: percent of span onto the wires. Hops do not change a current while the supply drives it."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Signal on the wires, in its unit, at percent."""
        low, high = signal_span(p)
        wanted = low + x / 100.0 * (high - low)
        current = _UNIT[p.code("signal")] == _MA
        signal = np.where(current, np.minimum(wanted, np.maximum(greatest_ma(p), 0.0)), wanted)
        return self._upset(p, signal, current)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Percent at a signal."""
        low, high = signal_span(p)
        return 100.0 * (y - low) / (high - low)

    @staticmethod
    def _upset(p: PathRows, signal: Floats, current: NDArray[np.bool_]) -> Floats:
        """Faults between the device and the terminals."""
        fed = ~p.chosen("supply", "own 24 V") & current
        # A loop-powered device is a diode the wrong way round; an active one drives its current backwards.
        out = np.where(p.hit("reversed"), np.where(fed, 0.0, -signal), signal)
        # A short over a two-wire device leaves only the loop's resistance; over an active one, nothing arrives.
        out = np.where(p.hit("shorted"), np.where(fed, greatest_ma(p, lift_off=False), 0.0), out)
        out = np.where(p.hit("opened"), 0.0, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
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


def loop_ohm(p: PathRows, with_cable: bool = True) -> Floats:
    """Everything a current meets between supply and return, Ω: burden or shunt, hops and the cable at its hottest."""
    burden = p.of_mode("burden_ohm")
    seen = np.where(np.nan_to_num(burden) > 0, burden, or_zero(p.number("shunt_ohm"))) * p.resistor_factor
    out = seen + 2.0 * p.added_lead_ohm + _of_hops(p, "ohm")
    if not with_cable:
        return out
    section, hottest = p.number("cable_mm2"), p.number("cable_degc")
    c = p.conventions
    return out + cable_ohm(
        or_zero(p.number("cable_m")),
        np.where(np.isnan(section), c.cable_mm2, section),
        np.where(np.isnan(hottest), c.hottest_cable_degc, hottest),
    )


def loop_drop_v(p: PathRows) -> Floats:
    """Fixed drops of the hops, V."""
    return _of_hops(p, "drop_v")


def _of_hops(p: PathRows, what: str) -> Floats:
    if not p.any_text("hops"):
        return np.zeros(len(p))
    texts = p.cells("hops")
    return np.array([sum(getattr(h, what) for h in hops_of(t)) if t else 0.0 for t in texts], dtype=np.float64)


def greatest_ma(p: PathRows, lift_off: bool = True) -> Floats:
    """The greatest current the supply drives through the loop, mA; infinite where nothing resists."""
    return p.once(f"greatest mA {lift_off}", lambda: _greatest_ma(p, lift_off))


def _greatest_ma(p: PathRows, lift_off: bool) -> Floats:
    least = or_zero(p.number("lift_off_v")) if lift_off else 0.0
    with np.errstate(divide="ignore", invalid="ignore"):
        out = (p.supply_v - loop_drop_v(p) - least) / loop_ohm(p) * 1000.0
    return np.where(np.isnan(out), np.inf, out)


class InputJoint:
    """LOOP to INPUT: what the electronics see. A current makes a voltage over the burden or a shunt."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """What the input sees; NaN where the mode takes another kind of signal."""
        return x * self.gain(p, p.resistor_factor)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The signal that the module takes this for."""
        return y / self.gain(p, 1.0)

    @classmethod
    def gain(cls, p: PathRows, resistor: Floats | float) -> Floats:
        """Units of INPUT for one unit of LOOP; NaN where the mode cannot take the signal.

        resistor: factor on the burden or the shunt, for one that is off its value.
        """
        if isinstance(resistor, float) or p.upset.shunt_factor is None:
            return p.once("gain", lambda: cls._gain(p, 1.0))
        return cls._gain(p, resistor)

    @staticmethod
    def _gain(p: PathRows, resistor: Floats | float) -> Floats:
        signal, mode = _UNIT[p.code("signal")], p.of_mode("unit")
        family = p.mode_family
        straight = (family == Family.LINEAR) | (np.isin(family, _RAW) & (p.mode_curves() == ""))
        burden = p.of_mode("burden_ohm")
        shunt = _shunt_seen(p) * resistor
        excitation, full = p.number("excitation_v"), signal_span(p)[1]
        out = np.where(signal == mode, 1.0, np.nan)
        out = np.where((signal == mode) & (mode == _MA) & (burden > 0), burden * resistor / 1000.0, out)
        # One line a pair of units: what is on the wires, what the mode measures, and what links them.
        with np.errstate(divide="ignore", invalid="ignore"):
            links: tuple[tuple[int, int, Floats | float], ...] = (
                (_MA, _V, shunt / 1000.0),
                (_MA, _MV, shunt),
                (_V, _MV, 1000.0),
                (_MV, _V, 0.001),
                (_BRIDGE, _MV, excitation),
                (_BRIDGE, _V, excitation / 1000.0),
                (_OHM, _V, excitation / full),
                (_OHM, _MV, 1000.0 * excitation / full),
            )
        for of, into, factor in links:
            out = np.where((signal == of) & (mode == into), factor, out)
        return np.where(straight & p.has_mode, out, np.nan)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """Ohm's law over the burden or the shunt, the excitation, or the signal as it is."""
        unit, seen = signal_unit(p), input_unit(p)
        gain = float(self.gain(p, p.resistor_factor if forward else 1.0)[0])
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


def _shunt_seen(p: PathRows) -> Floats:
    """The shunt with the input's own resistance beside it, Ω."""
    shunt, beside = p.number("shunt_ohm"), or_zero(p.of_mode("input_ohm"))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(beside > 0, shunt * beside / (shunt + beside), shunt)


def input_unit(p: PathRows) -> str:
    """The unit of INPUT for the first row: V over a burden, else the mode's own."""
    code = p.of_mode("unit")[0]
    if np.isnan(code):
        return signal_unit(p)
    unit = ModeTable.UNITS[int(code)]
    return "V" if unit == "mA" and float(p.of_mode("burden_ohm")[0]) > 0 else unit


class AffineConverter:
    """INPUT to COUNTS: an affine span, rounded as the converter rounds and stopped at its limits."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Counts at what the input sees."""
        return self.counts_from(p, self.unrounded(p, x))

    def counts_from(self, p: PathRows, exact: Floats) -> Floats:
        """Counts as the word says them, from exact ones: rounded, stopped, or the count that tells a fault."""
        least, most = p.of_mode("least"), p.of_mode("most")
        rounding = or_zero(p.of_mode("rounding")).astype(np.int8)
        out = round_counts(exact, rounding, np.nan_to_num(p.of_mode("step"), nan=1.0), p.of_mode("counts_low"))
        low, high = out < least, out > most
        out = np.clip(out, least, most)
        for where, name in ((low, "under_counts"), (high, "over_counts")):
            if where.any():
                told = p.of_mode(name)
                out = np.where(where & ~np.isnan(told), told, out)
        for fault, name in (("opened", "open_counts"), ("shorted", "short_counts")):
            if p.hit(fault).any():
                told = p.of_mode(name)
                out = np.where(p.hit(fault) & ~np.isnan(told), told, out)
        return out

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
        return p.once("seen span", lambda: self._seen_span(p))

    @staticmethod
    def _seen_span(p: PathRows) -> tuple[Floats, Floats]:
        burden = p.of_mode("burden_ohm")
        volts = np.where((burden > 0) & (p.of_mode("unit") == _MA), burden / 1000.0, 1.0)
        volts = np.where(p.mode_flag("follows_supply"), volts * p.supply_v / NOMINAL_SUPPLY_V, volts)
        return p.of_mode("signal_low") * volts, p.of_mode("signal_high") * volts

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The converter's span and limits."""
        low, high = (float(a[0]) for a in self.seen_span(p))
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
        exact = float(self.unrounded(p, np.array([x]))[0])
        figures = (
            f"{shown(c0, 0)} + ({shown(x, 5)} − {shown(low, 3)}) / ({shown(high, 3)} − {shown(low, 3)})"
            f" · ({shown(c1, 0)} − {shown(c0, 0)}) = {counts_text(round(exact, 3))}"
        )
        if not least <= exact <= most:
            figures += f", the word says {shown(y, 0)}"
        return Working("count = c₀ + (input − low) / (high − low) · (c₁ − c₀), rounded", figures, source)


NOMINAL_SUPPLY_V = 24.0
"""The supply that spans and levels of a module that follows its supply are stated for."""


def plain_or(number: float) -> str:
    """A whole number without decimals, any other with two."""
    return shown(number, _whole(number))


def _whole(number: float) -> int:
    return 0 if number == round(number) else 3


def derived_counts(p: PathRows) -> tuple[Floats, Floats]:
    """The counts that the ends of the signal make in this mode, unrounded: what an empty end point follows."""
    return p.once("derived counts", lambda: _derived_counts(p))


def _derived_counts(p: PathRows) -> tuple[Floats, Floats]:
    low, high = signal_span(p)
    gain = InputJoint.gain(p, 1.0)
    convert = AffineConverter().unrounded
    return convert(p, low * gain), convert(p, high * gain)


_SCALING = Scaling(derived_counts)


def fits(p: PathRows) -> NDArray[np.bool_]:
    """Whether the channel's mode can take the device's signal."""
    return ~np.isnan(InputJoint.gain(p, 1.0))


def _reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
    """Judged by what the count says, not by what is on the wires: the controller knows no more than that."""
    out = mode_reasons(p, fits(p))
    counts = stations[4]
    code = p.code("signal")
    seen = InputJoint().backward(p, AffineConverter().backward(p, counts))
    low_end, high_end = signal_span(p)
    # A live zero in volts fails at the same shares of its span as one in milliampere.
    to_ma = np.where(_UNIT[code] == _MA, 1.0, 16.0 / (high_end - low_end))
    current = np.where(_UNIT[code] == _MA, seen, 4.0 + (seen - low_end) * to_ma)
    with np.errstate(invalid="ignore", divide="ignore"):
        # An output stops where it is told to: nothing lies beyond that could not be told apart.
        given = p.mode_flag("outputs")
        at_least, at_most = (counts <= p.of_mode("least")) & ~given, (counts >= p.of_mode("most")) & ~given
        low, high = AffineConverter().seen_span(p)
        per_count = (high - low) / (p.of_mode("counts_high") - p.of_mode("counts_low")) / InputJoint.gain(p, 1.0)
        per_count = np.where(p.of_mode("rounding") == ModeTable.ROUNDINGS.index("none"), 0.0, per_count)
        per_count = np.abs(per_count * np.maximum(p.of_mode("step"), 1e-12))
        # A dead zero that the count stops at is the signal's own end, not one of the module's.
        at_least &= _LIVE_ZERO[code] | (np.abs(seen - low_end) > per_count)
        told = fault_counts(p, counts, out)
        out |= signal_reasons(
            np.where(told, np.nan, current), _LIVE_ZERO[code], at_least & ~told, at_most & ~told,
            p.conventions.namur, per_count * to_ma,
        )  # fmt: skip
        starved = (_UNIT[code] == _MA) & (stations[2] >= greatest_ma(p) - 1e-9) & ~np.isnan(stations[1])
        mark(out, starved & ~p.hit("shorted") & (stations[2] < 25.0), Reason.STARVED_LOOP)
    mark(out, ~np.isnan(counts) & np.isnan(stations[5]), Reason.NOT_SCALED)
    return out


def fault_counts(p: PathRows, counts: Floats, reasons: NDArray[np.uint32]) -> NDArray[np.bool_]:
    """Mark the faults that a count of their own tells. Returns where the count told one."""
    told = np.zeros(len(p), dtype=bool)
    for name, reason in (
        ("open_counts", Reason.OPEN_CIRCUIT),
        ("short_counts", Reason.SHORT_CIRCUIT),
        ("under_counts", Reason.AT_LIMIT_LOW),
        ("over_counts", Reason.AT_LIMIT_HIGH),
    ):
        hit = (counts == p.of_mode(name)) & ~told
        mark(reasons, hit, reason)
        told |= hit
    return told


def _describe(p: PathRows) -> tuple[StationWords, ...]:
    low, high = float(p.number("device_low")[0]), float(p.number("device_high")[0])
    unit = signal_unit(p)
    burden = float(p.of_mode("burden_ohm")[0])
    law = p.text("device_law")
    device = [p.text("signal") + (f", {law}" if law not in ("", "straight line") else "")]
    if not np.isnan(low + high):
        device.append(" ".join((f"{p.text('device_low')} … {p.text('device_high')}", p.text("device_unit"))))
    if p.text("acting") == "reverse":
        device.append("reverse acting")
    if _OWN_SPAN[p.code("signal")[0]]:
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
    said = {"": "", "none": "no supply", "own 24 V": "fed by its own 24 V"}
    return said.get(supply, f"fed by the {supply}")


def _limits(p: PathRows) -> tuple[str, str]:
    if not fits(p)[0]:
        return "", ""
    unit = signal_unit(p)
    ends = (InputJoint().backward(p, AffineConverter().backward(p, p.of_mode(end)))[0] for end in ("least", "most"))
    low, high = (f"{shown(float(end), 2)} {unit}" for end in ends)
    return low, high


CHAIN = Chain(
    (DeviceJoint(), SignalJoint(), InputJoint(), AffineConverter(), _SCALING),
    _reasons,
    _describe,
    _limits,
)
