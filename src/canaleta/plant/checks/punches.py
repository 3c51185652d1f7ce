"""The punch list: what is still to be mended, how bad it is, who mends it, and who saw that it is.

Nothing is deleted or reworded: an item is raised, cleared by whoever mended it, and closed by somebody else who looked.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import Connection, func, insert, select, update

from canaleta.plant.database import tables as t

__all__ = ["SEVERITIES", "Punch", "PunchError", "PunchTrouble", "clear", "close", "listed", "open_a", "photo_of", "put_back", "raise_item"]  # fmt: skip

SEVERITIES = ("A", "B", "C")
"""A: nothing is accepted while it is open; B: before the plant runs; C: afterwards."""


class PunchTrouble(StrEnum):
    """Why an item is not cleared or closed."""

    GONE = "gone"
    CLEARED = "cleared already"
    OPEN = "not cleared"
    CLOSED = "closed already"
    SAME_PERSON = "same person"
    CHANGED = "the list changed"


class PunchError(ValueError):
    """Why an item stays as it is: a code beside the sentence."""

    def __init__(self, code: PunchTrouble, says: str) -> None:
        super().__init__(says)
        self.code = code


@dataclass(frozen=True)
class Punch:
    """One item. point: 0 for what belongs to none, place says where then; photo: whether there is one. due: a day, "" for
    none. edits: what the list says once it is mended, {point, field, was, text} each; rule: of the finding that asked
    for it."""

    id: int
    at: datetime
    point: int
    place: str
    what: str
    severity: str
    owner: str
    who: str
    photo: bool
    cleared_at: datetime | None
    cleared_by: str
    cleared_how: str
    closed_at: datetime | None
    closed_by: str
    closed_how: str
    due: str = ""
    rule: str = ""
    edits: list[dict[str, Any]] = field(default_factory=list)

    @property
    def state(self) -> str:
        """open, cleared or closed."""
        return "closed" if self.closed_at else "cleared" if self.cleared_at else "open"


_COLUMNS = [c for c in t.punch.c if c.name != "photo"] + [(t.punch.c.photo != "").label("photo")]


def raise_item(
    connection: Connection,
    *,
    point: int,
    place: str,
    what: str,
    severity: str,
    owner: str,
    who: str,
    photo: str = "",
    due: str = "",
    rule: str = "",
    edits: Sequence[Mapping[str, Any]] = (),
) -> int:
    """Put an item on the list. photo: a JPEG in base64. Returns its number."""
    values = {
        "at": func.clock_timestamp(), "point": point, "place": place, "what": what, "severity": severity,
        "owner": owner, "who": who, "photo": photo, "due": due, "rule": rule, "edits": [dict(one) for one in edits],
    }  # fmt: skip
    return int(connection.execute(insert(t.punch).values(**values).returning(t.punch.c.id)).scalar_one())


def clear(connection: Connection, number: int, who: str, how: str) -> Punch:
    """Somebody mended it. Raises PunchError."""
    item = _locked(connection, number)
    if item.closed_at:
        raise PunchError(PunchTrouble.CLOSED, f"item {number} is closed already, by {item.closed_by}")
    if item.cleared_at:
        raise PunchError(PunchTrouble.CLEARED, f"item {number} is cleared already, by {item.cleared_by}")
    return _set(connection, number, cleared_at=func.clock_timestamp(), cleared_by=who, cleared_how=how)


def close(connection: Connection, number: int, who: str, how: str) -> Punch:
    """Somebody else looked and found it mended. Raises PunchError."""
    item = _locked(connection, number)
    if item.closed_at:
        raise PunchError(PunchTrouble.CLOSED, f"item {number} is closed already, by {item.closed_by}")
    if not item.cleared_at:
        raise PunchError(PunchTrouble.OPEN, f"nobody said yet that item {number} is mended")
    if item.cleared_by == who:
        raise PunchError(PunchTrouble.SAME_PERSON, f"you mended item {number} yourself: another person closes it")
    return _set(connection, number, closed_at=func.clock_timestamp(), closed_by=who, closed_how=how)


def put_back(connection: Connection, number: int, who: str, why: str) -> Punch:
    """It was not mended after all: it is open again, and says who found that. Raises PunchError."""
    item = _locked(connection, number)
    if item.closed_at:
        raise PunchError(PunchTrouble.CLOSED, f"item {number} is closed: raise a new one")
    if not item.cleared_at:
        raise PunchError(PunchTrouble.OPEN, f"item {number} is open as it is")
    told = f"{item.what}; cleared by {item.cleared_by} ({item.cleared_how}), not so for {who}: {why}"
    return _set(connection, number, cleared_at=None, cleared_by="", cleared_how="", what=told[:2000])


def listed(connection: Connection, *, closed: bool = True, most: int = 5000) -> list[Punch]:
    """Items, the newest first: all of them, or those that are not closed."""
    query = select(*_COLUMNS).order_by(t.punch.c.id.desc()).limit(most)
    if not closed:
        query = query.where(t.punch.c.closed_at.is_(None))
    return [Punch(**row) for row in connection.execute(query).mappings()]


def open_a(connection: Connection, points: Iterable[int]) -> dict[int, tuple[int, ...]]:
    """{point: numbers of its items of severity A that are not closed}."""
    wanted = set(points)
    rows = connection.execute(
        select(t.punch.c.id, t.punch.c.point)
        .where(t.punch.c.closed_at.is_(None), t.punch.c.severity == "A")
        .order_by(t.punch.c.id)
    )
    out: dict[int, tuple[int, ...]] = {}
    for row in rows:
        if row.point in wanted:
            out[row.point] = (*out.get(row.point, ()), row.id)
    return out


def photo_of(connection: Connection, number: int) -> str:
    """The photo of an item, base64, "" for none. Raises PunchError where there is no such item."""
    photo = connection.execute(select(t.punch.c.photo).where(t.punch.c.id == number)).scalar_one_or_none()
    if photo is None:
        raise PunchError(PunchTrouble.GONE, f"there is no item {number}")
    return str(photo)


def _locked(connection: Connection, number: int) -> Punch:
    """An item that nobody else changes until the transaction ends."""
    query = select(*_COLUMNS).where(t.punch.c.id == number).with_for_update(of=t.punch)
    row = connection.execute(query).mappings().first()
    if row is None:
        raise PunchError(PunchTrouble.GONE, f"there is no item {number}")
    return Punch(**row)


def _set(connection: Connection, number: int, **values: object) -> Punch:
    done = update(t.punch).where(t.punch.c.id == number).values(**values).returning(*_COLUMNS)
    return Punch(**connection.execute(done).mappings().one())
