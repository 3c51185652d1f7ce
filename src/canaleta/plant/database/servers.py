"""The servers of a database address: which of them leads, what is cut when it no longer does, and no wait without end.

An address may name several hosts, of which one takes writes and the others follow it. libpq finds one that takes writes, and
believes the first: a primary that came back after another was promoted would be chosen, and what is written there is lost. So
every server is asked for its timeline, the number that grows with each promotion (PostgreSQL 15, 27.2.2): one that is behind
the greatest that is known here is left alone, and connections to it are cut. Connections are watched as long as somebody waits
for an answer on them: a server that takes no new connection meanwhile is given up, and a commit that waits for its standby for
too long is broken off and told as what it is, not confirmed.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import socket
import threading
import time
import weakref
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from typing import Any

import psycopg

from canaleta.plant.database.patience import patient

__all__ = ["Follower", "Leader", "Server", "Servers", "Sure", "UnsureError", "servers_of"]

log = logging.getLogger("database")
ANSWER_S, SUSPECT_S, CONFIRM_S, LOOK_S, SOON_S = 2.0, 3.0, 10.0, 3.0, 1.0
"""How long a server has to take a connection; how long an answer may take before one asks whether it still takes any; how long
a commit may wait for its standby; how often all servers are asked which of them leads; how often one looks at who waits, and asks
again while none leads. All s."""
ALIVE = {"keepalives": 1, "keepalives_idle": 3, "keepalives_interval": 1, "keepalives_count": 3}
"""A host that vanished is noticed in six seconds, also where nobody asks it anything."""
SLOWER = 3.0
"""So much longer is waited where there is no other server to go to: a slow machine is better than none."""
_ASK = """
select (select system_identifier from pg_control_system()), pg_postmaster_start_time()::text,
    case when pg_is_in_recovery() then 0 else ('x' || left(pg_walfile_name(pg_current_wal_lsn()), 8))::bit(32)::int end
