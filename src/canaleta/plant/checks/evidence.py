"""Evidence: signed records of what was tested, by whom and with what came out. They never change.

A record is one document and its hash; the hash covers who signed and when as well, so that a copy can be checked.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import ARRAY, BigInteger, ColumnElement, Connection, cast, func, insert, or_, select

from canaleta.plant.database import tables as t

__all__ = [
    "WHOLE",
    "Countersignature",
    "Day",
    "Evidence",
    "Line",
    "Wanted",
    "countersign",
    "countersignatures",
    "digest",
    "keep",
    "moments_of",
    "newest_of",
    "of_point",
    "one",
    "search",
    "timeline",
]


@dataclass(frozen=True)
class Evidence:
    """One signed record. kind: "loop check", "loop-back", "script", "trim",
    "acceptance" and so on; verdict: in words."""

    id: int
    at: datetime
    kind: str
    point: int
    who: str
    name: str
    verdict: str
    hash: str
    body: dict[str, Any]

    @property
    def sound(self) -> bool:
        """Whether it is still what was signed."""
        return self.hash == digest(self.at, self.kind, self.point, self.who, self.name, self.verdict, self.body)


def digest(at: datetime, kind: str, point: int, who: str, name: str, verdict: str, body: dict[str, Any]) -> str:
    """The hash of a record: SHA-256 of its JSON with sorted keys."""
    whole = [at.astimezone(UTC).isoformat(), kind, point, who, name, verdict, body]
    return hashlib.sha256(json.dumps(whole, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def keep(
    connection: Connection, kind: str, point: int, who: str, name: str, verdict: str, body: dict[str, Any]
) -> int:
    """Sign and keep a record. Returns its number."""
    at = datetime.now(UTC)
    values = {
        "at": at,
        "kind": kind,
        "point": point,
        "who": who,
        "name": name,
        "verdict": verdict,
        "body": body,
        "hash": digest(at, kind, point, who, name, verdict, body),
    }
    return int(connection.execute(insert(t.evidence).values(**values).returning(t.evidence.c.id)).scalar_one())


def of_point(connection: Connection, point: int, most: int = 50) -> list[Evidence]:
    """The records of a point, newest first: its own, and those of scripts that it had a part in."""
    among = t.evidence.c.body["points"].contains([point])
    query = select(*WHOLE).where(or_(t.evidence.c.point == point, among)).order_by(t.evidence.c.id.desc()).limit(most)
    return [Evidence(**row) for row in connection.execute(query).mappings()]


def newest_of(connection: Connection, points: Sequence[int]) -> list[Evidence]:
    """The newest record of each kind at each of these points, by point and time; records of scripts stand at the points they name
    first."""
    c = t.evidence.c
    query = (
        select(*WHOLE)
        .where(c.point.in_(list(points)))
        .distinct(c.point, c.kind)
        .order_by(c.point, c.kind, c.id.desc())
    )
    return sorted((Evidence(**row) for row in connection.execute(query).mappings()), key=lambda e: (e.point, e.at))


def one(connection: Connection, number: int) -> Evidence | None:
    """A record by its number."""
    row = connection.execute(select(*WHOLE).where(t.evidence.c.id == number)).mappings().first()
    return Evidence(**row) if row else None


@dataclass(frozen=True)
class Wanted:
    """Which records are looked for; "" and None for any. since, until: moments; points: of these alone."""

    kind: str = ""
    who: str = ""
    passes: bool | None = None
    since: datetime | None = None
    until: datetime | None = None
    points: Sequence[int] | None = None


@dataclass(frozen=True)
class Line:
    """A record as a list tells it, without what was read. furthest: the error that is furthest off, % of span."""

    id: int
    at: datetime
    kind: str
    point: int
    who: str
    name: str
    verdict: str
    passes: bool | None
    phase: str | None
    worst: float | None
    furthest: float | None


def moments_of(since: str, until: str) -> tuple[datetime | None, datetime | None]:
    """(beginning of a day, end of another), days as in 2027-03-31, "" for none. Raises ValueError for what is no day."""
    begins, ends = (datetime.fromisoformat(day).replace(tzinfo=UTC) if day else None for day in (since, until))
    try:
        return begins, None if ends is None else ends + timedelta(days=1)
    except OverflowError as error:
        raise ValueError(f"{until} is the last day there is") from error


def search(connection: Connection, wanted: Wanted, *, after: int = 0, most: int = 200) -> tuple[list[Line], int]:
    """(records, newest first, from one of a number on downwards; how many there are in all)."""
    of = _those(wanted)
    count = connection.execute(select(func.count()).select_from(t.evidence).where(*of)).scalar_one()
    columns = [t.evidence.c[f.name] for f in fields(Line)]
    page = select(*columns).where(*of).order_by(t.evidence.c.id.desc()).limit(most)
    if after:
        page = page.where(t.evidence.c.id < after)
    return [Line(*row) for row in connection.execute(page)], int(count)


@dataclass(frozen=True)
class Day:
    """What was signed on a day: least and largest of the errors that were furthest off, % of span; how many; how many failed."""

    at: datetime
    low: float | None
    high: float | None
    count: int
    failed: int


def timeline(connection: Connection, wanted: Wanted) -> list[Day]:
    """Every record that is looked for, day by day, oldest first."""
    day = func.date_trunc("day", t.evidence.c.at).label("day")
    error, failed = t.evidence.c.furthest, t.evidence.c.passes.is_(False)
    of = select(day, func.min(error), func.max(error), func.count(), func.count().filter(failed))
    return [Day(*row) for row in connection.execute(of.where(*_those(wanted)).group_by(day).order_by(day))]


def _those(wanted: Wanted) -> list[ColumnElement[bool]]:
    out: list[ColumnElement[bool]] = []
    if wanted.kind:
        out.append(t.evidence.c.kind == wanted.kind)
    if wanted.who:
        out.append(or_(t.evidence.c.who == wanted.who, t.evidence.c.name == wanted.who))
    if wanted.passes is not None:
        out.append(t.evidence.c.passes.is_(wanted.passes))
    if wanted.since is not None:
        out.append(t.evidence.c.at >= wanted.since)
    if wanted.until is not None:
        out.append(t.evidence.c.at < wanted.until)
    if wanted.points is not None:
        out.append(t.evidence.c.point == func.any(cast(list(wanted.points), ARRAY(BigInteger))))
    return out


@dataclass(frozen=True)
class Countersignature:
    """Another person's signature under a record. hash: over that of the record, who and when."""

    id: int
    at: datetime
    record: int
    who: str
    name: str
    remark: str
    hash: str

    def sound_under(self, record: Evidence) -> bool:
        """Whether it is what was signed, under this record."""
        return self.hash == _under(record.hash, self.at, self.who, self.name, self.remark)


