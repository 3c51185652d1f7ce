"""A primary and its standby: what was acknowledged outlives the primary, nobody writes to one that was left behind, nobody waits
without end."""

from __future__ import annotations

import threading
import time

import psycopg
import pytest
from sqlalchemy import Engine, make_url, text
from sqlalchemy.exc import OperationalError
from tests.building.pair import Pair
from tests.building.waiting import HANGS_S

from canaleta.plant.database.connection import engine_for, leading, servers_behind
from canaleta.plant.database.servers import Leader, UnsureError, servers_of


class Writer:
    """Writes one number after the other, each until it is acknowledged, and remembers which were."""

    def __init__(self, engine: Engine, first: int) -> None:
        self._engine, self._next = engine, first
        self.acknowledged: list[int] = []
        self.failed: list[BaseException] = []
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

    def _work(self) -> None:
        while not self._over.is_set():
            try:
                with self._engine.begin() as connection:
                    # A repeat does no harm.
                    again = text("insert into note values (:n) on conflict do nothing")
                    connection.execute(again, {"n": self._next})
                self.acknowledged.append(self._next)
                self._next += 1
            except OperationalError as error:
                self.failed.append(error)
                time.sleep(0.05)

    def end(self) -> None:
        self._over.set()
        self._thread.join(HANGS_S)
        assert not self._thread.is_alive()


def _kept(pair: Pair, member: object) -> set[int]:
    with pair.admin(member) as connection:  # type: ignore[arg-type]
        return {n for (n,) in connection.execute("select n from note")}


def test_what_was_acknowledged_outlives_the_primary_and_writers_go_on(pair: Pair) -> None:
    engine = engine_for(pair.url(), pool_size=4)
    writers = [Writer(engine, 1_000_000 * k) for k in range(1, 4)]
    pair.until(lambda: all(len(w.acknowledged) > 50 for w in writers), "nothing is written")
    pair.kill(pair.a)
    pair.promote(pair.b)
    before = [len(w.acknowledged) for w in writers]
    pair.until(
        lambda: all(len(w.acknowledged) > n + 50 for w, n in zip(writers, before, strict=True)),
        "the writers do not go on by themselves",
    )
    for writer in writers:
        writer.end()
    kept = _kept(pair, pair.b)
    assert [n for w in writers for n in w.acknowledged if n not in kept] == []
    engine.dispose()


@pytest.mark.long
def test_a_primary_that_comes_back_after_a_promotion_is_left_alone(
    pair: Pair, caplog: pytest.LogCaptureFixture
) -> None:
    """It stands first in the address, takes writes, and waits for nobody: PostgreSQL's own choice would be it."""
    pair.kill(pair.a)
    pair.promote(pair.b)
    pair.a.more = ("synchronous_standby_names=",)
    pair.start(pair.a)
    assert pair.leads(pair.a)
    engine = engine_for(pair.url(), pool_size=1)
    with psycopg.connect(**engine.dialect.create_connect_args(engine.url)[1]) as chosen:
        assert chosen.info.port == pair.a.port
    for n in range(20):
        with engine.begin() as connection:
            connection.execute(text("insert into note values (:n)"), {"n": n})
        engine.dispose()
    assert _kept(pair, pair.a) == set()
    assert _kept(pair, pair.b) == set(range(20))
    assert sum("it is left alone" in record.message for record in caplog.records) == 1
    engine.dispose()


def test_connections_to_a_server_that_was_left_behind_are_cut(pair: Pair) -> None:
    """A split network: the primary goes on for those who still reach it, another was promoted."""
    engine = engine_for(pair.url(), pool_size=1)
    with engine.connect() as connection:
        assert connection.connection.dbapi_connection.info.port == pair.a.port  # type: ignore[union-attr]
        heard = servers_behind(engine).listen()
        pair.confirmed_by(pair.a, "")
        pair.promote(pair.b)
        pair.until(lambda: _is_dead(heard), "who listens is not sent away")
        with pytest.raises(OperationalError):
            connection.execute(text("insert into note values (1)"))
    with engine.begin() as connection:
        connection.execute(text("insert into note values (2)"))
    assert (_kept(pair, pair.a), _kept(pair, pair.b)) == (set(), {2})
    engine.dispose()


