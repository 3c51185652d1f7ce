"""Which program audited the whole plant last: a start with the same one need not do so again."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("plant", sa.Column("audited_by", sa.Text(), nullable=False, server_default=""))
