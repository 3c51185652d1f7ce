"""Changing the plant's conventions: one change set, audited as a whole, undone like any other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import Connection, Engine

from canaleta.core.model.convention_fields import convention_texts, with_conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.notation.text import TextError, shown
from canaleta.core.signals.signal_types import Family
from canaleta.plant.changes.apply import Applied, Preview, commit, preview
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache

__all__ = [
    "ConventionEdit",
    "ConventionRefused",
    "change_conventions",
    "moved_levels",
    "preview_change",
    "preview_conventions",
]

MOST_ADDRESSES = 20


@dataclass(frozen=True)
class ConventionEdit:
    """One convention: its name, the text that stood there and the text typed."""

    name: str
    was: str
    text: str


@dataclass(frozen=True)
class Renamed:
    """A channel whose label changes while the channel stays: the point and both labels."""

    point: int
    was: str
    becomes: str


class ConventionRefused(ValueError):
    """A convention cannot be what was typed, or somebody changed it meanwhile; name says which."""

    def __init__(self, name: str, says: str, theirs: str | None = None) -> None:
        super().__init__(says)
        self.name, self.theirs = name, theirs


def moved_levels(image: PlantImage, edits: Sequence[ConventionEdit]) -> list[Renamed]:
    """Points whose levels or spans follow the supply, with both, when the supply changes; at most MOST_ADDRESSES.

    Raises ConventionRefused.
    """
    after = image.with_conventions(with_conventions(image.conventions, _checked(image, edits)))
    supply = image.conventions.supply_v, after.conventions.supply_v
    table, mode = image.layout.mode_table, image.mode
    if supply[0] == supply[1] or not len(table.follows_supply):
        return []
    rows = np.flatnonzero((mode >= 0) & table.follows_supply[np.maximum(mode, 0)])
    return [
        Renamed(int(image.ids[row]), *(_levels(table, int(mode[row]), volts) for volts in supply))
        for row in rows[:MOST_ADDRESSES].tolist()
    ]


def _levels(table: ModeTable, mode: int, supply_v: float) -> str:
    """The levels or the span of a mode at a supply, in words."""
    share = supply_v / float(table.numbers["at_supply_v"][mode])
    if table.family[mode] == Family.CONTACT:
        off, on = (shown(float(table.numbers[name][mode]) * share, 2) for name in ("off_below_v", "on_from_v"))
        return f"off below {off} V, on from {on} V"
    high = shown(float(table.numbers["signal_high"][mode]) * share, 3)
    return f"full scale {high} {ModeTable.UNITS[int(table.unit[mode])]}"


def preview_conventions(image: PlantImage, edits: Sequence[ConventionEdit]) -> list[Renamed]:
    """The channels that would be labelled anew, at most MOST_ADDRESSES. Raises ConventionRefused."""
    after = image.with_conventions(with_conventions(image.conventions, _checked(image, edits)))
    if after.layout.channel_base == image.layout.channel_base:
        return []
    landed = [row for row in range(len(image)) if image.landed[row]][:MOST_ADDRESSES]
    return [Renamed(int(image.ids[r]), image.text("channel", r), after.text("channel", r)) for r in landed]


def preview_change(connection: Connection, image: PlantImage, edits: Sequence[ConventionEdit]) -> Preview:
    """Values that would move and findings that would come and go, with nothing written. Raises ConventionRefused."""
    return preview(
        connection, image, ChangeSet(conventions=with_conventions(image.conventions, _checked(image, edits)))
    )


def change_conventions(
    engine: Engine, cache: ImageCache, edits: Sequence[ConventionEdit], who: str, why: str = ""
) -> Applied:
    """Change conventions as one set. Raises ConventionRefused; then nothing is written."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        applied = _change(connection, cache.caught_up(connection), edits, who, why)
    cache.adopt(applied.image)
    return applied


def _change(
    connection: Connection, image: PlantImage, edits: Sequence[ConventionEdit], who: str, why: str
) -> Applied:
    becomes = with_conventions(image.conventions, _checked(image, edits))
    same = becomes == image.conventions
    return commit(connection, image, ChangeSet(conventions=None if same else becomes), who, "conventions", why)


def _checked(image: PlantImage, edits: Sequence[ConventionEdit]) -> dict[str, str]:
    now = convention_texts(image.conventions)
    for edit in edits:
        if edit.name not in now:
            raise ConventionRefused(edit.name, f"“{edit.name}” is not a convention")
        if now[edit.name] != edit.was:
            raise ConventionRefused(edit.name, f"somebody changed it to “{now[edit.name]}” meanwhile", now[edit.name])
        try:
            with_conventions(image.conventions, {edit.name: edit.text})
        except TextError as error:
            if len(edits) == 1:
                raise ConventionRefused(edit.name, str(error)) from error
    typed = {edit.name: edit.text for edit in edits}
    try:
        with_conventions(image.conventions, typed)
    except TextError as error:
        raise ConventionRefused(edits[0].name, str(error)) from error
    return typed
