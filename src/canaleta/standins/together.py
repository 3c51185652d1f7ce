"""Racks at rest worked out in one go: most of what a small rack costs is not its points."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.fields import Station
from canaleta.core.notation.arrays import Floats, Words
from canaleta.core.path.evaluate import Runs
from canaleta.core.path.faults import upset_of
from canaleta.standins.field import FieldRack, Ready

__all__ = ["Together", "together"]


class Together:
    """The paths of several racks of one layout as they are now, worked out in one go."""

    def __init__(self, parts: Sequence[Ready]) -> None:
        """parts: of racks of one layout."""
        self.parts = tuple(parts)
        images = [part.as_it_is for part in parts]
        cells = {name: np.concatenate([image.cells[name] for image in images]) for name in images[0].cells}
        size = sum(map(len, images))
        ends = np.cumsum([0, *map(len, images)]).tolist()
        self._places = [slice(*pair) for pair in itertools.pairwise(ends)]
        faults = {
            first + row: those for first, part in zip(ends, parts, strict=False) for row, those in part.faults.items()
        }
        image = replace(images[0], ids=np.arange(1, size + 1), cells=cells, _kept={})
        self._runs = Runs.of(image, None, upset_of(size, faults))

    def counts(self, process: Sequence[Floats]) -> list[tuple[Floats, NDArray[np.uint32]]]:
        """Counts and reasons of each rack from the quantities at its devices."""
        paths = self._runs.evaluate(Station.PROCESS, np.concatenate(process))
        counts = paths.at(Station.COUNTS)
        return [(counts[place].copy(), paths.reasons[place].copy()) for place in self._places]


def together(racks: Sequence[FieldRack], step: int, before: Together | None) -> tuple[list[Words], Together]:
    """The registers of several racks of one layout at a step, and what to hand in at the next."""
    parts = tuple(rack.ready(step) for rack in racks)
    # As long as nothing changes at a rack its part is the same one.
    now = before if before is not None and list(map(id, before.parts)) == list(map(id, parts)) else Together(parts)
    made = now.counts([rack.process(step) for rack in racks])
    return [rack.registers(*one) for rack, one in zip(racks, made, strict=True)], now
