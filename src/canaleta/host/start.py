"""`start`: prepare what is missing, run everything, say where it is, stop it in order."""

from __future__ import annotations

import contextlib
import logging
import os
import shutil
import signal
import socket
import ssl
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, Engine, select, update
from sqlalchemy.exc import OperationalError, SQLAlchemyError

from canaleta.host import frontend
from canaleta.host.cluster import Cluster, choosing_ports, free_port, load_secrets
from canaleta.host.debian import ensure_user, is_root
from canaleta.host.door import Door, Tls
from canaleta.host.folder import only_one, prepare
from canaleta.host.growing import Nursery
from canaleta.host.leftovers import Mark
from canaleta.host.log import log_to
from canaleta.host.shape import answering, bring_up
from canaleta.host.steps import TroubleError, say, step
from canaleta.host.supervisor import HELD, MOST_KILLS, Service, Supervisor
from canaleta.plant.database.connection import STOPPING_CHANNEL, engine_for, grant_runtime, notify
from canaleta.plant.database.room import Room
from canaleta.plant.database.standby import FINE, standing_of

__all__ = ["Options", "address_of", "run_back_end", "start"]

log = logging.getLogger("start")
RUNNER = "canaleta"
ADMINISTRATOR = "admin"
THREADS = 128
WORKERS = 2
SEED = 20
DYING_S = 2.0
STANDBY_EVERY_S = 5.0
CUT_OFF = ("57P01", "57P02", "57P03")
"""SQLSTATE of a server that shuts down, has crashed, or is not ready yet."""


@dataclass(frozen=True)
class Options:
    """What `start` was asked for. database_url: a PostgreSQL of the user's own, '' for the private one."""

    host: str
    port: int
    data: Path
    demo: bool
    database_url: str = ""
    tls: Tls | None = None


def start(options: Options, nursery: Nursery) -> int:
    """Run everything until Ctrl-C or SIGTERM. Raises TroubleError with a remedy if it cannot start.

    nursery: who forks the services, begun earlier.
    """
    say(f"canaleta: starting, data in {options.data}")
    prepare(options.data)
    with only_one(options.data) as lock:
        os.umask(0o077)
        file = log_to(options.data / "log")
        mark = Mark(options.data)
        mark.end_leftovers()
        _port_is_free(options.host, options.port)
        _front_end()
        room = Room(None if options.database_url else options.data)

        def look_after() -> None:
            if done := room.look_after():
                log.warning("%s", done)

        look_after()
        if options.database_url:
            threading.Thread(target=_watch_standby, args=(options.database_url,), daemon=True).start()
        supervisor = Supervisor(file, look_after, mark.handle, nursery)
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, supervisor.ask_to_stop)
        try:
            link = run_back_end(options, supervisor, runner=RUNNER if is_root() else None)
            lock.is_up(address_of(options))
            _welcome(options, link)
            supervisor.watch()
            say("\ncanaleta: stopping")
        except KeyboardInterrupt:
            say("\ncanaleta: stopped before it was up")
        finally:
            supervisor.shut_down()
    say("canaleta: stopped")
    return 0


def _watch_standby(url: str) -> None:
    """Say in the log when the database's standby falls behind or goes, and when it is back: once each."""
    engine, told = engine_for(url, pool_size=1), FINE
    while True:
        # A database that is away is told by everybody who needs it.
        with contextlib.suppress(SQLAlchemyError), engine.connect() as connection:
            now = standing_of(connection)
            if now.state != told.state and now.says:
                log.warning("%s: %s", now.says, now.remedy)
            elif now.state != told.state and told.says:
                log.warning("the standby is in step again")
            told = now
        time.sleep(STANDBY_EVERY_S)


def _front_end() -> None:
    """The front end of this checkout, built if need be; CANALETA_FRONT says where, and nobody clears it away."""
    if "CANALETA_CHECKOUT" in os.environ:
        front = frontend.build(Path(os.environ["CANALETA_CHECKOUT"]), Path(os.environ["CANALETA_PLACE"]))
        os.environ["CANALETA_FRONT"] = str(front)
        os.environ[HELD] = f"{os.environ.get(HELD, '')},{frontend.hold(front)}"


