"""What the scan says and is told: blocks, leases, alarms, trends, temporary changes, records, scripts."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    Column,
    Computed,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    Table,
    Text,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB

from canaleta.plant.database.tables.base import metadata, now_column

__all__ = [
    "agent",
    "alarm",
    "arming",
    "board",
    "command",
    "evidence",
    "found",
    "journal",
    "lease",
    "live_block",
    "script",
    "script_run",
    "stored_state",
    "temporary",
    "trend_clock",
    "trend_hour",
    "trend_part",
    "walk",
]

live_block = Table(
    "live_block",
    metadata,
    Column("rack", ForeignKey("rack.id", ondelete="CASCADE"), primary_key=True),
    Column("scan", BigInteger, nullable=False),
    Column("epoch", BigInteger, nullable=False),
    Column("seq", BigInteger, nullable=False),
    Column("read_at", DateTime(timezone=True), nullable=False),
    Column("state", Text, nullable=False),
    Column("says", Text, nullable=False, server_default=""),
    Column("points", LargeBinary, nullable=False),
    Column("counts", LargeBinary, nullable=False),
    Column("value", LargeBinary, nullable=False),
    Column("quality", LargeBinary, nullable=False),
    Column("reasons", LargeBinary, nullable=False),
    Column("injected", LargeBinary, nullable=False),
    *(
        Column(name, LargeBinary, nullable=False)
        for name in (
            "switch",
            "flags",
            "alarm",
            "band",
            "meters",
            "counted",
            "total",
            "rate",
            "shown",
            "loaded",
            "load_ma",
        )
    ),
    prefixes=["UNLOGGED"],
)

lease = Table(
    "lease",
    metadata,
    Column("rack", ForeignKey("rack.id", ondelete="CASCADE"), primary_key=True),
    Column("holder", Text, nullable=False),
    Column("epoch", BigInteger, nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
)

command = Table(
    "command",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("rack", BigInteger, nullable=False),
    Column("kind", Text, nullable=False),
    Column("target", JSONB, nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
    Column("epoch", BigInteger),
    Column("done_at", DateTime(timezone=True)),
    Column("outcome", Text),
    Column("result", Text),
)

arming = Table(
    "arming",
    metadata,
    Column("rack", BigInteger, primary_key=True),
    Column("who", Text, nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
    now_column(),
)

agent = Table(
    "agent",
    metadata,
    Column("holder", Text, primary_key=True),
    Column("until", DateTime(timezone=True), nullable=False),
    Column("racks", Integer, nullable=False),
)

stored_state = Table(
    "kept_state",
    metadata,
    Column("rack", BigInteger, primary_key=True, autoincrement=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("body", LargeBinary, nullable=False),
)

alarm = Table(
    "alarm",
    metadata,
    Column("point", BigInteger, primary_key=True, autoincrement=False),
    Column("kind", Text, primary_key=True),
    Column("rack", BigInteger, nullable=False),
    Column("state", Text, nullable=False),
    Column("active", Boolean, nullable=False),
    Column("priority", Text, nullable=False),
    Column("since", DateTime(timezone=True), nullable=False),
    Column("raised", DateTime(timezone=True)),
    Column("who", Text, nullable=False, server_default=""),
    Column("until", DateTime(timezone=True)),
    Column("why", Text, nullable=False, server_default=""),
    Column("value", Float),
)

journal = Table(
    "journal",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("at", DateTime(timezone=True), primary_key=True),
    Column("point", BigInteger, nullable=False),
    Column("kind", Text, nullable=False),
    Column("event", Text, nullable=False),
    Column("was", Text, nullable=False),
    Column("becomes", Text, nullable=False),
    Column("priority", Text, nullable=False, server_default=""),
    Column("who", Text, nullable=False, server_default=""),
    Column("why", Text, nullable=False, server_default=""),
    Column("value", Float),
    Index("ix_journal_at", "at"),
    Index("ix_journal_point", "point", "at"),
    postgresql_partition_by="RANGE (at)",
)

trend_part = Table(
    "trend_part",
    metadata,
    Column("rack", BigInteger, primary_key=True, autoincrement=False),
    Column("begins", DateTime(timezone=True), primary_key=True),
    Column("ends", DateTime(timezone=True), nullable=False),
    Column("body", LargeBinary, nullable=False),
)

trend_hour = Table(
    "trend_hour",
    metadata,
    Column("point", BigInteger, primary_key=True, autoincrement=False),
    Column("hour", DateTime(timezone=True), primary_key=True),
    Column("body", LargeBinary, nullable=False),
    Column("minutes", LargeBinary, nullable=False),
    Column("quarters", LargeBinary, nullable=False),
    Column("clock", BigInteger),
    Index("ix_trend_hour_hour", "hour"),
    postgresql_partition_by="RANGE (hour)",
)

trend_clock = Table(
    "trend_clock",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("hour", DateTime(timezone=True), primary_key=True),
    Column("body", LargeBinary, nullable=False),
    Index("ix_trend_clock_hour", "hour"),
    postgresql_partition_by="RANGE (hour)",
)

temporary = Table(
    "temporary",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("kind", Text, nullable=False),
    Column("point", BigInteger, nullable=False),
    Column("what", Text, nullable=False),
    Column("why", Text, nullable=False, server_default=""),
    Column("who", Text, nullable=False),
    Column("given", Text, nullable=False, server_default=""),
    Column("due", DateTime(timezone=True)),
    Column("ended_at", DateTime(timezone=True)),
    Column("ended_by", Text, nullable=False, server_default=""),
    Column("ended_why", Text, nullable=False, server_default=""),
    Index("ix_temporary_open", "point", postgresql_where=text("ended_at is null")),
)

board = Table(
    "board",
    metadata,
    Column("owner", Text, primary_key=True),
    Column("name", Text, primary_key=True),
    Column("body", JSONB, nullable=False),
)

evidence = Table(
    "evidence",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("kind", Text, nullable=False),
    Column("point", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("verdict", Text, nullable=False),
    Column("hash", Text, nullable=False),
    Column("body", JSONB, nullable=False),
    Column("passes", Boolean, Computed("(body->>'passes')::boolean", persisted=True)),
    Column("phase", Text, Computed("body->>'phase'", persisted=True)),
    Column("worst", Float, Computed("(body->>'worst')::float8", persisted=True)),
    Column("furthest", Float, Computed("(body->>'furthest')::float8", persisted=True)),
    Index("ix_evidence_point", "point", "at"),
    Index("ix_evidence_at", "at"),
)

found = Table(
    "found",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("point", BigInteger, nullable=False),
    Column("pattern", Text, nullable=False),
    Column("body", JSONB, nullable=False),
    Index("ix_found_at", "at"),
)

walk = Table(
    "walk",
    metadata,
    Column("who", Text, primary_key=True),
    Column("begins", DateTime(timezone=True), nullable=False),
    Column("expected", JSONB, nullable=False),
)

script = Table(
    "script",
    metadata,
    Column("name", Text, primary_key=True),
    Column("text", Text, nullable=False),
    Column("version", Integer, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
)

script_run = Table(
    "script_run",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("script", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("beat", DateTime(timezone=True), nullable=False),
    Column("seq", BigInteger, nullable=False),
    Column("state", Text, nullable=False),
    Column("says", Text, nullable=False, server_default=""),
    Column("points", JSONB, nullable=False),
    Column("body", JSONB, nullable=False),
    Column("record", BigInteger, nullable=False, server_default="0"),
    Index("ix_script_run_script", "script", "id"),
)
