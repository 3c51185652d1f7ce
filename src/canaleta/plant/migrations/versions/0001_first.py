"""The first shape: plant, hardware, points, history, findings, accounts, live blocks and commands."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None

REFUSE = """
create function refuse_change() returns trigger language plpgsql as $$
begin
  raise exception '% only grows: history is never changed', tg_table_name;
end $$
"""


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("password_hash", sa.Text(), nullable=True),
        sa.Column("active", sa.Boolean(), server_default="true", nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint(
            "role in ('reader', 'technician', 'engineer', 'administrator')", name=op.f("ck_account_role")
        ),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_account")),
    )
    op.create_table(
        "cabinet",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), server_default="", nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_cabinet")),
        sa.UniqueConstraint("name", name=op.f("uq_cabinet_name")),
    )
    op.create_table(
        "change_set",
        sa.Column("seq", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("why", sa.Text(), server_default="", nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("undoes", sa.BigInteger(), nullable=True),
        sa.Column("findings_closed", postgresql.JSONB(astext_type=sa.Text()), server_default="[]", nullable=False),
        sa.Column("findings_opened", postgresql.JSONB(astext_type=sa.Text()), server_default="[]", nullable=False),
        sa.PrimaryKeyConstraint("seq", name=op.f("pk_change_set")),
    )
    op.create_table(
        "finding",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("rule", sa.Text(), nullable=False),
        sa.Column("since_seq", sa.BigInteger(), nullable=False),
        sa.Column("points", postgresql.ARRAY(sa.BigInteger()), nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_finding")),
    )
    op.create_index("ix_finding_points", "finding", ["points"], unique=False, postgresql_using="gin")
    op.create_table(
        "module_type",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("version", sa.Integer(), server_default="1", nullable=False),
        sa.Column("body", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_module_type")),
    )
    op.create_table(
        "plant",
        sa.Column("one", sa.Boolean(), server_default="true", nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("conventions", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("seq", sa.BigInteger(), server_default="0", nullable=False),
        sa.CheckConstraint("one", name=op.f("ck_plant_one_plant")),
        sa.PrimaryKeyConstraint("one", name=op.f("pk_plant")),
    )
    op.create_table(
        "rate_limit",
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.Column("hits", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_rate_limit")),
    )
    op.create_table(
        "change",
        sa.Column("seq", sa.BigInteger(), nullable=False),
        sa.Column("entity", sa.Text(), nullable=False),
        sa.Column("entity_id", sa.BigInteger(), nullable=False),
        sa.Column("fields", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(["seq"], ["change_set.seq"], name=op.f("fk_change_seq")),
        sa.PrimaryKeyConstraint("seq", "entity", "entity_id", name=op.f("pk_change")),
    )
    op.create_index("ix_change_entity", "change", ["entity", "entity_id", "seq"], unique=False)
    op.create_table(
        "rack",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("cabinet", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("host", sa.Text(), nullable=False),
        sa.Column("port", sa.Integer(), nullable=False),
        sa.Column("unit", sa.SmallInteger(), server_default="1", nullable=False),
        sa.Column("period_ms", sa.Integer(), server_default="1000", nullable=False),
        sa.Column("first_register", sa.Integer(), server_default="0", nullable=False),
        sa.Column("stand_in", sa.Boolean(), server_default="false", nullable=False),
        sa.CheckConstraint("period_ms >= 50", name=op.f("ck_rack_period")),
        sa.CheckConstraint("port between 1 and 65535", name=op.f("ck_rack_port")),
        sa.ForeignKeyConstraint(["cabinet"], ["cabinet.id"], name=op.f("fk_rack_cabinet")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rack")),
        sa.UniqueConstraint("cabinet", "name", name=op.f("uq_rack_cabinet_name")),
    )
    op.create_table(
        "session",
        sa.Column("token_hash", sa.Text(), nullable=False),
        sa.Column("account", sa.Text(), nullable=False),
        sa.Column("csrf", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("seen", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("expires", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["account"], ["account.name"], name=op.f("fk_session_account"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_session")),
    )
    op.create_table(
        "sign_in_link",
        sa.Column("token_hash", sa.Text(), nullable=False),
        sa.Column("account", sa.Text(), nullable=False),
        sa.Column("expires", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["account"], ["account.name"], name=op.f("fk_sign_in_link_account"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("token_hash", name=op.f("pk_sign_in_link")),
    )
    op.create_table(
        "command",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("who", sa.Text(), nullable=False),
        sa.Column("rack", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("target", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("expires", sa.DateTime(timezone=True), nullable=False),
        sa.Column("epoch", sa.BigInteger(), nullable=True),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("result", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(["rack"], ["rack.id"], name=op.f("fk_command_rack")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_command")),
    )
    op.create_table(
        "lease",
        sa.Column("rack", sa.BigInteger(), nullable=False),
        sa.Column("holder", sa.Text(), nullable=False),
        sa.Column("epoch", sa.BigInteger(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["rack"], ["rack.id"], name=op.f("fk_lease_rack"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("rack", name=op.f("pk_lease")),
    )
    op.create_table(
        "live_block",
        sa.Column("rack", sa.BigInteger(), nullable=False),
        sa.Column("scan", sa.BigInteger(), nullable=False),
        sa.Column("epoch", sa.BigInteger(), nullable=False),
        sa.Column("seq", sa.BigInteger(), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("points", sa.LargeBinary(), nullable=False),
        sa.Column("counts", sa.LargeBinary(), nullable=False),
        sa.Column("value", sa.LargeBinary(), nullable=False),
        sa.Column("quality", sa.LargeBinary(), nullable=False),
        sa.Column("reasons", sa.LargeBinary(), nullable=False),
        sa.Column("injected", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["rack"], ["rack.id"], name=op.f("fk_live_block_rack"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("rack", name=op.f("pk_live_block")),
        prefixes=["UNLOGGED"],
    )
    op.create_table(
        "module",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("rack", sa.BigInteger(), nullable=False),
        sa.Column("slot", sa.SmallInteger(), nullable=False),
        sa.Column("type_key", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["rack"], ["rack.id"], name=op.f("fk_module_rack")),
        sa.ForeignKeyConstraint(["type_key"], ["module_type.key"], name=op.f("fk_module_type_key")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_module")),
        sa.UniqueConstraint("rack", "slot", deferrable=True, initially="DEFERRED", name=op.f("uq_module_rack_slot")),
    )
    op.create_table(
        "point",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("tag", sa.Text(), nullable=False),
        sa.Column("service", sa.Text(), nullable=True),
        sa.Column("area", sa.Text(), nullable=True),
        sa.Column("signal", sa.Text(), nullable=True),
        sa.Column("device_low", sa.Numeric(), nullable=True),
        sa.Column("device_high", sa.Numeric(), nullable=True),
        sa.Column("device_unit", sa.Text(), nullable=True),
        sa.Column("device_law", sa.Text(), nullable=True),
        sa.Column("acting", sa.Text(), nullable=True),
        sa.Column("wires", sa.SmallInteger(), nullable=True),
        sa.Column("supply", sa.Text(), nullable=True),
        sa.Column("mode", sa.Text(), nullable=True),
        sa.Column("counts_low", sa.Numeric(), nullable=True),
        sa.Column("counts_high", sa.Numeric(), nullable=True),
        sa.Column("value_low", sa.Numeric(), nullable=True),
        sa.Column("value_high", sa.Numeric(), nullable=True),
        sa.Column("value_unit", sa.Text(), nullable=True),
        sa.Column("value_law", sa.Text(), nullable=True),
        sa.Column("value_decimals", sa.SmallInteger(), nullable=True),
        sa.Column("text_0", sa.Text(), nullable=True),
        sa.Column("text_1", sa.Text(), nullable=True),
        sa.Column("module", sa.BigInteger(), nullable=True),
        sa.Column("channel", sa.SmallInteger(), nullable=True),
        sa.Column("landed", sa.Boolean(), server_default="false", nullable=False),
        sa.Column(
            "holds",
            sa.Text(),
            sa.Computed("case when landed then module::text || ':' || channel::text end", persisted=True),
            nullable=True,
        ),
        sa.CheckConstraint("(module is null) = (channel is null)", name=op.f("ck_point_whole_address")),
        sa.CheckConstraint("not landed or module is not null", name=op.f("ck_point_landed_somewhere")),
        sa.ForeignKeyConstraint(["module"], ["module.id"], name=op.f("fk_point_module")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_point")),
        sa.UniqueConstraint("holds", deferrable=True, initially="DEFERRED", name=op.f("uq_point_holds")),
    )

    op.execute(REFUSE)
    for table in ("change_set", "change"):
        op.execute(
            f"create trigger only_grows before update or delete or truncate on {table} "
            "for each statement execute function refuse_change()"
        )
