"""Readings in the database, as an agent would have left them."""

from __future__ import annotations

from canaleta.plant.live.blocks import LiveBlock, write_block
from canaleta.plant.live.leases import take_lease
from tests.building.database import Database

PT, PDT, XS = 1, 2, 21
"""PT-3107, shown as 0…500 mbar; PT-3108, shown as 50…−50 Pa."""


def live(database: Database, block: LiveBlock) -> None:
    with database.engine.begin() as connection:
        epoch = take_lease(connection, 1, "test") or 0
        assert write_block(connection, LiveBlock(**(block.__dict__ | {"epoch": epoch})), "test")
