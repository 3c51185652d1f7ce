"""How a cut-off is said; a debounce apart from the on-delay."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.add_column("point", sa.Column("device_cutoff_in", sa.Text()))
    op.add_column("point", sa.Column("value_cutoff_in", sa.Text()))
    op.add_column("point", sa.Column("debounce", sa.Numeric()))
