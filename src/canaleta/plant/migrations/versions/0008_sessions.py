"""Whether a one-time link opened a session: only then a new password does not take the old one."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("session", sa.Column("by_link", sa.Boolean(), nullable=False, server_default=sa.false()))
