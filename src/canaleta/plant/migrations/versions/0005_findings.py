"""Findings that are accepted with a reason; what the rules of time and of earthed tips look at."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Waivers, and three columns of points."""
    for name in ("damping_s", "needs_s"):
        op.add_column("point", sa.Column(name, sa.Numeric()))
    op.add_column("point", sa.Column("tip", sa.Text()))
    texts = ("key", "rule", "fingerprint", "reason", "who", "text")
    op.create_table(
        "waiver",
        sa.Column("id", sa.BigInteger(), nullable=False, autoincrement=False),
        *(sa.Column(name, sa.Text(), nullable=False) for name in texts),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_waiver")),
        sa.UniqueConstraint("key", name=op.f("uq_waiver_key")),
    )
