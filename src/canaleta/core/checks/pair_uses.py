"""Where the two counts at the ends of a point's signal are used: one parameter, stored once, and everything that follows
from it, each with the count that it is now."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import STATIONS, Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.signals.bands import bands_of

__all__ = ["Use", "uses_of"]


@dataclass(frozen=True)
class Use:
    """One use. what: who uses the pair; says: for what, in words; counts: the count that follows, NaN where it is the pair
    itself. ours: whether it follows by itself; False where another keeps a copy."""

    what: str
    says: str
    counts: float = float("nan")
    ours: bool = True


def uses_of(image: PlantImage, row: int) -> list[Use]:
    """Everything that follows from the pair of a point with a scaling."""
    words = describe(image, row)[STATIONS.index(Station.VALUE)]
    out = [
        Use("scaling", "count to value, in every reading"),
        Use("loop check", "the counts that are due at each step"),
    ]
    levels = [(f"alarm_{level}", f"alarm {level}") for level in ALARM_LEVELS]
    levels += [("on_at", "switch on"), ("off_at", "switch off"), ("substitute", "substitute")]
    for name, what in levels:
        value = float(image.number(name)[row])
        if np.isfinite(value):
            out.append(Use(what, f"{shown(value, words.decimals)} {words.unit}".strip(), _counts(image, row, value)))
    if bands := bands_of(image.text("bands", row)) if image.filled("bands")[row] else None:
        edges = [float(edge) for edge in bands.edges]
        out += [
            Use("band", f"from {shown(edge, words.decimals)} {words.unit}".strip(), _counts(image, row, edge))
            for edge in edges
        ]
    for name, says in (
        ("pair_at", "the controller's own pair: compare it, and write it there"),
        ("controller_at", "the controller's own value, held against ours"),
    ):
        if at := image.text(name, row):
            out.append(Use(field_named(name).label, f"{at}: {says}", ours=False))
    out.append(Use("exports", "register maps, loop sheets and lists that name the counts of both ends"))
    return out


def _counts(image: PlantImage, row: int, value: float) -> float:
    return float(evaluate(image, Station.VALUE, value, np.array([row])).at(Station.COUNTS)[0])
