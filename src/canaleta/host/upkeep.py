"""Upkeep of a data folder: backup, restore, accounts, generated plants. Works whether or not `start` runs."""

from __future__ import annotations

import contextlib
import getpass
import json
import os
import sys
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import psycopg
from psycopg import sql
from sqlalchemy import Engine

from canaleta.catalogue.demo import demo_plant, generated
from canaleta.core.image import PlantImage
from canaleta.exchange.bring_in import Choices, ListPlan, apply_plan, plan_list
from canaleta.exchange.project import (
    Project,
    ProjectError,
    load_project,
    project_of,
    read_project,
    written_project,
)
from canaleta.exchange.recognise import Found, find_list, find_page
from canaleta.exchange.sheets import SheetError, read_apart
from canaleta.host.cluster import DATABASE, Cluster
from canaleta.host.folder import only_one, prepare
from canaleta.host.steps import TroubleError, run_logged, say, step
from canaleta.plant import accounts, seed
from canaleta.plant.accounts import AccountError
from canaleta.plant.database import engine_for, grant_runtime, migrate
from canaleta.plant.keeper import PlantKeeper

MOST_TOLD = 200
__all__ = ["backup", "export_project", "import_file", "load_demo", "restore", "user"]


@contextlib.contextmanager
def _cluster(data: Path) -> Iterator[tuple[Cluster | None, Engine]]:
    """The database of a data folder, or the user's own."""
    url = os.environ.get("CANALETA_DATABASE_URL", "")
    if url:
        yield None, engine_for(url, pool_size=1)
        return
    prepare(data)
    cluster = Cluster(data, data / "log")
    with cluster.for_a_moment():
        engine = engine_for(cluster.owner_url, pool_size=1)
        migrate(engine)
        with engine.begin() as connection:
            grant_runtime(connection)
        yield cluster, engine
        engine.dispose()


def load_demo(data: Path, points: int) -> int:
    """Load the demo plant, or a generated one, into an empty database."""
    with _cluster(data) as (_, engine), engine.begin() as connection:
        if seed.has_plant(connection):
            raise TroubleError("there is a plant in this database already", "choose an empty place with --data DIR")
        with step("loading points"):
            count = seed.load_document(connection, generated(points) if points else demo_plant())
    say(f"  {count} points")
    return 0


def export_project(data: Path, file: Path | None) -> int:
    """Write the plant as a project file; it appears under its name only when it is whole. None prints the schema."""
    if file is None:
        print(json.dumps(Project.model_json_schema(), indent=2, ensure_ascii=False))
        return 0
    if file.exists():
        raise TroubleError(f"{file} exists already", "choose another name: files are not written over")
    with _cluster(data) as (_, engine), engine.connect() as connection:
        if not seed.has_plant(connection):
            raise TroubleError("there is no plant in this database", "./canaleta start loads the demo plant")
        text = written_project(project_of(connection))
    partial = file.with_name(f"{file.name}.part")
    partial.write_text(text, encoding="utf-8")
    partial.rename(file)
    say(f"  {file}")
    return 0


def import_file(data: Path, file: Path, who: str, dry: bool) -> int:
    """Bring in a project file (into an empty database) or a list as CSV (as one change set)."""
    try:
        content = file.read_bytes()
    except OSError as error:
        raise TroubleError(f"{file}: {error.strerror}") from error
    if file.suffix.lower() == ".json":
        return _import_project(data, file, content, dry)
    with _cluster(data) as (_, engine):
        keeper = PlantKeeper(engine)
        try:
            pages = read_apart(content)
            image = keeper.current()
            page = pages[find_page(pages, image.layout)]
            found = find_list(page, image.layout)
            planned = plan_list(image, page, found)
            if not dry:
                again: Callable[[PlantImage], ListPlan] = lambda now: plan_list(now, page, found)  # noqa: E731
                _, planned = apply_plan(engine, keeper, again, planned, Choices(), who, f"import {file.name}"[:60])
        except SheetError as error:
            raise TroubleError(f"{file}: {error}", "nothing was changed") from error
        except LookupError as error:
            raise TroubleError(str(error), "./canaleta start, or import a project file") from error
    return _told(found, planned, dry)


def _told(found: Found, planned: ListPlan, dry: bool) -> int:
    """Say what a list did, or would do. Returns the exit status: 2 if something of it was left out."""
    counts, would = planned.counts(), "would be" if dry else "were"
    say(
        f"  {counts['added']} points {would} added, {counts['changed']} changed in {counts['cells']} cells, "
        f"{counts['same']} are the same, {counts['unmatched']} of the plant are not in the file"
    )
    for column, heading in enumerate(found.headings):
        if column not in found.targets:
            say(f"  “{heading}” means no field here: left out")
    wrong = [line for line in planned.lines if line.troubles or line.kind == "out"]
    for line in wrong[:MOST_TOLD]:
        for name, typed, says in line.troubles:
            say(f"  row {line.row}, {name}: “{typed}”: {says}")
        if line.says:
            say(f"  row {line.row}: {line.says}")
    if len(wrong) > MOST_TOLD:
        say(f"  and {len(wrong) - MOST_TOLD} rows more")
    return 2 if wrong else 0


