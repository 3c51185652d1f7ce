"""The firmware that modules and heads of racks are to have; differences of those that are kept apart, beside those of
points."""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    op.add_column("rack", sa.Column("head", sa.Text(), nullable=False, server_default=""))
    op.add_column("module", sa.Column("firmware", sa.Text(), nullable=False, server_default=""))
    op.add_column("kept_apart", sa.Column("entity", sa.Text(), nullable=False, server_default="point"))
    op.alter_column("kept_apart", "point", new_column_name="entity_id")
    op.drop_index("ix_kept_apart_open", "kept_apart")
    op.create_index("ix_kept_apart_open", "kept_apart", ["entity_id"], postgresql_where=sa.text("ended_at is null"))
