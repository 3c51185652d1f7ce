"""Live blocks under a lease, and commands that are void if not started in time."""

from datetime import UTC, datetime

import numpy as np
import pytest
from tests.building.database import Database
from tests.building.words import block_of

from canaleta.plant.live import commands
from canaleta.plant.live.blocks import LiveBlock, read_block, write_block
from canaleta.plant.live.leases import beat, gone, let_go, renew, share_of, take_lease


def block(epoch: int, scan: int = 1) -> LiveBlock:
    return block_of(
        [1, 2, 3],
        [1.0, np.nan, -8000],
        [0.5, np.nan, -1],
        quality=[0, 3, 2],
        reasons=[0, 512, 4],
        epoch=epoch,
        scan=scan,
        seq=7,
        read_at=datetime(2026, 5, 4, 12, tzinfo=UTC),
    )


def test_a_block_comes_back_as_it_was_written(database: Database) -> None:
    with database.engine.begin() as connection:
        epoch = take_lease(connection, 1, "me")
        assert epoch == 1
        assert write_block(connection, block(epoch), "me")
        found = read_block(connection, 1)
    assert found is not None
    np.testing.assert_array_equal(found.counts, block(1).counts)
    np.testing.assert_array_equal(found.reasons, block(1).reasons)
    assert (found.seq, found.read_at, found.state) == (7, block(1).read_at, "answers")


def test_a_lease_has_one_holder_and_its_epoch_grows_with_the_next(database: Database) -> None:
    with database.engine.begin() as connection:
        assert take_lease(connection, 1, "first", seconds=60) == 1
        assert take_lease(connection, 1, "first", seconds=-1) == 1, "renewing keeps the epoch"
    with database.engine.begin() as connection:
        assert take_lease(connection, 1, "second", seconds=60) == 2
        assert take_lease(connection, 1, "third", seconds=60) is None


def test_a_holder_that_slept_cannot_write_over_its_successor(database: Database) -> None:
    with database.engine.begin() as connection:
        take_lease(connection, 1, "first", seconds=-1)
        take_lease(connection, 1, "second")
        assert write_block(connection, block(2, scan=9), "second")
        assert not write_block(connection, block(1, scan=10), "first")
        found = read_block(connection, 1)
    assert found is not None
    assert found.scan == 9


@pytest.mark.parametrize(("seconds", "started", "result"), [(5.0, 1, None), (-1.0, 0, commands.LATE)])
def test_a_command_not_started_in_time_is_void(
    database: Database, seconds: float, started: int, result: commands.Outcome | None
) -> None:
    with database.engine.begin() as connection:
        number = commands.ask(connection, "ana", 1, "inject", {"value": 12.0}, seconds)
        taken = commands.start_waiting(connection, 1, epoch=1)
        assert len(taken) == started
        assert commands.outcome(connection, number) == result
        for command in taken:
            commands.finish(connection, command.id, commands.Outcome(commands.Ended.DONE, answer={"moved": 2}))
            assert commands.outcome(connection, number) == commands.Outcome(commands.Ended.DONE, "", {"moved": 2})
            commands.finish(connection, command.id, commands.Outcome.failed('{"moved": 2} is no answer but words'))
            failed = commands.outcome(connection, number)
            assert failed is not None
            assert failed.ended is commands.Ended.FAILED
        assert commands.start_waiting(connection, 1, epoch=2) == [], "nothing is started twice"


def test_racks_are_shared_out_among_those_that_live(database: Database) -> None:
    with database.engine.begin() as connection:
        assert share_of(connection, 10) == 10, "nobody else is there"
        beat(connection, "first", 0)
        assert share_of(connection, 10) == 10
        beat(connection, "second", 0)
        beat(connection, "third", 0)
        assert share_of(connection, 10) == 4
        gone(connection, "third")
        assert share_of(connection, 10) == 5


def test_a_rack_that_is_let_go_can_be_taken_at_once_and_one_that_is_held_cannot(database: Database) -> None:
    with database.engine.begin() as connection:
        assert take_lease(connection, 1, "first") == 1
        assert take_lease(connection, 2, "first") == 1
        assert renew(connection, "first") == {1: 1, 2: 1}
        let_go(connection, 1, "first")
    with database.engine.begin() as connection:
        assert take_lease(connection, 1, "second") == 2
        assert take_lease(connection, 2, "second") is None
        assert renew(connection, "first") == {2: 1}
        gone(connection, "first")
    with database.engine.begin() as connection:
        assert take_lease(connection, 2, "second") == 2
