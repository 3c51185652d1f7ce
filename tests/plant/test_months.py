"""Trends and the alarm journal by the month: a month goes as a whole, nothing is lost on the way there, nobody may drop more."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from importlib import import_module
from typing import Any

import psycopg
import pytest
from alembic.migration import MigrationContext
from alembic.operations import Operations
from sqlalchemy import Connection, insert, select, text
from sqlalchemy.exc import DBAPIError
from tests.building.database import Database

from canaleta.plant.database import tables as t
from canaleta.plant.live.trends import borne_out, forget_before

NOW = datetime.now(UTC)
FIRST = NOW.replace(day=1, hour=0, minute=0, second=0, microsecond=0)


def _months(connection: Connection, table: str) -> list[str]:
    rows = connection.execute(
        text(
            "select c.relname from pg_inherits i join pg_class c on c.oid = i.inhrelid where i.inhparent = to_regclass(:t)"
        ),
        {"t": table},
    )
    return sorted(row[0] for row in rows)


def _row(point: int, hour: datetime) -> dict[str, Any]:
    return {"point": point, "hour": hour, "body": b"b", "minutes": b"m", "quarters": b"q"}


def _line(at: datetime) -> dict[str, Any]:
    return {"at": at, "point": 1, "kind": "high", "event": "comes", "was": "normal", "becomes": "unacknowledged"}


def _older_month(connection: Connection, first: datetime, table: str) -> str:
    """The partition of a month that is over, as it was made when that month came."""
    name = f"{table}_{first:%Y_%m}"
    ends = (first + timedelta(days=32)).replace(day=1)
    connection.execute(text(f"create table {name} partition of {table} for values from ('{first}') to ('{ends}')"))
    return name


def test_this_month_and_the_two_to_come_are_there(database: Database) -> None:
    with database.engine.connect() as connection:
        for table in ("trend_hour", "trend_clock", "journal"):
            months = [(FIRST + timedelta(days=31 * k)).strftime("%Y_%m") for k in range(3)]
            assert _months(connection, table) == [*(f"{table}_{m}" for m in months), f"{table}_default"]


def test_a_month_goes_as_a_whole_and_only_once_all_of_it_is_old(database: Database) -> None:
    last, before = ((FIRST - timedelta(days=1)).replace(day=1), (FIRST - timedelta(days=40)).replace(day=1))
    with database.owner.begin() as connection:
        names = [_older_month(connection, month, "trend_hour") for month in (before, last)]
    with database.engine.begin() as connection:
        connection.execute(insert(t.trend_hour), [_row(1, before), _row(1, last), _row(1, FIRST)])
        # The day lies in the middle of the month: what is younger stays, and so does the rest of its month.
        assert forget_before(connection, last + timedelta(days=10)) == [names[0]]
        kept = connection.execute(select(t.trend_hour.c.hour).order_by(t.trend_hour.c.hour)).scalars().all()
    assert kept == [last, FIRST]


def test_a_clock_that_is_a_year_ahead_makes_no_trend_old(database: Database) -> None:
    with database.engine.begin() as connection:
        assert borne_out(connection, NOW) == NOW
        connection.execute(insert(t.trend_hour), [_row(1, FIRST)])
        assert borne_out(connection, FIRST + timedelta(days=365)) == FIRST + timedelta(days=2)
        assert borne_out(connection, FIRST + timedelta(hours=5)) == FIRST + timedelta(hours=5)


def test_what_comes_before_its_month_was_made_is_kept_and_moves_there(database: Database) -> None:
    """A server's clock may be years off: nothing that is read is refused for that."""
    odd = datetime(2055, 5, 5, 5, tzinfo=UTC)
    with database.owner.begin() as connection:
        for table in ("trend_hour", "trend_clock", "journal"):
            connection.execute(text(f"drop table {table}_{FIRST:%Y_%m}"))
    with database.engine.begin() as connection:
        connection.execute(insert(t.trend_hour), [_row(1, odd), _row(1, FIRST)])
        connection.execute(insert(t.journal), [_line(odd), _line(FIRST)])
        forget_before(connection, FIRST - timedelta(days=31))
    with database.owner.connect() as connection:
        for table, at in (("trend_hour", "hour"), ("journal", "at")):
            assert connection.execute(text(f"select {at} from {table}_{FIRST:%Y_%m}")).scalars().all() == [FIRST]
            assert connection.execute(text(f"select {at} from {table}_default")).scalars().all() == [odd]


