"""Systems, the ladder, countersignatures, packages, the punch list, results from away; locks know what they are for."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0017"
down_revision = "0016"


def _at() -> sa.Column[Any]:
    return sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


def _text(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default="")


def _number() -> sa.Column[Any]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def upgrade() -> None:
    op.add_column("point", sa.Column("system", sa.Text()))
    op.add_column("row_lock", _text("kind"))
    for name, kind, says in (
        ("passes", "boolean", "(body->>'passes')::boolean"),
        ("phase", "text", "body->>'phase'"),
        ("worst", "double precision", "(body->>'worst')::float8"),
        ("furthest", "double precision", "(body->>'furthest')::float8"),
    ):
        op.execute(f"alter table evidence add column {name} {kind} generated always as ({says}) stored")
    op.create_index("ix_evidence_at", "evidence", ["at"])
    op.create_table(
        "rung",
        _number(),
        _at(),
        sa.Column("point", sa.BigInteger(), nullable=False),
        sa.Column("rung", sa.SmallInteger(), nullable=False),
        sa.Column("reached", sa.Boolean(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        _text("name"),
        _text("how"),
        sa.Column("record", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("seq", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rung")),
        sa.CheckConstraint("rung between 0 and 5", name=op.f("ck_rung_rung")),
    )
    op.create_index("ix_rung_point", "rung", ["point", "rung", "id"])
    op.create_table(
        "countersignature",
        _number(),
        _at(),
        sa.Column("record", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        _text("remark"),
        sa.Column("hash", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_countersignature")),
        sa.ForeignKeyConstraint(["record"], ["evidence.id"], name=op.f("fk_countersignature_record_evidence")),
        sa.UniqueConstraint("record", "who", name=op.f("uq_countersignature_record_who")),
    )
    op.create_table(
        "package",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("people", JSONB(), nullable=False),
        _text("begins"),
        _text("ends"),
        sa.Column("points", JSONB(), nullable=False),
        _text("note"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_package")),
        sa.UniqueConstraint("name", name=op.f("uq_package_name")),
    )
    op.create_table(
        "punch",
        _number(),
        _at(),
        sa.Column("point", sa.BigInteger(), nullable=False),
        _text("place"),
        sa.Column("what", sa.Text(), nullable=False),
        sa.Column("severity", sa.Text(), nullable=False),
        _text("owner"),
        sa.Column("who", sa.Text(), nullable=False),
        _text("photo"),
        sa.Column("cleared_at", sa.DateTime(timezone=True)),
        _text("cleared_by"),
        _text("cleared_how"),
        sa.Column("closed_at", sa.DateTime(timezone=True)),
        _text("closed_by"),
        _text("closed_how"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_punch")),
        sa.CheckConstraint("severity in ('A', 'B', 'C')", name=op.f("ck_punch_severity")),
        sa.CheckConstraint("closed_at is null or cleared_at is not null", name=op.f("ck_punch_cleared_first")),
        sa.CheckConstraint("closed_by = '' or closed_by <> cleared_by", name=op.f("ck_punch_closed_by_another")),
    )
    op.create_index("ix_punch_open", "punch", ["point"], postgresql_where=sa.text("closed_at is null"))
    op.create_table(
        "dossier",
        _number(),
        _at(),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        _text("system"),
        sa.Column("form", sa.Text(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("done", sa.Float(), nullable=False, server_default="0"),
        _text("says"),
        sa.Column("beat", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        _text("file"),
        _text("hash"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_dossier")),
        sa.CheckConstraint("form in ('pdf', 'zip')", name=op.f("ck_dossier_form")),
    )
    op.create_table(
        "brought",
        sa.Column("key", sa.Text(), nullable=False),
        _at(),
        sa.Column("package", sa.Text(), nullable=False),
        sa.Column("point", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("tester", sa.Text(), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        _text("why"),
        sa.Column("record", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("body", JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_brought")),
        sa.CheckConstraint("state in ('signed', 'waits', 'laid aside')", name=op.f("ck_brought_state")),
    )
    op.create_index("ix_brought_point", "brought", ["point"])
    for table in ("rung", "countersignature"):
        op.execute(
            f"create trigger only_grows before update or delete or truncate on {table} for each statement execute function refuse_change()"
        )
