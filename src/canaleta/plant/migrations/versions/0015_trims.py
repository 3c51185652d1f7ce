"""What a channel was found to count; where a controller keeps its pair."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    for name in ("found_low", "found_high"):
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in ("trimmed", "pair_at"):
        op.add_column("point", sa.Column(name, sa.Text()))
