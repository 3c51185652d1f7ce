"""What tests share: a throwaway PostgreSQL a test process, and a fresh database a test, cloned from a template."""

from __future__ import annotations

import io
import os
import shutil
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import hypothesis
import pytest

import canaleta
from canaleta.cli import main
from canaleta.host.check import LONG
from canaleta.host.cluster import Cluster
from canaleta.host.progress import wait_for
from canaleta.plant.database.connection import engine_for, grant_runtime, migrate
from tests.building.database import Database, Run, fresh_database

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
def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Whoever takes the database is marked so; browser and clone tests keep to one worker each: before the workers
    look at groups, or each of them starts a plant and a browser of its own and keeps them to its end. What only the long
    check runs is left out of any other."""
    for item in items:
        folder = Path(item.path).relative_to(HERE).parts[0]
        if folder in ("browser", "clone"):
            item.add_marker(getattr(pytest.mark, folder))
            item.add_marker(pytest.mark.xdist_group(folder))
        elif "fuzz" not in item.keywords and {"database", "empty_database"} & set(getattr(item, "fixturenames", ())):
            item.add_marker(pytest.mark.database)
    if not os.environ.get(LONG):
        shelved = [item for item in items if "long" in item.keywords]
        items[:] = [item for item in items if "long" not in item.keywords]
        if shelved:
            config.hook.pytest_deselected(items=shelved)


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


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> Run:
    """`convert` as people call it: words in; exit status, lines and what was said on standard error out."""

    def call(*words: str, typed: str = "") -> tuple[int, list[str], str]:
        monkeypatch.setattr("sys.stdin", io.StringIO(typed))
        code = main(["convert", *words])
        report = capsys.readouterr()
        return code, report.out.splitlines(), report.err

    return call
