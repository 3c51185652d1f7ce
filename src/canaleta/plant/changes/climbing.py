"""Points climb their ladder: what is signed or marked, the rungs that follow from it, and the status that the list shows, in
one transaction."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, Engine

from canaleta.core.checks.ladder import Blocker, Rung, Step, blockers, moves, status_of
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.apply import commit
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.changes.undo import LADDER
from canaleta.plant.checks import evidence
from canaleta.plant.checks.acceptance import facts_of
from canaleta.plant.checks.evidence import Evidence
from canaleta.plant.checks.rungs import changed_since, reached, steps_taken, write_steps
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.database.locks import TEST_LOCK, let_go, refuse_locked
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["ACCEPTANCE", "Accepted", "Signing", "StaleError", "accept", "climb", "keep_signed", "mark", "sign"]

ACCEPTANCE = "acceptance"


@dataclass(frozen=True)
class Signing:
    """What is signed: the record, and whether it says that the test was passed. points: all that it speaks of, the first is
    whose record it is. seq: the list that it was judged with. climbs: it is the newest of its kind; one that was read before another is
    kept, and moves nothing."""

    kind: str
    points: tuple[int, ...]
    verdict: str
    body: Mapping[str, Any]
    passed: bool
    seq: int
    climbs: bool = True


class StaleError(RuntimeError):
    """A point was changed between its being judged and its being signed. The message names it."""


@dataclass(frozen=True)
class Accepted:
    """What became of points that were to be accepted: {point: record}, and {point: why not}."""

    records: dict[int, int] = field(default_factory=dict)
    refused: dict[int, list[Blocker]] = field(default_factory=dict)


def sign(engine: Engine, cache: ImageCache, signing: Signing, who: str, name: str) -> Evidence:
    """Keep a signed record and what follows from it. Raises LockedError where somebody else works on one of its points,
    StaleError where one was changed since it was judged."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        made, after = keep_signed(connection, image, signing, who, name)
    cache.adopt(after)
    return made


def keep_signed(
    connection: Connection, image: PlantImage, signing: Signing, who: str, name: str
) -> tuple[Evidence, PlantImage]:
    """The same inside the caller's transaction, which holds the plant's lock. Returns the record and the list after it."""
    refuse_locked(connection, signing.points, who)
    if stale := changed_since(connection, image, dict.fromkeys(signing.points, signing.seq)):
        tags = ", ".join(image.label(image.row_of(p)) for p in sorted(stale) if image.has(p))
        raise StaleError(f"{tags} was changed while it was checked")
    number = evidence.keep(
        connection, signing.kind, signing.points[0], who, name, signing.verdict, dict(signing.body)
    )
    made = evidence.one(connection, number)
    assert made is not None
    steps = moves(signing.kind, passed=signing.passed) if signing.climbs else []
    how = f"{signing.kind}, record {number}"
    after = climb(connection, image, {p: steps for p in signing.points if image.has(p)}, who, name, how, number)
    let_go(connection, signing.points, who, TEST_LOCK)
    return made, after


def mark(engine: Engine, cache: ImageCache, points: Sequence[int], step: Step, who: str, how: str) -> PlantImage:
    """Mark a rung of points as reached or lost, by hand. Raises LockedError, LookupError for a point that is gone."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        if any(not image.has(point) for point in points):
            raise LookupError("one of these points is no longer there")
        refuse_locked(connection, points, who)
        after = climb(connection, image, {point: [step] for point in points}, who, "", how, 0)
    cache.adopt(after)
    return after


def accept(engine: Engine, cache: ImageCache, points: Sequence[int], who: str, name: str) -> Accepted:
    """Accept those of some points in whose way nothing stands; the others are named with the reasons."""
    out = Accepted()
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        there = [point for point in dict.fromkeys(points) if image.has(point)]
        facts = facts_of(connection, image, there, who)
        taken: dict[int, list[Step]] = {}
        for point in there:
            if why_not := blockers(facts[point]):
                out.refused[point] = why_not
                continue
            row = image.row_of(point)
            body = {
                "tag": image.label(row), "service": image.text("service", row), "address": image.text("channel", row),
                "lines": [f"on the strength of record {facts[point].record}", f"list at change {image.seq}"],
                "check": facts[point].record, "seq": image.seq, "passes": True,
            }  # fmt: skip
            number = evidence.keep(connection, ACCEPTANCE, point, who, name, "accepted", body)
            out.records[point] = number
            taken[point] = [Step(Rung.ACCEPTED, True)]
        after = climb(connection, image, taken, who, name, ACCEPTANCE, out.records)
    cache.adopt(after)
    return out


def climb(
    connection: Connection,
    image: PlantImage,
    steps: Mapping[int, Sequence[Step]],
    who: str,
    name: str,
    how: str,
    record: int | Mapping[int, int],
) -> PlantImage:
    """Write the rungs of points and the status that the list shows of each, inside the caller's transaction, which holds the
    plant's lock. Returns the list after it."""
    now = reached(connection, list(steps))
    cells: CellChanges = {}
    rows: list[dict[str, Any]] = []
    for point, wanted in steps.items():
        number = record if isinstance(record, int) else record[point]
        taken, there = steps_taken(now.get(point, {}), wanted, anew=number > 0)
        rows += [
            {"point": point, "rung": int(step.rung), "reached": step.reached, "who": who, "name": name, "how": how,
             "record": number, "seq": image.seq}
            for step in taken
        ]  # fmt: skip
        row = image.row_of(point)
        if wanted and (status := status_of(there)) != image.text("status", row):
            cells[row, "status"] = status or None
    write_steps(connection, rows)
    if not cells:
        return image
    return commit(connection, image, ChangeSet(cells), who, LADDER).image
