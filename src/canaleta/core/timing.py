"""Timing strips: what a pulse train becomes behind a point's delays, drawn before anything is set.

The strip runs the same state machine as the scan does, at the scan's own period or finer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core import conditioning
from canaleta.core.conditioning import Reading, Settings
from canaleta.core.image import PlantImage
from canaleta.core.quality import Quality

__all__ = ["Strip", "strip"]


@dataclass(frozen=True)
class Strip:
    """A strip: times (k,) s, what comes in, the state behind the conditioning, and the filtered value where there is
    one; counted: edges counted so far."""

    times: NDArray[np.float64]
    given: NDArray[np.float64]
    state: NDArray[np.int8]
    value: NDArray[np.float64]
    counted: NDArray[np.float64]
    band: NDArray[np.int8]


def strip(image: PlantImage, row: int, given: Sequence[tuple[float, float]], ends_s: float, period_s: float) -> Strip:
    """The strip of one point. given: (s, level) from when on which level stands; period_s: how often it is looked at."""
    settings = Settings.of(image, np.array([row]))
    state = conditioning.begin(1)
    times = np.arange(0.0, ends_s + period_s / 2, period_s)
    begins = np.array([at for at, _ in given])
    levels = np.array([level for _, level in given])
    level = levels[np.clip(np.searchsorted(begins, times + 1e-9, side="right") - 1, 0, len(levels) - 1)]
    rows: list[tuple[int, float, float, int]] = []
    for moment, value in zip(times.tolist(), level.tolist(), strict=True):
        one = np.array([value])
        reading = Reading(one, one, np.zeros(1, dtype=np.uint32), np.full(1, Quality.GOOD, dtype=np.uint8))
        state, seen = conditioning.step(settings, state, moment, reading)
        rows.append((int(seen.state[0]), float(seen.value[0]), float(state.counted[0]), int(seen.band[0])))
    states, values, counted, bands = zip(*rows, strict=True)
    return Strip(
        times,
        level,
        np.array(states, dtype=np.int8),
        np.array(values),
        np.array(counted),
        np.array(bands, dtype=np.int8),
    )