def run_back_end(
    options: Options, supervisor: Supervisor, *, runner: str | None = None, reload: bool = False, scan: bool = True
) -> str:
    """Start database, stand-in, agent and web server in order. Returns the path of a one-time sign-in link.

    runner: the unprivileged user that all but the database run as; None for the caller's own. scan: whether
    an agent runs here.
    """
    if runner:
        ensure_user(runner, options.data)
    with choosing_ports():
        cluster, owner_url, runtime_url = _begin_database(options, supervisor)
        secrets, source = load_secrets(options.data), free_port()
        run = _own_folder(Path(tempfile.mkdtemp(prefix="canaleta-run-")), runner)
        supervisor.at_the_end(lambda: shutil.rmtree(run, ignore_errors=True))
        door = Door(f"{_bracketed(options.host)}:{options.port}", run, runner, options.tls)
        environment = {
            "CANALETA_RUNTIME_URL": runtime_url,
            "CANALETA_THREADS": str(THREADS),
            "CANALETA_HOSTS": ",".join(_names(options.host)),
            "PYTHONUNBUFFERED": "1",
            "CANALETA_NO_DOCUMENT": "1",
            # By default the allocator gives each of some hundred threads a room of its own, and keeps what was once
            # used in any of them.
            "MALLOC_ARENA_MAX": "2",
            "CANALETA_ROOM": "" if options.database_url else str(options.data),
            "CANALETA_SOURCE_PORT": str(source),
            "CANALETA_SOURCE_TOKEN": secrets.source_token,
        } | ({} if reload else {"CANALETA_BEHIND": "1"})
        for left in reversed(range(MOST_KILLS)):
            try:
                ports, link = _ready_database(options, supervisor, cluster, owner_url)
                break
            except OperationalError as error:
                # Each step is whole or not at all: who was cut off by the database's end begins again.
                if cluster is None or not left or not _cut_off(error):
                    raise
                _await_again(cluster, supervisor)
                log.warning("the database ended while it was looked through: again (%s)", type(error.orig).__name__)
        supervisor.before_the_end(lambda: _say_stopping(owner_url))
        # All at once, then each is waited for; nobody scans before there is something to scan.
        bind = f"{_bracketed(options.host)}:{options.port}" if reload else f"unix:{door.socket}"
        argv = _web_server(bind, runner, reload=reload)
        web = Service("web server", argv, _is_there, runner, environment, "canaleta.web.app", patience_s=6.0, rank=3)
        if ports:
            state = _own_folder(options.data / "stand-in", runner) / "plant.json"
            argv = [*PROGRAM, "_stand-in", "--seed", str(SEED), "--state", str(state), "--racks"]
            argv += [f"{rack}={port}" for rack, port in ports.items()]
            with step(f"stand-ins of {len(ports)} racks from 127.0.0.1:{min(ports.values())}"):
                there = _listens("127.0.0.1", source)
                needs = "canaleta.standins.server"
                supervisor.start(Service("stand-in", argv, _is_there, runner, environment, needs, rank=1))
                supervisor.start(web)
                supervisor.wait("stand-in", there)
        else:
            supervisor.start(web)
    if scan:
        argv = [*PROGRAM, "_agent"]
        supervisor.start(Service("scan agent", argv, _is_there, runner, environment, "canaleta.racks.agent", rank=2))
    with step("web server"):
        answers = _answers(f"{address_of(options)}/api/health")
        if reload:
            supervisor.wait("web server", answers)
        else:
            # As root it reads a key that only root may, and hands its connections to the unprivileged user.
            front = door.command(options.data / "log")
            supervisor.start(Service("front server", front, _is_there, stop=signal.SIGQUIT, patience_s=6.0, rank=4))
            supervisor.wait("web server", door.socket.exists)
            # Who is asked again and again moves by that alone: what tells is whether the application moves.
            supervisor.wait("web server", answers)
    return link


def _cut_off(error: OperationalError) -> bool:
    """Whether the connection was lost or refused, not something the database refused itself (a full disk, say)."""
    state = getattr(error.orig, "sqlstate", None)
    return error.connection_invalidated or state is None or state in CUT_OFF


