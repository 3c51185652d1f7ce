"""Rows kept from being changed while somebody works on the point: who, why, and who else may lift it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import Connection, func, insert, select, text, true, update

from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify, take_plant_lock

__all__ = [
    "LOCKS_CHANNEL",
    "PACKAGE_LOCK",
    "TEST_LOCK",
    "LockedError",
    "RowLock",
    "held",
    "hold",
    "let_go",
    "lift",
    "locks_of",
    "refuse_locked",
    "set_lock",
]

LOCKS_CHANNEL = "canaleta_locks"
TEST_LOCK, PACKAGE_LOCK = "test", "package"
TEST_HOURS = 12
"""How long a point stays with whoever tests it: a laptop that was shut keeps nobody from it for longer than a shift."""


class LockedError(PermissionError):
    """Rows that somebody else has locked. The message names them."""

    def __init__(self, locks: Iterable[RowLock]) -> None:
        self.locks = tuple(locks)
        first = self.locks[0]
        more = f", and {len(self.locks) - 1} more rows" if len(self.locks) > 1 else ""
        super().__init__(f"{first.words}{more}")


@dataclass(frozen=True)
class RowLock:
    """A lock that holds. may_lift: an account besides the holder's, "" for none; administrators always may. kind: "" for one
    that somebody set, or what set it: a test, a package that was taken along."""

    point: int
    who: str
    why: str
    may_lift: str
    at: str
    kind: str = ""

    @property
    def words(self) -> str:
        """Who keeps the row, and why."""
        also = f"; {self.may_lift} may lift it too" if self.may_lift else ""
        return f"{self.who} has locked this row: {self.why}{also}"


_RUN_OUT = (t.row_lock.c.kind == TEST_LOCK) & (t.row_lock.c.at < func.now() - text(f"interval '{TEST_HOURS} hours'"))


def _lift_run_out(connection: Connection) -> None:
    """Lift what holds no longer, so that another lock may take its place."""
    connection.execute(
        update(t.row_lock)
        .where(t.row_lock.c.lifted_at.is_(None), _RUN_OUT)
        .values(lifted_by="", lifted_at=func.now())
    )


def held(connection: Connection) -> dict[int, RowLock]:
    """Every lock that holds, by point."""
    rows = connection.execute(select(t.row_lock).where(t.row_lock.c.lifted_at.is_(None), ~_RUN_OUT)).all()
    return {
        row.point: RowLock(row.point, row.who, row.why, row.may_lift, row.at.isoformat(), row.kind) for row in rows
    }


def locks_of(connection: Connection, who: str) -> list[RowLock]:
    """The locks that one account holds."""
    return [lock for lock in held(connection).values() if lock.who == who]


def refuse_locked(connection: Connection, points: Iterable[int], who: str) -> None:
    """Raise LockedError if any of these points is locked by somebody else."""
    locks = held(connection)
    if found := [locks[point] for point in dict.fromkeys(points) if point in locks and locks[point].who != who]:
        raise LockedError(found)


def set_lock(connection: Connection, point: int, who: str, why: str, may_lift: str = "", kind: str = "") -> None:
    """Lock a row. Raises LockedError if it is locked, LookupError if the point or the other account is not there."""
    take_plant_lock(connection)
    if connection.execute(select(t.point.c.id).where(t.point.c.id == point)).first() is None:
        raise LookupError("this point is no longer there")
    if may_lift and connection.execute(select(t.account.c.name).where(t.account.c.name == may_lift)).first() is None:
        raise LookupError(f"there is no account “{may_lift}”")
    _lift_run_out(connection)
    locks = held(connection)
    if point in locks:
        raise LockedError((locks[point],))
    connection.execute(insert(t.row_lock).values(point=point, who=who, why=why, may_lift=may_lift, kind=kind))
    notify(connection, LOCKS_CHANNEL, point)


def lift(connection: Connection, point: int, who: str, *, administrator: bool) -> None:
    """Lift a lock. Raises LockedError for who may not, LookupError if the row is not locked."""
    take_plant_lock(connection)
    lock = held(connection).get(point)
    if lock is None:
        raise LookupError("this row is not locked")
    if who not in (lock.who, lock.may_lift) and not administrator:
        raise LockedError((lock,))
    connection.execute(
        update(t.row_lock)
        .where(t.row_lock.c.point == point, t.row_lock.c.lifted_at.is_(None))
        .values(lifted_by=who, lifted_at=func.now())
    )
    notify(connection, LOCKS_CHANNEL, point)


def hold(connection: Connection, points: Iterable[int], who: str, why: str, kind: str) -> None:
    """Keep points for somebody who works on them. What is theirs already stays as it is. Raises LockedError if somebody else
    has one of them; then none is kept."""
    take_plant_lock(connection)
    wanted = list(dict.fromkeys(points))
    _lift_run_out(connection)
    locks = held(connection)
    refuse_locked(connection, wanted, who)
    if new := [{"point": point, "who": who, "why": why, "kind": kind} for point in wanted if point not in locks]:
        connection.execute(insert(t.row_lock), new)
        notify(connection, LOCKS_CHANNEL, len(new))


def let_go(connection: Connection, points: Iterable[int], who: str, kind: str, *, anybodys: bool = False) -> None:
    """Let go of points that somebody kept for work of one kind; locks that they set otherwise stay. anybodys: whoever kept them,
    for an administrator: a tablet may be lost."""
    done = connection.execute(
        update(t.row_lock)
        .where(
            t.row_lock.c.point.in_(list(points)),
            true() if anybodys else t.row_lock.c.who == who,
            t.row_lock.c.kind == kind,
            t.row_lock.c.lifted_at.is_(None),
        )
        .values(lifted_by=who, lifted_at=func.now())
    )
    if done.rowcount:
        notify(connection, LOCKS_CHANNEL, done.rowcount)
