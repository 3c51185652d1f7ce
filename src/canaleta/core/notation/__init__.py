"""Figures, units and names as people write them, read in linear time whatever is sent. Knows nothing of signals."""

from canaleta.core.notation.tags import read_tag
from canaleta.core.notation.text import TextError, read_number, read_range, shown
from canaleta.core.notation.units import convert, read_unit

__all__ = ["TextError", "convert", "read_number", "read_range", "read_tag", "read_unit", "shown"]
