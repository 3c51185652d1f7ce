"""The plant itself: what it is called."""

from __future__ import annotations

from sqlalchemy import Connection, select

from canaleta.plant.database import tables as t

__all__ = ["plant_name"]


def plant_name(connection: Connection) -> str:
    """What the plant is called."""
    return str(connection.execute(select(t.plant.c.name)).scalar_one())
