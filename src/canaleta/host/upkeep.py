"""Upkeep of a data folder: files in and out, accounts, generated plants. Works whether or not `start` runs."""

from __future__ import annotations

import contextlib
import getpass
import json
import os
import sys
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Engine, text

from canaleta.catalogue.demo import demo_plant, generated
from canaleta.exchange.project import (
    Project,
    ProjectError,
    begin_with,
    load_project,
    project_of,
    read_project,
    written_project,
)
from canaleta.host.cluster import Cluster
from canaleta.host.folder import locked, prepare, running
from canaleta.host.lists import Asked, import_list
from canaleta.host.shape import answering, bring_up
from canaleta.host.steps import BEAT_S, TroubleError, say, step
from canaleta.plant.changes import seed
from canaleta.plant.database.connection import engine_for, grant_runtime, is_newest, take_plant_lock
from canaleta.plant.people import accounts
from canaleta.plant.people.accounts import AccountError
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["database_of", "export_project", "forget", "import_file", "load_demo", "user"]


@contextlib.contextmanager
def database_of(data: Path, *, alone: bool = False) -> Iterator[tuple[Cluster | None, Engine]]:
    """The database of a data folder, or the user's own, in the shape of this version.

    A database in use is never changed in its shape: with a folder whose program runs, the command is run again by
    that very program, which fits it. alone: this process holds the folder's lock itself.
    """
    url = os.environ.get("CANALETA_DATABASE_URL", "")
    if url:
        engine = answering(url, "check the address")
        _bring_up_unused(engine)
        yield None, engine
        engine.dispose()
        return
    prepare(data)
    if not alone:
        _run_by_its_own(data)
    cluster = Cluster(data, data / "log")
    with cluster.for_a_moment(lambda: not alone and running(data) is not None):
        engine = engine_for(cluster.owner_url, pool_size=1)
        if alone or running(data) is None:
            with locked(data / "database.shape"):
                bring_up(engine)
                with engine.begin() as connection:
                    grant_runtime(connection)
        elif not is_newest(engine):
            raise TroubleError(
                "the database is not of this version, and the program that fits it runs",
                "stop it, then repeat this command; or use the version that runs",
            )
        yield cluster, engine
        engine.dispose()


def _run_by_its_own(data: Path) -> None:
    """Wait until what runs with this folder is up; if it is another version, let it do what this command was
    asked."""
    told = time.monotonic()
    while (there := running(data)) is not None and not there.address:
        if time.monotonic() - told > BEAT_S:
            told = time.monotonic()
            say("  waiting for the start that is going on with this data")
        time.sleep(0.1)
    if there is None or there.program == os.environ.get("CANALETA_PROGRAM", "") or not there.program:
        return
    if not Path(there.python).exists() or not (Path(there.program) / "src").is_dir():
        return
    environment = os.environ | {"CANALETA_PROGRAM": there.program, "PYTHONPATH": f"{there.program}/src"}
    sys.stdout.flush()
    os.execve(there.python, [there.python, "-m", "canaleta.cli", *sys.argv[1:]], environment)


def _bring_up_unused(engine: Engine) -> None:
    """Bring a database of one's own to the newest shape, but not under somebody who uses it."""
    if is_newest(engine):
        return
    with engine.connect() as connection:
        others = connection.execute(
            text(
                "select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()"
            )
        ).scalar_one()
    if others:
        raise TroubleError(
            "the database is of another version, and others are connected to it",
            "stop the program that uses it, then repeat this command; or use the version that runs",
        )
    bring_up(engine)


def load_demo(data: Path, points: int) -> int:
    """Load the demo plant, or a generated one, into an empty database."""
    with database_of(data) as (_, engine), engine.begin() as connection:
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
    with database_of(data) as (_, engine), engine.connect() as connection:
        if not seed.has_plant(connection):
            raise TroubleError("there is no plant in this database", "./canaleta start loads the demo plant")
        written = written_project(project_of(connection))
    partial = file.with_name(f"{file.name}.part")
    partial.write_text(written, encoding="utf-8")
    partial.rename(file)
    say(f"  {file}")
    return 0


def import_file(data: Path, file: Path, who: str, asked: Asked) -> int:
    """Bring in a project file (into an empty database) or a list (as one change set)."""
    try:
        content = file.read_bytes()
    except OSError as error:
        raise TroubleError(f"{file}: {error.strerror}") from error
    if file.suffix.lower() == ".json":
        return _import_project(data, file, content, who, asked.dry)
    with database_of(data) as (_, engine):
        try:
            return import_list(ImageCache(engine), engine, file, content, who, asked)
        except LookupError as error:
            raise TroubleError(str(error), "./canaleta start, or import a project file") from error


def _import_project(data: Path, file: Path, content: bytes, who: str, dry: bool) -> int:
    """Load a project into an empty place: one without a plant, or with one in which nothing was ever done, which may be
    running."""
    try:
        project = read_project(json.loads(content))
    except ValueError as error:
        raise TroubleError(f"{file}: {error}", "nothing was changed") from error
    with database_of(data) as (_, engine):
        try:
            with engine.begin() as connection:
                take_plant_lock(connection)
                had = ""
                if seed.has_plant(connection):
                    if not seed.is_untouched(connection):
                        raise TroubleError(
                            "there is a plant in this database already, and something was done in it",
                            "choose an empty place with --data DIR",
                        )
                    had = seed.clear_untouched(connection)
                count = load_project(connection, project)
                if had:
                    begin_with(connection, had, project.name, who)
                if dry:
                    connection.rollback()
        except ProjectError as error:
            raise TroubleError(f"{file}: {error}", "nothing was changed") from error
    say(f"  {project.name}: {count} points {'can be read' if dry else 'were read'}")
    return 0


def forget(data: Path, before: str) -> int:
    """Drop whole months of the alarm journal, those before one. before: YYYY-MM; the last thirteen months stay, for what never
    came within a year is told by them."""
    try:
        month = datetime.strptime(before, "%Y-%m").replace(tzinfo=UTC)
    except ValueError as error:
        raise TroubleError(f"“{before}” is no month", "write it as 2026-01") from error
    now = datetime.now(UTC)
    first = now.replace(year=now.year - 1, month=1, day=1).replace(
        month=now.month, hour=0, minute=0, second=0, microsecond=0
    )
    if month > first:
        raise TroubleError(
            f"the alarm journal of the last thirteen months stays: nothing before {first:%Y-%m} was dropped",
            f"./canaleta forget --before {first:%Y-%m}",
        )
    with database_of(data) as (_, engine), engine.begin() as connection:
        drop = text("select canaleta_drop_months('journal', 'at', :month)")
        dropped = connection.execute(drop, {"month": month}).scalar_one()
    for part in dropped:
        say(f"  {part} is dropped")
    say(f"  {len(dropped)} months dropped" if dropped else f"  there is nothing before {before}")
    return 0


def user(data: Path, what: str, name: str, role: str) -> int:
    """Accounts: list, add, make a one-time link, set a password, shut out, let in again."""
    if what != "list" and not name:
        raise TroubleError(f"user {what} takes a name", f"./canaleta user {what} NAME")
    try:
        with database_of(data) as (_, engine), engine.begin() as connection:
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


def _password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first, second = getpass.getpass("new password: "), getpass.getpass("once more: ")
    if first != second:
        raise TroubleError("the two are not the same; the old password still holds")
    return first
