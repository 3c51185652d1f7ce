"""A commit that the standby did not confirm is no acknowledgement; an address of several hosts finds the one that writes."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator

import psycopg
import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from tests.building.database import Database
from tests.building.waiting import HANGS_S

from canaleta.host.cluster import Cluster
from canaleta.plant.database.connection import engine_for


@pytest.fixture
def no_standby(cluster: Cluster) -> Iterator[psycopg.Connection]:
    """A cluster that waits for a standby which is not there."""
    with psycopg.connect(cluster.owner_url, autocommit=True) as admin:
        admin.execute("set synchronous_commit = local")
        admin.execute("alter system set synchronous_standby_names = 'nobody'")
        admin.execute("select pg_reload_conf()")
        try:
            yield admin
        finally:
            admin.execute("alter system reset synchronous_standby_names")
            admin.execute("select pg_reload_conf()")


def test_a_commit_whose_wait_is_broken_off_is_told_as_a_failure(
    empty_database: Database, no_standby: psycopg.Connection
) -> None:
    told: list[BaseException | str] = []

    def write() -> None:
        try:
            with empty_database.owner.begin() as connection:
                connection.execute(text("set local synchronous_commit = on"))
                connection.execute(text("create table probe (n int)"))
            told.append("saved")
        except OperationalError as error:
            told.append(error)

    name = empty_database.owner.url.database
    writer = threading.Thread(target=write)
    writer.start()
    until = time.monotonic() + HANGS_S
    waits = "select pid from pg_stat_activity where datname = %s and wait_event = 'SyncRep'"
    while not (found := no_standby.execute(waits, [name]).fetchone()) and time.monotonic() < until:
        time.sleep(0.02)
    assert found, "nobody waits for the standby"
    no_standby.execute("select pg_cancel_backend(%s)", found)
    writer.join(HANGS_S)
    assert isinstance(told[0], OperationalError), told
    assert "did not confirm" in str(told[0])


def test_a_warning_before_the_commit_is_none_of_the_commits(empty_database: Database) -> None:
    with empty_database.owner.begin() as connection:
        connection.execute(text("do $$ begin raise warning 'so'; end $$"))


@pytest.mark.parametrize("written", ["two words", "a list", "no more"])
def test_an_address_of_several_hosts_is_one_that_writes(cluster: Cluster, written: str) -> None:
    """The first answers nobody. Both ways of writing it are people's: SQLAlchemy's and libpq's."""
    parts = psycopg.conninfo.conninfo_to_dict(cluster.owner_url)
    who = f"postgresql://{parts['user']}:{parts['password']}"
    hosts = "127.0.0.1:1", f"127.0.0.1:{parts['port']}"
    url = {
        "two words": f"{who}@/{parts['dbname']}?host={hosts[0]}&host={hosts[1]}&target_session_attrs=read-write",
        "a list": f"{who}@{hosts[0]},{hosts[1]}/{parts['dbname']}?target_session_attrs=read-write",
        "no more": f"{who}@{hosts[0]},{hosts[1]}/{parts['dbname']}",
    }[written]
    engine = engine_for(url, pool_size=1)
    with engine.connect() as connection:
        assert connection.execute(text("select pg_is_in_recovery()")).scalar_one() is False
    engine.dispose()


@pytest.mark.parametrize(
    ("url", "says"),
    [
        ("postgresql://me@a:5432,b:5433,c/plant?port=1,2", "cannot be read|names 3 hosts and 2 ports"),
        ("postgresql://me@a,b/plant?no_such_word=1", "cannot be read: invalid URI query parameter"),
        ("mysql://me@a/plant", "must begin with postgresql://"),
    ],
)
def test_an_address_that_cannot_be_read_says_why(url: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        engine_for(url)
