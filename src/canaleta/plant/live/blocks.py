"""Live blocks: one unlogged row a rack, overwritten at each scan, read once by each web worker."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import IntFlag, StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import Connection, select, text

from canaleta.core.model.image import PlantImage
from canaleta.plant.database import tables as t

__all__ = [
    "Flag",
    "LiveBlock",
    "RackState",
    "holds_lease",
    "is_stale",
    "read_block",
    "read_blocks",
    "write_block",
    "write_blocks",
]


class Flag(IntFlag):
    """What else is to be known of a point at a glance."""

    INJECTED = 1
    FORCED = 2
    CHATTERS = 4
    LATCHED = 8
    SUBSTITUTED = 16
    DONE = 32


class RackState(StrEnum):
    """Whether a rack gives readings, and if not, in which way."""

    ANSWERS = "answers"
    SILENT = "silent"
    """It gives none, and nothing more is known."""
    UNREACHABLE = "unreachable"
    TIMED_OUT = "timed out"
    LOST = "lost"
    """The connection ended in the middle."""
    GARBLED = "garbled"
    BUSY = "busy"
    REFUSED = "refused"


@dataclass(frozen=True)
class LiveBlock:
    """What one scan of one rack said. Arrays have shape (points,), in the order of `points`.

    read_at: when the registers were asked for: what they say is not older. seq: the list that the values were worked
    out with. epoch: the lease under which it was written. state: whether the rack answers; says: why it does not, for
    people. counts, value: float64, NaN for none; value is the conditioned one. quality, reasons: see core.model.quality.
    injected: a signal put in here. switch: 0, 1, or -1 where there is none. flags: of Flag. alarm: the worst alarm of
    each point: its state in the low four bits, its priority and one more above them, 0 for none. band: index, -1 for
    none. shown: what the controller itself shows, NaN where nobody asks. meters: the points that count, and of them
    counted, total and rate, (meters,). loaded: the outputs that measure the current through their load, load_ma.
    """

    rack: int
    scan: int
    epoch: int
    seq: int
    read_at: datetime
    state: RackState
    says: str
    points: NDArray[np.int64]
    counts: NDArray[np.float64]
    value: NDArray[np.float64]
    quality: NDArray[np.uint8]
    reasons: NDArray[np.uint32]
    injected: NDArray[np.uint8]
    switch: NDArray[np.int8]
    flags: NDArray[np.uint8]
    alarm: NDArray[np.uint8]
    band: NDArray[np.int8]
    meters: NDArray[np.int64]
    counted: NDArray[np.float64]
    total: NDArray[np.float64]
    rate: NDArray[np.float64]
    shown: NDArray[np.float64]
    loaded: NDArray[np.int64]
    load_ma: NDArray[np.float64]


COLUMNS: dict[str, np.dtype[Any]] = {
    "points": np.dtype("<i8"),
    "counts": np.dtype("<f8"),
    "value": np.dtype("<f8"),
    "quality": np.dtype("u1"),
    "reasons": np.dtype("<u4"),
    "injected": np.dtype("u1"),
    "switch": np.dtype("i1"),
    "flags": np.dtype("u1"),
    "alarm": np.dtype("u1"),
    "band": np.dtype("i1"),
    "meters": np.dtype("<i8"),
    "counted": np.dtype("<f8"),
    "total": np.dtype("<f8"),
    "rate": np.dtype("<f8"),
    "shown": np.dtype("<f8"),
    "loaded": np.dtype("<i8"),
    "load_ma": np.dtype("<f8"),
}
"""The packed columns of a block, little endian."""


def holds_lease(connection: Connection, rack: int, epoch: int, holder: str) -> bool:
    """Whether the lease of that epoch still holds: asked in the transaction that writes under it."""
    held = connection.execute(
        select(t.lease.c.rack).where(t.lease.c.rack == rack, t.lease.c.epoch == epoch, t.lease.c.holder == holder)
    ).first()
    return held is not None


_PLAIN = {
    "rack": "bigint",
    "scan": "bigint",
    "epoch": "bigint",
    "seq": "bigint",
    "read_at": "timestamptz",
    "state": "text",
    "says": "text",
}
_KINDS = _PLAIN | dict.fromkeys(COLUMNS, "bytea")
_NAMES = tuple(_KINDS)
_ONE = ", ".join(f"cast(:{name} as {kind}[])" for name, kind in _KINDS.items())
_WRITE = text(
    f"with given as (select * from unnest({_ONE}) as g({', '.join(_NAMES)})), "
    "held as (select g.* from given g join lease l on l.rack = g.rack and l.epoch = g.epoch and l.holder = :holder), "
    f"put as (insert into live_block ({', '.join(_NAMES)}) select {', '.join(_NAMES)} from held order by rack "
    f"on conflict (rack) do update set {', '.join(f'{n} = excluded.{n}' for n in _NAMES if n != 'rack')} "
    "returning rack, scan) "
    "select rack, pg_notify('canaleta_live', rack || ':' || scan) from put"
)
"""One way to the database and back for all racks of a moment: leases are looked at, blocks written, the workers
told."""


def write_blocks(connection: Connection, blocks: Sequence[LiveBlock], holder: str) -> set[int]:
    """Write the block of each rack whose lease of the block's epoch still holds, and tell the web workers. Returns
    those racks. blocks: of different racks."""
    if not blocks:
        return set()
    values = {name: [getattr(block, name) for block in blocks] for name in _PLAIN} | {
        name: [np.ascontiguousarray(getattr(block, name), dtype).tobytes() for block in blocks]
        for name, dtype in COLUMNS.items()
    }
    return {row.rack for row in connection.execute(_WRITE, values | {"holder": holder})}


def write_block(connection: Connection, block: LiveBlock, holder: str) -> bool:
    """Write one block, as `write_blocks` does. Returns whether the lease held."""
    return bool(write_blocks(connection, [block], holder))


def is_stale(block: LiveBlock, image: PlantImage, now: float) -> bool:
    """Whether nobody may trust what a block says any more, whatever its qualities say: whoever reads judges its age,
    for the agent that wrote it may be gone. now: s since the epoch."""
    return block.rack not in image.layout.racks or now - block.read_at.timestamp() > image.stale_after_s(block.rack)


def read_block(connection: Connection, rack: int) -> LiveBlock | None:
    """The newest block of a rack, or None before its first scan."""
    return next(iter(read_blocks(connection, [rack])), None)


def read_blocks(connection: Connection, racks: Sequence[int] | None = None) -> list[LiveBlock]:
    """The newest blocks of some racks, of all where none is said; those without a scan have none."""
    query = select(t.live_block)
    if racks is not None:
        query = query.where(t.live_block.c.rack.in_(list(racks)))
    return [_block_of(row) for row in connection.execute(query).mappings()]


def _block_of(row: Any) -> LiveBlock:
    arrays = {name: np.frombuffer(row[name], dtype) for name, dtype in COLUMNS.items()}
    return LiveBlock(
        row["rack"],
        row["scan"],
        row["epoch"],
        row["seq"],
        row["read_at"],
        RackState(row["state"]),
        row["says"],
        **arrays,
    )
