"""How warm a cabinet is, which spares are switched off; whole numbers with decimals, leads taken off, bridged terminals."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.add_column("cabinet", sa.Column("ambient_degc", sa.Float()))
    op.add_column("module", sa.Column("off", JSONB(), nullable=False, server_default="[]"))
    for name in ("value_factor", "lead_taken_ohm"):
        op.add_column("point", sa.Column(name, sa.Numeric()))
    op.add_column("point", sa.Column("bridged", sa.Text()))
