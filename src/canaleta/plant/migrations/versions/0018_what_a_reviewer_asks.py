"""Facts that a reviewer asks for: raw type, scan and update times, safe side, zone, fuse, loads, noise, display."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"

_NUMBERS = ("load_v", "shunt_w", "output_load_ohm", "scan_ms", "update_ms", "noise", "display_low", "display_high")
_TEXTS = ("zone", "fed_from", "raw_type", "alarm_unit", "safe_side", "actuated", "published_at", "read_by")


def upgrade() -> None:
    for name in _NUMBERS:
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in _TEXTS:
        op.add_column("point", sa.Column(name, sa.Text()))
