"""Trims that are accepted and taken back: the cells that change and the record of why, in one transaction."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Engine

from canaleta.core.model.fields import Stored
from canaleta.plant.changes.apply import commit, without_locked
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.proposal import Applied, Edit, Planned, Proposal, plan
from canaleta.plant.checks import evidence
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["FOUND", "TRIM", "accept", "take_back"]

TRIM = "trim"
"""The kind of record that says what a channel was found to count."""
FOUND = ("found_low", "found_high", "trimmed")


def accept(
    engine: Engine,
    cache: ImageCache,
    point: int,
    found: Mapping[str, str],
    who: str,
    name: str,
    verdict: str,
    body: dict[str, Any],
) -> tuple[Applied, Evidence] | Planned:
    """Keep what a channel was found to count, and the signed record of it; or say in a Planned why not, then nothing is
    kept. found: texts of found_low and found_high."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        row = image.row_of(point)
        edits = tuple(Edit(point, field, image.text(field, row), text) for field, text in found.items())
        proposal = Proposal(edits, TRIM)
        planned = without_locked(connection, image, plan(image, proposal), proposal, who)
        if not planned.possible:
            return planned
        made = evidence.one(connection, evidence.keep(connection, TRIM, point, who, name, verdict, body))
        assert made is not None
        told: Stored = f"{made.at:%Y-%m-%d}, record {made.id}"
        cells = {**planned.changes, (row, "trimmed"): told}
        applied = commit(connection, image, ChangeSet(cells), who, TRIM, f"record {made.id}")
    cache.adopt(applied.image)
    return applied, made


def take_back(engine: Engine, cache: ImageCache, point: int, who: str, why: str) -> Applied | Planned:
    """Let a channel count as its data sheet says again; what was signed stays."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        row = image.row_of(point)
        proposal = Proposal(
            tuple(Edit(point, field, image.text(field, row), "") for field in FOUND), "trim taken back", why
        )
        planned = without_locked(connection, image, plan(image, proposal), proposal, who)
        if not planned.possible:
            return planned
        applied = commit(connection, image, ChangeSet(planned.changes), who, proposal.source, proposal.why)
    cache.adopt(applied.image)
    return applied