def _await_again(cluster: Cluster, supervisor: Supervisor) -> None:
    """Wait for the database, begun again if it was killed. Its last connections end a moment before it does."""
    end = time.monotonic() + DYING_S
    while time.monotonic() < end and not supervisor.revive("database"):
        time.sleep(0.05)
    supervisor.wait("database", cluster.answers)


PROGRAM = [sys.executable, "-m", "canaleta.cli"]


def _is_there() -> bool:
    return True


def _say_stopping(url: str) -> None:
    """Tell the web workers to end their streams now; else the stop would wait for them."""
    engine = engine_for(url, pool_size=1)
    with engine.begin() as connection:
        notify(connection, STOPPING_CHANNEL, "")
    engine.dispose()


def _web_server(bind: str, runner: str | None, *, reload: bool) -> list[str]:
    # It notes who it is when it is loaded, and then that may be somebody else.
    owner = ["--user", runner, "--group", runner] if runner else []
    return [
        sys.executable, "-m", "gunicorn", "--worker-class", "gthread", "--threads", str(THREADS),
        "--bind", bind, "--graceful-timeout", "2", "--timeout", "60",
        "--keep-alive", "30", "--no-control-socket", *owner,
        *(["--reload"] if reload else ["--preload", "--workers", str(WORKERS)]),
        "canaleta.web.app:from_environment()",
    ]  # fmt: skip


def address_of(options: Options) -> str:
    """Where the web server is reached from this machine."""
    return f"{'https' if options.tls else 'http'}://{_bracketed(_reached_at(options.host))}:{options.port}"


def _begin_database(options: Options, supervisor: Supervisor) -> tuple[Cluster | None, str, str]:
    """(the private cluster, owner's address, runtime's address) of a database that is coming up, or of one's own."""
    if options.database_url:
        remedy = "check the address, or unset it to use the private database"
        answering(options.database_url, remedy).dispose()
        return None, options.database_url, options.database_url
    cluster = Cluster(options.data, options.data / "log")
    cluster.prepare()
    # Whoever uses it for a moment ends first; the lock falls when the database is ready (`_ready_database`).
    cluster.take_over()
    supervisor.start(
        Service(
            "database",
            cluster.command(),
            _is_there,
            cluster.user,
            stop=signal.SIGINT,
            patience_s=20.0,
            rank=0,
            marked=False,
        )
    )
    return cluster, cluster.owner_url, cluster.runtime_url


def _ready_database(
    options: Options, supervisor: Supervisor, cluster: Cluster | None, owner_url: str
) -> tuple[dict[int, int], str]:
    """Wait until the database answers; its shape and contents. Returns (port of each stand-in, a sign-in link)."""
    if cluster:
        with step("database server"):
            supervisor.wait("database", cluster.answers)
            cluster.ensure_database()
            cluster.let_in()
    engine = engine_for(owner_url, pool_size=1)
    with step("database: shape and contents"):
        ports = _contents(engine, options)
        _grant(engine, own=not options.database_url)
        link = _sign_in_link(engine)
    engine.dispose()
    return ports, link


def _contents(engine: Engine, options: Options) -> dict[int, int]:
    """Migrate, load the demo plant into an empty database, audit. Returns the port of each stand-in, by its rack."""
    # Only what is needed is loaded: a start that finds everything made needs little of the program itself.
    from canaleta.plant.database import tables as t

    bring_up(engine)
    program = Path(os.environ.get("CANALETA_PROGRAM", "")).name
    with engine.begin() as connection:
        audited_by = connection.execute(select(t.plant.c.audited_by)).scalar_one_or_none()
        if audited_by is None:
            from canaleta.plant.changes import seed

            if options.demo:
                from canaleta.catalogue.demo import demo_plant

                seed.load_document(connection, demo_plant())
            else:
                seed.new_plant(connection, "new plant")
        elif not program or audited_by != program:
            # Findings follow every change; what an upgrade brings is another way of looking at all of them.
            from canaleta.plant.changes.apply import reaudit
            from canaleta.plant.records.image_cache import ImageCache

            reaudit(connection, ImageCache(engine).caught_up(connection))
        connection.execute(update(t.plant).values(audited_by=program))
        racks = connection.execute(
            select(t.rack.c.id, t.rack.c.port).where(t.rack.c.stand_in).order_by(t.rack.c.id)
        ).all()
        if _others_run(connection, options):
            # The ports stand in the list for all machines: where one is taken here, somebody else plays that rack.
            return {rack.id: rack.port for rack in racks if free_port(rack.port) == rack.port}
        ports = _distinct_ports([(rack.id, rack.port) for rack in racks])
        for rack in racks:
            port = ports[rack.id]
            if port != rack.port:
                log.warning("port %d is taken: the stand-in of rack %d moves to %d", rack.port, rack.id, port)
                connection.execute(update(t.rack).where(t.rack.c.id == rack.id).values(port=port))
        return ports


