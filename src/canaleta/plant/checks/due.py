"""When each point that was ever checked is due again, by its records."""

from __future__ import annotations

import numpy as np
from sqlalchemy import Connection

from canaleta.core.checks.drift import drifts_of
from canaleta.core.checks.due import Due, due_of
from canaleta.core.checks.loopcheck import DEFAULT_TOLERANCE
from canaleta.core.model.image import PlantImage
from canaleta.plant.checks.histories import histories

__all__ = ["due_points"]


def due_points(connection: Connection, image: PlantImage) -> dict[int, Due]:
    """{point: when it is due and why} of every point of the list that was loop-checked."""
    interval = float(image.conventions.testing.interval_days)
    every = histories(connection)
    rows = np.array([image.row_of(p) if image.has(p) else -1 for p in every.points.tolist()], dtype=np.int64)
    stated = image.number("tolerance_loop")[rows]
    tolerance = np.where(np.isnan(stated), DEFAULT_TOLERANCE, stated)
    lines = drifts_of(every.group, every.day, every.error, every.begins)
    leaves = lines.leaves(tolerance)
    return {
        int(every.points[k]): due_of(
            float(every.last[k]), interval, float(tolerance[k]), float(lines.rate[k]), float(leaves[k]),
            failed=bool(every.failed[k]),
        )
        for k in np.flatnonzero(rows >= 0).tolist()
    }  # fmt: skip
