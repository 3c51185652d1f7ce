"""Backup and restore: a snapshot while people work, proved equal; what was there stays; a database of one's own too."""

from __future__ import annotations

import json
import tarfile
import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import make_url, text
from tests.conftest import Database, fresh_database

from canaleta.host.cluster import Cluster
from canaleta.host.safekeeping import MANIFEST, backup, digests, restore
from canaleta.host.steps import TroubleError
from canaleta.plant.keeper import PlantKeeper
from canaleta.plant.proposals import Applied, Edit, Proposal, apply

pytestmark = pytest.mark.database


@pytest.fixture
def own(cluster: Cluster, monkeypatch: pytest.MonkeyPatch) -> Iterator[Database]:
    """A database of one's own, as CANALETA_DATABASE_URL names it."""
    with fresh_database(cluster, demo=True) as made:
        url = made.owner.url.set(drivername="postgresql").render_as_string(hide_password=False)
        monkeypatch.setenv("CANALETA_DATABASE_URL", url)
        yield made


def held(database: Database) -> dict[str, tuple[int, str]]:
    url = make_url(database.owner.url).set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(url) as connection:
        return digests(connection)


def edit(database: Database, text: str) -> None:
    keeper = PlantKeeper(database.owner)
    was = keeper.current().text("service", 0)
    done = apply(database.owner, keeper, Proposal((Edit(1, "service", was, text),)), "ana")
    assert isinstance(done, Applied)


def at_rest(database: Database) -> None:
    """Nobody is connected: as after the program was stopped."""
    database.owner.dispose()
    database.engine.dispose()


def test_a_restore_brings_everything_back_and_is_equal(own: Database, tmp_path: Path) -> None:
    edit(own, "before")
    before = held(own)
    assert backup(tmp_path / "data", tmp_path / "plant.backup") == 0
    edit(own, "after")
    at_rest(own)
    assert restore(tmp_path / "data", tmp_path / "plant.backup") == 0
    assert held(own) == before
    assert PlantKeeper(own.owner).current().text("service", 0) == "before"
    url = make_url(own.owner.url).set(drivername="postgresql").render_as_string(hide_password=False)
    with psycopg.connect(url) as connection:
        (schema,) = connection.execute(
            "select nspname from pg_namespace where nspname like 'before_%'"
        ).fetchone() or ("",)
        kept = connection.execute(f'select service from "{schema}".point where id = 1').fetchone()
    assert kept == ("after",), "what was there is kept beside it"
    edit(own, "and on it goes")


def test_a_backup_is_one_moment_while_others_write(own: Database, tmp_path: Path) -> None:
    stop, begun = threading.Event(), threading.Event()

    def writing() -> None:
        number = 0
        while not stop.is_set():
            number += 1
            edit(own, f"edit {number}")
            begun.set()

    writer = threading.Thread(target=writing)
    writer.start()
    begun.wait(20)
    try:
        backup(tmp_path / "data", tmp_path / "plant.backup")
    finally:
        stop.set()
        writer.join()
    at_rest(own)
    assert restore(tmp_path / "data", tmp_path / "plant.backup") == 0, (
        "the digests are of the snapshot that was dumped"
    )
    image = PlantKeeper(own.owner).current()
    assert image.text("service", 0) == f"edit {image.seq}", "the list and its history are of the same moment"


def test_a_backup_that_was_tampered_with_changes_nothing(own: Database, tmp_path: Path) -> None:
    file = tmp_path / "plant.backup"
    backup(tmp_path / "data", file)
    with tarfile.open(file) as archive:
        for name in (MANIFEST, "plant.dump"):
            (tmp_path / name).write_bytes(archive.extractfile(name).read())  # type: ignore[union-attr]
    manifest = json.loads((tmp_path / MANIFEST).read_text())
    manifest["tables"]["point"] = [manifest["tables"]["point"][0], "0" * 32]
    (tmp_path / MANIFEST).write_text(json.dumps(manifest))
    with tarfile.open(file, "w") as archive:
        archive.add(tmp_path / MANIFEST, MANIFEST)
        archive.add(tmp_path / "plant.dump", "plant.dump")
    before = held(own)
    at_rest(own)
    with pytest.raises(TroubleError, match="not what was backed up: point"):
        restore(tmp_path / "data", file)
    assert held(own) == before
    edit(own, "it works on")


@pytest.mark.parametrize(
    ("content", "says"),
    [(b"no backup at all", "is no backup made by"), (b"PGDMP but not really", "could not be restored")],
)
def test_what_is_no_backup_is_told_and_nothing_happens(
    own: Database, tmp_path: Path, content: bytes, says: str
) -> None:
    file = tmp_path / "x"
    file.write_bytes(content)
    before = held(own)
    at_rest(own)
    with pytest.raises(TroubleError, match=says):
        restore(tmp_path / "data", file)
    assert held(own) == before


def test_a_backup_of_a_newer_version_is_told_and_nothing_happens(own: Database, tmp_path: Path) -> None:
    newest = "update alembic_version set version_num = :v returning (select version_num from alembic_version)"
    with own.owner.begin() as connection:
        was = connection.execute(text(newest), {"v": "9999"}).scalar_one()
    backup(tmp_path / "data", tmp_path / "plant.backup")
    with own.owner.begin() as connection:
        connection.execute(text(newest), {"v": was})
    before = held(own)
    at_rest(own)
    with pytest.raises(TroubleError, match="newer version"):
        restore(tmp_path / "data", tmp_path / "plant.backup")
    assert held(own) == before
    edit(own, "it works on")


def test_a_database_in_use_is_not_restored_over(own: Database, tmp_path: Path) -> None:
    backup(tmp_path / "data", tmp_path / "plant.backup")
    with own.owner.connect(), pytest.raises(TroubleError, match="others are connected"):
        restore(tmp_path / "data", tmp_path / "plant.backup")


def test_files_are_not_written_over_and_folders_must_be_there(own: Database, tmp_path: Path) -> None:
    (tmp_path / "there").touch()
    with pytest.raises(TroubleError, match="exists already"):
        backup(tmp_path / "data", tmp_path / "there")
    with pytest.raises(TroubleError, match="is not there"):
        backup(tmp_path / "data", tmp_path / "nowhere" / "x")
