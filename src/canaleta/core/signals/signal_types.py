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
    RESISTANCE = 3


@dataclass(frozen=True)
class Signal:
    """A device's output.

    unit, low, high: the signal's span in `unit`; own_span: the span is the device's own and typed for each point.
    live_zero: its zero is alive, so failure shows: NE 43, for a voltage at the same
    shares of its span. curve: sensor letter or resistance curve of temperature
    elements, "own" for one typed as a table. switch: for discretes, what closes the circuit; closed_at_rest: its
    state on the shelf. driven: an output gives it, whatever the device's supply.
    """

    name: str
    family: Family
    unit: str
    low: float = 0.0
    high: float = 1.0
    live_zero: bool = False
    own_span: bool = False
    curve: str = ""
    switch: str = ""
    closed_at_rest: bool = False
    driven: bool = False


def _linear(name: str, unit: str, low: float, high: float, *, live_zero: bool = False) -> Signal:
    return Signal(name, Family.LINEAR, unit, low, high, live_zero)


def _own_span(name: str, unit: str) -> Signal:
    return Signal(name, Family.LINEAR, unit, own_span=True)


def _switches(kind: str) -> tuple[Signal, Signal]:
    unit = "mA" if kind in MONITORED else "V"
    return (
        Signal(f"{kind} NO", Family.CONTACT, unit, 0.0, 24.0, switch=kind),
        Signal(f"{kind} NC", Family.CONTACT, unit, 0.0, 24.0, switch=kind, closed_at_rest=True),
    )


LOADS = ("load", "AC load")
"""Coils, lamps and horns: they are switched by an output and give no signal."""
MONITORED = ("NAMUR", "end-of-line")
"""Switches whose wires are watched by the current they carry: break and short can be told."""

RESISTANCE_SIGNALS = {
    "Pt100": "pt100",
    "Pt500": "pt500",
    "Pt1000": "pt1000",
    "Pt100 3916": "pt100-3916",
    "Pt100 3910": "pt100-3910",
    "Ni100": "ni100",
    "Ni1000": "ni1000",
    "Ni120": "ni120",
    "Ni100 617": "ni100-617",
    "Cu10": "cu10",
    "Cu50": "cu50",
    "Cu100": "cu100",
    "Cu50 426": "cu50-426",
    "Cu100 426": "cu100-426",
    "own curve": "own",
}

SIGNALS: tuple[Signal, ...] = (
    _linear("4–20 mA", "mA", 4.0, 20.0, live_zero=True),
    _linear("0–20 mA", "mA", 0.0, 20.0),
    _linear("±20 mA", "mA", -20.0, 20.0),
    _linear("0–10 V", "V", 0.0, 10.0),
    _linear("2–10 V", "V", 2.0, 10.0, live_zero=True),
    _linear("0–1 V", "V", 0.0, 1.0),
    _linear("0–5 V", "V", 0.0, 5.0),
    _linear("1–5 V", "V", 1.0, 5.0, live_zero=True),
    _linear("±5 V", "V", -5.0, 5.0),
    _linear("±10 V", "V", -10.0, 10.0),
    _own_span("mV", "mV"),
    _own_span("frequency", "Hz"),
    _own_span("pulses", "pulses"),
    _own_span("bridge mV/V", "mV/V"),
    _own_span("potentiometer", "Ω"),
    _own_span("resistance", "Ω"),
    Signal("PWM", Family.LINEAR, "%", 0.0, 100.0, driven=True),
    *(Signal(f"TC {letter}", Family.THERMOCOUPLE, "mV", curve=letter) for letter in "ABCEJKNRST"),
    *(Signal(name, Family.RESISTANCE, "Ω", curve=curve) for name, curve in RESISTANCE_SIGNALS.items()),
    *_switches("contact"),
    *_switches("PNP"),
    *_switches("NPN"),
    *_switches("two-wire"),
    *_switches("NAMUR"),
    *_switches("end-of-line"),
    *_switches("AC contact"),
    Signal("load 24 V DC", Family.CONTACT, "V", 0.0, 24.0, switch="load"),
    Signal("load AC", Family.CONTACT, "V", 0.0, 24.0, switch="AC load"),
)
SIGNAL_NAMES: tuple[str, ...] = tuple(signal.name for signal in SIGNALS)


def signal_named(name: str) -> Signal | None:
    """The signal of that name, or None."""
    return next((signal for signal in SIGNALS if signal.name == name), None)
