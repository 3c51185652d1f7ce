"""Items of the punch list know their day, the rule that asked for them, and what the list says once they are mended."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    for name in ("due", "rule"):
        op.add_column("punch", sa.Column(name, sa.Text(), nullable=False, server_default=""))
    op.add_column("punch", sa.Column("edits", JSONB(), nullable=False, server_default="[]"))
