"""Who sits at the list in these tests, and what they stand on."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from tests.building.database import Database
from tests.building.desks import Desk
from tests.building.pair import Pair, paired


@pytest.fixture
def ana(database: Database) -> Desk:
    return Desk(database)


@pytest.fixture
def pair(monkeypatch: pytest.MonkeyPatch) -> Iterator[Pair]:
    """A primary and its standby, with one table to write to."""
    # Patient enough for a busy machine; more makes these tests long, and nothing surer.
    monkeypatch.setenv("CANALETA_PATIENCE", "5")
    with paired() as made:
        with made.admin(made.a) as connection:
            connection.execute("set synchronous_commit = remote_apply")
            connection.execute("create table note (n bigint primary key)")
            connection.execute("grant select, insert on note to canaleta_runtime")
        yield made
