"""Prints that were asked for."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    op.create_table(
        "print_job",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("wanted", JSONB(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("done", sa.Float(), nullable=False, server_default="0"),
        sa.Column("says", sa.Text(), nullable=False, server_default=""),
        sa.Column("beat", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("file", sa.Text(), nullable=False, server_default=""),
    )
