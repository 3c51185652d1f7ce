"""Timing strips: what a pulse train becomes behind a point's delays, drawn before anything is set.

The strip runs the same state machine as the scan does, at the scan's own period or finer, behind the same path: a
contact is turned round, a signal that has failed is held or replaced as the point says.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live import conditioning
from canaleta.core.live.conditioning import Reading, Settings
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.evaluate import evaluate
from canaleta.core.signals.signal_types import Family

__all__ = ["Strip", "strip"]


@dataclass(frozen=True)
class Strip:
    """A strip: times (k,) s, what comes in (NaN where the signal has failed), the state behind the conditioning, and
    the filtered value where there is one; counted: edges counted so far; trusted: the value is good or doubtful;
    waits: a fault is over and waits for a reset; chatters: it is said to chatter; done: the counter has reached its
    preset."""

    times: Floats
    given: Floats
    state: NDArray[np.int8]
    value: Floats
    counted: Floats
    band: NDArray[np.int8]
    trusted: Bools
    waits: Bools
    chatters: Bools
    done: Bools


def strip(image: PlantImage, row: int, given: Sequence[tuple[float, float]], ends_s: float, period_s: float) -> Strip:
    """The strip of one point. given: (s, level) from when on which level stands: of a contact 1 for closed, of an
    analog point the value, NaN for a signal that has failed; period_s: how often it is looked at."""
    settings, source = Settings.of(image, np.array([row])), _Source(image, row)
    state = conditioning.begin(1)
    times = np.arange(0.0, ends_s + period_s / 2, period_s)
    begins = np.array([at for at, _ in given])
    levels = np.array([level for _, level in given])
    level = levels[np.clip(np.searchsorted(begins, times + 1e-9, side="right") - 1, 0, len(levels) - 1)]
    rows: list[tuple[int, float, float, int, bool, bool, bool, bool]] = []
    for moment, one in zip(times.tolist(), level.tolist(), strict=True):
        state, seen = conditioning.step(settings, state, moment, source.reading(one))
        reasons = int(seen.reasons[0])
        rows.append(
            (
                int(seen.state[0]),
                float(seen.value[0]),
                float(state.counted[0]),
                int(seen.band[0]),
                not reasons & int(conditioning.FAULTS),
                bool(reasons & Reason.LATCHED),
                bool(seen.chatters[0]),
                bool(seen.done[0]),
            )
        )
    states, values, counted, bands, trusted, waits, chatters, done = zip(*rows, strict=True)
    return Strip(
        times,
        level,
        np.array(states, dtype=np.int8),
        np.array(values),
        np.array(counted),
        np.array(bands, dtype=np.int8),
        np.array(trusted),
        np.array(waits),
        np.array(chatters),
        np.array(done),
    )


class _Source:
    """What the path makes of the levels of one strip; a failure is worked out once."""

    def __init__(self, image: PlantImage, row: int) -> None:
        self._image, self._rows = image, np.array([row])
        self._contact = image.family[row] == Family.CONTACT
        self._last = np.array([np.nan])
        self._known: dict[tuple[float, float], Reading] = {}

    def reading(self, level: float) -> Reading:
        failed = np.isnan(level)
        key = (-1.0 if failed else level, float(np.nan_to_num(self._last[0])) if failed else 0.0)
        if key not in self._known:
            self._known[key] = self._failed() if failed else self._made(level)
        reading = self._known[key]
        if not failed:
            self._last = reading.value
        return reading

    def _made(self, level: float) -> Reading:
        value = np.array([level])
        if self._contact:
            seen = evaluate(self._image, Station.DEVICE, level, self._rows).at(Station.VALUE)
            value = np.where(np.isnan(seen), value, seen)
        return Reading(value, value, np.zeros(1, dtype=np.uint32), np.full(1, Quality.GOOD, dtype=np.uint8))

    def _failed(self) -> Reading:
        """The module says that the signal has failed: what the point's policy makes of it."""
        counts = evaluate(self._image, Station.LOOP, 0.0, self._rows).at(Station.COUNTS)
        told = np.array([Reason.CHANNEL_FAULT], dtype=np.uint32)
        paths = evaluate(self._image, Station.COUNTS, np.nan_to_num(counts), self._rows, last=self._last, told=told)
        return Reading(paths.at(Station.VALUE), counts, paths.reasons, paths.quality)
