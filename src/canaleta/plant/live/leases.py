"""Which agent scans which rack: leases in the database's own time with a growing epoch, shared out evenly.

An agent says from time to time that it lives. Each takes its share of the racks and lets go of what is over it; what
a dead agent held is free when its lease ends.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, delete, func, select, text, update
from sqlalchemy.dialects.postgresql import insert

from canaleta.plant.database import tables as t

__all__ = ["LEASE_S", "RENEW_S", "alive", "beat", "gone", "let_go", "renew", "share_of", "take_lease"]

LEASE_S = 5.0
RENEW_S = 1.0
"""A lease outlives four missed renewals. What a dead agent held moves within LEASE_S, a look, and a scanner's
beginning: ten seconds in all, on a busy machine too."""


def _until(seconds: float) -> Any:
    return func.clock_timestamp() + text("make_interval(secs => :seconds)").bindparams(seconds=seconds)


def _over(until: Any, seconds: float = LEASE_S) -> Any:
    """Whether a promise is over. One for longer than anybody gives was made before the database's clock was set back, or by a
    server whose clock was ahead: it would keep a rack unread for as long."""
    longest = func.clock_timestamp() + text("make_interval(secs => :longest)").bindparams(longest=2 * seconds)
    return (until < func.clock_timestamp()) | (until > longest)


def take_lease(connection: Connection, rack: int, holder: str, seconds: float = LEASE_S) -> int | None:
    """Take or renew the lease of a rack in the database's own time. Returns its epoch, None if another holds it.

    The epoch grows whenever the holder changes, so that a holder that slept cannot write over its successor.
    """
    until = _until(seconds)
    renewed = connection.execute(
        update(t.lease)
        .where(t.lease.c.rack == rack, t.lease.c.holder == holder)
        .values(until=until)
        .returning(t.lease.c.epoch)
    ).scalar_one_or_none()
    if renewed is not None:
        return int(renewed)
    statement = insert(t.lease).values(rack=rack, holder=holder, epoch=1, until=until)
    taken = connection.execute(
        statement.on_conflict_do_update(
            index_elements=["rack"],
            set_={"holder": holder, "epoch": t.lease.c.epoch + 1, "until": until},
            where=_over(t.lease.c.until, seconds),
        ).returning(t.lease.c.epoch)
    ).scalar_one_or_none()
    return None if taken is None else int(taken)


def renew(connection: Connection, holder: str, seconds: float = LEASE_S) -> dict[int, int]:
    """Renew every lease of a holder at once. Returns {rack: epoch} of what it still holds."""
    rows = connection.execute(
        update(t.lease)
        .where(t.lease.c.holder == holder)
        .values(until=_until(seconds))
        .returning(t.lease.c.rack, t.lease.c.epoch)
    )
    return {row.rack: row.epoch for row in rows}


def let_go(connection: Connection, rack: int, holder: str) -> None:
    """Give a rack back, so that another may take it at once."""
    connection.execute(
        update(t.lease)
        .where(t.lease.c.rack == rack, t.lease.c.holder == holder)
        .values(until=func.clock_timestamp(), holder="")
    )


def beat(connection: Connection, holder: str, racks: int) -> None:
    """Say that an agent lives and holds so many racks; forget those that have not said so for a while."""
    put = insert(t.agent).values(holder=holder, until=_until(LEASE_S), racks=racks)
    connection.execute(
        put.on_conflict_do_update(index_elements=["holder"], set_={"until": _until(LEASE_S), "racks": racks})
    )
    connection.execute(delete(t.agent).where(_over(t.agent.c.until)))


def gone(connection: Connection, holder: str) -> None:
    """An agent ends: its racks are free at once."""
    connection.execute(
        update(t.lease).where(t.lease.c.holder == holder).values(until=func.clock_timestamp(), holder="")
    )
    connection.execute(delete(t.agent).where(t.agent.c.holder == holder))


def share_of(connection: Connection, racks: int) -> int:
    """How many racks each agent holds at most when they are shared out evenly."""
    return -(-racks // max(alive(connection), 1))


def alive(connection: Connection) -> int:
    """How many agents live."""
    agents = select(func.count()).select_from(t.agent).where(~_over(t.agent.c.until))
    return int(connection.execute(agents).scalar_one())
