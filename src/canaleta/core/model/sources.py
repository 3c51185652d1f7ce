"""Who drives a current loop: one judgement for facts, findings, landing and drawings."""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.arrays import Bools
from canaleta.core.signals.signal_types import LOADS, Family, signal_named

__all__ = ["OWN_SUPPLIES", "Source", "driven", "fed_by_module", "loop_source", "loop_sources"]

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
    feeds, drives, landed = fed_by_module(image, rows), driven(image, rows), np.isin(modules, list(layout.modules))
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


def driven(image: PlantImage, rows: NDArray[np.int64]) -> Bools:
    """Whether the channel of each row drives, (n,); False without a channel."""
    return _of_channel(image, rows, lambda kind: kind.direction == "out")


def fed_by_module(image: PlantImage, rows: NDArray[np.int64]) -> Bools:
    """Whether the channel of each row feeds the loop of its device, (n,)."""
    return _of_channel(image, rows, lambda kind: kind.feeds_loop)


def _of_channel(image: PlantImage, rows: NDArray[np.int64], says: Callable[[ModuleType], bool]) -> Bools:
    layout, modules = image.layout, image.module[rows]
    kinds = list(layout.types.values())
    codes = layout.type_codes(modules)
    out: Bools = np.array([*(says(kind) for kind in kinds), False], dtype=bool)[codes]
    # Few modules have channels that are not alike.
    mixed = np.array([*(bool(kind.groups or any(m.direction for m in kind.modes)) for kind in kinds), False])
    for at in np.flatnonzero(mixed[codes]).tolist():
        row = int(rows[at])
        out[at] = says(layout.type_at(int(modules[at]), int(image.channel[row]), image.text("mode", row)))
    return out


def loop_source(image: PlantImage, row: int) -> Source:
    """The Source of one point's circuit if that is a current loop; DEVICE of anything that gives a signal itself."""
    signal = signal_named(image.text("signal", row))
    if signal is not None and (signal.unit != "mA" or signal.family != Family.LINEAR or signal.switch in LOADS):
        return Source.DEVICE
    return Source(int(loop_sources(image, np.array([row]))[0]))
