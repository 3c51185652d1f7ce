"""Accepting findings as they are, and opening them again: one change set each, undone like any other."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from sqlalchemy import Engine, select

from canaleta.plant.changes.apply import Applied, commit
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.findings import from_body
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.records import RecordChange, next_number
from canaleta.plant.records.waivers import WAIVERS, Waiver, waivers

__all__ = ["WaiverError", "lift", "waive"]


class WaiverError(ValueError):
    """Why findings cannot be accepted, or a waiver not lifted. The message says what to do."""


def waive(engine: Engine, cache: ImageCache, keys: Sequence[str], reason: str, who: str) -> Applied:
    """Accept findings as they are, as one change set. Raises WaiverError; then nothing is written."""
    if not reason.strip():
        raise WaiverError("say why: what is accepted is printed with its reason")
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        bodies = connection.execute(select(t.finding.c.body).where(t.finding.c.key.in_(keys))).scalars().all()
        found = {body["key"]: from_body(body) for body in bodies}
        if gone := [key for key in keys if key not in found]:
            raise WaiverError(f"{len(gone)} of them {'is' if len(gone) == 1 else 'are'} settled by now: look again")
        known, number = waivers(connection), next_number(connection, WAIVERS)
        at = datetime.now(UTC).isoformat()
        changes = []
        for key in dict.fromkeys(keys):
            was = known.get(key)
            made = Waiver(
                was.id if was else number,
                key,
                found[key].rule,
                found[key].fingerprint,
                reason.strip(),
                who,
                at,
                found[key].text,
            )
            number += was is None
            changes.append(RecordChange(WAIVERS, was, made))
        many = "a finding" if len(changes) == 1 else f"{len(changes)} findings"
        applied = commit(connection, image, ChangeSet(records=changes), who, f"accepted {many}", reason.strip())
    cache.adopt(applied.image)
    return applied


def lift(engine: Engine, cache: ImageCache, keys: Sequence[str], who: str) -> Applied:
    """Take waivers back, as one change set. Raises WaiverError for one that is not there."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = waivers(connection)
        if gone := [key for key in keys if key not in known]:
            raise WaiverError(
                f"{len(gone)} of them {'is' if len(gone) == 1 else 'are'} not accepted any more: look again"
            )
        changes: list[RecordChange] = [RecordChange(WAIVERS, known[key], None) for key in dict.fromkeys(keys)]
        many = "a finding" if len(changes) == 1 else f"{len(changes)} findings"
        applied = commit(connection, image, ChangeSet(records=changes), who, f"opened {many} again")
    cache.adopt(applied.image)
    return applied
