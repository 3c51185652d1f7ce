"""Live: what conditioning, alarms and counters need of a point; their states, the journal, trends, forces, checks."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"

NUMBERS = (
    "pulse_value",
    "smoothing_s",
    "alarm_ll_off_delay",
    "alarm_l_off_delay",
    "alarm_h_off_delay",
    "alarm_hh_off_delay",
    "alarm_dev",
    "alarm_dev_from",
    "alarm_dev_deadband",
    "alarm_dev_delay",
    "alarm_rate",
    "alarm_rate_delay",
    "alarm_fault_delay",
    "respond_min",
)
WHOLE = ("chatter", "preset")
TEXTS = (
    "pulse_unit",
    "controller_at",
    "fault_ends",
    "bands_lamps",
    "alarm_dev_priority",
    "alarm_rate_priority",
    "alarm_fault",
    "alarm_fault_priority",
    "consequence",
    "alarm_ends",
    "quiet_while",
)
PACKED = ("switch", "flags", "alarm", "band", "meters", "counted", "total", "rate", "shown")


def _when(name: str, *, null: bool = False) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=null)


def _text(name: str, default: str | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default=default)


def _big(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.BigInteger(), nullable=False)


def _counted() -> sa.Column[Any]:
    return sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False)


def _key(table: str, *columns: str) -> sa.PrimaryKeyConstraint:
    return sa.PrimaryKeyConstraint(*columns, name=op.f(f"pk_{table}"))


def upgrade() -> None:
    for name in NUMBERS:
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in WHOLE:
        op.add_column("point", sa.Column(name, sa.SmallInteger()))
    for name in TEXTS:
        op.add_column("point", sa.Column(name, sa.Text()))
    op.add_column("rack", sa.Column("function", sa.Text(), nullable=False, server_default="input"))
    op.create_check_constraint(op.f("ck_rack_function"), "rack", "function in ('input', 'holding')")
    op.execute("delete from live_block")
    for name in PACKED:
        op.add_column("live_block", sa.Column(name, sa.LargeBinary(), nullable=False))
    op.create_table(
        "agent",
        _text("holder"),
        _when("until"),
        sa.Column("racks", sa.Integer(), nullable=False),
        _key("agent", "holder"),
    )
    op.create_table(
        "kept_state",
        _big("rack"),
        _when("at"),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        _key("kept_state", "rack"),
    )
    op.create_table(
        "alarm", _big("point"), _text("kind"), _big("rack"), _text("state"), sa.Column("active", sa.Boolean(), nullable=False),
        _text("priority"), _when("since"), _when("raised", null=True), _text("who", ""), _when("until", null=True),
        _text("why", ""), sa.Column("value", sa.Float()), _key("alarm", "point", "kind"),
    )  # fmt: skip
    op.create_table(
        "journal", _counted(), _when("at"), _big("point"), _text("kind"), _text("event"), _text("was"), _text("becomes"),
        _text("priority", ""), _text("who", ""), _text("why", ""), sa.Column("value", sa.Float()), _key("journal", "id"),
    )  # fmt: skip
    op.create_index("ix_journal_at", "journal", ["at"])
    op.create_index("ix_journal_point", "journal", ["point", "at"])
    op.create_table(
        "trend_part",
        _big("rack"),
        _when("begins"),
        _when("ends"),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        _key("trend_part", "rack", "begins"),
    )
    op.create_table(
        "trend_hour",
        _big("point"),
        _when("hour"),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("minutes", sa.LargeBinary(), nullable=False),
        sa.Column("quarters", sa.LargeBinary(), nullable=False),
        _key("trend_hour", "point", "hour"),
    )
    op.execute("alter table trend_hour alter column body set storage external")
    op.create_index("ix_trend_hour_hour", "trend_hour", ["hour"])
    op.create_table(
        "temporary", _counted(), _when("at"), _text("kind"), _big("point"), _text("what"), _text("why", ""), _text("who"),
        _text("given", ""), _when("due", null=True), _when("ended_at", null=True), _text("ended_by", ""),
        _text("ended_why", ""), _key("temporary", "id"),
    )  # fmt: skip
    op.create_index("ix_temporary_open", "temporary", ["point"], postgresql_where=sa.text("ended_at is null"))
    op.create_table(
        "board",
        _text("owner"),
        _text("name"),
        sa.Column("body", JSONB(), nullable=False),
        _key("board", "owner", "name"),
    )
    op.create_table(
        "evidence", _counted(), _when("at"), _text("kind"), _big("point"), _text("who"), _text("name"), _text("verdict"),
        _text("hash"), sa.Column("body", JSONB(), nullable=False), _key("evidence", "id"),
    )  # fmt: skip
    op.create_index("ix_evidence_point", "evidence", ["point", "at"])
    op.create_table(
        "found",
        _counted(),
        _when("at"),
        _big("point"),
        _text("pattern"),
        sa.Column("body", JSONB(), nullable=False),
        _key("found", "id"),
    )
    op.create_index("ix_found_at", "found", ["at"])
    op.create_table(
        "walk", _text("who"), _when("begins"), sa.Column("expected", JSONB(), nullable=False), _key("walk", "who")
    )
    for table in ("journal", "evidence"):
        op.execute(
            f"create trigger only_grows before update or delete or truncate on {table} "
            "for each statement execute function refuse_change()"
        )
