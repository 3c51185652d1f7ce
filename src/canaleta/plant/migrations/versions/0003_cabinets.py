"""Cabinets that people build: modules have a place on the rail, slots are counted."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"

TEXTS = (
    "redundant",
    "cable",
    "cores",
    "strip",
    "screen",
    "filter",
    "open_action",
    "if_high",
    "if_low",
    "enabled",
    "trips",
    "used_by",
    "inhibit",
    "tell",
)


def upgrade() -> None:
    op.alter_column("module", "slot", new_column_name="place")
    op.execute("alter table module rename constraint uq_module_rack_slot to uq_module_rack_place")
    # The log of commands outlives the rack it speaks of.
    op.drop_constraint("fk_command_rack", "command", type_="foreignkey")
    op.add_column("module", sa.Column("wired", JSONB(), nullable=False, server_default="[]"))
    for name in ("takes_ma", "load_ma", "supply_low_v", "supply_high_v"):
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in TEXTS:
        op.add_column("point", sa.Column(name, sa.Text()))
    op.create_table(
        "cable",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("cores", sa.SmallInteger(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False, server_default=""),
        sa.Column("colours", sa.Text(), nullable=False, server_default=""),
        sa.Column("mm2", sa.Float()),
        sa.Column("length_m", sa.Float()),
        sa.Column("begins", sa.Text(), nullable=False, server_default=""),
        sa.Column("ends", sa.Text(), nullable=False, server_default=""),
        sa.CheckConstraint("cores between 1 and 200", name=op.f("ck_cable_cores")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cable")),
        sa.UniqueConstraint("name", name=op.f("uq_cable_name")),
    )
    op.create_table(
        "arming",
        sa.Column("rack", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("rack", name=op.f("pk_arming")),
    )
