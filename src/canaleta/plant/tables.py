"""The tables of a plant. The columns of `point` follow from the field table.

Current facts are typed columns; history is one row a changed entity a change set. History, change sets and
issued documents are append-only: the runtime role has no right to change them, and a trigger refuses anyone.
"""

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
    LargeBinary,
    MetaData,
    Numeric,
    SmallInteger,
    Table,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.types import TypeEngine

from canaleta.core.fields import STORED, Kind

__all__ = ["APPEND_ONLY", "metadata"]

metadata = MetaData(
    naming_convention={
        "ix": "ix_%(table_name)s_%(column_0_N_name)s",
        "uq": "uq_%(table_name)s_%(column_0_N_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_N_name)s",
        "pk": "pk_%(table_name)s",
    }
)


def _now() -> Column[Any]:
    return Column("at", DateTime(timezone=True), nullable=False, server_default=func.now())


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
    CheckConstraint("one", name="one_plant"),
)

cabinet = Table(
    "cabinet",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("title", Text, nullable=False, server_default=""),
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
    _now(),
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

account = Table(
    "account",
    metadata,
    Column("name", Text, primary_key=True),
    Column("role", Text, nullable=False),
    Column("password_hash", Text),
    Column("active", Boolean, nullable=False, server_default="true"),
    _now(),
    CheckConstraint("role in ('reader', 'technician', 'engineer', 'administrator')", name="role"),
)

session = Table(
    "session",
    metadata,
    Column("token_hash", Text, primary_key=True),
    Column("account", ForeignKey("account.name", ondelete="CASCADE"), nullable=False),
    Column("csrf", Text, nullable=False),
    _now(),
    Column("seen", DateTime(timezone=True), nullable=False, server_default=func.now()),
    Column("expires", DateTime(timezone=True), nullable=False),
)

sign_in_link = Table(
    "sign_in_link",
    metadata,
    Column("token_hash", Text, primary_key=True),
    Column("account", ForeignKey("account.name", ondelete="CASCADE"), nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
)

rate_limit = Table(
    "rate_limit",
    metadata,
    Column("key", Text, primary_key=True),
    Column("since", DateTime(timezone=True), nullable=False),
    Column("hits", Integer, nullable=False),
)

live_block = Table(
    "live_block",
    metadata,
    Column("rack", ForeignKey("rack.id", ondelete="CASCADE"), primary_key=True),
    Column("scan", BigInteger, nullable=False),
    Column("epoch", BigInteger, nullable=False),
    Column("seq", BigInteger, nullable=False),
    Column("read_at", DateTime(timezone=True), nullable=False),
    Column("state", Text, nullable=False),
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
    _now(),
    Column("who", Text, nullable=False),
    Column("rack", BigInteger, nullable=False),
    Column("kind", Text, nullable=False),
    Column("target", JSONB, nullable=False),
    Column("expires", DateTime(timezone=True), nullable=False),
    Column("epoch", BigInteger),
    Column("done_at", DateTime(timezone=True)),
    Column("result", Text),
)

arming = Table(
    "arming",
    metadata,
    Column("rack", BigInteger, primary_key=True),
    Column("who", Text, nullable=False),
    Column("until", DateTime(timezone=True), nullable=False),
)

view = Table(
    "view",
    metadata,
    Column("owner", Text, primary_key=True),
    Column("name", Text, primary_key=True),
    Column("body", JSONB, nullable=False),
    _now(),
)

typical = Table(
    "typical",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("says", Text, nullable=False, server_default=""),
    Column("cells", JSONB, nullable=False),
)

row_lock = Table(
    "row_lock",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    _now(),
    Column("point", BigInteger, nullable=False),
    Column("who", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("may_lift", Text, nullable=False, server_default=""),
    Column("lifted_by", Text),
    Column("lifted_at", DateTime(timezone=True)),
    Index("ix_row_lock_held", "point", unique=True, postgresql_where=text("lifted_at is null")),
)

revision = Table(
    "revision",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    _now(),
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
    _now(),
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
    _now(),
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
    _now(),
    Column("columns", JSONB, nullable=False),
)

agent = Table(
    "agent",
    metadata,
    Column("holder", Text, primary_key=True),
    Column("until", DateTime(timezone=True), nullable=False),
    Column("racks", Integer, nullable=False),
)

kept_state = Table(
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
    Column("at", DateTime(timezone=True), nullable=False),
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
)

trend_clock = Table(
    "trend_clock",
    metadata,
    Column("id", BigInteger, primary_key=True, autoincrement=True),
    Column("hour", DateTime(timezone=True), nullable=False),
    Column("body", LargeBinary, nullable=False),
    Index("ix_trend_clock_hour", "hour"),
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
    Index("ix_evidence_point", "point", "at"),
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

APPEND_ONLY = (change_set, change, revision, signature, journal, evidence)
"""Tables that only grow: no role may change or delete a row."""
