"""Instruments are kept, changed and taken away, each as one change set that can be undone."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import Engine

from canaleta.core.notation.text import TextError
from canaleta.plant.changes.apply import Applied, commit
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.instruments import INSTRUMENTS, Instrument, instruments
from canaleta.plant.records.records import RecordChange, next_number

__all__ = ["keep_instrument"]


def keep_instrument(engine: Engine, cache: ImageCache, name: str, becomes: Instrument | None, who: str) -> Applied:
    """Make, change or take away an instrument. becomes: None takes it away; its id is ours.

    Raises LookupError if there is none to take away, TextError for a name that is taken.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = {one.name: one for one in instruments(connection)}
        was = known.get(name)
        if becomes is None and was is None:
            raise LookupError(f"there is no instrument “{name}”")
        if becomes is not None:
            if becomes.name in known and becomes.name != name:
                raise TextError(f"there is an instrument “{becomes.name}” already")
            becomes = replace(becomes, id=was.id if was else next_number(connection, INSTRUMENTS))
        what = "took away" if becomes is None else "changed" if was else "made"
        change = ChangeSet({}, records=[RecordChange(INSTRUMENTS, was, becomes)])
        applied = commit(connection, image, change, who, f"{what} instrument {name}"[:60])
    cache.adopt(applied.image)
    return applied
