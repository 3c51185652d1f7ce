"""One point, conditioned: what tests of what time makes of readings begin with."""

from __future__ import annotations

from canaleta.core.model.fields import field_named, read_cell
from canaleta.core.model.image import PlantImage
from tests.building.words import plant_of

CONTACT = "contact NO"


ANALOG = "4–20 mA, 0…100 %, shows 0…100 %"


def point(sentence: str, **cells: str) -> PlantImage:
    image = plant_of(sentence)
    changes = {}
    for name, text in cells.items():
        for field, value in read_cell(field_named(name), text).items():
            changes[0, field] = value
    return image.with_cells(changes)
