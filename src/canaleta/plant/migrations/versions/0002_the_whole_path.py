"""Everything a path is made of: elements, leads, shunts, hops, tables, forms of scaling, policies."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"

NUMBERS = (
    "signal_low",
    "signal_high",
    "device_cutoff",
    "accuracy",
    "lift_off_v",
    "failure_ma",
    "leakage_ma",
    "drop_v",
    "series_ohm",
    "parallel_ohm",
    "lead_ohm",
    "head_degc",
    "junction_degc",
    "excitation_v",
    "shunt_ohm",
    "shunt_percent",
    "cable_m",
    "cable_mm2",
    "cable_degc",
    "value_cutoff",
    "slope",
    "offset",
    "substitute",
    "on_at",
    "off_at",
)
TEXTS = (
    "device_reference",
    "device_table",
    "curve_table",
    "tolerance_class",
    "jumper",
    "extension",
    "junction",
    "hops",
    "hart",
    "value_reference",
    "value_table",
    "value_form",
    "factors",
    "below",
    "above",
    "on_failure",
    "value_type",
)


def upgrade() -> None:
    for name in NUMBERS:
        op.add_column("point", sa.Column(name, sa.Numeric()))
    for name in TEXTS:
        op.add_column("point", sa.Column(name, sa.Text()))
