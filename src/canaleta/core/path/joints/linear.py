"""Currents, voltages and whatever else has a straight span: a device with a range, wires, an input, a converter."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Reason, mark, signal_reasons
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.joints.base import PathRows, mode_reasons, or_zero
from canaleta.core.path.joints.converter import AffineConverter, fault_counts
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.signals import laws
from canaleta.core.signals.hops_and_factors import hops_of
from canaleta.core.signals.laws import LAW_NAMES, TABLE_LAWS
from canaleta.core.signals.loops import cable_ohm
from canaleta.core.signals.signal_types import SIGNALS, Family
from canaleta.core.signals.tables import through_tables

__all__ = ["SCALING", "derived_counts", "loop_drop_v", "loop_ohm", "reasons", "signal_unit"]

_LOW = np.array([s.low for s in SIGNALS] + [np.nan])
_HIGH = np.array([s.high for s in SIGNALS] + [np.nan])
OWN_SPAN = np.array([s.own_span for s in SIGNALS] + [False])
_LIVE_ZERO = np.array([s.live_zero for s in SIGNALS] + [False])
_UNIT = np.array([ModeTable.UNITS.index(s.unit) for s in SIGNALS] + [-1])
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
    own = OWN_SPAN[code]
    if own.any():
        low, high = np.where(own, p.number("signal_low"), low), np.where(own, p.number("signal_high"), high)
    return low, high


class DeviceJoint:
    """PROCESS to DEVICE: the device's range and its own law, in percent of its output span."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Percent of output at a quantity in the device's unit."""
        low, high = self._range(p)
        codes = p.code("device_law")
        share = laws.cut_off(codes, laws.apply(codes, (x - low) / (high - low)), self.cut_off(p))
        return self._through_tables(p, x, 100.0 * share, forward=True)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The quantity that the device's range implies."""
        low, high = self._range(p)
        straight = low + laws.invert(p.code("device_law"), y / 100.0) * (high - low)
        return self._through_tables(p, y, straight, forward=False)

    def cut_off(self, p: PathRows) -> Floats:
        """The share of the device's output below which it gives none; NaN for no cut-off."""
        low, high = self._range(p)
        figure = p.number("device_cutoff")
        of_range = laws.apply(p.code("device_law"), (figure - low) / (high - low))
        return laws.cut_off_share(figure, p.code("device_cutoff_in"), of_range)

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
    def _upset(p: PathRows, signal: Floats, current: Bools) -> Floats:
        """Faults between the device and the terminals."""
        fed = ~p.chosen("supply", "own 24 V") & current
        # A loop-powered device is a diode the wrong way round; an active one drives its current backwards.
        out = np.where(p.hit("reversed"), np.where(fed, 0.0, -signal), signal)
        # A short over a two-wire device leaves only the loop's resistance; over an active one, nothing arrives.
        out = np.where(p.hit("shorted"), np.where(fed, greatest_ma(p, lift_off=False), 0.0), out)
        out = np.where(p.hit("opened"), 0.0, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)


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
    return _of_hops(p, "drop_v") + np.where(p.chosen("supply", "module"), or_zero(p.of_mode("feed_drop_v")), 0.0)


def loop_supply_v(p: PathRows, plant_v: Floats | float) -> Floats:
    """What drives the loop, V: the terminals that feed it, where the module says what they give, else the plant's supply.
    plant_v: that of the plant, as it is or at least."""
    own = or_zero(p.of_mode("feed_v"))
    return np.where(p.chosen("supply", "module") & (own > 0), own, plant_v)


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
        out = (loop_supply_v(p, p.supply_v) - loop_drop_v(p) - least) / loop_ohm(p) * 1000.0
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


def derived_counts(p: PathRows) -> tuple[Floats, Floats]:
    """The counts that the ends of the signal make in this mode, unrounded: what an empty end point follows."""
    return p.once("derived counts", lambda: _derived_counts(p))


def _derived_counts(p: PathRows) -> tuple[Floats, Floats]:
    low, high = signal_span(p)
    gain = InputJoint.gain(p, 1.0)
    convert = AffineConverter().unrounded
    return convert(p, low * gain), convert(p, high * gain)


SCALING = Scaling(derived_counts)


def fits(p: PathRows) -> Bools:
    """Whether the channel's mode can take the device's signal."""
    return ~np.isnan(InputJoint.gain(p, 1.0))


def reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
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
            np.where(told, np.nan, current),
            _LIVE_ZERO[code],
            at_least & ~told,
            at_most & ~told,
            p.conventions.namur,
            per_count * to_ma,
        )
        starved = (_UNIT[code] == _MA) & (stations[2] >= greatest_ma(p) - 1e-9) & ~np.isnan(stations[1])
        mark(out, starved & ~p.hit("shorted") & (stations[2] < 25.0), Reason.STARVED_LOOP)
    mark(out, ~np.isnan(counts) & np.isnan(stations[5]), Reason.NOT_SCALED)
    return out
