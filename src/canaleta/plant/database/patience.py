"""How long is waited where somebody waits for the answer: times the patience of a machine that is busy by nature.

CANALETA_PATIENCE multiplies each of these times; 1 unless said otherwise. What waits for processes goes by what they
do (host/progress), not by this.
"""

from __future__ import annotations

import os

__all__ = ["patient"]


def patient(seconds: float) -> float:
    """A wait in s on this machine."""
    try:
        return seconds * min(max(float(os.environ.get("CANALETA_PATIENCE", "1")), 0.1), 1000.0)
    except ValueError:
        return seconds
