"""What one scan of a rack leaves behind, written in one transaction under the rack's lease: block, alarms, trend,
state."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import Connection, func, select
from sqlalchemy.dialects.postgresql import insert

from canaleta.core.live.trends import Part
from canaleta.plant.database import tables as t
from canaleta.plant.live.alarms import AlarmTransition, record
from canaleta.plant.live.blocks import LiveBlock, holds_lease, write_block
from canaleta.plant.live.trends import write_part

__all__ = ["store_scan", "store_transitions", "stored_state"]


def store_scan(
    connection: Connection,
    block: LiveBlock,
    holder: str,
    passed: Sequence[AlarmTransition] = (),
    part: Part | None = None,
    state: bytes | None = None,
) -> bool:
    """Write what a scan brought, if the lease of its epoch still holds; else nothing at all."""
    if not write_block(connection, block, holder):
        return False
    record(connection, passed)
    if part is not None:
        write_part(connection, block.rack, part)
    if state is not None:
        _keep_state(connection, block.rack, state)
    return True


def store_transitions(
    connection: Connection,
    rack: int,
    epoch: int,
    holder: str,
    passed: Sequence[AlarmTransition],
    state: bytes | None,
    part: Part | None = None,
) -> bool:
    """Write what somebody's words did, or what must not be lost when an agent ends; under the lease as well."""
    if not holds_lease(connection, rack, epoch, holder):
        return False
    record(connection, passed)
    if part is not None:
        write_part(connection, rack, part)
    if state is not None:
        _keep_state(connection, rack, state)
    return True


def _keep_state(connection: Connection, rack: int, state: bytes) -> None:
    now = func.clock_timestamp()
    put = insert(t.stored_state).values(rack=rack, at=now, body=state)
    connection.execute(put.on_conflict_do_update(index_elements=["rack"], set_={"at": now, "body": state}))


def stored_state(connection: Connection, rack: int) -> tuple[bytes, datetime] | None:
    """What the agent before kept of a rack, and when; None if nothing."""
    row = connection.execute(
        select(t.stored_state.c.body, t.stored_state.c.at).where(t.stored_state.c.rack == rack)
    ).first()
    return (row.body, row.at) if row else None
