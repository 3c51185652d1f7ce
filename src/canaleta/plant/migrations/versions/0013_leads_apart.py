"""Leads of a thermometer that are not alike."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.add_column("point", sa.Column("lead_apart_ohm", sa.Numeric()))
