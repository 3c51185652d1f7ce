"""A primary and a standby that confirms each commit, as Debian's packages make them: killed, promoted, cut off, rewound."""

from __future__ import annotations

import atexit
import contextlib
import functools
import os
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql
from psycopg.conninfo import conninfo_to_dict

from canaleta.host.cluster import DATABASE, Cluster, free_port
from canaleta.plant.database.connection import RUNTIME_ROLE, engine_for, grant_runtime, migrate
from tests.building.waiting import HANGS_S

OWNER = "canaleta_owner"
SETTINGS = (
    "fsync=off",
    "wal_level=replica",
    "wal_log_hints=on",
    "synchronous_commit=remote_apply",
    "hot_standby_feedback=on",
    "wal_receiver_status_interval=1",
    "wal_retrieve_retry_interval=1s",
    "wal_receiver_timeout=8s",
    "wal_sender_timeout=8s",
    "max_wal_senders=8",
    "wal_keep_size=256MB",
)


@dataclass(frozen=True)
class Made:
    """What a pair is made of. folder: of both; programs: of PostgreSQL; user: who runs it, as subprocess takes it."""

    folder: Path
    programs: Path
    user: dict[str, Any]
    password: str
    runtime: str


@dataclass
class Member:
    """One server of the pair. process: its postmaster while it runs; more: settings of its own."""

    name: str
    folder: Path
    port: int
    process: subprocess.Popen[bytes] | None = None
    more: tuple[str, ...] = field(default_factory=tuple)


class Pair:
    """Two servers on this machine. The first leads at the beginning; each follows the other by its name."""

    def __init__(self, folder: Path, made: Made) -> None:
        self._folder, self._bin, self._user = folder, made.programs, made.user
        self._password, self._runtime = made.password, made.runtime
        self.a, self.b = (Member(name, folder / name, free_port()) for name in ("a", "b"))

    def url(self, *, owner: bool = False, first: str = "a") -> str:
        """The address of both, with the one named first in the list."""
        order = (self.a, self.b) if first == "a" else (self.b, self.a)
        hosts = "&".join(f"host=127.0.0.1:{one.port}" for one in order)
        who = f"{OWNER}:{self._password}" if owner else f"canaleta_runtime:{self._runtime}"
        return f"postgresql://{who}@/{DATABASE}?{hosts}&target_session_attrs=read-write"

    def admin(self, member: Member, database: str = DATABASE) -> psycopg.Connection[Any]:
        """The owner's connection to one of them, that waits for no standby."""
        return psycopg.connect(
            host="127.0.0.1", port=member.port, user=OWNER, password=self._password, dbname=database, autocommit=True,
            options="-c synchronous_commit=local", connect_timeout=10,
        )  # fmt: skip

    def start(self, member: Member) -> None:
        """Start one and wait until it takes connections."""
        options = (
            "listen_addresses=127.0.0.1", f"port={member.port}", "unix_socket_directories=", "max_connections=120",
            f"primary_conninfo={self._about(self.b if member is self.a else self.a, member.name)}", *SETTINGS, *member.more,
        )  # fmt: skip
        with member.folder.with_suffix(".log").open("a") as log:
            member.process = subprocess.Popen(
                [str(self._bin / "postgres"), "-D", str(member.folder), *(x for o in options for x in ("-c", o))],
                stdout=log, stderr=log, cwd="/", **self._user,
            )  # fmt: skip
        self.until(lambda: self.takes(member), f"{member.name} does not come up")

    def takes(self, member: Member) -> bool:
        """Whether one takes connections."""
        try:
            with self.admin(member, "postgres"):
                return True
        except psycopg.Error:
            return False

    def follow(self, member: Member, leader: Member) -> None:
        """Make one anew, as a copy that follows the other."""
        shutil.rmtree(member.folder, ignore_errors=True)
        self._run(
            str(self._bin / "pg_basebackup"), "-D", str(member.folder), "-R", "-X", "stream", "-c", "fast", "-d",
            self._about(leader, member.name),
        )  # fmt: skip
        self.start(member)

    def rewind(self, member: Member, leader: Member) -> None:
        """Bring one that led before back behind the one that leads now."""
        with self.admin(leader, "postgres") as connection:
            # Without it the new timeline does not stand in its control file yet, and pg_rewind finds nothing to do.
            connection.execute("checkpoint")
        self._run(
            str(self._bin / "pg_rewind"), "-D", str(member.folder), "-R", "--source-server",
            self._about(leader, member.name, DATABASE),
        )  # fmt: skip
        self.start(member)

    def confirmed_by(self, leader: Member, names: str) -> None:
        """Whom the leader waits for at each commit; '' for nobody."""
        with self.admin(leader, "postgres") as connection:
            connection.execute(f"alter system set synchronous_standby_names = '{names}'")
            connection.execute("select pg_reload_conf()")

    def in_step(self, leader: Member) -> bool:
        """Whether a standby confirms commits."""
        with self.admin(leader, "postgres") as connection:
            row = connection.execute(
                "select 1 from pg_stat_replication where sync_state = 'sync' and state = 'streaming'"
            )
            return row.fetchone() is not None

    def promote(self, member: Member) -> None:
        """Let one lead, with nobody to confirm. Returns when it takes writes."""
        with self.admin(member, "postgres") as connection:
            connection.execute("select pg_promote(wait => false)")
        self.until(lambda: self.leads(member), f"{member.name} is not promoted")

    def leads(self, member: Member) -> bool:
        """Whether one takes writes."""
        with contextlib.suppress(psycopg.Error), self.admin(member, "postgres") as connection:
            return connection.execute("select pg_is_in_recovery()").fetchone() == (False,)
        return False

    def kill(self, member: Member) -> None:
        """End all its processes at once, as a power cut does."""
        for pid in self._processes(member):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        assert member.process
        member.process.wait()
        member.process = None
        self.until(lambda: not self._processes(member), f"{member.name} does not end")
        (member.folder / "postmaster.pid").unlink(missing_ok=True)

    def stop_in_order(self, member: Member) -> None:
        """End one so that it may be rewound."""
        assert member.process
        member.process.send_signal(signal.SIGINT)
        member.process.wait()
        member.process = None

    def freeze(self, member: Member, how: int = signal.SIGSTOP) -> None:
        """Stop all its processes, or let them go on: nobody answers, and nobody refuses."""
        for pid in self._processes(member):
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, how)

    def thaw(self, member: Member) -> None:
        """Let it go on."""
        self.freeze(member, signal.SIGCONT)

    def _processes(self, member: Member) -> list[int]:
        """Its postmaster and all that it began; each stands in its folder."""
        found = []
        for entry in os.listdir("/proc"):
            if entry.isdigit():
                with contextlib.suppress(OSError):
                    if Path(f"/proc/{entry}/cwd").samefile(member.folder):
                        found.append(int(entry))
        return sorted(found)

    def stop(self) -> None:
        """End both."""
        for member in (self.a, self.b):
            if member.process is not None:
                self.thaw(member)
                self.kill(member)

    @staticmethod
    def until(over: Callable[[], bool], says: str) -> None:
        """Wait for an event."""
        end = time.monotonic() + HANGS_S
        while not over():
            assert time.monotonic() < end, says
            time.sleep(0.05)

    def _about(self, leader: Member, name: str, database: str = "") -> str:
        words = {
            "host": "127.0.0.1", "port": str(leader.port), "user": OWNER, "password": self._password,
            "application_name": name, "dbname": database,
        }  # fmt: skip
        return " ".join(f"{k}={v}" for k, v in words.items() if v)

    def _run(self, *argv: str) -> None:
        done = subprocess.run(argv, capture_output=True, text=True, check=False, cwd="/", **self._user)
        assert done.returncode == 0, done.stderr


