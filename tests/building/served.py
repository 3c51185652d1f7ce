"""Blocks of live values, as an agent would write them."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime

import numpy as np

from canaleta.core.model.quality import Quality, Reason
from canaleta.plant.live.blocks import LiveBlock, RackState

__all__ = ["block_of"]


def block_of(rack: int, scan: int, told: Mapping[int, tuple[float, Quality, Reason | int]], at: float) -> LiveBlock:
    """{point: (value, quality, reasons)} read at a time, s since 1970."""
    n = len(told)
    values = list(told.values())
    none = np.zeros(0)
    return LiveBlock(
        rack, scan, 1, 0, datetime.fromtimestamp(at, UTC), RackState.ANSWERS, "",
        points=np.array(list(told), np.int64), counts=np.zeros(n), value=np.array([v for v, _, _ in values], np.float64),
        quality=np.array([int(q) for _, q, _ in values], np.uint8), reasons=np.array([int(r) for _, _, r in values], np.uint32),
        injected=np.zeros(n, np.uint8), switch=np.full(n, -1, np.int8), flags=np.zeros(n, np.uint8),
        alarm=np.zeros(n, np.uint8), band=np.full(n, -1, np.int8), meters=none.astype(np.int64), counted=none, total=none,
        rate=none, shown=np.full(n, np.nan), loaded=none.astype(np.int64), load_ma=none,
    )  # fmt: skip
