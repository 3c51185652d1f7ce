"""A data folder knows who it is: a copy is a plant of its own, and no foreign process is ever taken for ours."""

from __future__ import annotations

import os
import shutil
import stat
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from canaleta.host.cluster import Cluster, as_user
from canaleta.host.debian import is_root
from canaleta.host.folder import only_one, prepare, running
from canaleta.host.identity import identity_of
from canaleta.host.upkeep import database_of

pytestmark = pytest.mark.database


@pytest.fixture
def folder() -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="canaleta-test-") as name:
        Path(name).chmod(0o755)
        yield Path(name)


def copied(data: Path, to: Path) -> Path:
    subprocess.run(["cp", "-a", str(data), str(to)], check=True)
    return to


def note(data: Path, text: str) -> None:
    with database_of(data) as (cluster, _):
        assert cluster
        with psycopg.connect(cluster.owner_url) as connection:
            connection.execute("create table if not exists note (text text)")
            connection.execute("insert into note values (%s)", (text,))


def notes(data: Path) -> list[str]:
    with database_of(data) as (cluster, _):
        assert cluster
        with psycopg.connect(cluster.owner_url) as connection:
            return [row[0] for row in connection.execute("select text from note order by text").fetchall()]


@pytest.mark.long
@pytest.mark.parametrize("first_to_stop", ["original", "copy"])
def test_a_copy_made_while_the_original_runs_is_a_plant_of_its_own(folder: Path, first_to_stop: str) -> None:
    """Both run, both are edited, they stop in either order: neither ever reaches the other."""
    original = folder / "plant"
    note(original, "of both")
    with Cluster(original, original / "log").for_a_moment():
        note(original, "of both, later")
        copy = copied(original, folder / "copy")
        inner = Cluster(copy, copy / "log")
        if first_to_stop == "copy":
            with inner.for_a_moment():
                note(copy, "of the copy")
                note(original, "of the original")
            note(original, "of the original, after the copy stopped")
        else:
            note(copy, "of the copy")
            note(original, "of the original")
    assert notes(copy) == ["of both", "of both, later", "of the copy"]
    assert "of the original" in notes(original)
    assert "of the copy" not in notes(original)


@pytest.mark.long
def test_a_copy_has_secrets_a_port_and_a_name_of_its_own(folder: Path) -> None:
    original = folder / "plant"
    note(original, "x")
    port = (original / "postgres.port").read_text()
    copy = copied(original, folder / "copy")
    note(copy, "y")
    assert (copy / "secrets.json").read_text() != (original / "secrets.json").read_text()
    assert stat.S_IMODE((copy / "secrets.json").stat().st_mode) == 0o600
    ours, theirs = identity_of(copy), identity_of(original)
    assert ours[0]
    assert theirs[0]
    assert ours[0].name != theirs[0].name
    assert (ours[1], theirs[1]) == ("", ""), "from now on both are themselves"
    assert (original / "postgres.port").read_text() == port
    with Cluster(original, original / "log").for_a_moment(), database_of(copy) as (cluster, _):
        assert cluster
        foreign = Cluster(original, original / "log")
        foreign.port = cluster.port
        assert not foreign.answers(), "the copy's server is not the original's, even if somebody says its port"


def test_a_folder_that_was_renamed_is_still_itself(folder: Path) -> None:
    note(folder / "plant", "x")
    before = identity_of(folder / "plant")[0]
    (folder / "plant").rename(folder / "renamed")
    assert notes(folder / "renamed") == ["x"]
    after = identity_of(folder / "renamed")[0]
    assert before
    assert after
    assert after.name == before.name


@pytest.mark.long
def test_a_copy_without_rights_kept_is_used_all_the_same(folder: Path) -> None:
    """`cp -r` as root makes everything root's, and opens the folders."""
    note(folder / "plant", "x")
    shutil.copytree(folder / "plant", folder / "copy")
    assert notes(folder / "copy") == ["x"]


def test_a_stale_pid_of_a_foreign_process_is_left_alone(folder: Path) -> None:
    """After a reboot the number in the pid file may be anybody's, another database server's too."""
    data = folder / "plant"
    note(data, "x")
    foreign = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE, **as_user("postgres" if is_root() else None) | {"cwd": "/"})  # type: ignore[call-overload] # fmt: skip
    try:
        pid_file = data / "postgres" / "data" / "postmaster.pid"
        pid_file.write_text(f"{foreign.pid}\n{data}/postgres/data\n1700000000\n5432\n\n127.0.0.1\n 1 1\nready\n")
        os.chown(pid_file, *os.stat(pid_file.parent)[4:6])
        pid_file.chmod(0o600)
        assert notes(data) == ["x"], "the database starts"
        assert foreign.poll() is None, "the other process lives"
        cluster = Cluster(data, data / "log")
        cluster.stop_stray()
        assert foreign.poll() is None
    finally:
        foreign.kill()
        foreign.wait()


@pytest.mark.long
def test_a_copy_that_is_broken_off_while_it_becomes_its_own_is_begun_again(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    note(folder / "plant", "x")
    copy = copied(folder / "plant", folder / "copy")

    def killed(*_: object) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr("canaleta.host.cluster.write_identity", killed)
        with pytest.raises(KeyboardInterrupt):
            notes(copy)
    assert identity_of(copy)[1], "still a copy"
    assert notes(copy) == ["x"]
    assert not identity_of(copy)[1]


def test_commands_at_once_share_a_server_that_the_last_one_stops(folder: Path) -> None:
    """Each used to start and stop it under the others' feet."""
    data = folder / "plant"
    prepare(data)
    commands = [
        subprocess.Popen(
            [sys.executable, "-m", "canaleta.cli", "user", "add", f"u{n}", "--data", str(data)],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            cwd="/",
        )
        for n in range(6)
    ]
    report = [command.communicate()[0] for command in commands]
    assert [command.returncode for command in commands] == [0] * 6, report
    assert Cluster(data, data / "log").own_server() == 0, "nobody left it running"
    with database_of(data) as (cluster, _):
        assert cluster
        with psycopg.connect(cluster.owner_url) as connection:
            assert connection.execute("select count(*) from account").fetchone() == (6,)


def test_whoever_looks_whether_it_runs_keeps_nobody_from_starting(folder: Path) -> None:
    prepare(folder / "plant")
    assert running(folder / "plant") is None
    with only_one(folder / "plant") as lock:
        there = running(folder / "plant")
        assert there
        assert there.address == "", "not up yet"
        lock.is_up("http://here")
        there = running(folder / "plant")
        assert there
        assert there.address == "http://here"
    assert running(folder / "plant") is None
