"""What gives an output its value: the count that belongs to it, and where that is written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from canaleta.core.hardware.forcing import command_writes, held_between, why_no_command
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.path.evaluate import evaluate

__all__ = ["CommandError", "Commanded", "commanded"]


class CommandError(ValueError):
    """Why an output cannot be given a value, in words."""


@dataclass(frozen=True)
class Commanded:
    """A command to a rack. counts: what the output is given; value: what that is, within the ends of its range; target: of
    the command "force"."""

    rack: int
    counts: float
    value: float
    target: dict[str, Any]


def commanded(image: PlantImage, row: int, value: float, what: str) -> Commanded:
    """What gives a landed output a value in its unit. what: in words, for the log. Raises CommandError."""
    if not image.landed[row]:
        raise CommandError("this point holds no channel")
    counts = float(evaluate(image, Station.VALUE, value, np.array([row])).at(Station.COUNTS)[0])
    if np.isnan(counts):
        raise CommandError("no count belongs to this value")
    module, channel = int(image.module[row]), int(image.channel[row])
    mode = image.layout.type_of(module).mode_named(image.text("mode", row))
    counts = held_between(image, row, mode, counts) if mode else counts
    given = float(evaluate(image, Station.COUNTS, counts, np.array([row])).at(Station.VALUE)[0])
    rack = image.layout.racks[image.layout.modules[module].rack]
    target: dict[str, Any] = {"stand_in": rack.stand_in, "what": [what]}
    if rack.by_name:
        if why := why_no_command(image.layout, module, channel, image.text("mode", row)):
            raise CommandError(why)
        return Commanded(
            rack.id, counts, given, target | {"name": image.layout.modules[module].name_of(channel), "value": counts}
        )
    try:
        writes = command_writes(image.layout, module, channel, counts)
    except (LookupError, ValueError) as error:
        raise CommandError(str(error)) from error
    return Commanded(rack.id, counts, given, target | {"writes": [[w.register, w.word, w.mask] for w in writes]})
