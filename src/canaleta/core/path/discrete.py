"""Discrete inputs and the sensors that drive them: do they agree, and what mends it if they do not?

IEC 61131-2 describes a 24 V input by voltage and current together; IEC 60947-5-6 describes NAMUR sensors by
their current alone.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.notation.text import shown

__all__ = [
    "INPUT_TYPES",
    "NAMUR_ACTUATED_MA",
    "NAMUR_FREE_MA",
    "Agreement",
    "InputType",
    "agreement",
    "bleed_resistor",
    "hysteresis",
    "state_of_type",
]

NAMUR_FREE_MA = 2.2
NAMUR_ACTUATED_MA = 1.0
"""What a NAMUR sensor gives at least and at most (IEC 60947-5-6:1999); the input switches between 1.2 and 2.1 mA."""

_E24 = (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2,
        9.1)  # fmt: skip
_POWERS_W = (0.125, 0.25, 0.5, 1.0, 2.0, 3.0, 5.0, 10.0)


@dataclass(frozen=True)
class InputType:
    """A type of digital input at 24 V DC (IEC 61131-2:2017, table 9).

    off below off_v whatever the current, or below off_ma at up to off_up_to_v; on from on_v and on_ma together.
    """

    number: int
    off_v: float
    off_ma: float
    off_up_to_v: float
    on_v: float
    on_ma: float

    @property
    def greatest_ohm(self) -> float:
        """The most an input of this type may resist and still draw its current at the on voltage, Ω."""
        return self.on_v / self.on_ma * 1000.0

    @property
    def words(self) -> str:
        """The regions in one line."""
        return (
            f"off below {self.off_v:g} V, or below {self.off_ma:g} mA up to {self.off_up_to_v:g} V;"
            f" on from {self.on_v:g} V and {self.on_ma:g} mA"
        )


INPUT_TYPES: dict[int, InputType] = {
    1: InputType(1, 5.0, 0.5, 15.0, 15.0, 2.0),
    2: InputType(2, 5.0, 2.0, 11.0, 11.0, 6.0),
    3: InputType(3, 5.0, 1.5, 11.0, 11.0, 2.0),
}


def state_of_type(kind: ArrayLike, volts: ArrayLike, milliampere: ArrayLike) -> Floats:
    """0 off, 1 on, NaN undefined at a voltage and a current, for inputs of type 1, 2 or 3; shapes broadcast."""
    types, u, i = np.broadcast_arrays(*(np.asarray(a, dtype=np.float64) for a in (kind, volts, milliampere)))
    out = np.full(types.shape, np.nan)
    slack = 1e-9
    for number, t in INPUT_TYPES.items():
        mine = types == number
        off = (u < t.off_v) | ((i <= t.off_ma + slack) & (u <= t.off_up_to_v))
        on = (u >= t.on_v - slack) & (i >= t.on_ma - slack)
        out[mine & off] = 0.0
        out[mine & on] = 1.0
    return out


@dataclass(frozen=True)
class Agreement:
    """Whether a switch and an input agree. troubles: why not, in sentences. bleed: the resistor that mends
    leakage."""

    off_holds: bool
    on_holds: bool
    troubles: tuple[str, ...]
    bleed: str = ""


def agreement(
    kind: int,
    leakage_ma: float,
    drop_v: float,
    least_supply_v: float = 20.4,
    greatest_supply_v: float = 28.8,
) -> Agreement:
    """A switch with this leakage and drop on an input of a type, by what the standard promises of both.

    Off holds while the leakage stays at or under the type's off current; on holds while the least supply less the
    drop reaches the type's on voltage.
    """
    t = INPUT_TYPES[kind]
    troubles = []
    off_holds = leakage_ma <= t.off_ma + 1e-9
    bleed = ""
    if not off_holds:
        troubles.append(
            f"{shown(leakage_ma, 2)} mA leak through the open switch; type {kind} is off only up to"
            f" {shown(t.off_ma, 1)} mA: it may stay on"
        )
        ohm, fit_ohm, watt, fit_watt = bleed_resistor(kind, leakage_ma, greatest_supply_v)
        bleed = (
            f"a bleed resistor of {shown(fit_ohm / 1000, 1)} kΩ, {fit_watt:g} W over the input ({shown(ohm / 1000, 2)} kΩ"
            f" at most, which is {shown(watt, 2)} W at {shown(greatest_supply_v, 1)} V)"
        )
    left = least_supply_v - drop_v
    on_holds = left >= t.on_v - 1e-9
    if not on_holds:
        troubles.append(
            f"{shown(least_supply_v, 1)} V less {shown(drop_v, 1)} V over the switch leave {shown(left, 1)} V; type"
            f" {kind} is on from {shown(t.on_v, 0)} V: it may never switch on"
        )
    return Agreement(off_holds, on_holds, tuple(troubles), bleed)


def bleed_resistor(
    kind: int, leakage_ma: float, greatest_supply_v: float = 28.8
) -> tuple[float, float, float, float]:
    """The resistor beside an input that takes its sensor's leakage: (at most Ω, fit Ω, W in that, fit W).

    While the switch is open the input must stay under 5 V, where any input is off whatever its current: all of the
    leakage is taken to flow through the resistor. Fitted from E24 below it, with twice the power.
    """
    most = INPUT_TYPES[kind].off_v / leakage_ma * 1000.0
    decade = 10.0 ** np.floor(np.log10(most))
    fit = max(step * decade for step in (*_E24, *(s / 10 for s in _E24)) if step * decade <= most * (1 + 1e-9))
    watt = greatest_supply_v**2 / fit
    rated = next((p for p in _POWERS_W if p >= 1.6 * watt), _POWERS_W[-1])
    return most, float(fit), float(watt), rated


def hysteresis(values: ArrayLike, on_at: float, off_at: float, before: bool = False) -> Bools:
    """States of an analog value used as a switch: on from on_at, off again beyond off_at, else as before.

    on_at above off_at switches on a rising value, below it on a falling one. values: (n,) in the order of time.
    """
    x = np.asarray(values, dtype=np.float64)
    if on_at < off_at:
        x, on_at, off_at = -x, -on_at, -off_at
    told = np.where(x >= on_at, 1, np.where(x < off_at, 0, -1))
    last = np.maximum.accumulate(np.where(told >= 0, np.arange(len(x)), -1))
    return np.where(last >= 0, told[np.maximum(last, 0)] == 1, before)
