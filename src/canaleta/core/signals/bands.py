"""Bands of a value: names with the edges between them, so that there can be no gap and no overlap.

    empty < 0.5 < low < 3.8 < normal

A value on an edge belongs to the band above it.
"""

from __future__ import annotations

import itertools
from bisect import bisect_right
from dataclasses import dataclass
from decimal import Decimal

from canaleta.core.notation.text import TextError, plain, read_number

__all__ = ["MOST_BANDS", "Bands", "bands_of", "read_bands"]

MOST_BANDS = 32


@dataclass(frozen=True)
class Bands:
    """Names in rising order; edges[k] lies between names[k] and names[k + 1]."""

    names: tuple[str, ...]
    edges: tuple[Decimal, ...]

    def at(self, value: float) -> str:
        """The one band that holds a value."""
        return self.names[bisect_right([float(edge) for edge in self.edges], value)]


def read_bands(text: str) -> str:
    """Bands as typed, tidied. Raises TextError naming the place that cannot be."""
    parts = [part.strip() for part in text.replace("<=", "<").replace("≤", "<").replace(";", "<").split("<")]
    if len(parts) < 3 or len(parts) % 2 == 0:
        raise TextError(f"“{text}”: write names with the edges between them, as in low < 20 < normal < 80 < high")
    names, edges = parts[::2], [read_number(edge) for edge in parts[1::2]]
    if len(names) > MOST_BANDS:
        raise TextError(f"{len(names)} bands; at most {MOST_BANDS} are kept")
    if blank := next((k for k, name in enumerate(names) if not name), None):
        raise TextError(f"the band above {plain(edges[blank - 1])} has no name")
    if not names[0]:
        raise TextError(f"the band below {plain(edges[0])} has no name")
    for low, high in itertools.pairwise(edges):
        if high <= low:
            raise TextError(f"the edges rise: {plain(high)} stands after {plain(low)}")
    out = [names[0]]
    for edge, name in zip(edges, names[1:], strict=True):
        out += [plain(edge), name]
    return " < ".join(out)


def bands_of(text: str) -> Bands | None:
    """The bands of a stored text, None if it holds none."""
    if not text:
        return None
    parts = text.split(" < ")
    return Bands(tuple(parts[::2]), tuple(Decimal(edge) for edge in parts[1::2]))
