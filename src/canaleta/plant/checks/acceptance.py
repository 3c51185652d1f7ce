"""What is known of points before they are accepted: their newest loop check and all that may stand in the way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import Connection, DateTime, bindparam, func, select
from sqlalchemy.dialects.postgresql import distinct_on

from canaleta.core.checks.ladder import SWAP, Facts
from canaleta.core.model.image import PlantImage
from canaleta.plant.checks import punches
from canaleta.plant.checks.evidence import WHOLE, Evidence
from canaleta.plant.checks.rungs import changed_since
from canaleta.plant.database import tables as t
from canaleta.plant.database.locks import held
from canaleta.plant.live import temporary
from canaleta.plant.live.temporary import FORCE, SUBSTITUTE

__all__ = ["LOOP_KINDS", "Check", "facts_of", "newest_checks", "signatures_of"]

LOOP_KINDS = ("loop check", "loop-back")


@dataclass(frozen=True)
class Check:
    """What counts of a point's newest record: not what was read, which may be as long as a photo. seq: the list that it was
    judged with; read_at: when it was read, which is earlier than when it was signed for what was brought back."""

    id: int
    kind: str
    name: str
    verdict: str
    read_at: datetime
    signed_at: datetime
    passes: bool
    measured: bool
    due: str
    seq: int
    sound: bool


def newest_checks(
    connection: Connection, points: Sequence[int], kinds: Sequence[str] = LOOP_KINDS
) -> dict[int, Check]:
    """{point: its newest record of some kinds, by when it was read}."""
    if not points:
        return {}
    # What was read away and brought back later is as old as its reading.
    read = func.coalesce(t.evidence.c.body["read_at"].as_string().cast(DateTime(timezone=True)), t.evidence.c.at)
    query = (
        select(*WHOLE, read.label("read"))
        .where(
            t.evidence.c.point.in_(bindparam("points", list(points), expanding=True)),
            t.evidence.c.kind.in_(list(kinds)),
        )
        .ext(distinct_on(t.evidence.c.point))
        .order_by(t.evidence.c.point, read.desc(), t.evidence.c.id.desc())
    )
    out = {}
    # A few at a time: whether a record is sound takes all of it, with its photo.
    for row in connection.execute(query.execution_options(yield_per=20)).mappings():
        values = dict(row)
        read_at = values.pop("read")
        one = Evidence(**values)
        out[one.point] = Check(
            one.id, one.kind, one.name, one.verdict, read_at, one.at, one.body.get("passes") is True,
            bool(one.body.get("instrument")), str(one.body.get("due", "")), int(one.body.get("seq", 0)), one.sound,
        )  # fmt: skip
    return out


def signatures_of(connection: Connection, records: Sequence[int]) -> dict[int, int]:
    """{record: how many people signed it}, whoever made it among them."""
    out = dict.fromkeys(records, 1)
    query = (
        select(t.countersignature.c.record, func.count())
        .where(t.countersignature.c.record.in_(bindparam("records", list(records), expanding=True)))
        .group_by(t.countersignature.c.record)
    )
    for record, count in connection.execute(query):
        out[record] += count
    return out


def facts_of(connection: Connection, image: PlantImage, points: Sequence[int], who: str) -> dict[int, Facts]:
    """What is known of points of the list, by point. who: asks; a row that they locked themselves is in nobody's way."""
    checks = newest_checks(connection, points)
    swaps = newest_checks(connection, list(checks), (SWAP,))
    changed = changed_since(connection, image, {p: one.seq for p, one in checks.items()})
    signed = signatures_of(connection, [one.id for one in checks.values()])
    open_a, locks = punches.open_a(connection, points), held(connection)
    open_changes: dict[int, list[temporary.Temporary]] = {}
    for entry in temporary.listed(connection, most=100_000):
        open_changes.setdefault(entry.point, []).append(entry)
    wanted = image.conventions.testing.signatures
    out = {}
    for point in points:
        one, here = checks.get(point), open_changes.get(point, [])
        told = [(x.kind in (FORCE, SUBSTITUTE), f"{x.kind} of {x.who}, {x.what}") for x in here]
        facts = Facts(
            wanted_signatures=wanted,
            open_a=open_a.get(point, ()),
            temporary=tuple(words for held_at, words in told if not held_at),
            forces=tuple(words for held_at, words in told if held_at),
            locked=locks[point].who if point in locks and locks[point].who != who else "",
        )
        if one is not None:
            facts = replace(
                facts, record=one.id, passed=one.passes, due=one.due, day=one.signed_at.date().isoformat(), sound=one.sound,
                measured=one.measured, changed=point in changed, signatures=signed[one.id],
                swap=swaps[point].id if point in swaps and swaps[point].read_at > one.read_at else 0,
            )  # fmt: skip
        out[point] = facts
    return out
