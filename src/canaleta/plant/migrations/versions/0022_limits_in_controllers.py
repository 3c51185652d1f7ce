"""Where controllers keep the limits of their points; how much of a rack could not be read at the newest look."""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    op.add_column("point", sa.Column("limits_at", sa.Text()))
    op.add_column("rack_look", sa.Column("missing", sa.BigInteger(), nullable=False, server_default="0"))
