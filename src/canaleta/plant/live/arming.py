"""Arming: writing to a rack is off until somebody with the right switches it on, for a while. In database time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, select, text
from sqlalchemy.dialects.postgresql import insert

from canaleta.plant.database import tables as t

__all__ = ["MOST_MINUTES", "Armed", "arm", "armed", "disarm"]

MOST_MINUTES = 60


@dataclass(frozen=True)
class Armed:
    """Who armed a rack, and until when."""

    who: str
    until: datetime


def arm(connection: Connection, rack: int, who: str, minutes: int) -> None:
    """Allow writes to a rack for so many minutes, at most MOST_MINUTES, from now."""
    until = func.clock_timestamp() + text("make_interval(mins => :minutes)").bindparams(
        minutes=max(1, min(minutes, MOST_MINUTES))
    )
    values = {"who": who, "until": until, "at": func.clock_timestamp()}
    put = insert(t.arming).values(rack=rack, **values)
    connection.execute(put.on_conflict_do_update(index_elements=["rack"], set_=values))


def disarm(connection: Connection, rack: int) -> None:
    """Switch writing off."""
    connection.execute(delete(t.arming).where(t.arming.c.rack == rack))


def armed(connection: Connection, rack: int) -> Armed | None:
    """Who armed the rack, while that lasts. A clock that was set back behind the moment of arming ends it: nobody may write for
    longer than was said."""
    row = connection.execute(
        select(t.arming.c.who, t.arming.c.until).where(
            t.arming.c.rack == rack,
            t.arming.c.until > func.clock_timestamp(),
            t.arming.c.at <= func.clock_timestamp(),
        )
    ).first()
    return Armed(row.who, row.until) if row else None
