"""Evidence: signed records of what was tested, by whom and with what came out. They never change.

A record is one document and its hash; the hash covers who signed and when as well, so that a copy can be checked.
"""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, insert, or_, select

from canaleta.plant.database import tables as t

__all__ = ["Evidence", "digest", "keep", "of_point", "one"]


@dataclass(frozen=True)
class Evidence:
    """One signed record. kind: "loop check", "loop-back" or "script"; verdict: in words."""

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
    query = (
        select(t.evidence).where(or_(t.evidence.c.point == point, among)).order_by(t.evidence.c.id.desc()).limit(most)
    )
    return [Evidence(**row) for row in connection.execute(query).mappings()]


def one(connection: Connection, number: int) -> Evidence | None:
    """A record by its number."""
    row = connection.execute(select(t.evidence).where(t.evidence.c.id == number)).mappings().first()
    return Evidence(**row) if row else None
