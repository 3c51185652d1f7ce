"""The list for many hands: the fields of the later work, views, typicals, locks, revisions, imports, mappings."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from canaleta.catalogue.types import starter_typicals
from canaleta.plant.records.typicals import load_typicals

revision = "0004"
down_revision = "0003"

NUMBERS = (
    "tolerance_transmitter",
    "tolerance_channel",
    "on_delay",
    "off_delay",
    "stretch",
    "fastest",
    "bands_deadband",
    "alarm_ll",
    "alarm_ll_deadband",
    "alarm_ll_delay",
    "alarm_l",
    "alarm_l_deadband",
    "alarm_l_delay",
    "alarm_h",
    "alarm_h_deadband",
    "alarm_h_delay",
    "alarm_hh",
    "alarm_hh_deadband",
    "alarm_hh_delay",
    "alarm_state_delay",
    "tolerance_loop",
)
TEXTS = (
    "second_name",
    "typical",
    "notes",
    "device_model",
    "serial",
    "connector",
    "data_sheet",
    "old_address",
    "counts_on",
    "bands",
    "alarm_ll_priority",
    "alarm_l_priority",
    "alarm_h_priority",
    "alarm_hh_priority",
    "alarm_state",
    "alarm_state_priority",
    "alarm_says",
    "status",
)


def _at(name: str = "at") -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False)


def _text(name: str, default: str | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default=default)


def _number(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.BigInteger(), nullable=False)


def _counted() -> sa.Column[Any]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def _key(table: str, *columns: str) -> sa.PrimaryKeyConstraint:
    return sa.PrimaryKeyConstraint(*columns, name=op.f(f"pk_{table}"))


def upgrade() -> None:
    for name in NUMBERS:
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in TEXTS:
        op.add_column("point", sa.Column(name, sa.Text()))
    op.create_table(
        "view",
        _text("owner"),
        _text("name"),
        sa.Column("body", JSONB(), nullable=False),
        _at(),
        _key("view", "owner", "name"),
    )
    op.create_table(
        "typical",
        _number("id"),
        _text("name"),
        _text("says", ""),
        sa.Column("cells", JSONB(), nullable=False),
        _key("typical", "id"),
        sa.UniqueConstraint("name", name=op.f("uq_typical_name")),
    )
    op.create_table(
        "row_lock",
        _counted(),
        _at(),
        _number("point"),
        _text("who"),
        _text("why"),
        _text("may_lift", ""),
        sa.Column("lifted_by", sa.Text()),
        sa.Column("lifted_at", sa.DateTime(timezone=True)),
        _key("row_lock", "id"),
    )
    op.create_index(
        "ix_row_lock_held", "row_lock", ["point"], unique=True, postgresql_where=sa.text("lifted_at is null")
    )
    op.create_table(
        "revision", _counted(), _at(), _text("mark"), _number("seq"), _text("who"), _text("note", ""),
        _text("open_reason", ""), sa.Column("points", sa.Integer(), nullable=False),
        sa.Column("findings", sa.Integer(), nullable=False), _text("hash"),
        sa.Column("document", sa.LargeBinary(), nullable=False), _key("revision", "id"),
    )  # fmt: skip
    op.create_table(
        "signature",
        _counted(),
        _at(),
        _number("revision"),
        _text("meaning"),
        _text("who"),
        _text("name"),
        _text("remark", ""),
        _text("hash"),
        _key("signature", "id"),
        sa.ForeignKeyConstraint(["revision"], ["revision.id"], name=op.f("fk_signature_revision")),
        sa.CheckConstraint("meaning in ('checked', 'issued', 'withdrawn')", name=op.f("ck_signature_meaning")),
    )
    op.create_table(
        "import_job",
        _counted(),
        _at(),
        _text("who"),
        _text("name"),
        _text("state"),
        sa.Column("done", sa.Float(), nullable=False, server_default="0"),
        _at("beat"),
        _text("says", ""),
        sa.Column("sheets", sa.LargeBinary()),
        sa.Column("choices", JSONB(), nullable=False, server_default="{}"),
        sa.Column("result", sa.LargeBinary()),
        sa.Column("lines", sa.LargeBinary()),
        _key("import_job", "id"),
    )
    op.create_table(
        "mapping",
        _text("name"),
        _text("who"),
        _at(),
        sa.Column("columns", JSONB(), nullable=False),
        _key("mapping", "name"),
    )
    for table in ("revision", "signature"):
        op.execute(
            f"create trigger only_grows before update or delete or truncate on {table} "
            "for each statement execute function refuse_change()"
        )
    if op.get_bind().execute(sa.text("select 1 from plant")).first():
        # A plant of an earlier version gets the starter typicals, as a new one does.
        load_typicals(op.get_bind(), starter_typicals())
