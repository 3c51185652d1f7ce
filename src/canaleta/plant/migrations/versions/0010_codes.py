"""Codes beside sentences: how a command ended, and why a rack gives no readings."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("command", sa.Column("outcome", sa.Text()))
    # Before, a result was "done", an answer in JSON, or what went wrong in words.
    op.execute(
        "update command set outcome = case when result = 'done' or result like '{%' then 'done' else 'failed' end"
        " where result is not null"
    )
    op.execute("update command set result = '' where result = 'done'")
    op.execute(
        "update module_type set body = (body - 'own_number') || jsonb_build_object('ident_code', body -> 'own_number')"
        " where body ? 'own_number'"
    )
    op.add_column("live_block", sa.Column("says", sa.Text(), nullable=False, server_default=""))
    # What a rack said last is told again at the next scan; until then it is only known that it did not answer.
    op.execute("update live_block set says = state, state = 'silent' where state <> 'answers'")
