"""The way to a rack: Modbus TCP as before, or the frames of a serial line."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("rack", sa.Column("link", sa.Text(), nullable=False, server_default="Modbus TCP"))
    op.add_column("rack", sa.Column("line", sa.Text(), nullable=False, server_default="19200 8E1"))
