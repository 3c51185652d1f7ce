"""The database's clock is set, or another server with another clock takes over: nothing is held, armed or given for longer than
was said."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import Connection, text
from tests.building.clocks import PATH, ahead, movable
from tests.building.database import Database

from canaleta.plant.live import arming, leases, serving

HOUR_S = 3600


@contextmanager
def _ahead(database: Database, seconds: int) -> Iterator[Connection]:
    """A session whose server's clock is so far ahead: what people's programs call is found before the server's own."""
    with database.owner.connect() as connection:
        movable(connection)
        ahead(connection, seconds)
        connection.execute(text(f"set {PATH}"))
        connection.commit()
        yield connection
        connection.commit()
        connection.execute(text("reset search_path"))
        connection.commit()


def test_a_lease_given_by_a_clock_that_was_ahead_holds_nobody_up(database: Database) -> None:
    with _ahead(database, HOUR_S) as connection:
        assert leases.take_lease(connection, 1, "dead") == 1
        leases.beat(connection, "dead", 1)
        assert serving.take(connection, "plant", "dead") == 1
    with database.engine.begin() as connection:
        leases.beat(connection, "alive", 0)
        assert leases.share_of(connection, 8) == 8
        assert leases.take_lease(connection, 1, "alive") == 2
        assert leases.take_lease(connection, 1, "another") is None
        assert serving.take(connection, "plant", "alive") == 2
        assert serving.take(connection, "plant", "another") is None


def test_a_clock_that_jumps_ahead_frees_what_is_held_and_its_holder_hears_of_it(database: Database) -> None:
    with database.engine.begin() as connection:
        assert leases.take_lease(connection, 1, "first") == 1
    with _ahead(database, HOUR_S) as connection:
        assert leases.take_lease(connection, 1, "second") == 2
        assert leases.renew(connection, "first") == {}


@pytest.mark.parametrize(("minutes_ago", "holds"), [(10, False), (0, True)])
def test_nobody_writes_for_longer_than_was_said(database: Database, minutes_ago: int, holds: bool) -> None:
    """Armed for half an hour, given away for half an hour; then the clock goes back behind that moment."""
    with _ahead(database, minutes_ago * 60) as connection:
        arming.arm(connection, 1, "erna", 30)
        serving.give(connection, [5], "erna", "a test", 30)
        assert arming.armed(connection, 1) is not None
        assert len(serving.given_now(connection)) == 1
    with database.engine.connect() as connection:
        assert (arming.armed(connection, 1) is not None) is holds
        assert (len(serving.given_now(connection)) == 1) is holds
