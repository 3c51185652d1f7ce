"""The database's clock jumps under an agent that scans: an hour ahead, as after a promotion to a machine that is off, and back."""

from __future__ import annotations

import pytest
from sqlalchemy import text
from tests.building.agents import in_a_loop_of_its_own, scanned, until
from tests.building.clocks import PATH, ahead, movable
from tests.building.database import Database

from canaleta.plant.live.blocks import RackState

HOUR_S = 3600


@pytest.fixture
def jumping(database: Database) -> Database:
    """A database whose clock goes by an offset, s, that tests move."""
    with database.owner.begin() as connection:
        movable(connection)
        connection.execute(text(f'alter database "{database.owner.url.database}" set {PATH}'))
    database.owner.dispose()
    database.engine.dispose()
    return database


@pytest.mark.parametrize("jumps", [pytest.param((HOUR_S, 0), marks=pytest.mark.long), (-HOUR_S, HOUR_S, -HOUR_S)])
def test_scans_go_on_whatever_the_clock_says(jumping: Database, jumps: tuple[int, ...]) -> None:
    async def run() -> None:
        async with scanned(jumping):
            block = await until(jumping, lambda b: b.scan > 3)
            before = block.read_at.timestamp()
            for seconds in jumps:
                with jumping.owner.begin() as connection:
                    ahead(connection, seconds)
                here = before + seconds
                # The next readings carry the new time, and none is held back until the old one is reached again.
                block = await until(
                    jumping,
                    lambda b, here=here: abs(b.read_at.timestamp() - here) < HOUR_S / 2,  # type: ignore[misc]
                )
                scan = block.scan
                block = await until(jumping, lambda b, scan=scan: b.scan > scan + 20)  # type: ignore[misc]
                assert block.state == RackState.ANSWERS

    in_a_loop_of_its_own(run)
