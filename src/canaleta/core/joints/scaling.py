"""COUNTS to VALUE: the scaling that people configure. One joint for every family that has counts to scale."""

from __future__ import annotations

import numpy as np

from canaleta.core import laws
from canaleta.core.joints.base import Floats, PathRows, Working
from canaleta.core.text import plain, shown

__all__ = ["TwoPointScaling"]


class TwoPointScaling:
    """value = v0 + law((count − c0) / (c1 − c0)) · (v1 − v0), with the two end points as typed."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Values at counts."""
        c0, c1, v0, v1 = self._ends(p)
        return v0 + laws.apply(p.code("value_law"), (x - c0) / (c1 - c0)) * (v1 - v0)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Counts, not yet rounded, at values."""
        c0, c1, v0, v1 = self._ends(p)
        return c0 + laws.invert(p.code("value_law"), (y - v0) / (v1 - v0)) * (c1 - c0)

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The formula with this point's end points."""
        c0, c1, v0, v1 = (p.text(f) for f in ("counts_low", "counts_high", "value_low", "value_high"))
        root = p.text("value_law") == "square root"
        unit = p.text("value_unit")
        fraction = f"({shown(x, 1).removesuffix('.0')} − {c0}) / ({c1} − {c0})"
        share = f"√[{fraction}]" if root else fraction
        source = f"end points as typed in the list: {c0} → {v0}, {c1} → {v1}"
        if not forward:
            square = "²" if root else ""
            return Working(
                f"count = c₀ + [(value − v₀) / (v₁ − v₀)]{square} · (c₁ − c₀), rounded",
                f"{c0} + [({shown(y, 4)} − {v0}) / ({v1} − {v0})]{square} · ({c1} − {c0}) → {shown(x, 0)}",
                source,
            )
        return Working(
            "value = v₀ + " + ("√" if root else "") + "[(count − c₀) / (c₁ − c₀)] · (v₁ − v₀)",
            f"{v0} + {share} · ({v1} − {v0}) = {shown(y, 4)} {unit}".rstrip(),
            source,
        )

    @staticmethod
    def _ends(p: PathRows) -> tuple[Floats, Floats, Floats, Floats]:
        c0, c1, v0, v1 = (p.number(f) for f in ("counts_low", "counts_high", "value_low", "value_high"))
        flat = (c0 == c1) | (v0 == v1)
        return np.where(flat, np.nan, c0), c1, v0, v1


def counts_text(count: float) -> str:
    """A count as shown in a working: whole if it is, else with one decimal."""
    return plain(count) if count != round(count) else shown(count, 0)
