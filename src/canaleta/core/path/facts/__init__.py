"""What follows from a path beyond its six stations: budgets, limits, resolution, agreement; for reading, not typing.

Each section is a title, a verdict and rows of label, figure and basis. The path page and `convert path --facts`
show them as they are.
"""

from __future__ import annotations

import numpy as np

from canaleta.core.model.image import PlantImage
from canaleta.core.path.facts import alarms, channel, discrete, loop, scaling, status, temperature
from canaleta.core.path.facts.base import Row, Section
from canaleta.core.path.joints.base import PathRows
from canaleta.core.signals.signal_types import Family

__all__ = ["Row", "Section", "facts_of"]

_OF_FAMILY = {
    Family.LINEAR: (loop.failure_limits, scaling.resolution, scaling.accuracy, loop.voltage, loop.shunt,
                    scaling.forms, scaling.value_table, scaling.device_table, scaling.root, scaling.reference, scaling.switch, scaling.order, scaling.numbers, loop.moving),
    Family.THERMOCOUPLE: (temperature.extension, scaling.value_table, scaling.resolution, scaling.accuracy, scaling.forms, scaling.switch,
                          scaling.order, scaling.numbers),
    Family.RESISTANCE: (temperature.leads, scaling.value_table, scaling.resolution, scaling.accuracy, scaling.forms, scaling.switch,
                        scaling.order, scaling.numbers),
    Family.CONTACT: (discrete.agreement_of, discrete.truth, discrete.watching, loop.moving),
}  # fmt: skip

_OF_EVERY = (
    alarms.alarms,
    alarms.bands,
    channel.open_circuit,
    channel.filtering,
    channel.addresses,
    channel.of_manual,
    status.status_bit,
    status.status_words,
)
"""What the channel itself has to say, whatever is on it."""


def facts_of(image: PlantImage, row: int) -> list[Section]:
    """The sections that one point's kind has, most useful first; sections with nothing to say are left out."""
    makers = _OF_FAMILY.get(Family(int(image.family[row])), ())
    p = PathRows(image, np.array([row]))
    with np.errstate(all="ignore"):
        found = (make(p) for make in (*makers, *_OF_EVERY))
        return [section for section in found if section is not None and section.rows]
