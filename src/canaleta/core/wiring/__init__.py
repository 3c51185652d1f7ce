"""Cores, terminals and the circuit they close; how it is drawn, and where a meter or a calibrator goes."""

from canaleta.core.wiring.circuit import circuit_of
from canaleta.core.wiring.hookup import hookup_of

__all__ = ["circuit_of", "hookup_of"]