def test_a_commit_that_nobody_confirms_is_broken_off_and_told(pair: Pair, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("canaleta.plant.database.servers.SUSPECT_S", 0.1)
    monkeypatch.setattr("canaleta.plant.database.servers.CONFIRM_S", 0.1)
    engine = engine_for(pair.url(), pool_size=1)
    pair.freeze(pair.b)
    with pytest.raises(OperationalError, match="did not confirm") as told, engine.begin() as connection:
        connection.execute(text("insert into note values (1)"))
    assert isinstance(told.value.orig, UnsureError)
    pair.thaw(pair.b)
    pair.until(lambda: pair.in_step(pair.a), "the standby does not come back")
    with engine.begin() as connection:
        connection.execute(text("insert into note values (2)"))
    assert _kept(pair, pair.b) >= {2}
    engine.dispose()


def test_a_primary_that_hangs_is_given_up(pair: Pair) -> None:
    """It neither answers nor refuses; another is promoted. Whoever waited for an answer goes on there."""
    engine = engine_for(pair.url(), pool_size=2)
    writer = Writer(engine, 1)
    pair.until(lambda: len(writer.acknowledged) > 20, "nothing is written")
    pair.freeze(pair.a)
    pair.promote(pair.b)
    before = len(writer.acknowledged)
    pair.until(lambda: len(writer.acknowledged) > before + 20, "the writer does not go on by himself")
    writer.end()
    kept = _kept(pair, pair.b)
    assert [n for n in writer.acknowledged if n not in kept] == []
    pair.thaw(pair.a)
    engine.dispose()


def test_without_any_server_each_is_named_with_its_reason(pair: Pair) -> None:
    engine = engine_for(pair.url(), pool_size=1)
    pair.kill(pair.a)
    with pytest.raises(OperationalError) as told, engine.connect():
        pass
    says = str(told.value.orig)
    assert "none of 2 database servers takes writes now" in says
    assert f"127.0.0.1:{pair.a.port}: connection failed" in says
    assert f"127.0.0.1:{pair.b.port}: it follows another" in says
    pair.promote(pair.b)
    with engine.connect() as connection:
        assert connection.execute(text("select 1")).scalar_one() == 1
    engine.dispose()


def test_two_that_lead_and_follow_nobody_are_no_choice(pair: Pair) -> None:
    """Both promoted from one primary that is gone: which of them is right, people must say."""
    pair.kill(pair.a)
    (pair.a.folder / "standby.signal").touch()
    pair.start(pair.a)
    pair.promote(pair.a)
    pair.promote(pair.b)
    engine = engine_for(pair.url(), pool_size=1)
    with pytest.raises(OperationalError, match="both take writes and neither follows the other"), engine.connect():
        pass
    engine.dispose()


def test_programs_of_postgresql_are_sent_to_the_one_that_leads(pair: Pair) -> None:
    url = make_url(pair.url())
    assert leading(url).port == pair.a.port
    pair.kill(pair.a)
    pair.promote(pair.b)
    with psycopg.connect(
        leading(url).set(drivername="postgresql").render_as_string(hide_password=False)
    ) as connection:
        assert connection.info.port == pair.b.port


def test_a_server_that_refuses_is_none_that_hangs(monkeypatch: pytest.MonkeyPatch) -> None:
    """Too many connections, or a restart: whoever waits there waits on. Only silence is given up."""
    servers = servers_of({"host": "127.0.0.1", "port": "1", "dbname": "plant", "user": "me"})

    def refuse(error: Exception) -> list[int] | None:
        def connect(**_: object) -> None:
            raise error

        monkeypatch.setattr(psycopg, "connect", connect)
        return servers.answers(servers.all[0], [7])

    assert refuse(psycopg.OperationalError("FATAL: sorry, too many clients already")) == []
    assert refuse(psycopg.errors.ConnectionTimeout("connection timeout expired")) is None


def test_servers_of_different_databases_are_no_address(monkeypatch: pytest.MonkeyPatch) -> None:
    """Somebody wrote the test plant's server behind the plant's: nothing is written to either."""
    servers = servers_of({"host": "a,b", "port": "5432,5433", "dbname": "plant", "user": "me"})
    systems = {"a": 71, "b": 72}
    monkeypatch.setattr(servers, "ask", lambda server: Leader(server, systems[server.host], server.host, 1))
    with pytest.raises(psycopg.OperationalError, match="different databases: an address names servers of one"):
        servers.find()
    systems["b"] = 71
    with pytest.raises(psycopg.OperationalError, match="a:5432 and b:5433 both take writes"):
        servers.find()


def _is_dead(connection: psycopg.Connection) -> bool:
    try:
        connection.execute("select 1")
    except psycopg.OperationalError:
        return True
    return False
