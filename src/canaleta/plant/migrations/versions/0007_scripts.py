"""Scripts of injections and their runs; outputs by pulse width, the current of a load, what a device does on loss;
the times of trends once a rack."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"

NUMBERS = ("pwm_hz", "dither_hz", "dither_percent", "least_duty", "most_duty")
PACKED = ("loaded", "load_ma")


def _text(name: str, default: str | None = None) -> sa.Column[Any]:
    return sa.Column(name, sa.Text(), nullable=False, server_default=default)


def _when(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False)


def upgrade() -> None:
    for name in NUMBERS:
        op.add_column("point", sa.Column(name, sa.Numeric()))
    op.add_column("point", sa.Column("on_loss", sa.Text()))
    op.execute("delete from live_block")
    for name in PACKED:
        op.add_column("live_block", sa.Column(name, sa.LargeBinary(), nullable=False))
    # An early form of 0006 made a table of this name and never wrote into it.
    op.execute("drop table if exists script")
    op.create_table(
        "script",
        _text("name"),
        _text("text"),
        sa.Column("version", sa.Integer(), nullable=False),
        _text("who"),
        _when("at"),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_script")),
    )
    op.create_table(
        "script_run", sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False), _text("script"), _text("text"),
        _text("who"), _when("at"), _when("beat"), sa.Column("seq", sa.BigInteger(), nullable=False), _text("state"),
        _text("says", ""), sa.Column("points", JSONB(), nullable=False), sa.Column("body", JSONB(), nullable=False),
        sa.Column("record", sa.BigInteger(), nullable=False, server_default="0"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_script_run")),
    )  # fmt: skip
    op.create_index("ix_script_run_script", "script_run", ["script", "id"])
    op.create_table(
        "trend_clock",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        _when("hour"),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trend_clock")),
    )
    op.create_index("ix_trend_clock_hour", "trend_clock", ["hour"])
    # Hours of the older form have their times in themselves.
    op.add_column("trend_hour", sa.Column("clock", sa.BigInteger()))
    # A record of a script belongs to every point in it: found by its number, whichever comes first.
    op.execute("create index ix_evidence_points on evidence using gin ((body -> 'points'))")
