"""Which other modes of a module would take a point's signal: what several rules offer."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.image import PlantImage
from canaleta.core.rules.finding import Cell, Fix
from canaleta.core.rules.masks import PATH, cut_off, other_curve, signal_of, takes, uncurved
from canaleta.core.signals.signal_types import Family

__all__ = ["AC", "OtherModes"]

AC = ("AC contact", "AC load")


class OtherModes:
    """Modes of the same module that take all of the signal, as fixes, three at most: of an element those for its own wires
    first, and none that would wait for wires which it does not have. Points that say the same, on modules of one type, have the
    same ones: those are tried once."""

    def __init__(self, image: PlantImage) -> None:
        self._image = image
        self._known: dict[tuple[object, ...], tuple[str, ...]] = {}

    def of(self, row: int) -> list[Fix]:
        """The fixes of one point on a channel."""
        image = self._image
        key = image.layout.modules[int(image.module[row])].type_key
        facts = (key, *(image.cells[name][row] for name in PATH if name != "channel"))
        if facts not in self._known:
            self._known[facts] = self._tried(row)
        point = int(image.ids[row])
        return [Fix(f"mode {name}", ((Cell(point, "mode"), name),)) for name in self._known[facts]]

    def _tried(self, row: int) -> tuple[str, ...]:
        image, at = self._image, np.array([0])
        one, mains = image.only(np.array([row])), signal_of(image, row).switch in AC
        wires = image.number("wires")[row]
        element = image.family[row] == Family.RESISTANCE and wires > 0
        found: list[tuple[bool, str]] = []
        for mode in image.layout.type_at(int(image.module[row]), int(image.channel[row])).modes:
            if mode.name == image.text("mode", row) or (mode.current == "AC") != mains:
                continue
            if element and mode.wires > wires and image.text("jumper", row) in ("", "absent"):
                continue
            trial = one.with_cells({(0, "mode"): mode.name})
            wrong = ~takes(trial, at) | cut_off(trial, at) | other_curve(trial, at) | uncurved(trial, at)
            if not wrong[0]:
                found.append((bool(element and mode.wires not in (0, wires)), mode.name))
        return tuple(name for _, name in sorted(found, key=lambda one: one[0])[:3])
