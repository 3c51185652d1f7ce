"""The list, its hardware, its history, and what was found in it. The columns of `point` follow from the field
table."""

from __future__ import annotations

from typing import Any

from sqlalchemy import (
    BigInteger,
    Boolean,
    CheckConstraint,
    Column,
    Computed,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    Numeric,
    SmallInteger,
    Table,
    Text,
    UniqueConstraint,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.types import TypeEngine

from canaleta.core.model.fields import STORED, Kind
from canaleta.plant.database.tables.base import metadata, now_column

__all__ = [
    "cabinet",
    "cable",
    "change",
    "change_set",
    "finding",
    "module",
    "module_type",
    "plant",
    "point",
    "rack",
    "waiver",
]

_TYPE_OF: dict[Kind, TypeEngine[Any]] = {
    Kind.TEXT: Text(),
    Kind.CHOICE: Text(),
    Kind.UNIT: Text(),
    Kind.MODE: Text(),
    Kind.TABLE: Text(),
    Kind.HOPS: Text(),
    Kind.FACTORS: Text(),
    Kind.FILTER: Text(),
    Kind.TERMINALS: Text(),
    Kind.CORES: Text(),
    Kind.BANDS: Text(),
    Kind.LINK: Text(),
    Kind.NUMBER: Numeric(),
    Kind.WHOLE: SmallInteger(),
}

plant = Table(
    "plant",
    metadata,
    Column("one", Boolean, primary_key=True, server_default="true"),
    Column("name", Text, nullable=False),
    Column("conventions", JSONB, nullable=False),
    Column("seq", BigInteger, nullable=False, server_default="0"),
    Column("audited_by", Text, nullable=False, server_default=""),
    CheckConstraint("one", name="one_plant"),
)

cabinet = Table(
    "cabinet",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("title", Text, nullable=False, server_default=""),
    Column("ambient_degc", Float),
)

rack = Table(
    "rack",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("cabinet", ForeignKey("cabinet.id"), nullable=False),
    Column("name", Text, nullable=False),
    Column("host", Text, nullable=False),
    Column("port", Integer, nullable=False),
    Column("unit", SmallInteger, nullable=False, server_default="1"),
    Column("period_ms", Integer, nullable=False, server_default="1000"),
    Column("first_register", Integer, nullable=False, server_default="0"),
    Column("stand_in", Boolean, nullable=False, server_default="false"),
    Column("function", Text, nullable=False, server_default="input"),
    Column("link", Text, nullable=False, server_default="Modbus TCP"),
    Column("line", Text, nullable=False, server_default="19200 8E1"),
    Column("path", Text, nullable=False, server_default=""),
    Column("security", Text, nullable=False, server_default="none"),
    Column("username", Text, nullable=False, server_default=""),
    Column("trusted", Text, nullable=False, server_default=""),
    Column("quiet_s", Integer, nullable=False, server_default="0"),
    Column("head", Text, nullable=False, server_default=""),
    UniqueConstraint("cabinet", "name"),
    CheckConstraint("port between 1 and 65535", name="port"),
    CheckConstraint("period_ms >= 50", name="period"),
    CheckConstraint("function in ('input', 'holding')", name="function"),
)

module_type = Table(
    "module_type",
    metadata,
    Column("key", Text, primary_key=True),
    Column("version", Integer, nullable=False, server_default="1"),
    Column("body", JSONB, nullable=False),
)

module = Table(
    "module",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("rack", ForeignKey("rack.id"), nullable=False),
    Column("place", SmallInteger, nullable=False),
    Column("type_key", ForeignKey("module_type.key"), nullable=False),
    Column("wired", JSONB, nullable=False, server_default="[]"),
    Column("names", JSONB, nullable=False, server_default="[]"),
    Column("label", Text, nullable=False, server_default=""),
    Column("comment", Text, nullable=False, server_default=""),
    Column("remarks", JSONB, nullable=False, server_default="[]"),
    Column("off", JSONB, nullable=False, server_default="[]"),
    Column("firmware", Text, nullable=False, server_default=""),
    UniqueConstraint("rack", "place", deferrable=True, initially="DEFERRED"),
)

point = Table(
    "point",
    metadata,
    Column("id", BigInteger, primary_key=True),
    *(Column(f.name, _TYPE_OF[f.kind], nullable=f.name != "tag") for f in STORED if f.kind is not Kind.ADDRESS),
    Column("module", ForeignKey("module.id")),
    Column("channel", SmallInteger),
    Column("landed", Boolean, nullable=False, server_default="false"),
    Column(
        "holds",
        Text,
        Computed("case when landed then module::text || ':' || channel::text end", persisted=True),
    ),
    UniqueConstraint("holds", deferrable=True, initially="DEFERRED"),
    CheckConstraint("(module is null) = (channel is null)", name="whole_address"),
    CheckConstraint("not landed or module is not null", name="landed_somewhere"),
)

cable = Table(
    "cable",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("cores", SmallInteger, nullable=False),
    Column("kind", Text, nullable=False, server_default=""),
    Column("colours", Text, nullable=False, server_default=""),
    Column("mm2", Float),
    Column("length_m", Float),
    Column("begins", Text, nullable=False, server_default=""),
    Column("ends", Text, nullable=False, server_default=""),
    CheckConstraint("cores between 1 and 200", name="cores"),
)

change_set = Table(
    "change_set",
    metadata,
    Column("seq", BigInteger, primary_key=True),
    now_column(),
    Column("who", Text, nullable=False),
    Column("why", Text, nullable=False, server_default=""),
    Column("source", Text, nullable=False),
    Column("undoes", BigInteger),
    Column("findings_closed", JSONB, nullable=False, server_default="[]"),
    Column("findings_opened", JSONB, nullable=False, server_default="[]"),
)

change = Table(
    "change",
    metadata,
    Column("seq", ForeignKey("change_set.seq"), primary_key=True),
    Column("entity", Text, primary_key=True),
    Column("entity_id", BigInteger, primary_key=True),
    Column("fields", JSONB, nullable=False),
    Index("ix_change_entity", "entity", "entity_id", "seq"),
)

finding = Table(
    "finding",
    metadata,
    Column("key", Text, primary_key=True),
    Column("rule", Text, nullable=False),
    Column("since_seq", BigInteger, nullable=False),
    Column("points", ARRAY(BigInteger), nullable=False),
    Column("body", JSONB, nullable=False),
    Index("ix_finding_points", "points", postgresql_using="gin"),
)

waiver = Table(
    "waiver",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("key", Text, nullable=False, unique=True),
    Column("rule", Text, nullable=False),
    Column("fingerprint", Text, nullable=False),
    Column("reason", Text, nullable=False),
    Column("who", Text, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("text", Text, nullable=False),
)
