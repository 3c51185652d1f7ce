"""Switches: what acts, whether the circuit closes, what stands at the input, off or on, the bit, the state.

A dry contact or a transistor puts a voltage on the input; a watched switch (NAMUR, end-of-line resistors) draws a
current from it, by which a break and a short can be told from off and on.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Reason, mark
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.discrete import INPUT_TYPES, NAMUR_ACTUATED_MA, NAMUR_FREE_MA, state_of_type
from canaleta.core.path.joints.base import PathRows, mode_reasons, or_zero
from canaleta.core.signals.signal_types import LOADS, SIGNALS, Family

__all__ = ["input_ohm", "reasons"]

CLOSED_AT_REST = np.array([s.closed_at_rest for s in SIGNALS] + [False])
_SWITCH = np.array([s.switch for s in SIGNALS] + [""], dtype=object)
_MA, _V = ModeTable.UNITS.index("mA"), ModeTable.UNITS.index("V")


def switch_kind(p: PathRows) -> NDArray[np.object_]:
    """What closes each circuit: "contact", "PNP", "NAMUR" …"""
    return np.asarray(_SWITCH[p.code("signal")], dtype=object)


def input_ohm(p: PathRows) -> Floats:
    """What a switch meets, Ω: as the module type says, else the most its type of IEC 61131-2 may have."""
    known, kind = or_zero(p.of_mode("input_ohm")), or_zero(p.of_mode("input_type"))
    out = np.where(known > 0, known, np.nan)
    for number, limits in INPUT_TYPES.items():
        out = np.where(np.isnan(out) & (kind == number), limits.greatest_ohm, out)
    return out


def watched(p: PathRows) -> Bools:
    """Where the input measures the current that it feeds."""
    return p.once("contact watched", lambda: _watched(p))


def _watched(p: PathRows) -> Bools:
    return np.asarray(p.of_mode("unit") == _MA, dtype=bool)


def fits(p: PathRows) -> Bools:
    """Whether the mode can take the switch: transistors need a voltage input, watched switches a watching one, and
    what is a load needs an output."""
    return p.once("contact fits", lambda: _fits(p))


def _fits(p: PathRows) -> Bools:
    kind = switch_kind(p)
    bare = (kind == "contact") | (kind == "end-of-line") | (kind == "NAMUR")
    volts = (kind != "NAMUR") & ~watched(p)
    driven = np.isin(kind, LOADS) == p.mode_flag("outputs")
    return np.asarray((p.mode_family == Family.CONTACT) & ((watched(p) & bare) | volts) & driven, dtype=bool)


def current_path(p: PathRows) -> Bools:
    """Whether a current can flow: PNP pulls to +, so the input's common is at 0 V; NPN the other way round."""
    return p.once("contact current_path", lambda: _current_path(p))


def _current_path(p: PathRows) -> Bools:
    kind = switch_kind(p)
    common = or_zero(p.of_mode("common"))
    at_zero, at_plus = (common == ModeTable.COMMONS.index(side) for side in ("0 V", "24 V"))
    return np.asarray(~((kind == "PNP") & at_plus) & ~((kind == "NPN") & at_zero), dtype=bool)


def on_mains(p: PathRows) -> Bools:
    """Where the circuit is on the mains: a contact that is meant for them, or a dry one on such an input."""
    kind = switch_kind(p)
    return np.asarray(
        (kind == "AC contact") | (kind == "AC load") | ((kind == "contact") & p.mode_flag("alternating")), dtype=bool
    )


