"""What people are told of the standby: that it lags, that it is gone, that nobody waits for it; nothing while all is well."""

from __future__ import annotations

import threading

import pytest
from sqlalchemy import Engine, text
from tests.building.database import Database
from tests.building.pair import Pair

from canaleta.plant.database.connection import confirmed, engine_for
from canaleta.plant.database.standby import Standing, standing_of


def _standing(engine: Engine) -> Standing:
    with engine.connect() as connection:
        return standing_of(connection)


def test_a_database_alone_has_nothing_to_tell(database: Database) -> None:
    assert _standing(database.engine) == Standing("none")


@pytest.mark.long
def test_a_standby_that_goes_and_comes_back_is_told(pair: Pair, monkeypatch: pytest.MonkeyPatch) -> None:
    """By a role that may not look into replication: the one that serves."""
    monkeypatch.setattr("canaleta.plant.database.standby.LAGS_S", 0.05)
    monkeypatch.setattr("canaleta.plant.database.servers.CONFIRM_S", 600.0)
    engine = engine_for(pair.url(), pool_size=3)
    pair.until(lambda: _standing(engine) == Standing("good"), "all is well and something is told")
    pair.freeze(pair.b)

    def write() -> None:
        with engine.begin() as connection:
            connection.execute(text("insert into note values (1)"))

    writer = threading.Thread(target=write, daemon=True)
    writer.start()
    told: dict[str, Standing] = {}

    def is_told(state: str) -> bool:
        now = _standing(engine)
        told[now.state] = now
        return state in told

    pair.until(lambda: is_told("lags"), "who waits for the standby is not told")
    assert told["lags"].says.endswith("and saving waits for it")
    # After wal_sender_timeout the primary gives it up.
    pair.until(lambda: is_told("gone"), "a standby that is gone is not told")
    assert "synchronous_standby_names" in told["gone"].remedy
    pair.thaw(pair.b)
    pair.until(lambda: _standing(engine).state == "good", "the standby is back and nobody says so")
    writer.join(600)
    assert not writer.is_alive()
    engine.dispose()


def test_a_standby_that_nobody_waits_for_is_no_safety(pair: Pair) -> None:
    engine = engine_for(pair.url(), pool_size=1)
    pair.confirmed_by(pair.a, "")
    pair.until(lambda: _standing(engine).state == "unsure", "nobody says that acknowledged work may be lost")
    assert not _standing(engine).slow
    engine.dispose()


@pytest.mark.long
def test_readings_and_leases_go_on_while_the_standby_is_gone(pair: Pair) -> None:
    """What an agent writes is written anew in a second; what became of a command is not."""
    engine = engine_for(pair.url(), pool_size=2, unconfirmed=True)
    pair.freeze(pair.b)
    for n in range(20):
        with engine.begin() as connection:
            connection.execute(text("insert into note values (:n)"), {"n": n})
    waiting = threading.Event()

    def write() -> None:
        with engine.begin() as connection:
            confirmed(connection)
            connection.execute(text("insert into note values (100)"))
        waiting.set()

    writer = threading.Thread(target=write, daemon=True)
    writer.start()
    in_wait = "select count(*) from pg_stat_activity where wait_event = 'SyncRep'"
    with pair.admin(pair.a) as admin:
        pair.until(lambda: admin.execute(in_wait).fetchone() == (1,), "nobody waits for the standby")
    assert not waiting.is_set()
    pair.thaw(pair.b)
    writer.join(600)
    assert waiting.is_set()
    engine.dispose()
