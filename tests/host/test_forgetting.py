"""Months of the alarm journal are dropped by whoever owns the database, as a whole, and never the newest thirteen."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy import insert, select, text
from tests.building.database import Database

from canaleta.host.steps import TroubleError
from canaleta.host.upkeep import forget
from canaleta.plant.database import tables as t

OLD, YOUNGER = datetime(2020, 5, 17, tzinfo=UTC), datetime(2020, 6, 1, tzinfo=UTC)


@pytest.fixture(autouse=True)
def own(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("CANALETA_DATABASE_URL", database.owner.url.render_as_string(hide_password=False))
    with database.owner.begin() as connection:
        for month, ends in (("2020_05", "2020-06-01"), ("2020_06", "2020-07-01")):
            begins = f"{month.replace('_', '-')}-01"
            connection.execute(
                text(
                    f"create table journal_{month} partition of journal for values from ('{begins}+00') to ('{ends}+00')"
                )
            )
        line = {"point": 1, "kind": "high", "event": "comes", "was": "normal", "becomes": "unacknowledged"}
        connection.execute(insert(t.journal), [line | {"at": OLD}, line | {"at": YOUNGER}])


def _kept(database: Database) -> list[datetime]:
    with database.owner.connect() as connection:
        return list(connection.execute(select(t.journal.c.at).order_by(t.journal.c.at)).scalars())


def test_a_month_goes_and_the_next_one_stays(
    database: Database, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert forget(tmp_path, "2020-06") == 0
    assert _kept(database) == [YOUNGER]
    assert "journal_2020_05 is dropped" in capsys.readouterr().out
    assert forget(tmp_path, "2020-06") == 0
    assert "there is nothing before 2020-06" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("typed", "says"), [("May", "is no month"), ("2020-13", "is no month"), ("9999-01", "stays")]
)
def test_what_is_no_month_or_too_young_drops_nothing(
    database: Database, tmp_path: Path, typed: str, says: str
) -> None:
    with pytest.raises(TroubleError, match=says):
        forget(tmp_path, typed)
    assert _kept(database) == [OLD, YOUNGER]