@contextlib.contextmanager
def paired() -> Iterator[Pair]:
    """A pair of the newest shape with nothing in it; the second confirms what the first commits."""
    made = _once()
    folder = _own_folder()
    pair = Pair(folder, made)
    try:
        for member in (pair.a, pair.b):
            # What it holds is its owner's alone, and keeps its owner.
            subprocess.run(["cp", "-a", str(made.folder / member.name), str(member.folder)], check=True)
            pair.start(member)
        pair.until(lambda: pair.in_step(pair.a), "the standby does not confirm")
        yield pair
    finally:
        pair.stop()
        shutil.rmtree(folder, ignore_errors=True)


def _own_folder() -> Path:
    folder = Path(tempfile.mkdtemp(prefix="canaleta-pair-"))
    folder.chmod(0o755)
    return folder


@functools.cache
def _once() -> Made:
    """A pair that was made and stopped, to be copied: that is ten times as fast as making one."""
    folder = _own_folder()
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    (folder / "log").mkdir()
    (folder / "own").mkdir()
    cluster = Cluster(folder / "own", folder / "log")
    cluster.prepare()
    owner, runtime = (str(conninfo_to_dict(url)["password"]) for url in (cluster.owner_url, cluster.runtime_url))
    made = Made(folder / "servers", Path(cluster.tool("postgres")).parent, cluster.as_user(), owner, runtime)
    made.folder.mkdir()
    if cluster.user:
        shutil.chown(made.folder, cluster.user, cluster.user)
    pair = Pair(made.folder, made)
    (folder / "own" / "postgres" / "data").rename(pair.a.folder)
    pair.start(pair.a)
    with pair.admin(pair.a, "postgres") as connection:
        connection.execute(f"create database {DATABASE}")
        connection.execute(sql.SQL("create role {} login password {}").format(sql.Identifier(RUNTIME_ROLE), runtime))
    engine = engine_for(pair.url(owner=True), pool_size=1)
    migrate(engine)
    with engine.begin() as connection:
        grant_runtime(connection)
    engine.dispose()
    pair.follow(pair.b, pair.a)
    pair.confirmed_by(pair.a, "b")
    pair.until(lambda: pair.in_step(pair.a), "the standby does not confirm")
    for member in (pair.b, pair.a):
        pair.stop_in_order(member)
    return made
