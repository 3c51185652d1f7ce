"""What a field device puts on the wires: its signal, declared once.

A new signal of a known family is one entry in SIGNALS. A family says which chain of joints a path is
made of (see path.py); a new family is one file of joints and one entry there.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

__all__ = ["SIGNALS", "SIGNAL_NAMES", "Family", "Signal", "signal_named"]


class Family(IntEnum):
    """Which chain of joints a path has. NONE: no signal chosen yet."""

    NONE = -1
    LINEAR = 0
    THERMOCOUPLE = 1
    CONTACT = 2


@dataclass(frozen=True)
class Signal:
    """A device's output.

    unit, low, high: the signal's span in `unit`. live_zero: its zero is alive, so failure shows (NE 43).
    curve: sensor letter for temperature elements. closed_at_rest: for discretes, the state on the shelf.
    """

    name: str
    family: Family
    unit: str
    low: float = 0.0
    high: float = 1.0
    live_zero: bool = False
    curve: str = ""
    closed_at_rest: bool = False


SIGNALS: tuple[Signal, ...] = (
    Signal("4–20 mA", Family.LINEAR, "mA", 4.0, 20.0, live_zero=True),
    Signal("0–20 mA", Family.LINEAR, "mA", 0.0, 20.0),
    Signal("0–10 V", Family.LINEAR, "V", 0.0, 10.0),
    Signal("2–10 V", Family.LINEAR, "V", 2.0, 10.0),
    Signal("1–5 V", Family.LINEAR, "V", 1.0, 5.0),
    *(Signal(f"TC {letter}", Family.THERMOCOUPLE, "mV", curve=letter) for letter in "ABCEJKNRST"),
    Signal("contact NO", Family.CONTACT, "V", 0.0, 24.0),
    Signal("contact NC", Family.CONTACT, "V", 0.0, 24.0, closed_at_rest=True),
    Signal("PNP NO", Family.CONTACT, "V", 0.0, 24.0),
    Signal("PNP NC", Family.CONTACT, "V", 0.0, 24.0, closed_at_rest=True),
)
SIGNAL_NAMES: tuple[str, ...] = tuple(signal.name for signal in SIGNALS)


def signal_named(name: str) -> Signal | None:
    """The signal of that name, or None."""
    return next((signal for signal in SIGNALS if signal.name == name), None)
