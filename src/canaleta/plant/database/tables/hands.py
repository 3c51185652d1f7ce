"""The list for many hands: views, typicals, locks, issues and signatures, lists brought in."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    Column,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    Table,
    Text,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB

from canaleta.plant.database.tables.base import metadata, now_column

__all__ = ["import_job", "mapping", "revision", "row_lock", "signature", "typical", "view"]

view = Table(
    "view",
    metadata,
    Column("owner", Text, primary_key=True),
    Column("name", Text, primary_key=True),
    Column("body", JSONB, nullable=False),
    now_column(),
)

typical = Table(
    "typical",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("says", Text, nullable=False, server_default=""),
    Column("cells", JSONB, nullable=False),
)

instrument = Table(
    "instrument",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("make", Text, nullable=False, server_default=""),
    Column("serial", Text, nullable=False, server_default=""),
    Column("due", Text, nullable=False, server_default=""),
    Column("certificate", Text, nullable=False, server_default=""),
    Column("ranges", JSONB, nullable=False),
)

row_lock = Table(
    "row_lock",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("point", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("may_lift", Text, nullable=False, server_default=""),
    Column("kind", Text, nullable=False, server_default=""),
    Column("lifted_by", Text),
    Column("lifted_at", DateTime(timezone=True)),
    Index("ix_row_lock_held", "point", unique=True, postgresql_where=text("lifted_at is null")),
)

revision = Table(
    "revision",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("mark", Text, nullable=False),
    Column("seq", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("note", Text, nullable=False, server_default=""),
    Column("open_reason", Text, nullable=False, server_default=""),
    Column("points", Integer, nullable=False),
    Column("findings", Integer, nullable=False),
    Column("hash", Text, nullable=False),
    Column("document", LargeBinary, nullable=False),
)

signature = Table(
    "signature",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("revision", ForeignKey("revision.id"), nullable=False),
    Column("meaning", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("remark", Text, nullable=False, server_default=""),
    Column("hash", Text, nullable=False),
    CheckConstraint("meaning in ('checked', 'issued', 'withdrawn')", name="meaning"),
)

import_job = Table(
    "import_job",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("state", Text, nullable=False),
    Column("done", Float, nullable=False, server_default="0"),
    Column("beat", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("says", Text, nullable=False, server_default=""),
    Column("sheets", LargeBinary),
    Column("choices", JSONB, nullable=False, server_default="{}"),
    Column("result", LargeBinary),
    Column("lines", LargeBinary),
)

mapping = Table(
    "mapping",
    metadata,
    Column("name", Text, primary_key=True),
    Column("who", Text, nullable=False),
    now_column(),
    Column("columns", JSONB, nullable=False),
)
