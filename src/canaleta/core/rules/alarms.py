"""Rules about alarms: limits in their order, and inside what the value can show."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Bools, Rows
from canaleta.core.notation.text import as_typed
from canaleta.core.rules.finding import Finding
from canaleta.core.rules.rule import report, rule

_LIMITS = tuple(f"alarm_{level}" for level in ALARM_LEVELS)
_WHY = {
    ("alarm_ll", "alarm_l"): "the warning comes behind what it warns of",
    ("alarm_h", "alarm_hh"): "the warning comes behind what it warns of",
}
"""What is wrong with two limits out of order."""


@rule(
    "R15",
    "alarm outside the range or out of order",
    "IEC 62682: a limit that cannot be passed is no alarm",
    (*_LIMITS, "value_low", "value_high", "value_form", "value_table"),
    looks="alarm limits against each other and against what the value can show",
    harm="hides",
)
def alarms_out_of_order(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Low-low below low below high below high-high, each inside the range that the value shows."""
    some = _suspect(image, rows)
    for row in rows[some].tolist():
        limits = [(name, float(image.number(name)[row])) for name in _LIMITS if image.cells[name][row] is not None]
        for (lower, below), (upper, above) in itertools.pairwise(limits):
            if below >= above:
                order = [f"{name[6:].upper()} {as_typed(image.text(name, row))}" for name in (lower, upper)]
                why = _WHY.get((lower, upper), "both stand at once")
                said_ = f"{' is not below '.join(order)}: {why}"
                yield _finding(image, row, f"{lower}:{upper}", (lower, upper), said_)
        ends = sorted(float(image.number(name)[row]) for name in ("value_low", "value_high"))
        if np.isnan(ends).any() or image.cells["value_table"][row] is not None or image.code("value_form")[row] > 0:
            continue
        for name, limit in limits:
            if not ends[0] <= limit <= ends[1]:
                low, high = (as_typed(image.text(n, row)) for n in ("value_low", "value_high"))
                said_ = f"{name[6:].upper()} {as_typed(image.text(name, row))} lies outside the range {low}…{high}"
                yield _finding(image, row, name, (name,), f"{said_}: it would never come, or never end")


def _suspect(image: PlantImage, rows: Rows) -> Bools:
    """Rows with a limit out of order or outside the ends of the value: few of the many that have alarms."""
    ends = np.stack([image.number(name)[rows] for name in ("value_low", "value_high")])
    least, most = ends.min(axis=0), ends.max(axis=0)
    out = np.zeros(len(rows), dtype=bool)
    below = np.full(len(rows), -np.inf)
    for name in _LIMITS:
        limit = image.number(name)[rows]
        with np.errstate(invalid="ignore"):
            out |= (limit <= below) | (limit < least) | (limit > most)
        below = np.where(np.isnan(limit), below, limit)
    return out


def _finding(image: PlantImage, row: int, cause: str, names: tuple[str, ...], says: str) -> Finding:
    return report(
        image,
        "R15",
        [row],
        Station.VALUE,
        f"alarm {says}",
        names,
        about=f"{image.ids[row]}:{cause}",
    )
