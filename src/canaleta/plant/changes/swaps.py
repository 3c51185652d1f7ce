"""Another device in an old one's place: signed, with its serial number in the list and the check of the old one lost, in one
transaction."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Engine

from canaleta.core.checks.ladder import SWAP
from canaleta.plant.changes.apply import commit, without_locked
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.climbing import Signing, keep_signed
from canaleta.plant.changes.proposal import Edit, Planned, Proposal, plan
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["swap"]


def swap(
    engine: Engine,
    cache: ImageCache,
    point: int,
    texts: Mapping[str, str],
    who: str,
    name: str,
    verdict: str,
    body: Mapping[str, Any],
) -> Evidence | Planned:
    """Sign that a device was exchanged. texts: what the list says of the new one, by field; body: what is signed. Raises
    LockedError; says in a Planned why the list cannot say so, then nothing is signed."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        row = image.row_of(point)
        edits = tuple(Edit(point, field, image.text(field, row), text) for field, text in texts.items())
        proposal = Proposal(edits, SWAP)
        planned = without_locked(connection, image, plan(image, proposal), proposal, who)
        if not planned.possible:
            return planned
        after = image
        if planned.changes:
            after = commit(connection, image, ChangeSet(planned.changes), who, SWAP, verdict).image
        signing = Signing(SWAP, (point,), verdict, {**body, "seq": after.seq}, True, after.seq)
        made, after = keep_signed(connection, after, signing, who, name)
    cache.adopt(after)
    return made
