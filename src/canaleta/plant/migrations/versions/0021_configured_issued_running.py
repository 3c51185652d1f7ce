"""What racks were found to run beside the list, and what is kept apart with a reason and a day."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0021"
down_revision = "0020"


def upgrade() -> None:
    op.create_table(
        "rack_look",
        sa.Column("rack", sa.BigInteger(), sa.ForeignKey("rack.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("seq", sa.BigInteger(), nullable=False),
        sa.Column("says", sa.Text(), nullable=False, server_default=""),
        sa.Column("open", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("points", JSONB(), nullable=False, server_default="[]"),
    )
    op.create_table(
        "kept_apart",
        sa.Column("id", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, server_default=sa.text("now()")),
        sa.Column("point", sa.BigInteger(), nullable=False),
        sa.Column("field", sa.Text(), nullable=False),
        sa.Column("running", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("until", sa.Text(), nullable=False, server_default=""),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("ended_by", sa.Text(), nullable=False, server_default=""),
    )
    op.create_index("ix_kept_apart_open", "kept_apart", ["point"], postgresql_where=sa.text("ended_at is null"))
