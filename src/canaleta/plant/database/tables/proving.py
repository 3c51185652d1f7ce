"""How a plant is proved by many: rungs that were reached, packages of work, what is still to be mended, what was brought
back from away."""

from __future__ import annotations

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    Table,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB

from canaleta.plant.database.tables.base import metadata, now_column

__all__ = [
    "brought",
    "countersignature",
    "dossier",
    "kept_apart",
    "package",
    "print_job",
    "punch",
    "rack_look",
    "rung",
]

rung = Table(
    "rung",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("point", BigInteger, nullable=False),
    Column("rung", SmallInteger, nullable=False),
    Column("reached", Boolean, nullable=False),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False, server_default=""),
    Column("how", Text, nullable=False, server_default=""),
    Column("record", BigInteger, nullable=False, server_default="0"),
    Column("seq", BigInteger, nullable=False),
    CheckConstraint("rung between 0 and 5", name="rung"),
    Index("ix_rung_point", "point", "rung", "id"),
)

countersignature = Table(
    "countersignature",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("record", ForeignKey("evidence.id"), nullable=False),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("remark", Text, nullable=False, server_default=""),
    Column("hash", Text, nullable=False),
    UniqueConstraint("record", "who"),
)

package = Table(
    "package",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("people", JSONB, nullable=False),
    Column("begins", Text, nullable=False, server_default=""),
    Column("ends", Text, nullable=False, server_default=""),
    Column("points", JSONB, nullable=False),
    Column("note", Text, nullable=False, server_default=""),
)

rack_look = Table(
    "rack_look",
    metadata,
    Column("rack", ForeignKey("rack.id", ondelete="CASCADE"), primary_key=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("seq", BigInteger, nullable=False),
    Column("says", Text, nullable=False, server_default=""),
    Column("open", BigInteger, nullable=False, server_default="0"),
    Column("points", JSONB, nullable=False, server_default="[]"),
    Column("missing", BigInteger, nullable=False, server_default="0"),
)

kept_apart = Table(
    "kept_apart",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("entity", Text, nullable=False, server_default="point"),
    Column("entity_id", BigInteger, nullable=False),
    Column("field", Text, nullable=False),
    Column("running", Text, nullable=False),
    Column("reason", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("until", Text, nullable=False, server_default=""),
    Column("ended_at", DateTime(timezone=True)),
    Column("ended_by", Text, nullable=False, server_default=""),
    Index("ix_kept_apart_open", "entity_id", postgresql_where=text("ended_at is null")),
)

punch = Table(
    "punch",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("point", BigInteger, nullable=False),
    Column("place", Text, nullable=False, server_default=""),
    Column("what", Text, nullable=False),
    Column("severity", Text, nullable=False),
    Column("owner", Text, nullable=False, server_default=""),
    Column("who", Text, nullable=False),
    Column("photo", Text, nullable=False, server_default=""),
    Column("cleared_at", DateTime(timezone=True)),
    Column("cleared_by", Text, nullable=False, server_default=""),
    Column("cleared_how", Text, nullable=False, server_default=""),
    Column("closed_at", DateTime(timezone=True)),
    Column("closed_by", Text, nullable=False, server_default=""),
    Column("closed_how", Text, nullable=False, server_default=""),
    Column("due", Text, nullable=False, server_default=""),
    Column("rule", Text, nullable=False, server_default=""),
    Column("edits", JSONB, nullable=False, server_default="[]"),
    CheckConstraint("severity in ('A', 'B', 'C')", name="severity"),
    CheckConstraint("closed_at is null or cleared_at is not null", name="cleared_first"),
    CheckConstraint("closed_by = '' or closed_by <> cleared_by", name="closed_by_another"),
    Index("ix_punch_open", "point", postgresql_where=text("closed_at is null")),
)
"""point: 0 for what belongs to no single one; place says where then. edits: what the list says once it is mended,
{point, field, was, text} each; rule: of the finding that asked for it."""

dossier = Table(
    "dossier",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("name", Text, nullable=False),
    Column("system", Text, nullable=False, server_default=""),
    Column("form", Text, nullable=False),
    Column("state", Text, nullable=False),
    Column("done", Float, nullable=False, server_default="0"),
    Column("says", Text, nullable=False, server_default=""),
    Column("beat", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("file", Text, nullable=False, server_default=""),
    Column("hash", Text, nullable=False, server_default=""),
    CheckConstraint("form in ('pdf', 'zip')", name="form"),
)
"""Dossiers that were asked for, and how far each is; file: its name while it is kept, for a day."""

made_file = Table(
    "made_file",
    metadata,
    Column("kind", Text, primary_key=True),
    Column("number", BigInteger, primary_key=True, autoincrement=False),
    Column("part", Integer, primary_key=True, autoincrement=False),
    Column("body", LargeBinary, nullable=False),
)
"""Dossiers and prints that were made, in parts: whichever web host is asked hands them out."""

print_job = Table(
    "print_job",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("wanted", JSONB, nullable=False),
    Column("state", Text, nullable=False),
    Column("done", Float, nullable=False, server_default="0"),
    Column("says", Text, nullable=False, server_default=""),
    Column("beat", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("file", Text, nullable=False, server_default=""),
)
"""Prints that were asked for, and how far each is; file: its name while it is kept, for a day."""

brought = Table(
    "brought",
    metadata,
    Column("key", Text, primary_key=True),
    now_column(),
    Column("package", Text, nullable=False),
    Column("point", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("tester", Text, nullable=False),
    Column("read_at", DateTime(timezone=True), nullable=False),
    Column("state", Text, nullable=False),
    Column("why", Text, nullable=False, server_default=""),
    Column("record", BigInteger, nullable=False, server_default="0"),
    Column("body", JSONB, nullable=False),
    CheckConstraint("state in ('signed', 'waits', 'laid aside')", name="state"),
    Index("ix_brought_point", "point"),
)
"""Results that came back from away, by the code that each was given there: none is taken twice, none is lost."""
