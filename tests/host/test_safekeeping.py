"""Backup and restore: a snapshot while people work, proved equal; what was there stays; a database of one's own
too."""

from __future__ import annotations

import json
import os
import stat
import subprocess
import sys
import tarfile
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import make_url, text
from tests.building.database import Database, fresh_database

from canaleta.host.cluster import Cluster
from canaleta.host.safekeeping import MANIFEST, backup, digests, restore
from canaleta.host.shape import bring_up
from canaleta.host.steps import TroubleError
from canaleta.host.upkeep import database_of, load_demo
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.records.image_cache import ImageCache

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
    cache = ImageCache(database.owner)
    was = cache.current().text("service", 0)
    done = apply(database.owner, cache, Proposal((Edit(1, "service", was, text),)), "ana")
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
    assert ImageCache(own.owner).current().text("service", 0) == "before"
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
    begun.wait()
    try:
        backup(tmp_path / "data", tmp_path / "plant.backup")
    finally:
        stop.set()
        writer.join()
    at_rest(own)
    assert restore(tmp_path / "data", tmp_path / "plant.backup") == 0, (
        "the digests are of the snapshot that was dumped"
    )
    image = ImageCache(own.owner).current()
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


def test_a_backup_of_a_newer_version_is_told_and_nothing_happens(
    own: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Here of a newer version that wrote no shape into its backup: the restored database itself tells."""
    newest = "update alembic_version set version_num = :v returning (select version_num from alembic_version)"
    with own.owner.begin() as connection:
        was = connection.execute(text(newest), {"v": "9999"}).scalar_one()
    with monkeypatch.context() as newer:
        newer.setattr("canaleta.host.upkeep._bring_up_unused", lambda engine: None)
        newer.setattr("canaleta.host.safekeeping.shape_of", lambda engine: "")
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


@pytest.fixture
def plant() -> Iterator[Path]:
    """A data folder with the private database and the demo plant in it."""
    with tempfile.TemporaryDirectory(prefix="canaleta-test-") as name:
        Path(name).chmod(0o755)
        assert load_demo(Path(name) / "plant", 0) == 0
        yield Path(name) / "plant"


def service_of(data: Path) -> str:
    with database_of(data) as (_, engine), engine.connect() as connection:
        return str(connection.execute(text("select service from point where id = 1")).scalar_one())


def set_service(data: Path, value: str) -> None:
    with database_of(data) as (_, engine):
        cache = ImageCache(engine)
        edited = apply(
            engine, cache, Proposal((Edit(1, "service", cache.current().text("service", 0), value),)), "ana"
        )
        assert isinstance(edited, Applied)


KILLED_AT = (
    "canaleta.host.safekeeping._restored",
    "canaleta.host.safekeeping._prove",
    "canaleta.host.safekeeping.bring_up",
    "canaleta.host.cluster.Cluster.ensure_database",
)


@pytest.mark.parametrize(
    "step", [KILLED_AT[1], *(pytest.param(step, marks=pytest.mark.long) for step in (KILLED_AT[0], *KILLED_AT[2:]))]
)
def test_a_restore_killed_at_any_step_leaves_a_plant_and_the_next_try_works(plant: Path, step: str) -> None:
    """Killed for good, as by the kernel: no exception handler runs, only what is on the disk counts."""
    set_service(plant, "before")
    backup(plant, plant.parent / "plant.backup")
    set_service(plant, "after")
    code = (
        "import os, sys, unittest.mock as mock\n"
        "from pathlib import Path\n"
        "from canaleta.host.safekeeping import restore\n"
        f"with mock.patch({step!r}, side_effect=lambda *a, **k: os._exit(9), autospec=True):\n"
        f"    restore(Path({str(plant)!r}), Path({str(plant.parent / 'plant.backup')!r}))\n"
    )
    killed = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, cwd="/")
    assert killed.returncode == 9, killed.stderr
    assert service_of(plant) == "after", "the old is whole and current"
    assert restore(plant, plant.parent / "plant.backup") == 0
    assert service_of(plant) == "before"


def test_a_restore_into_ones_own_database_killed_halfway_comes_back(own: Database, tmp_path: Path) -> None:
    edit(own, "before")
    backup(tmp_path / "data", tmp_path / "plant.backup")
    edit(own, "after")
    before = held(own)
    at_rest(own)
    code = (
        "import os, unittest.mock as mock\n"
        "from pathlib import Path\n"
        "from canaleta.host.safekeeping import restore\n"
        "with mock.patch('canaleta.host.safekeeping._prove', side_effect=lambda *a, **k: os._exit(9)):\n"
        f"    restore(Path({str(tmp_path / 'data')!r}), Path({str(tmp_path / 'plant.backup')!r}))\n"
    )
    killed = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, cwd="/")
    assert killed.returncode == 9, killed.stderr
    bring_up(own.owner)
    assert held(own) == before, "what had stepped aside is back, all of it"
    at_rest(own)
    assert restore(tmp_path / "data", tmp_path / "plant.backup") == 0
    assert ImageCache(own.owner).current().text("service", 0) == "before"


@pytest.mark.long
def test_an_earlier_restore_that_lost_the_plants_name_is_mended(plant: Path) -> None:
    """A version before this one renamed in two steps; killed between them, the next start loaded the demo."""
    set_service(plant, "of the plant")
    with database_of(plant) as (cluster, engine):
        assert cluster
        admin = str(
            engine.url.set(database="postgres", drivername="postgresql").render_as_string(hide_password=False)
        )
        engine.dispose()
        with psycopg.connect(admin, autocommit=True) as connection:
            connection.execute('alter database canaleta rename to "canaleta_20260101_120000"')
    assert service_of(plant) == "of the plant"


@pytest.mark.long
def test_a_newer_backup_is_refused_before_anything_is_touched(plant: Path) -> None:
    file = plant.parent / "plant.backup"
    backup(plant, file)
    folder = plant.parent / "unpacked"
    with tarfile.open(file) as archive:
        archive.extractall(folder)
    manifest = json.loads((folder / MANIFEST).read_text())
    (folder / MANIFEST).write_text(json.dumps(manifest | {"shape": "9999", "program": "9.9"}))
    with tarfile.open(file, "w") as archive:
        archive.add(folder / MANIFEST, MANIFEST)
        archive.add(folder / "plant.dump", "plant.dump")
    with pytest.raises(TroubleError, match=r"a newer version of Canaleta made this backup \(9\.9"):
        restore(plant, file)


def test_backups_and_logs_are_their_owners_alone(plant: Path) -> None:
    os.umask(0o022)
    backup(plant, plant.parent / "plant.backup")
    assert stat.S_IMODE((plant.parent / "plant.backup").stat().st_mode) == 0o600
    assert stat.S_IMODE((plant / "log").stat().st_mode) == 0o700


@pytest.mark.long
def test_what_a_killed_backup_left_stops_no_other(plant: Path) -> None:
    for left in ("plant.backup.part", "plant.backup.dump"):
        (plant.parent / left).write_text("half")
    (plant / "restoring").mkdir()
    assert backup(plant, plant.parent / "plant.backup") == 0
    assert restore(plant, plant.parent / "plant.backup") == 0