def _others_run(connection: Connection, options: Options) -> bool:
    """Whether this plant is scanned from elsewhere already."""
    from canaleta.plant.live import leases

    return bool(options.database_url) and leases.alive(connection) > 0


def _distinct_ports(wished: Iterable[tuple[int, int]]) -> dict[int, int]:
    """{rack: its port}: the wished one if it is free, else any other. Nobody listens yet, so that one port may be found free twice:
    two racks would then read one stand-in."""
    out: dict[int, int] = {}
    for rack, wish in wished:
        port = free_port(0 if wish in out.values() else wish)
        while port in out.values():
            port = free_port()
        out[rack] = port
    return out


def _own_folder(folder: Path, runner: str | None) -> Path:
    """A folder that the process may write into."""
    folder.mkdir(exist_ok=True)
    if runner:
        shutil.chown(folder, runner, runner)
    return folder


def _grant(engine: Engine, *, own: bool) -> None:
    if own:
        with engine.begin() as connection:
            grant_runtime(connection)


def _sign_in_link(engine: Engine) -> str:
    """A one-time link for the first administrator, who is made if there is nobody; '' if all are shut out."""
    from canaleta.plant.people import accounts

    with engine.begin() as connection:
        if not accounts.listed(connection):
            accounts.add_account(connection, ADMINISTRATOR, "administrator")
        names = [name for name, role, active, _ in accounts.listed(connection) if role == "administrator" and active]
        return f"/enter#{accounts.make_link(connection, names[0])}" if names else ""


def _welcome(options: Options, link: str) -> None:
    address = address_of(options)
    say(f"\ncanaleta runs at {address}")
    if link:
        say(f"sign in once as administrator: {address}{link}")
    say(f"log: {options.data / 'log' / 'canaleta.log'}   stop: Ctrl-C")


def _port_is_free(host: str, port: int) -> None:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise TroubleError(
                f"port {port} on {host} cannot be used: {error.strerror}",
                f"choose another: ./canaleta start --port {port + 1}",
            ) from error


def _names(host: str) -> list[str]:
    """The host names that the server answers to."""
    names = {"localhost", "127.0.0.1", "::1", host.strip("[]")}
    names |= {n for n in os.environ.get("CANALETA_HOSTS", "").split(",") if n}
    if host in ("0.0.0.0", "::"):
        own = socket.gethostname()
        names |= {own, socket.getfqdn()}
        names |= {str(info[4][0]) for info in socket.getaddrinfo(own, None)}
    return sorted(names)


def _reached_at(host: str) -> str:
    return {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(host, host)


def _bracketed(host: str) -> str:
    return f"[{host}]" if ":" in host else host


def _listens(host: str, port: int) -> Callable[[], bool]:
    def look() -> bool:
        with socket.socket() as probe:
            probe.settimeout(0.5)
            return probe.connect_ex((host, port)) == 0

    return look


def _answers(url: str) -> Callable[[], bool]:
    def look() -> bool:
        try:
            # Whether it answers is asked, not who it is: the certificate is for other names than this one.
            anybody = ssl._create_unverified_context() if url.startswith("https:") else None
            with urllib.request.urlopen(url, timeout=10, context=anybody) as answer:
                return bool(answer.status == 200)
        except (urllib.error.URLError, OSError):
            return False

    return look