def countersign(connection: Connection, record: Evidence, who: str, name: str, remark: str) -> None:
    """Sign under somebody else's record. Raises ValueError for one's own, and for one that one signed already."""
    if record.who == who:
        raise ValueError(f"record {record.id} is your own: another person signs under it")
    if any(one.who == who for one in countersignatures(connection, [record.id])):
        raise ValueError(f"record {record.id} has your signature already")
    at = datetime.now(UTC)
    values = {"at": at, "record": record.id, "who": who, "name": name, "remark": remark}
    connection.execute(insert(t.countersignature).values(**values, hash=_under(record.hash, at, who, name, remark)))


def countersignatures(connection: Connection, records: Sequence[int]) -> list[Countersignature]:
    """The signatures under records, oldest first."""
    query = select(t.countersignature).where(
        t.countersignature.c.record == func.any(cast(list(records), ARRAY(BigInteger)))
    )
    rows = connection.execute(query.order_by(t.countersignature.c.id)).mappings()
    return [Countersignature(**row) for row in rows]


def _under(of: str, at: datetime, who: str, name: str, remark: str) -> str:
    whole = [of, at.astimezone(UTC).isoformat(), who, name, remark]
    return hashlib.sha256(json.dumps(whole, ensure_ascii=False).encode()).hexdigest()


WHOLE = [t.evidence.c[f.name] for f in fields(Evidence)]
"""The columns of a whole record."""
