"""Backup and restore of everything: one consistent snapshot while people work, and a restore that is proved equal.

The file is an archive of the database's own dump and of a list of what each table held: how many rows, and a digest of
them, taken in the very snapshot that was dumped. After a restore the digests are worked out again; only if every one
of them is the same does the restored database take the place of the old.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import shutil
import tarfile
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql
from sqlalchemy import Engine, make_url

from canaleta import __version__
from canaleta.host.cluster import DATABASE, Cluster
from canaleta.host.debian import postgresql_bin
from canaleta.host.folder import only_one, prepare
from canaleta.host.shape import bring_up
from canaleta.host.steps import TroubleError, run_logged, say, step
from canaleta.host.upkeep import database_of

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
            held = _dumped(engine, cluster, dump, data)
            manifest = {
                "format": "canaleta backup", "version": 1, "made": datetime.now(UTC).isoformat(),
                "program": __version__, "tables": held,
            }  # fmt: skip
            with tarfile.open(partial, "w") as archive:
                text = json.dumps(manifest, indent=1).encode()
                info = tarfile.TarInfo(MANIFEST)
                info.size = len(text)
                archive.addfile(info, io.BytesIO(text))
                archive.add(dump, DUMP)
            partial.rename(file)
        except OSError as error:
            partial.unlink(missing_ok=True)
            raise TroubleError(f"{file}: {error.strerror}", "is there room on the disk?") from error
        finally:
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


def restore(data: Path, file: Path) -> int:
    """Bring a backup back beside what is there, prove it equal, then change places; what was there is kept."""
    if not file.is_file():
        raise TroubleError(f"{file} is not there")
    prepare(data)
    with only_one(data), database_of(data) as (cluster, engine), _unpacked(file) as (dump, manifest):
        keeps = (
            _into_own(engine, dump, manifest, data)
            if cluster is None
            else _beside(cluster, engine, dump, manifest, data)
        )
    said = "equal to what was backed up, table by table" if manifest else "an older backup, which holds no digests"
    say(f"  restored: {said}; what was there before is kept as {keeps}")
    return 0


@contextlib.contextmanager
def _unpacked(file: Path) -> Iterator[tuple[Path, dict[str, Any]]]:
    """The dump of a backup and what it says it holds; a file of an earlier version is a dump alone."""
    with file.open("rb") as opened:
        if opened.read(5) == b"PGDMP":
            yield file, {}
            return
    folder = Path(f"{file}.unpacked")
    folder.mkdir()
    try:
        with tarfile.open(file) as archive:
            manifest = json.load(archive.extractfile(MANIFEST) or io.BytesIO(b"{}"))
            packed = archive.extractfile(DUMP)
            if packed is None:
                raise KeyError(DUMP)
            with (folder / DUMP).open("wb") as out:
                shutil.copyfileobj(packed, out)
        if manifest.get("format") != "canaleta backup":
            raise KeyError(MANIFEST)
        yield folder / DUMP, manifest
    except (tarfile.TarError, KeyError, json.JSONDecodeError) as error:
        raise TroubleError(f"{file} is no backup made by ./canaleta backup", "the plant is as it was") from error
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _beside(cluster: Cluster, engine: Engine, dump: Path, manifest: Mapping[str, Any], data: Path) -> str:
    """Restore into a new database of the private cluster, prove it, change places."""
    new, old = f"{DATABASE}_new", f"{DATABASE}_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    admin = engine.url.set(database="postgres")
    target = engine.url.set(database=new)
    _statement(admin, sql.SQL("drop database if exists {}").format(sql.Identifier(new)))
    _statement(admin, sql.SQL("create database {}").format(sql.Identifier(new)))
    _restored(cluster, target, dump, data)
    _prove(target, manifest)
    engine.dispose()
    for was, becomes in ((DATABASE, old), (new, DATABASE)):
        rename = sql.SQL("alter database {} rename to {}").format(sql.Identifier(was), sql.Identifier(becomes))
        _statement(admin, rename)
    cluster.ensure_database()
    return f"the database {old}"


def _into_own(engine: Engine, dump: Path, manifest: Mapping[str, Any], data: Path) -> str:
    """Restore into a database of the user's own: what is there steps aside into a schema of its own."""
    with _connected(engine) as connection:
        others = connection.execute(
            "select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
        ).fetchone()
    if others and others[0]:
        raise TroubleError("others are connected to this database", "stop the program that uses it, then restore")
    kept = f"before_{datetime.now(UTC):%Y%m%d_%H%M%S}"
    _move(engine, "public", kept)
    try:
        _restored(None, engine.url, dump, data)
        _prove(engine.url, manifest)
        bring_up(engine)
    except TroubleError:
        _move(engine, "public", f"failed_{kept}")
        _move(engine, kept, "public")
        with _connected(engine) as connection:
            connection.execute(sql.SQL("drop schema {} cascade").format(sql.Identifier(f"failed_{kept}")))
        raise
    return f"the schema {kept}"


def _move(engine: Engine, schema: str, to: str) -> None:
    """Move every table and function of a schema into another, all of them or none."""
    with _connected(engine) as connection, connection.transaction():
        if to != "public":
            connection.execute(sql.SQL("create schema {}").format(sql.Identifier(to)))
        tables = connection.execute("select tablename from pg_tables where schemaname = %s", (schema,)).fetchall()
        functions = connection.execute(
            "select proname from pg_proc p join pg_namespace n on n.oid = p.pronamespace "
            "where n.nspname = %s and not exists (select 1 from pg_depend d where d.objid = p.oid and d.deptype = 'e')",
            (schema,),
        ).fetchall()
        for kind, names in (("table", tables), ("function", functions)):
            for (name,) in names:
                statement = sql.SQL("alter {} {} set schema {}")
                place = sql.SQL(kind), sql.Identifier(schema, name), sql.Identifier(to)
                connection.execute(statement.format(*place))


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
    """The address without its password, which must not stand on a command line."""
    return make_url(url)._replace(drivername="postgresql", password=None).render_as_string()
