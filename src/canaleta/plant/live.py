"""Live blocks: one unlogged row a rack, overwritten at each scan, read once by each web worker."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, func, select, text, update
from sqlalchemy.dialects.postgresql import insert

from canaleta.plant import tables as t
from canaleta.plant.database import notify

__all__ = ["LiveBlock", "read_block", "take_lease", "write_block"]


@dataclass(frozen=True)
class LiveBlock:
    """What one scan of one rack said. Arrays have shape (points,), in the order of `points`.

    read_at: when the registers were read. seq: the list that the values were worked out with. epoch: the
    lease under which it was written. state: 'answers' or why it does not, in words.
    counts, value: float64, NaN for none. quality, reasons: see core.quality. injected: a signal put in here.
    """

    rack: int
    scan: int
    epoch: int
    seq: int
    read_at: datetime
    state: str
    points: NDArray[np.int64]
    counts: NDArray[np.float64]
    value: NDArray[np.float64]
    quality: NDArray[np.uint8]
    reasons: NDArray[np.uint32]
    injected: NDArray[np.uint8]


_COLUMNS: dict[str, np.dtype[Any]] = {
    "points": np.dtype("<i8"),
    "counts": np.dtype("<f8"),
    "value": np.dtype("<f8"),
    "quality": np.dtype("u1"),
    "reasons": np.dtype("<u4"),
    "injected": np.dtype("u1"),
}


def write_block(connection: Connection, block: LiveBlock, holder: str) -> bool:
    """Write a block and tell the web workers, if the lease of its epoch still holds; else write nothing."""
    held = connection.execute(
        select(t.lease.c.rack).where(
            t.lease.c.rack == block.rack, t.lease.c.epoch == block.epoch, t.lease.c.holder == holder
        )
    ).first()
    if held is None:
        return False
    values = {
        "rack": block.rack,
        "scan": block.scan,
        "epoch": block.epoch,
        "seq": block.seq,
        "read_at": block.read_at,
        "state": block.state,
    } | {name: np.ascontiguousarray(getattr(block, name), dtype).tobytes() for name, dtype in _COLUMNS.items()}
    statement = insert(t.live_block).values(values)
    connection.execute(statement.on_conflict_do_update(index_elements=["rack"], set_=values))
    notify(connection, "canaleta_live", f"{block.rack}:{block.scan}")
    return True


def read_block(connection: Connection, rack: int) -> LiveBlock | None:
    """The newest block of a rack, or None before its first scan."""
    row = connection.execute(select(t.live_block).where(t.live_block.c.rack == rack)).mappings().first()
    if row is None:
        return None
    arrays = {name: np.frombuffer(row[name], dtype) for name, dtype in _COLUMNS.items()}
    return LiveBlock(
        row["rack"],
        row["scan"],
        row["epoch"],
        row["seq"],
        row["read_at"],
        row["state"],
        **arrays,
    )


def take_lease(connection: Connection, rack: int, holder: str, seconds: float = 10.0) -> int | None:
    """Take or renew the lease of a rack in the database's own time. Returns its epoch, None if another holds it.

    The epoch grows whenever the holder changes, so that a holder that slept cannot write over its successor.
    """
    until = func.clock_timestamp() + text("make_interval(secs => :seconds)").bindparams(seconds=seconds)
    renewed = connection.execute(
        update(t.lease)
        .where(t.lease.c.rack == rack, t.lease.c.holder == holder)
        .values(until=until)
        .returning(t.lease.c.epoch)
    ).scalar_one_or_none()
    if renewed is not None:
        return int(renewed)
    statement = insert(t.lease).values(rack=rack, holder=holder, epoch=1, until=until)
    taken = connection.execute(
        statement.on_conflict_do_update(
            index_elements=["rack"],
            set_={"holder": holder, "epoch": t.lease.c.epoch + 1, "until": until},
            where=t.lease.c.until < func.clock_timestamp(),
        ).returning(t.lease.c.epoch)
    ).scalar_one_or_none()
    return None if taken is None else int(taken)
