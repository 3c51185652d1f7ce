"""Racks that are reached by name, names and comments of modules and channels, and secrets that stand in no list."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    for name, default in (("path", ""), ("security", "none"), ("username", ""), ("trusted", "")):
        op.add_column("rack", sa.Column(name, sa.Text(), nullable=False, server_default=default))
    op.add_column("rack", sa.Column("quiet_s", sa.Integer(), nullable=False, server_default="0"))
    for name in ("names", "remarks"):
        op.add_column("module", sa.Column(name, JSONB(), nullable=False, server_default="[]"))
    for name in ("label", "comment"):
        op.add_column("module", sa.Column(name, sa.Text(), nullable=False, server_default=""))
    op.create_table(
        "secret",
        sa.Column("name", sa.Text(), primary_key=True),
        sa.Column("value", sa.Text(), nullable=False),
    )
