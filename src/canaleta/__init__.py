"""Canaleta: configure, scale, read and prove PLC channels along the signal path."""

__version__ = "0.2.0"
