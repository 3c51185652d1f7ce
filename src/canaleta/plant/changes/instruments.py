"""Instruments are kept, changed and taken away, each as one change set that can be undone."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import Engine

from canaleta.plant.changes.apply import Applied
from canaleta.plant.changes.keeping import keep_record
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.instruments import INSTRUMENTS, Instrument

__all__ = ["keep_instrument"]


def keep_instrument(engine: Engine, cache: ImageCache, name: str, becomes: Instrument | None, who: str) -> Applied:
    """Make, change or take away an instrument. becomes: None takes it away; its id is ours.

    Raises LookupError if there is none to take away, TextError for a name that is taken.
    """
    return keep_record(
        engine, cache, INSTRUMENTS, name, becomes, who, numbered=lambda one, number: replace(one, id=number)
    )