"""


class UnsureError(psycopg.OperationalError):
    """A commit that nobody confirmed: what it was to keep is there, or it is not."""


@dataclass(frozen=True)
class Server:
    """One host of an address."""

    host: str
    port: str

    @property
    def words(self) -> str:
        """As people write it."""
        return f"{self.host}:{self.port}" if self.port else self.host


@dataclass(frozen=True)
class Leader:
    """What a server that takes writes said of itself. started: names its process; timeline: grows with each promotion."""

    server: Server
    system: int
    started: str
    timeline: int


@dataclass(frozen=True)
class Follower:
    """A server that takes no writes, and why."""

    server: Server
    says: str


class Servers:
    """All hosts of one address, as this process knows them. params: of a connection, with hosts and ports in lists as libpq takes
    them."""

    def __init__(self, params: Mapping[str, Any]) -> None:
        hosts = str(params.get("host") or "").split(",")
        ports = str(params.get("port") or "").split(",")
        ports = ports * len(hosts) if len(ports) == 1 else ports
        self.all = tuple(Server(h, p) for h, p in zip(hosts, ports, strict=True))
        self._params = {k: v for k, v in params.items() if k not in ("host", "port", "target_session_attrs")}
        self.leader: Leader | None = None
        self._lock = threading.Lock()
        self._told = ""

    @property
    def several(self) -> bool:
        """Whether there is a choice."""
        return len(self.all) > 1

    def params(self, server: Server) -> dict[str, Any]:
        """How one connects to one of them."""
        own = {"host": server.host, "port": server.port}
        wait = {"connect_timeout": _whole(ANSWER_S)} if self.several else {}
        return {**self._params, **ALIVE, **wait, **{name: value for name, value in own.items() if value}}

    @property
    def slower(self) -> float:
        return 1.0 if self.several else SLOWER

    def connect(self) -> Sure:
        """A connection to the one that takes writes. Raises psycopg.OperationalError, which names each of them, if none does."""
        if not self.several:
            return self._kept(Sure.connect(**self.params(self.all[0])), self.all[0])
        known = self.leader
        if known is not None:
            with contextlib.suppress(psycopg.OperationalError):
                # The usual case: it still leads.
                made = Sure.connect(**self.params(known.server))
                if self._still_leads(made, known.server):
                    return self._kept(made, known.server)
                made.close()
        server = self.find().server
        return self._kept(Sure.connect(**self.params(server)), server)

    def listen(self) -> psycopg.Connection[Any]:
        """A connection for who listens: not waited on, in autocommit. Raises psycopg.OperationalError."""
        server = self.leads()
        made = psycopg.connect(**self.params(server), autocommit=True)
        WATCH.knows(made, self, server)
        return made

    async def listen_async(self) -> psycopg.AsyncConnection[Any]:
        """The same for a loop."""
        server = await asyncio.to_thread(self.leads)
        made = await psycopg.AsyncConnection.connect(**self.params(server), autocommit=True)
        WATCH.knows(made, self, server)
        return made

    def leads(self) -> Server:
        """The one that takes writes. Raises psycopg.OperationalError if none does."""
        return self.find().server if self.several else self.all[0]

    def find(self) -> Leader:
        """Ask all of them at once and choose the one that leads. Raises psycopg.OperationalError, which names each of them, if
        none does, or if more than one says so of itself."""
        seen = self._asked()
        leaders = [one for one in seen if isinstance(one, Leader)]
        if len({one.system for one in leaders}) > 1:
            where = " and ".join(one.server.words for one in leaders)
            raise psycopg.OperationalError(f"{where} are different databases: an address names servers of one")
        newest = max((one.timeline for one in leaders), default=0)
        first = {one.started: one for one in leaders if one.timeline == newest}
        with self._lock:
            known = self.leader
            if known is not None and leaders and known.system != leaders[0].system:
                known = None
            if known is not None and known.timeline > newest:
                first = {}
            if len(first) > 1 and known is not None and known.started in first:
                first = {known.started: first[known.started]}
            if len(first) > 1:
                where = " and ".join(one.server.words for one in first.values())
                raise psycopg.OperationalError(
                    f"{where} both take writes and neither follows the other: stop one of them"
                )
            if not first:
                says = "; ".join(f"{one.server.words}: {_why(one)}" for one in seen)
                raise psycopg.OperationalError(f"none of {len(self.all)} database servers takes writes now: {says}")
            self.leader = leader = next(iter(first.values()))
        if known is None or known.server != leader.server:
            log.info("the database is written at %s", leader.server.words)
        left = [one for one in leaders if one.timeline < leader.timeline]
        self._tell_left(left)
        WATCH.cut_others(self, leader.server)
        return leader

    def _asked(self) -> list[Leader | Follower]:
        """What each of them says. One that was promoted since one looked last needs nobody's word beside its own: who does not
        answer is not waited for."""
        known = self.leader
        pool = ThreadPoolExecutor(len(self.all), thread_name_prefix="servers")
        try:
            seen: list[Leader | Follower] = []
            for done in as_completed([pool.submit(self.ask, server) for server in self.all]):
                seen.append(one := done.result())
                if known and isinstance(one, Leader) and one.system == known.system and one.timeline > known.timeline:
                    break
            return sorted(seen, key=lambda one: self.all.index(one.server))
        finally:
            pool.shutdown(wait=False)

    def ask(self, server: Server) -> Leader | Follower:
        """What a server says of itself."""
        try:
            with psycopg.connect(**self._asking(server), autocommit=True) as connection:
                return _said(server, connection)
        except psycopg.Error as error:
            return Follower(server, " ".join(str(error).split()))

    def answers(self, server: Server, waiting: list[int]) -> list[int] | None:
        """Which of some of our sessions wait for a standby there; None if it neither takes nor refuses a connection. One that
        refuses, having too many of them or none to give, is no server that hangs."""
        waits = "select pid from pg_stat_activity where wait_event = 'SyncRep' and pid = any(%s)"
        try:
            with psycopg.connect(**self._asking(server), autocommit=True) as connection:
                return [pid for (pid,) in connection.execute(waits, [waiting])]
        except psycopg.errors.ConnectionTimeout:
            return None
        except psycopg.Error:
            return []

    def _asking(self, server: Server) -> dict[str, Any]:
        return {**self.params(server), "connect_timeout": _whole(ANSWER_S * self.slower)}

    def _still_leads(self, made: Sure, server: Server) -> bool:
        said = _said(server, made)
        made.rollback()
        with self._lock:
            known = self.leader
            if not isinstance(said, Leader) or (known is not None and said.timeline < known.timeline):
                return False
            self.leader = said
        return True

    def _kept(self, made: Sure, server: Server) -> Sure:
        WATCH.knows(made, self, server)
        return made

    def _tell_left(self, left: list[Leader]) -> None:
        """Say once that a server takes writes that nobody should send it."""
        where = " and ".join(one.server.words for one in left)
        if where and where != self._told:
            log.warning(
                "%s still takes writes, but another server was promoted since: it is left alone; rewind it (pg_rewind) or stop it",
                where,
            )
        self._told = where


def _said(server: Server, connection: psycopg.Connection[Any]) -> Leader | Follower:
    system, started, timeline = connection.execute(_ASK).fetchone() or (0, "", 0)
    if not timeline:
        return Follower(server, "it follows another")
    return Leader(server, int(system), str(started), int(timeline))


def _whole(seconds: float) -> int:
    """A wait as libpq takes it: in whole seconds, two at least."""
    return max(2, round(min(patient(seconds), 30.0)))


def _why(one: Leader | Follower) -> str:
    return one.says if isinstance(one, Follower) else "another was promoted since"


class Sure(psycopg.Connection[Any]):
    """A connection whose commit is an acknowledgement. With a synchronous standby a commit waits for it; where somebody breaks
    that wait off, PostgreSQL commits here alone and answers with success and a warning. Nobody may take that for saved: a
    failure of this machine would lose it. The same where the connection is lost before the answer came."""

    _warned = False

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.add_notice_handler(self._notice)

    def _notice(self, told: psycopg.errors.Diagnostic) -> None:
        self._warned |= told.severity_nonlocalized == "WARNING"

    def wait(self, *args: Any, **more: Any) -> Any:
        """As in psycopg, watched meanwhile."""
        WATCH.begins(self)
        try:
            return super().wait(*args, **more)
        finally:
            WATCH.ends(self)

    def commit(self) -> None:
        """Commit. Raises UnsureError where nobody confirmed it: it may be kept, or lost."""
        self._warned = False
        try:
            super().commit()
        except psycopg.OperationalError as error:
            if self.closed:
                raise UnsureError(
                    "the database was lost before it confirmed this: it may be kept, or not; look before you repeat it"
                ) from error
            raise
        if self._warned:
            raise UnsureError("the standby did not confirm this: it may be kept, or not; look before you repeat it")


@dataclass
class _Held:
    """Where a connection leads."""

    of: Servers
    server: Server


class _Watch:
    """Looks after every connection of this process, in two threads of its own: one asks who leads, and may wait for servers that
    do not answer; one looks after those who wait."""

    def __init__(self) -> None:
        self._held: weakref.WeakKeyDictionary[Any, _Held] = weakref.WeakKeyDictionary()
        self._waits: dict[int, tuple[float, Sure]] = {}
        self._lock = threading.Lock()
        self._begun: set[str] = set()

    def knows(self, connection: Any, of: Servers, server: Server) -> None:
        """Another connection."""
        with self._lock:
            self._held[connection] = _Held(of, server)
            self._begin("waits", self._look_at_waits)
            if of.several:
                self._begin("leads", self._look_who_leads)

    def _begin(self, name: str, look: Callable[[], float]) -> None:
        if name not in self._begun:
            self._begun.add(name)
            threading.Thread(target=_again, args=(look,), name=f"database {name}", daemon=True).start()

    def begins(self, connection: Sure) -> None:
        """Somebody waits for an answer."""
        self._waits[id(connection)] = (time.monotonic(), connection)

    def ends(self, connection: Sure) -> None:
        """It came, or never will."""
        self._waits.pop(id(connection), None)

    def cut_others(self, of: Servers, leads: Server) -> None:
        """Cut every connection to a server that does not lead."""
        self._cut(lambda held: held.of is of and held.server != leads)

    def _cut(self, which: Callable[[_Held], bool]) -> None:
        with self._lock:
            cut = [(connection, held) for connection, held in self._held.items() if which(held)]
            for connection, _ in cut:
                del self._held[connection]
        for connection, held in cut:
            _shut(connection, held.server)

    def _look_who_leads(self) -> float:
        """Returns when to look again, in s."""
        with self._lock:
            several = {held.of for held in self._held.values() if held.of.several}
        soon = False
        for of in several:
            try:
                of.find()
            except psycopg.OperationalError:
                soon = True
        return SOON_S if soon else LOOK_S

    def _look_at_waits(self) -> float:
        now = time.monotonic()
        with self._lock:
            held = dict(self._held)
        waits = {c: now - since for since, c in list(self._waits.values()) if c in held and not c.closed}
        long = [c for c, s in waits.items() if s > patient(SUSPECT_S * held[c].of.slower)]
        for of, server in {(held[c].of, held[c].server) for c in long}:
            pids = {c.info.backend_pid: c for c in long if (held[c].of, held[c].server) == (of, server)}
            waiting = of.answers(server, list(pids))
            if waiting is None:
                log.warning("%s does not answer: whoever waits for it asks anew", server.words)
                self._cut(lambda h, of=of, server=server: h.of is of and h.server == server)  # type: ignore[misc]
                continue
            for pid in waiting:
                if waits[pids[pid]] > patient(CONFIRM_S):
                    log.warning("the standby does not confirm; who waited for it is told so")
                    with contextlib.suppress(psycopg.Error):
                        pids[pid].cancel_safe(timeout=ANSWER_S)
        return SOON_S


def _again(look: Callable[[], float]) -> None:
    """Look again and again as long as this process lives: at its end no thread can be begun."""
    wait = SOON_S
    while threading.main_thread().is_alive():
        time.sleep(wait)
        try:
            wait = look()
        except Exception:
            if not threading.main_thread().is_alive():
                return
            log.exception("the watch over the database's servers met what it does not know; it goes on")
            wait = LOOK_S


def _shut(connection: Any, server: Server) -> None:
    """End a connection under whoever waits on it: nobody can close it for him."""
    with contextlib.suppress(OSError, psycopg.Error):
        own = socket.socket(fileno=os.dup(connection.fileno()))
        with own:
            # A number that was closed meanwhile may be another's.
            if own.family == socket.AF_UNIX or str(own.getpeername()[1]) == (server.port or "5432"):
                own.shutdown(socket.SHUT_RDWR)


WATCH = _Watch()
_KNOWN: dict[tuple[tuple[str, str], ...], Servers] = {}
_KNOWN_LOCK = threading.Lock()


def servers_of(params: Mapping[str, Any]) -> Servers:
    """The servers of an address, the same for all who ask in this process. params: of a connection, as SQLAlchemy's dialect
    gives them."""
    key = tuple(
        (name, str(params.get(name) or "")) for name in ("host", "port", "dbname", "user", "password", "options")
    )
    with _KNOWN_LOCK:
        return _KNOWN.setdefault(key, Servers(params))


def _anew() -> None:
    """A forked process has connections of its own, and its own thread that looks after them."""
    global WATCH, _KNOWN_LOCK
    WATCH = _Watch()
    _KNOWN_LOCK = threading.Lock()
    _KNOWN.clear()


os.register_at_fork(after_in_child=_anew)
