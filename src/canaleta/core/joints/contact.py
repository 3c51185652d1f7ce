"""Contacts and transistor outputs: what acts, whether the circuit closes, the level at the input, 0 or 1."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.joints.base import Chain, Floats, PathRows, StationWords, Working, mode_reasons
from canaleta.core.quality import Reason, mark
from canaleta.core.signals import SIGNALS, Family
from canaleta.core.text import shown

__all__ = ["CHAIN"]

_CLOSED_AT_REST = np.array([s.closed_at_rest for s in SIGNALS] + [False])


class ContactJoint:
    """PROCESS to DEVICE: acted upon (1) or at rest (0), to closed (1) or open (0). Its own inverse."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Closed or open."""
        return np.where(_CLOSED_AT_REST[p.code("signal")], 1.0 - x, x)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Acted upon or at rest."""
        return self.forward(p, y)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The contact form is the state on the shelf."""
        rest = "closed" if _CLOSED_AT_REST[p.code("signal")[0]] else "open"
        return Working(
            f"at rest it is {rest}",
            _arrow("acted upon" if x else "at rest", "closed" if y else "open", forward),
            f"{p.text('signal')}: the form is the state on the shelf, without power or process",
        )


class CircuitJoint:
    """DEVICE to LOOP: a closed circuit puts the supply on the input, an open one nothing."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Volts at the terminals."""
        return x * p.conventions.supply_v

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Closed at the level that the input takes for on; NaN between off and on."""
        return _state(p, y)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The supply through the contact."""
        supply = shown(p.conventions.supply_v, 1)
        return Working(
            "U = supply if closed, else 0",
            _arrow("closed" if x else "open", f"{shown(y, 1)} V", forward),
            f"supply {supply} V from the plant's conventions",
        )


class LevelJoint:
    """LOOP to INPUT: off below one level, on from another, undefined between (IEC 61131-2)."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """1 on, 0 off, NaN undefined."""
        return _state(p, x)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Volts that a healthy circuit has in that state."""
        return y * p.conventions.supply_v

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The input's two levels."""
        off, on = float(p.of_mode("off_below_v")[0]), float(p.of_mode("on_from_v")[0])
        state = "between the two: undefined" if np.isnan(y) else "on" if y else "off"
        return Working(
            f"off below {shown(off, 0)} V, on from {shown(on, 0)} V",
            _arrow(f"{shown(x, 1)} V", state, forward),
            f"module type, mode {p.text('mode')} (IEC 61131-2)",
        )


class BitJoint:
    """INPUT to COUNTS, and COUNTS to VALUE: the bit as it is."""

    def __init__(self, formula: str) -> None:
        self._formula = formula

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """0 or 1, NaN where there is no mode."""
        return np.where(p.mode_family == Family.CONTACT, x, np.nan)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """0 or 1."""
        return self.forward(p, y)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """One bit."""
        words = (p.text("text_0") or "0", p.text("text_1") or "1")
        bits = _arrow(shown(x, 0), shown(y, 0), forward)
        return Working(self._formula, bits, f"0 says “{words[0]}”, 1 says “{words[1]}”")


def _arrow(this: str, following: str, forward: bool) -> str:
    return f"{this} → {following}" if forward else f"{following} → {this}"


def _state(p: PathRows, volts: Floats) -> Floats:
    out = np.full(volts.shape, np.nan)
    with np.errstate(invalid="ignore"):
        out[volts < p.of_mode("off_below_v")] = 0.0
        out[volts >= p.of_mode("on_from_v")] = 1.0
    return out


def _reasons(p: PathRows, stations: Floats) -> NDArray[np.uint32]:
    out = mode_reasons(p, Family.CONTACT)
    mark(out, p.has_mode & ~np.isnan(stations[2]) & np.isnan(stations[3]), Reason.UNDEFINED_LEVEL)
    return out


def _describe(p: PathRows) -> tuple[StationWords, ...]:
    off, on = float(p.of_mode("off_below_v")[0]), float(p.of_mode("on_from_v")[0])
    rest = "closed" if _CLOSED_AT_REST[p.code("signal")[0]] else "open"
    levels = () if np.isnan(off) else (f"off below {shown(off, 0)} V", f"on from {shown(on, 0)} V")
    mode = p.text("mode")
    words = tuple(f"{bit} says {p.text(f'text_{bit}')}" for bit in (0, 1) if p.text(f"text_{bit}"))
    return (
        StationWords("", 0, (p.text("service"), "1 acted upon, 0 at rest")),
        StationWords("", 0, (p.text("signal"), f"{rest} at rest", "1 closed, 0 open")),
        StationWords("V", 1, (f"{p.text('wires')} wires" if p.text("wires") else "at the terminals",)),
        StationWords("", 0, (f"mode {mode}" if mode else "no mode yet", *levels)),
        StationWords("", 0, ("one bit",)),
        StationWords("", 0, words),
    )


CHAIN = Chain(
    (ContactJoint(), CircuitJoint(), LevelJoint(), BitJoint("count = bit"), BitJoint("value = bit")),
    _reasons,
    _describe,
)
