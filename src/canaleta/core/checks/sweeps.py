"""A loop-back: an output is led to an input, swept, and what comes back is compared. Differences in % of the input's
span."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

__all__ = ["SHARES", "Compared", "Sweep", "compared"]

SHARES = tuple(float(x) for x in (*range(0, 101, 10), *range(90, -1, -10)))
"""Eleven levels up, and the same back: % of the output's span."""


@dataclass(frozen=True)
class Compared:
    """One level: what the output was told and the input read, both in % of their own span, and the difference."""

    share: float
    way: str
    given: float
    read: float
    difference: float


@dataclass(frozen=True)
class Sweep:
    """A whole sweep. worst: largest difference; hysteresis: largest difference of up and down at one level."""

    rows: tuple[Compared, ...]
    worst: float
    hysteresis: float
    passes: bool | None


def compared(given: Sequence[float], read: Sequence[float], tolerance: float) -> Sweep:
    """The table of a sweep. given, read: % of span of output and input, NaN where nothing was read."""
    top = int(np.argmax(given)) if len(given) else 0
    rows = [
        Compared(float(g), "up" if k <= top else "down", float(g), float(r), float(r) - float(g))
        for k, (g, r) in enumerate(zip(given, read, strict=True))
    ]
    differences = np.array([row.difference for row in rows])
    known = np.isfinite(differences)
    worst = float(np.abs(differences[known]).max()) if known.any() else float("nan")
    levels: dict[float, list[float]] = {}
    for row in rows:
        if np.isfinite(row.read):
            levels.setdefault(round(row.share, 3), []).append(row.read)
    both = [max(x) - min(x) for x in levels.values() if len(x) > 1]
    complete = bool(known.all()) and bool(len(rows))
    return Sweep(tuple(rows), worst, max(both) if both else float("nan"), worst <= tolerance if complete else None)
