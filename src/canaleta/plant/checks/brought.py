"""Results that were read away from the network and brought back: each by its own code, so that none is taken twice, and none is
lost that cannot be signed yet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ARRAY, Connection, Text, cast, func, select, update
from sqlalchemy.dialects.postgresql import insert

from canaleta.plant.database import tables as t

__all__ = ["LAID_ASIDE", "SIGNED", "WAITS", "Brought", "by_key", "claim", "known", "settle", "waiting"]

SIGNED, WAITS, LAID_ASIDE = "signed", "waits", "laid aside"


@dataclass(frozen=True)
class Brought:
    """One result. state: signed, waits (for whoever looks why) or laid aside; record: of the signed one, or the item of the
    punch list that it became."""

    key: str
    at: datetime
    package: str
    point: int
    who: str
    tester: str
    read_at: datetime
    state: str
    why: str
    record: int
    body: dict[str, Any]


def claim(connection: Connection, one: Brought) -> bool:
    """Take a result in. Returns False where its code is known already: then nothing is written."""
    values = {name: getattr(one, name) for name in one.__dataclass_fields__ if name != "at"}
    put = insert(t.brought).values(**values).on_conflict_do_nothing().returning(t.brought.c.key)
    return connection.execute(put).first() is not None


def settle(connection: Connection, key: str, state: str, why: str, record: int = 0) -> None:
    """Say what became of a result."""
    values = {"state": state, "why": why, "record": record}
    connection.execute(update(t.brought).where(t.brought.c.key == key).values(**values))


def known(connection: Connection, keys: Sequence[str]) -> dict[str, Brought]:
    """Those of some codes that were brought already."""
    query = select(t.brought).where(t.brought.c.key == func.any(cast(list(keys), ARRAY(Text))))
    return {row["key"]: Brought(**row) for row in connection.execute(query).mappings()}


def by_key(connection: Connection, key: str) -> Brought | None:
    """One result, locked until the transaction ends; None if there is none."""
    row = connection.execute(select(t.brought).where(t.brought.c.key == key).with_for_update()).mappings().first()
    return Brought(**row) if row else None


def waiting(connection: Connection, most: int = 2000) -> list[Brought]:
    """Results that nobody signed or laid aside yet, oldest first."""
    query = select(t.brought).where(t.brought.c.state == WAITS).order_by(t.brought.c.read_at).limit(most)
    return [Brought(**row) for row in connection.execute(query).mappings()]
