"""What the pages of one point share: finding it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field
from sqlalchemy import Text, select

from canaleta.core.model.image import PlantImage
from canaleta.plant.database import tables as t
from canaleta.plant.records.points import ADDED, BESIDE, REMOVED
from canaleta.web.kit.problems import ProblemError
from canaleta.web.kit.routes import Shape
from canaleta.web.kit.shared import shared

__all__ = ["Figure", "PointPath", "found", "rack_of", "unchanged_since"]

Figure = Annotated[float, Field(ge=-1e300, le=1e300)]
"""A number of a request: none without end."""


class PointPath(Shape):
    """A point by its identity."""

    point: int = Field(ge=0, le=2**62)


def found(point: int) -> tuple[PlantImage, int]:
    """The newest image and the point's row. Raises ProblemError 404."""
    image = shared().image()
    if not image.has(point):
        raise ProblemError(404, "there is no such point", remedy="it may have been removed; reload the list")
    return image, image.row_of(point)


def rack_of(image: PlantImage, row: int) -> tuple[int, float]:
    """(rack, how often it is read in s) of a point; (0, 1) where it holds no channel."""
    module = image.layout.modules.get(int(image.module[row]))
    if module is None:
        return 0, 1.0
    return module.rack, image.layout.racks[module.rack].period_ms / 1000.0


def unchanged_since(image: PlantImage, row: int, seq: int) -> bool:
    """Whether a point, the hardware and the conventions are as they were at an earlier number of the list."""
    if seq >= image.seq:
        # A number that the list has not reached is of another one, or of one that a backup took back.
        return seq == image.seq
    of_it = (
        (t.change.c.entity == "point")
        & (t.change.c.entity_id == int(image.ids[row]))
        & (t.change.c.fields.op("-")("status").cast(Text) != "{}")
    )
    here = of_it | t.change.c.entity.notin_(("point", ADDED, REMOVED, *BESIDE))
    with shared().engine.connect() as connection:
        moved = connection.execute(select(t.change.c.seq).where(t.change.c.seq > seq, here).limit(1)).first()
    return moved is None
