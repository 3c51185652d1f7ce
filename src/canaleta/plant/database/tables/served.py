"""What is served to other systems: by whom, which clients are trusted, which points were given away for writing."""

from __future__ import annotations

from sqlalchemy import BigInteger, Boolean, Column, DateTime, Index, Table, Text, func, text
from sqlalchemy.dialects.postgresql import JSONB

from canaleta.plant.database.tables.base import metadata, now_column

__all__ = ["client_certificate", "given_away", "given_write", "serving"]

serving = Table(
    "serving",
    metadata,
    Column("name", Text, primary_key=True),
    Column("holder", Text, nullable=False),
    Column("epoch", BigInteger, nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
    Column("outlets", JSONB, nullable=False, server_default="[]"),
)
"""Whoever serves under a name holds its lease; outlets: what it says of each door, as it was last told."""

client_certificate = Table(
    "client_certificate",
    metadata,
    Column("fingerprint", Text, primary_key=True),
    Column("name", Text, nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
    Column("first", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("last", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("trusted", Boolean, nullable=False, server_default="false"),
    Column("trusted_by", Text, nullable=False, server_default=""),
)

given_away = Table(
    "given_away",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("point", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
    Column("ended_at", DateTime(timezone=True)),
    Column("ended_by", Text, nullable=False, server_default=""),
)
Index("ix_given_away_open", given_away.c.point, postgresql_where=text("ended_at is null"))

given_write = Table(
    "given_write",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("point", BigInteger, nullable=False),
    Column("by", Text, nullable=False),
    Column("door", Text, nullable=False),
    Column("value", Text, nullable=False),
    Column("done", Boolean, nullable=False),
    Column("says", Text, nullable=False, server_default=""),
)
"""What other systems wrote, or tried to."""
