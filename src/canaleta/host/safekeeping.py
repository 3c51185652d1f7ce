"""Backup and restore of everything: one consistent snapshot while people work, and a restore that is proved equal.

The file is an archive of the database's own dump and of a list of what each table held: how many rows, and a digest
of them, taken in the very snapshot that was dumped. After a restore the digests are worked out again; only if every
one of them is the same does the restored database take the place of the old.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import shutil
import tarfile
import time
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql
from sqlalchemy import URL, Engine, make_url

from canaleta import __version__
from canaleta.host.aside import restoring, settle, step_aside, step_back
from canaleta.host.cluster import DATABASE, Cluster
from canaleta.host.debian import postgresql_bin
from canaleta.host.folder import only_one, prepare
from canaleta.host.shape import bring_up
from canaleta.host.steps import TroubleError, run_logged, say, step
from canaleta.host.upkeep import database_of
from canaleta.plant.database.connection import engine_for, grant_runtime, is_known, leading, shape_of

__all__ = ["Digests", "backup", "digests", "restore"]

LEFT_OUT = ("live_block", "session", "sign_in_link", "rate_limit", "lease", "import_job")
"""Tables whose rows mean nothing later: readings of this second, open sessions, lists being brought in."""
MANIFEST, DUMP = "canaleta-backup.json", "plant.dump"
Digests = Mapping[str, tuple[int, str]]
"""{table: (rows, digest of them)}."""


def digests(connection: psycopg.Connection[Any], schema: str = "public") -> dict[str, tuple[int, str]]:
    """How many rows each table holds and a digest of them, whatever order they lie in."""
    listed = "select tablename from pg_tables where schemaname = %s order by tablename"
    tables = [row[0] for row in connection.execute(listed, (schema,))]
    out = {}
    for table in tables:
        if table in LEFT_OUT:
            continue
        name = sql.Identifier(schema, table)
        # Columns by name: a table that grew by migrations has them in another order than one made at once.
        query = sql.SQL(
            "select count(*), coalesce(md5(string_agg(h, '' order by h)), '') from "
            "(select md5((to_jsonb(t))::text) as h from {} t) hashed"
        ).format(name)
        count, digest = connection.execute(query).fetchone() or (0, "")
        out[table] = (int(count), str(digest))
    return out


def backup(data: Path, file: Path) -> int:
    """Write everything to one file; it appears under its name only when it is whole."""
    if file.exists():
        raise TroubleError(f"{file} exists already", "choose another name: backups are not written over")
    if not file.parent.is_dir():
        raise TroubleError(f"{file.parent} is not there", "make the folder, or choose another one")
    with database_of(data) as (cluster, engine), step(f"writing {file}"):
        partial, dump = file.with_name(f"{file.name}.part"), file.with_name(f"{file.name}.dump")
        try:
            for own in (partial, dump):
                _owners_alone(own)
            held = _dumped(engine, cluster, dump, data)
            manifest = {
                "format": "canaleta backup",
                "version": 1,
                "made": datetime.now(UTC).isoformat(),
                "program": __version__,
                "shape": shape_of(engine),
                "tables": held,
            }
            with tarfile.open(partial, "w") as archive:
                text = json.dumps(manifest, indent=1).encode()
                info = tarfile.TarInfo(MANIFEST)
                info.size = len(text)
                archive.addfile(info, io.BytesIO(text))
                archive.add(dump, DUMP)
            with partial.open("rb") as written:
                os.fsync(written.fileno())
            partial.rename(file)
        except OSError as error:
            raise TroubleError(f"{file}: {error.strerror}", "is there room on the disk?") from error
        finally:
            partial.unlink(missing_ok=True)
            dump.unlink(missing_ok=True)
    rows = sum(count for count, _ in held.values())
    say(f"  {len(held)} tables, {rows} rows")
    return 0


def _dumped(engine: Engine, cluster: Cluster | None, dump: Path, data: Path) -> dict[str, tuple[int, str]]:
    """Dump the database as it is at one moment; the digests of that moment."""
    with _connected(engine) as connection:
        connection.execute("begin isolation level repeatable read read only")
        (snapshot,) = connection.execute("select pg_export_snapshot()").fetchone() or ("",)
        held = digests(connection)
        apart = [f"--exclude-table-data={table}" for table in LEFT_OUT]
        run_logged(
            [_tool(cluster, "pg_dump"), "--format=custom", "--no-owner", "--no-privileges", f"--snapshot={snapshot}",
             f"--file={dump}", *apart, f"--dbname={_plain_url(engine)}"],
            data / "log" / "backup.log", "the backup could not be written", "is there room on the disk?",
            env={"PGPASSWORD": engine.url.password or ""},
        )  # fmt: skip
    return held


def _owners_alone(file: Path) -> None:
    """An empty file that only its owner may read, in place of what an attempt before left."""
    file.unlink(missing_ok=True)
    os.close(os.open(file, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))


def _known_version(manifest: Mapping[str, Any]) -> None:
    if (shape := manifest.get("shape")) and not is_known(str(shape)):
        raise TroubleError(
            f"a newer version of Canaleta made this backup ({manifest.get('program', '?')}, database {shape})",
            "the plant is as it was; restore it with that version",
        )


def restore(data: Path, file: Path) -> int:
    """Bring a backup back beside what is there, prove it equal, then change places; what was there is kept."""
    if not file.is_file():
        raise TroubleError(f"{file} is not there")
    prepare(data)
    with (
        only_one(data),
        database_of(data, alone=True) as (cluster, engine),
        _unpacked(file, data) as (dump, manifest),
    ):
        _known_version(manifest)
        keeps = (
            _into_own(engine, dump, manifest, data)
            if cluster is None
            else _beside(cluster, engine, dump, manifest, data)
        )
    report = "equal to what was backed up, table by table" if manifest else "an older backup, which holds no digests"
    say(f"  restored: {report}; what was there before is kept as {keeps}")
    return 0


@contextlib.contextmanager
def _unpacked(file: Path, data: Path) -> Iterator[tuple[Path, dict[str, Any]]]:
    """The dump of a backup and what it says it holds; a file of an earlier version is a dump alone."""
    with file.open("rb") as opened:
        if opened.read(5) == b"PGDMP":
            yield file, {}
            return
    # This process has the folder to itself: what lies there is of a restore that was killed.
    folder = data / "restoring"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(mode=0o700)
    try:
        manifest = _unpack(file, folder / DUMP)
        yield folder / DUMP, manifest
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _unpack(file: Path, dump: Path) -> dict[str, Any]:
    try:
        with tarfile.open(file) as archive:
            manifest = json.load(archive.extractfile(MANIFEST) or io.BytesIO(b"{}"))
            packed = archive.extractfile(DUMP)
            if packed is None or not isinstance(manifest, dict) or manifest.get("format") != "canaleta backup":
                raise KeyError(MANIFEST)
            with dump.open("wb") as out:
                shutil.copyfileobj(packed, out)
    except (tarfile.TarError, KeyError, ValueError) as error:
        raise TroubleError(f"{file} is no backup made by ./canaleta backup", "the plant is as it was") from error
    except OSError as error:
        raise TroubleError(
            f"{file} could not be unpacked: {error.strerror}", f"the plant is as it was; make room for {dump.parent}"
        ) from error
    return manifest


def _beside(cluster: Cluster, engine: Engine, dump: Path, manifest: Mapping[str, Any], data: Path) -> str:
    """Restore into a new database of the private cluster, prove it, change places."""
    new, old = f"{DATABASE}_new", f"{DATABASE}_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    admin = engine.url.set(database="postgres")
    target = engine.url.set(database=new)
    _statement(admin, sql.SQL("drop database if exists {}").format(sql.Identifier(new)))
    _statement(admin, sql.SQL("create database {}").format(sql.Identifier(new)))
    _restored(cluster, target, dump, data)
    _prove(target, manifest)
    restored = engine_for(target.render_as_string(hide_password=False), pool_size=1)
    bring_up(restored)
    restored.dispose()
    engine.dispose()
    # Both names in one step: a kill leaves either the old or the new, never a plant without a database.
    with psycopg.connect(_plain(admin), password=admin.password or "") as connection:
        for was, becomes in ((DATABASE, old), (new, DATABASE)):
            rename = sql.SQL("alter database {} rename to {}").format(sql.Identifier(was), sql.Identifier(becomes))
            connection.execute(rename)
    cluster.ensure_database()
    grant = engine_for(cluster.owner_url, pool_size=1)
    with grant.begin() as begun:
        grant_runtime(begun)
    grant.dispose()
    return f"the database {old}"


def _into_own(engine: Engine, dump: Path, manifest: Mapping[str, Any], data: Path) -> str:
    """Restore into a database of the user's own: what is there steps aside into a schema of its own.

    The schema's mark says that the restore is not ended: whoever comes next then brings back what stepped aside
    (`shape.bring_up`). Taking the mark off is the one step that makes the new the current.
    """
    # A connection of our own that was just closed may be counted a moment longer.
    engine.dispose()
    others = bool(connected_others(engine.url))
    for _ in range(40):
        if not others:
            break
        time.sleep(0.05)
        others = bool(connected_others(engine.url))
    if others:
        raise TroubleError("others are connected to this database", "stop the program that uses it, then restore")
    kept = f"before_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    with restoring(engine):
        step_aside(engine, kept)
        try:
            _restored(None, engine.url, dump, data)
            _prove(engine.url, manifest)
            bring_up(engine, restoring=True)
        except BaseException:
            step_back(engine)
            raise
        settle(engine, kept)
    return f"the schema {kept}"


def connected_others(url: URL) -> int:
    """How many beside this one are connected to the database."""
    with psycopg.connect(_plain(url), password=url.password or "") as connection:
        counted = connection.execute(
            "select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
        ).fetchone()
    return int(counted[0]) if counted else 0


def _restored(cluster: Cluster | None, url: Any, dump: Path, data: Path) -> None:
    with step("reading the backup"):
        run_logged(
            [_tool(cluster, "pg_restore"), "--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction",
             "--no-comments", f"--dbname={_plain(url)}", str(dump)],
            data / "log" / "restore.log", "the backup could not be restored; the plant is as it was",
            "is it a backup made by ./canaleta backup?", env={"PGPASSWORD": url.password or ""},
        )  # fmt: skip


def _prove(url: Any, manifest: Mapping[str, Any]) -> None:
    """Hold what was restored against what was backed up. Raises TroubleError, with the tables that differ."""
    if not manifest:
        return
    with step("proving it equal"), psycopg.connect(_plain(url), password=url.password or "") as connection:
        now = digests(connection)
    wanted = {table: (int(count), digest) for table, (count, digest) in manifest["tables"].items()}
    if apart := sorted(t for t in wanted.keys() | now.keys() if wanted.get(t) != now.get(t)):
        raise TroubleError(
            f"what was restored is not what was backed up: {', '.join(apart)}",
            "the plant is as it was; use another backup",
        )


@contextlib.contextmanager
def _connected(engine: Engine) -> Iterator[psycopg.Connection[Any]]:
    with psycopg.connect(_plain_url(engine), password=engine.url.password or "", autocommit=True) as connection:
        yield connection


def _statement(url: Any, statement: sql.Composed) -> None:
    with psycopg.connect(_plain(url), password=url.password or "", autocommit=True) as connection:
        connection.execute(statement)


def _tool(cluster: Cluster | None, name: str) -> str:
    """One of PostgreSQL's programs: the cluster's, or for a database of one's own whatever is there."""
    if cluster:
        return cluster.tool(name)
    return shutil.which(name) or str(postgresql_bin(Path(os.devnull)) / name)


def _plain_url(engine: Engine) -> str:
    return _plain(engine.url)


def _plain(url: Any) -> str:
    """The address of the server that takes writes, without its password, which must not stand on a command line."""
    return leading(make_url(url))._replace(drivername="postgresql", password=None).render_as_string()
