"""What is to be done in the field, and the record of it: the list changes when somebody says that it is done, and goes back
where somebody finds that it is not.
"""

from __future__ import annotations

from sqlalchemy import Connection, Engine

from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.apply import commit, without_locked
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.proposal import Edit, Proposal, plan
from canaleta.plant.checks import punches
from canaleta.plant.checks.punches import Punch, PunchError, PunchTrouble
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["mended", "not_mended"]


def mended(engine: Engine, cache: ImageCache, number: int, who: str, how: str) -> Punch:
    """Somebody mended it: the list says so from now on. Raises PunchError, also where the list says something else by
    now; then nothing is changed."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        item = punches.clear(connection, number, who, how)
        image = _said(
            connection, image, item, who, [(e["point"], e["field"], e["was"], e["text"]) for e in item.edits]
        )
    cache.adopt(image)
    return item


def not_mended(engine: Engine, cache: ImageCache, number: int, who: str, why: str) -> Punch:
    """It was not mended after all: the item is open again, and the list says what it said before. Raises PunchError."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        item = punches.put_back(connection, number, who, why)
        image = _said(
            connection, image, item, who, [(e["point"], e["field"], e["text"], e["was"]) for e in item.edits]
        )
    cache.adopt(image)
    return item


def _said(
    connection: Connection, image: PlantImage, item: Punch, who: str, cells: list[tuple[int, str, str, str]]
) -> PlantImage:
    """Let the list say what is there now. A cell that says it already is left alone."""
    edits = []
    for point, field, was, text in cells:
        if not image.has(point):
            raise PunchError(PunchTrouble.CHANGED, f"the point of item {item.id} is no longer in the list")
        now = image.text(field, image.row_of(point))
        if now == text:
            continue
        if now != was:
            name = image.label(image.row_of(point))
            says = f"{name}, {field}: the list says “{now}” by now, not “{was}”: correct it there, then say it again"
            raise PunchError(PunchTrouble.CHANGED, says)
        edits.append(Edit(point, field, was, text))
    if not edits:
        return image
    proposal = Proposal(tuple(edits), f"punch item {item.id}"[:60])
    planned = without_locked(connection, image, plan(image, proposal), proposal, who)
    if not planned.possible:
        says = planned.refusals[0].says if planned.refusals else "a cell changed under it"
        raise PunchError(PunchTrouble.CHANGED, f"the list cannot say so: {says}")
    return commit(connection, image, ChangeSet(planned.changes), who, proposal.source, item.what[:400]).image
