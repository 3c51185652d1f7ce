"""What stands on wires and in registers: signals, laws, sensors, converters, noise, accuracy. Knows no list of
points."""

from canaleta.core.signals.laws import LAWS
from canaleta.core.signals.signal_types import SIGNALS, Family, Signal, signal_named

__all__ = ["LAWS", "SIGNALS", "Family", "Signal", "signal_named"]