def test_the_journal_only_grows_in_every_month(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(insert(t.journal), [_line(NOW)])
        forget_before(connection, NOW - timedelta(days=400))
    for table in ("journal", f"journal_{FIRST:%Y_%m}", "journal_default"):
        for what in (f"delete from {table}", f"update {table} set who = 'me'", f"truncate {table}"):
            with pytest.raises(DBAPIError, match="only grows"), database.owner.begin() as connection:
                connection.execute(text(what))


def test_who_serves_may_forget_trends_that_are_old_and_nothing_else(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(insert(t.trend_hour), [_row(1, FIRST)])
        assert forget_before(connection, NOW + timedelta(days=4000)) == []
    for what in ("select canaleta_drop_months('journal', 'at', now())", "drop table trend_hour"):
        with pytest.raises(DBAPIError) as refused, database.engine.begin() as connection:
            connection.execute(text(what))
        assert isinstance(refused.value.orig, psycopg.errors.InsufficientPrivilege)


def test_what_was_there_before_the_months_is_taken_along(empty_database: Database) -> None:
    """The shape of before is made again, with rows in it; then the step is taken."""
    step = import_module("canaleta.plant.migrations.versions.0025_more_than_one_machine")
    old, last = FIRST - timedelta(days=200), FIRST - timedelta(days=40)
    with empty_database.owner.begin() as connection:
        for table, key in (("trend_hour", "point, hour"), ("trend_clock", "id"), ("journal", "id")):
            connection.execute(text(f"create table old (like {table} including defaults including storage)"))
            if table != "trend_hour":
                connection.execute(text(f"alter sequence {table}_id_seq owned by old.id"))
            connection.execute(text(f"drop table {table}"))
            connection.execute(text(f"alter table old rename to {table}"))
            connection.execute(text(f"alter table {table} add constraint pk_{table} primary key ({key})"))
            for name, columns in step.INDEXES[table].items():
                connection.execute(text(f"create index {name} on {table} ({columns})"))
        connection.execute(text(f"create trigger only_grows {step.GROWS}".replace("{}", "journal")))
        connection.execute(insert(t.trend_hour), [_row(7, old), _row(7, last)])
        connection.execute(insert(t.journal), [_line(old), _line(NOW)])
        connection.execute(text("drop table made_file"))
        connection.execute(text("alter table arming drop column at"))
        for function in ("canaleta_months", "canaleta_drop_months", "canaleta_forget_trends"):
            connection.execute(text(f"drop function {function}"))
        with Operations.context(MigrationContext.configure(connection)):
            step.upgrade()
        hours = select(t.trend_hour.c.hour).order_by(t.trend_hour.c.hour)
        assert connection.execute(hours).scalars().all() == [old, last]
        assert connection.execute(select(t.journal.c.id).order_by(t.journal.c.id)).scalars().all() == [1, 2]
        connection.execute(insert(t.journal), [_line(NOW)])
        assert connection.execute(select(t.journal.c.id)).scalars().all()[-1] == 3
        # This month's rows lie with those of before; the next months are their own.
        assert f"trend_hour_{FIRST:%Y_%m}" not in _months(connection, "trend_hour")
        assert "trend_hour_before" in _months(connection, "trend_hour")
        assert forget_before(connection, last - timedelta(days=1)) == []
        assert forget_before(connection, last + timedelta(days=1)) == ["trend_hour_before"]
