"""Accuracy budgets: limits of error joined as a root-sum-square. Limits, not standard uncertainties."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

__all__ = ["Share", "root_sum_square"]


@dataclass(frozen=True)
class Share:
    """One limit of error ±, in the unit of the whole, and what it rests on."""

    name: str
    limit: float
    basis: str

    def part_of(self, total: float) -> float:
        """Its part of the sum of squares, 0 … 1."""
        return (self.limit / total) ** 2 if total else 0.0


def root_sum_square(shares: Iterable[Share]) -> float:
    """The limits together."""
    return math.sqrt(sum(share.limit**2 for share in shares))