class ContactJoint:
    """PROCESS to DEVICE: acted upon (1) or at rest (0), to closed (1) or open (0). Its own inverse."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Closed or open."""
        return np.where(CLOSED_AT_REST[p.code("signal")], 1.0 - x, x)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Acted upon or at rest."""
        return self.forward(p, y)


class CircuitJoint:
    """DEVICE to LOOP: what a closed or open circuit puts on the input, in V, or in mA where it is watched."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """V or mA at the terminals."""
        closed = x > 0.5
        whole = np.where(on_mains(p), p.conventions.mains_v, p.supply_v)
        volts = np.where(p.hit("shorted"), whole, self._volts(p, closed))
        volts = np.where(p.hit("opened") | (p.hit("reversed") & (switch_kind(p) != "contact")), 0.0, volts)
        out = np.where(watched(p), self._milliampere(p, closed), volts)
        out = np.where(np.isnan(x), np.nan, out)
        return out if p.upset.noise is None else out + np.nan_to_num(p.upset.noise)

    @staticmethod
    def _volts(p: PathRows, closed: Bools) -> Floats:
        supply = np.where(on_mains(p), p.conventions.mains_v, p.supply_v)
        on = np.maximum(supply - or_zero(p.number("drop_v")), 0.0)
        leaked = or_zero(p.number("leakage_ma")) / 1000.0 * np.nan_to_num(input_ohm(p))
        out = np.where(closed, on, np.minimum(leaked, supply))
        return np.where(current_path(p), out, 0.0)

    @staticmethod
    def _milliampere(p: PathRows, closed: Bools) -> Floats:
        source, inside = p.of_mode("source_v"), p.of_mode("source_ohm")
        kind = switch_kind(p)
        series = np.where(kind == "end-of-line", p.number("series_ohm"), 0.0)
        across = np.where(kind == "end-of-line", p.number("parallel_ohm"), np.inf)
        with np.errstate(divide="ignore", invalid="ignore"):
            shorted = 1000.0 * source / inside
            resistive = 1000.0 * source / (inside + series + np.where(closed, 0.0, across))
        namur = np.where(closed, NAMUR_FREE_MA, NAMUR_ACTUATED_MA)
        out = np.where(kind == "NAMUR", namur, resistive)
        out = np.where(p.hit("shorted"), shorted, out)
        return np.where(p.hit("opened") | (p.hit("reversed") & (kind == "NAMUR")), 0.0, out)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Closed at the level that the input takes for on; NaN between off and on."""
        return _state(p, y)


class LevelJoint:
    """LOOP to INPUT: off, on, or undefined between, in volts and milliampere (IEC 61131-2, IEC 60947-5-6)."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """1 on, 0 off, NaN undefined; a break and a short are off, and told."""
        return _state(p, x)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """What a healthy circuit has in that state."""
        return CircuitJoint().forward(PathRows(p.image, p.rows), y)


class BitJoint:
    """INPUT to COUNTS: the bit as it is."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """0 or 1, NaN where there is no mode."""
        return np.where(p.mode_family == Family.CONTACT, x, np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Off or on."""
        return self.forward(p, y)


class SenseJoint:
    """COUNTS to VALUE: the bit, turned over where the point acts in reverse. Its own inverse."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """0 or 1."""
        state = np.where(p.chosen("acting", "reverse"), 1.0 - x, x)
        return np.where(p.mode_family == Family.CONTACT, state, np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """The bit."""
        return self.forward(p, y)


def switching_levels(p: PathRows) -> tuple[Floats, Floats]:
    share = np.where(p.mode_flag("follows_supply"), p.supply_v / p.of_mode("at_supply_v"), 1.0)
    return p.of_mode("off_below_v") * share, p.of_mode("on_from_v") * share


def _state(p: PathRows, level: Floats) -> Floats:
    out = np.full(level.shape, np.nan)
    off, on = p.once("contact levels", lambda: switching_levels(p))
    kind = or_zero(p.of_mode("input_type"))
    with np.errstate(invalid="ignore", divide="ignore"):
        out[level < off] = 0.0
        out[level >= on] = 1.0
        typed = (kind > 0) & ~watched(p)
        if typed.any():
            out = np.where(typed, state_of_type(kind, level, level / input_ohm(p) * 1000.0), out)
        out[_broken(p, level) | _bridged(p, level)] = 0.0
    return out


def _broken(p: PathRows, level: Floats) -> Bools:
    return np.asarray(level < p.of_mode("break_below"), dtype=bool)


def _bridged(p: PathRows, level: Floats) -> Bools:
    return np.asarray(level >= p.of_mode("short_from"), dtype=bool)


def reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
    kind = switch_kind(p)
    mains = p.mode_flag("alternating")
    # A dry contact switches whatever the input feeds it with; a sensor has a supply of its own kind.
    alternating = (kind == "AC contact") | (kind == "AC load")
    apart = np.where(mains, ~alternating & (kind != "contact"), alternating)
    wrong = p.has_mode & (p.mode_family == Family.CONTACT) & apart
    out = mode_reasons(p, fits(p))
    mark(out, wrong, Reason.WRONG_SUPPLY)
    mark(out, p.has_mode & ~current_path(p), Reason.NO_CURRENT_PATH)
    level = stations[2]
    with np.errstate(invalid="ignore"):
        mark(out, _broken(p, level), Reason.OPEN_CIRCUIT)
        mark(out, _bridged(p, level), Reason.SHORT_CIRCUIT)
    mark(out, fits(p) & ~np.isnan(level) & np.isnan(stations[3]), Reason.UNDEFINED_LEVEL)
    return out
