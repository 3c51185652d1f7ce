"""The plant as data: fields of a point, hardware, conventions, and the image of columns that everything is computed
on."""

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import FIELDS, STATIONS, Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Quality, Reason

__all__ = [
    "FIELDS",
    "STATIONS",
    "Conventions",
    "Layout",
    "ModuleType",
    "PlantImage",
    "Quality",
    "Reason",
    "Station",
    "field_named",
]