def _import_project(data: Path, file: Path, content: bytes, dry: bool) -> int:
    try:
        project = read_project(json.loads(content))
    except ValueError as error:
        raise TroubleError(f"{file}: {error}", "nothing was changed") from error
    with _cluster(data) as (_, engine):
        with engine.connect() as connection:
            if seed.has_plant(connection):
                raise TroubleError(
                    "there is a plant in this database already", "choose an empty place with --data DIR"
                )
        try:
            with engine.begin() as connection:
                count = load_project(connection, project)
                if dry:
                    connection.rollback()
        except ProjectError as error:
            raise TroubleError(f"{file}: {error}", "nothing was changed") from error
    say(f"  {project.name}: {count} points {'can be read' if dry else 'were read'}")
    return 0


def user(data: Path, what: str, name: str, role: str) -> int:
    """Accounts: list, add, make a one-time link, set a password, shut out, let in again."""
    if what != "list" and not name:
        raise TroubleError(f"user {what} takes a name", f"./canaleta user {what} NAME")
    try:
        with _cluster(data) as (_, engine), engine.begin() as connection:
            match what:
                case "list":
                    for known, its_role, active, has_password in accounts.listed(connection):
                        notes = ("" if active else ", shut") + ("" if has_password else ", no password yet")
                        say(f"  {known}: {its_role}{notes}")
                case "add":
                    accounts.add_account(connection, name, role)
                    say(f"  {name} is a {role}; one-time sign-in: /enter#{accounts.make_link(connection, name)}")
                case "link":
                    say(f"  one-time sign-in for {name}, for a day: /enter#{accounts.make_link(connection, name)}")
                case "password":
                    accounts.set_password(connection, name, _password())
                case "shut" | "open":
                    accounts.set_active(connection, name, what == "open")
    except AccountError as error:
        raise TroubleError(str(error)) from error
    return 0


def backup(data: Path, file: Path) -> int:
    """Write the whole database to one file; it appears under its name only when it is whole."""
    if file.exists():
        raise TroubleError(f"{file} exists already", "choose another name: backups are not written over")
    with _cluster(data) as (cluster, engine), step(f"writing {file}"):
        partial = file.with_name(f"{file.name}.part")
        tool = cluster.tool("pg_dump") if cluster else "pg_dump"
        run_logged(
            [tool, "--format=custom", "--no-owner", "--no-privileges", f"--file={partial}",
             "--exclude-table-data=live_block", "--exclude-table-data=session", "--exclude-table-data=sign_in_link",
             f"--dbname={_plain_url(engine)}"],
            data / "log" / "backup.log", "the backup could not be written", "is there room on the disk?",
            env={"PGPASSWORD": engine.url.password or ""},
        )  # fmt: skip
        partial.rename(file)
    return 0


def restore(data: Path, file: Path) -> int:
    """Bring a backup back beside the present database, then change places; the old one is kept by its date."""
    if not file.is_file():
        raise TroubleError(f"{file} is not there")
    if os.environ.get("CANALETA_DATABASE_URL"):
        raise TroubleError("a database of your own is restored with your own tools", f"pg_restore {file}")
    prepare(data)
    with only_one(data), _cluster(data) as (cluster, engine):
        if cluster is None:  # pragma: no cover - only with a database of the user's own, refused above
            raise TroubleError("no private database")
        new, old = f"{DATABASE}_new", f"{DATABASE}_{datetime.now(UTC):%Y%m%d_%H%M%S}"
        admin = _plain_url(engine).rpartition("/")[0] + "/postgres"
        password = engine.url.password or ""
        _statement(admin, password, sql.SQL("drop database if exists {}").format(sql.Identifier(new)))
        _statement(admin, password, sql.SQL("create database {}").format(sql.Identifier(new)))
        with step(f"reading {file}"):
            run_logged(
                [cluster.tool("pg_restore"), "--no-owner", "--no-privileges", "--exit-on-error",
                 f"--dbname={admin.rpartition('/')[0]}/{new}", str(file)],
                data / "log" / "restore.log", f"{file} could not be restored; the plant is as it was",
                "is it a backup made by ./canaleta backup?", env={"PGPASSWORD": password},
            )  # fmt: skip
        engine.dispose()
        for was, becomes in ((DATABASE, old), (new, DATABASE)):
            rename = sql.SQL("alter database {} rename to {}").format(sql.Identifier(was), sql.Identifier(becomes))
            _statement(admin, password, rename)
        cluster.ensure_database()
        say(f"  restored; what was there before is kept as the database {old}")
    return 0


def _statement(url: str, password: str, statement: sql.Composed) -> None:
    with psycopg.connect(url, password=password, autocommit=True) as connection:
        connection.execute(statement)


def _plain_url(engine: Engine) -> str:
    """The address without its password, which must not stand on a command line."""
    return engine.url._replace(drivername="postgresql", password=None).render_as_string()


def _password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first, second = getpass.getpass("new password: "), getpass.getpass("once more: ")
    if first != second:
        raise TroubleError("the two are not the same; the old password still holds")
    return first
