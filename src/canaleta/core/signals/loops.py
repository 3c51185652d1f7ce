"""A current loop's voltage: what the supply gives, what everything in the loop takes, what is left.

Pure figures; the page and the path bring those of a point (see joints/linear.py and facts.py).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.notation.arrays import Floats

__all__ = ["HART_LEAST_OHM", "LoopBudget", "cable_ohm", "conductor_ohm_per_km", "loop_budget"]

HART_LEAST_OHM = 230.0
"""What a HART modem needs in the loop to speak over (HART FSK Physical Layer Specification)."""
COPPER_PER_K = 0.00393
"""Temperature coefficient of copper's resistance at 20 °C (IEC 60028)."""
DESIGN_MA = 22.0

_IEC_60228 = {0.5: 36.0, 0.75: 24.5, 1.0: 18.1, 1.5: 12.1, 2.5: 7.41, 4.0: 4.61, 6.0: 3.08, 10.0: 1.83}
"""Greatest resistance at 20 °C in Ω/km of plain copper, classes 1 and 2 (IEC 60228, tables 1 and 2)."""
_RESISTIVITY = 18.1
"""Ω·mm²/km that IEC 60228 allows at 1 mm², for sections the table does not have."""


def conductor_ohm_per_km(mm2: ArrayLike) -> Floats:
    """Greatest resistance of one core at 20 °C in Ω/km (IEC 60228); between its sections by ρ/A of 1 mm²."""
    section = np.atleast_1d(np.asarray(mm2, dtype=np.float64))
    with np.errstate(divide="ignore"):
        out = _RESISTIVITY / section
    for listed, ohm in _IEC_60228.items():
        out = np.where(np.abs(section - listed) < 1e-9, ohm, out)
    return out


def cable_ohm(length_m: ArrayLike, mm2: ArrayLike, degc: ArrayLike) -> Floats:
    """Resistance of both cores of a cable in Ω, at its hottest."""
    warm = 1.0 + COPPER_PER_K * (np.asarray(degc, dtype=np.float64) - 20.0)
    return 2.0 * np.asarray(length_m, dtype=np.float64) / 1000.0 * conductor_ohm_per_km(mm2) * warm


@dataclass(frozen=True)
class LoopBudget:
    """Volts over the device at 4, 20 mA and the design current, and what follows.

    over_device_v: at each of currents_ma. margin_v: at the design current, over the lift-off voltage. greatest_ohm:
    what the loop could have. longest_m: cable that still works, one way, None if no cable section is known.
    """

    currents_ma: tuple[float, ...]
    over_device_v: tuple[float, ...]
    margin_v: float
    greatest_ohm: float
    longest_m: float | None

    @property
    def works(self) -> bool:
        """Whether the device keeps its lift-off voltage at the design current."""
        return self.margin_v >= 0


def loop_budget(
    supply_v: float,
    lift_off_v: float,
    loads_ohm: float,
    drops_v: float = 0.0,
    cable: tuple[float, float, float] = (0.0, 0.75, 70.0),
    design_ma: float = DESIGN_MA,
) -> LoopBudget:
    """The budget of one loop.

    supply_v: the least supply. lift_off_v: least voltage of the device. loads_ohm: burden, shunt, barrier and other
    resistances without the cable. drops_v: fixed drops. cable: length one way in m, section in mm², hottest in °C.
    """
    length, section, hottest = cable
    copper = float(cable_ohm(length, section, hottest)[0])
    total = loads_ohm + copper
    currents = (4.0, 20.0, design_ma)
    over = tuple(supply_v - drops_v - ma / 1000.0 * total for ma in currents)
    greatest = (supply_v - drops_v - lift_off_v) / design_ma * 1000.0
    per_m = float(cable_ohm(1.0, section, hottest)[0])
    longest = max(0.0, (greatest - loads_ohm) / per_m) if per_m > 0 else None
    return LoopBudget(currents, over, over[-1] - lift_off_v, greatest, longest)
