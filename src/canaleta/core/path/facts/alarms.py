"""Alarms and bands of a value: each limit in units, on the wires and in counts, and where it ends again."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import Station
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.facts.base import Row, Section, first, of_value, significant
from canaleta.core.path.joints.base import PathRows
from canaleta.core.signals.bands import bands_of

__all__ = ["alarms", "bands"]


def alarms(p: PathRows) -> Section | None:
    """Every alarm limit of the value in all three, with its deadband, delay and priority."""
    rows = []
    for level in ALARM_LEVELS:
        limit = first(p.number(f"alarm_{level}"))
        if np.isnan(limit):
            continue
        deadband, delay = first(p.number(f"alarm_{level}_deadband")), first(p.number(f"alarm_{level}_delay"))
        basis = [_on_the_way(p, limit)]
        if not np.isnan(deadband):
            ends = limit - deadband if level.startswith("h") else limit + deadband
            basis.append(f"ends at {of_value(p, ends)}")
        if not np.isnan(delay):
            basis.append(f"after {delay:g} s")
        if priority := p.text(f"alarm_{level}_priority"):
            basis.append(priority)
        rows.append(Row(f"alarm {level.upper()}", of_value(p, limit), " · ".join(part for part in basis if part)))
    return Section(Station.VALUE, "alarms", tuple(rows)) if rows else None


def bands(p: PathRows) -> Section | None:
    """The bands, and where the edges between them lie on the way."""
    found = bands_of(p.text("bands"))
    if found is None:
        return None
    edges = [float(edge) for edge in found.edges]
    rows = [Row(found.names[0], f"below {of_value(p, edges[0])}", _on_the_way(p, edges[0]))]
    rows += [
        Row(name, f"from {of_value(p, edge)}", _on_the_way(p, edge))
        for name, edge in zip(found.names[1:], edges, strict=True)
    ]
    return Section(Station.VALUE, "bands", tuple(rows))


def _on_the_way(p: PathRows, value: float) -> str:
    """A value on the wires and as a count; "" where the way back does not reach."""
    paths = evaluate(p.image, Station.VALUE, value, p.rows)
    loop, counts = first(paths.at(Station.LOOP)), first(paths.at(Station.COUNTS))
    if np.isnan(loop) or np.isnan(counts):
        return ""
    unit = describe(p.image, int(p.rows[0]))[2].unit
    return f"{significant(loop)} {unit}, count {shown(counts, 0)}"
