"""Who drives a current loop: one judgement for facts, findings, landing and drawings."""

from __future__ import annotations

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.signals.signal_types import LOADS, Family, signal_named

__all__ = ["OWN_SUPPLIES", "Source", "loop_source", "loop_sources"]

OWN_SUPPLIES = ("own 24 V", "drive")
"""Choices of *supply* by which the device drives its circuit itself."""


class Source(IntEnum):
    """What drives the current of a circuit. UNSAID: the list does not say; TWO, NONE: what must not be."""

    UNSAID = 0
    MODULE = 1
    OUTPUT = 2
    DEVICE = 3
    CABINET = 4
    MAINS = 5
    ELEMENT = 6
    TWO = 7
    NONE = 8


def loop_sources(image: PlantImage, rows: NDArray[np.int64]) -> NDArray[np.int8]:
    """The Source of each current loop, (n,), by supply, wires and module; rows of other signals are judged as if.

    A loop has exactly one source: an active device on the two terminals of an input that feeds is the second one, as
    is any supply in the loop of an output; a passive device on a passive input leaves none.
    """
    layout, modules = image.layout, image.module[rows]
    present = np.unique(modules).tolist()
    feeding = [m for m in present if m in layout.modules and layout.type_of(m).feeds_loop]
    driving = [m for m in present if m in layout.modules and layout.type_of(m).direction == "out"]
    feeds, drives, landed = (
        np.isin(modules, feeding),
        np.isin(modules, driving),
        np.isin(modules, list(layout.modules)),
    )
    supply, two_wires = image.cells["supply"][rows].astype(str), image.number("wires")[rows] == 2
    own, module = np.isin(supply, OWN_SUPPLIES), supply == "module"
    return np.select(
        [
            drives & (own | module),
            drives,
            own & two_wires & feeds,
            (supply == "none") | (module & landed & ~feeds),
            own,
            module,
        ],
        [Source.TWO, Source.OUTPUT, Source.TWO, Source.NONE, Source.DEVICE, Source.MODULE],
        Source.UNSAID,
    ).astype(np.int8)


def loop_source(image: PlantImage, row: int) -> Source:
    """The Source of one point's circuit if that is a current loop; DEVICE of anything that gives a signal itself."""
    signal = signal_named(image.text("signal", row))
    if signal is not None and (signal.unit != "mA" or signal.family != Family.LINEAR or signal.switch in LOADS):
        return Source.DEVICE
    return Source(int(loop_sources(image, np.array([row]))[0]))
