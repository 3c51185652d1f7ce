"""What is served to other systems: by whom, which clients are trusted, what was given away for writing, and what was written."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0023"
down_revision = "0022"


def upgrade() -> None:
    op.create_table(
        "serving",
        sa.Column("name", sa.Text(), primary_key=True),
        sa.Column("holder", sa.Text(), nullable=False),
        sa.Column("epoch", sa.BigInteger(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.Column("outlets", JSONB(), nullable=False, server_default="[]"),
    )
    op.create_table(
        "client_certificate",
        sa.Column("fingerprint", sa.Text(), primary_key=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("expires", sa.DateTime(timezone=True), nullable=False),
        sa.Column("first", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("last", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("trusted", sa.Boolean(), nullable=False, server_default="false"),
        sa.Column("trusted_by", sa.Text(), nullable=False, server_default=""),
    )
    op.create_table(
        "given_away",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("point", sa.BigInteger(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("ended_by", sa.Text(), nullable=False, server_default=""),
    )
    op.create_index("ix_given_away_open", "given_away", ["point"], postgresql_where=sa.text("ended_at is null"))
    op.create_table(
        "given_write",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("point", sa.BigInteger(), nullable=False),
        sa.Column("by", sa.Text(), nullable=False),
        sa.Column("door", sa.Text(), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False),
        sa.Column("says", sa.Text(), nullable=False, server_default=""),
    )
