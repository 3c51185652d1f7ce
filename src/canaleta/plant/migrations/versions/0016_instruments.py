"""Instruments that people measure with."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.create_table(
        "instrument",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("make", sa.Text(), nullable=False, server_default=""),
        sa.Column("serial", sa.Text(), nullable=False, server_default=""),
        sa.Column("due", sa.Text(), nullable=False, server_default=""),
        sa.Column("certificate", sa.Text(), nullable=False, server_default=""),
        sa.Column("ranges", JSONB(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_instrument")),
        sa.UniqueConstraint("name", name=op.f("uq_instrument_name")),
    )
