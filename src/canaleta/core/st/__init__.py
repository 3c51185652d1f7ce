"""Structured text (IEC 61131-3:2013) as far as we write it: read, typed, run over many values at once, and put into C99.

Knows nothing of points or plants.
"""

from canaleta.core.st.checking import Library, Problem, check
from canaleta.core.st.reading import StError, read

__all__ = ["Library", "Problem", "StError", "check", "read"]
