"""A database whose clock goes ahead of the server's own, or behind it."""

from __future__ import annotations

from sqlalchemy import Connection, text

__all__ = ["PATH", "ahead", "movable"]

PATH = "search_path = jumped, pg_catalog, public"
"""What a session or a database is set to, so that what programs call is found before the server's own."""


def movable(connection: Connection) -> None:
    """Make the clock movable for whoever is set to PATH."""
    connection.execute(text("create schema jumped"))
    connection.execute(text("create table jumped.clock (ahead_s float not null)"))
    connection.execute(text("insert into jumped.clock values (0)"))
    for name in ("now", "clock_timestamp"):
        connection.execute(
            text(
                f"create function jumped.{name}() returns timestamptz language sql volatile as 'select "
                f"pg_catalog.{name}() + (select make_interval(secs => ahead_s) from jumped.clock)'"
            )
        )
    connection.execute(text("grant usage on schema jumped to public"))
    connection.execute(text("grant select on jumped.clock to public"))


def ahead(connection: Connection, seconds: int) -> None:
    """Set it so far ahead of the server's own."""
    connection.execute(text("update jumped.clock set ahead_s = :s"), {"s": seconds})
