"""Records of a shelf that people keep by their names: made, changed and taken away, each as one change set that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from sqlalchemy import Engine

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.apply import Applied, commit
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.records import Record, RecordChange, Shelf, everything, next_number

__all__ = ["keep_record"]

R = TypeVar("R", bound=Record)


def keep_record(
    engine: Engine,
    cache: ImageCache,
    shelf: Shelf,
    name: str,
    becomes: R | None,
    who: str,
    *,
    numbered: Callable[[R, int], R],
    refused: Callable[[PlantImage, R], str] = lambda image, one: "",
) -> Applied:
    """Make, change or take away a record. becomes: None takes it away; numbered: the same with a number of ours; refused: why the
    plant cannot keep it, "" where it can.

    Raises LookupError if there is none to take away, TextError for a name that is taken, and for what is refused.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = {one.name: one for one in everything(connection, shelf)}
        was = known.get(name)
        if becomes is None and was is None:
            raise LookupError(f"there is no {shelf.entity} “{name}”")
        if becomes is not None:
            if becomes.name in known and becomes.name != name:
                article = "an" if shelf.entity[0] in "aeiou" else "a"
                raise TextError(f"there is {article} {shelf.entity} “{becomes.name}” already")
            if why := refused(image, becomes):
                raise TextError(why)
            becomes = numbered(becomes, was.id if was else next_number(connection, shelf))
        what = "took away" if becomes is None else "changed" if was else "made"
        change = ChangeSet({}, records=[RecordChange(shelf, was, becomes)])
        applied = commit(connection, image, change, who, f"{what} {shelf.entity} {name}"[:60])
    cache.adopt(applied.image)
    return applied
