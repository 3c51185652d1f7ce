"""What tests share: a throwaway PostgreSQL a test process, and a fresh database a test, cloned from a template."""

from __future__ import annotations

import contextlib
import io
import itertools
import os
import shutil
import signal
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import hypothesis
import psycopg
import pytest
from sqlalchemy import Engine, make_url

import canaleta
from canaleta.catalogue.demo import demo_plant
from canaleta.cli import main
from canaleta.host.cluster import Cluster
from canaleta.host.progress import wait_for
from canaleta.plant.changes import seed
from canaleta.plant.database.connection import RUNTIME_ROLE, engine_for, grant_runtime, migrate

# What tests start as processes of their own is the program that they import, from whatever folder.
os.environ["PYTHONPATH"] = str(Path(canaleta.__file__).parents[1])
# On a machine at work everything may take twenty times as long; only what hangs should fail.
os.environ.setdefault("CANALETA_PATIENCE", "20")
FAST = ("fsync=off", "synchronous_commit=off", "full_page_writes=off")
HERE = Path(__file__).parent
# A property is true or false however loaded the machine is: nothing here is timed.
hypothesis.settings.register_profile("untimed", deadline=None)
hypothesis.settings.load_profile("untimed")


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Whoever takes the database is marked so; browser and clone tests keep to one worker each: before the workers look
    at groups, or each of them starts a plant and a browser of its own and keeps them to its end."""
    for item in items:
        folder = Path(item.path).relative_to(HERE).parts[0]
        if folder in ("browser", "clone"):
            item.add_marker(getattr(pytest.mark, folder))
            item.add_marker(pytest.mark.xdist_group(folder))
        elif "fuzz" not in item.keywords and {"database", "empty_database"} & set(getattr(item, "fixturenames", ())):
            item.add_marker(pytest.mark.database)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A PostgreSQL of this test process, in a folder that its unprivileged owner can reach."""
    folder = Path(tempfile.mkdtemp(prefix="canaleta-test-"))
    folder.chmod(0o755)
    made = Cluster(folder, folder / "log", FAST)
    made.prepare()
    process = subprocess.Popen(
        made.command(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/", **made.as_user()
    )
    assert wait_for(made.answers, process, "test database"), "the test database ended"
    made.ensure_database()
    engine = engine_for(made.owner_url, pool_size=1)
    migrate(engine)
    with engine.begin() as connection:
        grant_runtime(connection)
    engine.dispose()
    yield made
    process.send_signal(signal.SIGQUIT)
    process.wait()
    shutil.rmtree(folder, ignore_errors=True)


class Database:
    """One test's database: the owner's engine, and the runtime's, which serves the application."""

    def __init__(self, cluster: Cluster, name: str) -> None:
        self.owner = engine_for(_named(cluster.owner_url, name), pool_size=2)
        self.runtime_url = _named(cluster.runtime_url, name)
        self.engine: Engine = engine_for(self.runtime_url, pool_size=4)

    def close(self) -> None:
        """Close every connection."""
        self.owner.dispose()
        self.engine.dispose()


_numbers = itertools.count(1)
_planted: set[int] = set()
"""Clusters that have the demo plant as a database to be copied: copying one is four times as fast as filling it."""


@contextlib.contextmanager
def fresh_database(cluster: Cluster, *, demo: bool) -> Iterator[Database]:
    """A migrated database of its own, with the demo plant or none, dropped afterwards."""
    name = f"t{os.getpid()}_{next(_numbers)}"
    admin = _named(cluster.owner_url, "postgres")
    if demo and cluster.port not in _planted:
        _plant_once(cluster, admin)
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"create database {name} template {'planted' if demo else 'canaleta'}")
        # As the private database is: what the runtime role was not given, it may not.
        connection.execute(f"revoke all on database {name} from public")
        connection.execute(f"grant connect on database {name} to {RUNTIME_ROLE}")
    made = Database(cluster, name)
    yield made
    made.close()
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"drop database {name} with (force)")


def _plant_once(cluster: Cluster, admin: str) -> None:
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute("create database planted template canaleta")
    owner = engine_for(_named(cluster.owner_url, "planted"), pool_size=1)
    with owner.begin() as connection:
        seed.load_document(connection, demo_plant())
    owner.dispose()
    _planted.add(cluster.port)


@pytest.fixture
def empty_database(cluster: Cluster) -> Iterator[Database]:
    """A migrated database with no plant."""
    with fresh_database(cluster, demo=False) as made:
        yield made


@pytest.fixture
def database(cluster: Cluster) -> Iterator[Database]:
    """A database that holds the demo plant."""
    with fresh_database(cluster, demo=True) as made:
        yield made


def _named(url: str, name: str) -> str:
    return make_url(url).set(database=name).render_as_string(hide_password=False)


Run = Callable[..., tuple[int, list[str], str]]


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> Run:
    """`convert` as people call it: words in; exit status, lines and what was said on standard error out."""

    def call(*words: str, typed: str = "") -> tuple[int, list[str], str]:
        monkeypatch.setattr("sys.stdin", io.StringIO(typed))
        code = main(["convert", *words])
        report = capsys.readouterr()
        return code, report.out.splitlines(), report.err

    return call
