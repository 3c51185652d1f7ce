"""Packages of work are made, changed and taken away, each as one change set that can be undone."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import Engine

from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.apply import Applied
from canaleta.plant.changes.keeping import keep_record
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.packages import PACKAGES, Package

__all__ = ["keep_package"]


def keep_package(engine: Engine, cache: ImageCache, name: str, becomes: Package | None, who: str) -> Applied:
    """Make, change or take away a package. becomes: None takes it away; its id is ours.

    Raises LookupError if there is none to take away, TextError for a name that is taken or a point that is not there.
    """
    return keep_record(
        engine,
        cache,
        PACKAGES,
        name,
        becomes,
        who,
        numbered=lambda one, number: replace(one, id=number),
        refused=_gone,
    )


def _gone(image: PlantImage, one: Package) -> str:
    missing = sum(not image.has(point) for point in one.points)
    return f"{missing} of these points are not in the list" if missing else ""
