"""What a start makes of the database: everything is audited anew when another program looks at it, and only then."""

from __future__ import annotations

from pathlib import Path

import pytest
from sqlalchemy import delete, func, select
from tests.building.database import Database

from canaleta.host.start import Options, _contents
from canaleta.plant.database import tables as t

pytestmark = pytest.mark.database


def findings(database: Database) -> int:
    with database.owner.connect() as connection:
        return connection.execute(select(func.count()).select_from(t.finding)).scalar_one()


def started(database: Database, program: str, monkeypatch: pytest.MonkeyPatch) -> int:
    """How many findings stand after a start by this program, which found none."""
    with database.owner.begin() as connection:
        connection.execute(delete(t.finding))
    monkeypatch.setenv("CANALETA_PROGRAM", program)
    _contents(database.owner, Options("127.0.0.1", 8412, Path("/nowhere"), demo=True))
    return findings(database)


def test_the_same_program_audits_once_and_another_one_again(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    all_of_them = findings(database)
    assert started(database, "/programs/one", monkeypatch) == all_of_them > 0
    assert started(database, "/programs/one", monkeypatch) == 0, "findings follow every change: nothing to look for"
    assert started(database, "/programs/two", monkeypatch) == all_of_them


def test_a_program_that_has_no_name_always_audits(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    """From a checkout that is worked on, two starts may be of two programs."""
    assert [started(database, "", monkeypatch) > 0 for _ in range(2)] == [True, True]
