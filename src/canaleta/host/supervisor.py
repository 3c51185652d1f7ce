"""Running processes: started in order, watched, started again with back-off, stopped in reverse order."""

from __future__ import annotations

import contextlib
import ctypes
import logging
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from canaleta.host.cluster import as_user
from canaleta.host.growing import Grown, Nursery, reap_strangers
from canaleta.host.progress import STILL_S, Still, wait_for
from canaleta.host.steps import TroubleError

__all__ = ["HELD", "MOST_KILLS", "Service", "Supervisor"]

log = logging.getLogger("start")
FIRST_WAIT_S, LONGEST_WAIT_S, LONGEST_KILLED_S, STEADY_S = 0.5, 30.0, 2.0, 30.0
PR_SET_PDEATHSIG = 1
MOST_KILLS = 10
"""How often one service may be killed from outside during a start before the start is given up."""
HELD = "CANALETA_HELD"


@dataclass
class Service:
    """A process to keep running. ready: whether it answers. stop: the signal that ends it in order.

    patience_s: how long it may stand still after that signal before it is killed. rank: those of a higher one are
    stopped first; of one rank, who was started last. needs: the module that a nursery has to have loaded. marked:
    whether it holds the plant's mark (see leftovers).
    """

    name: str
    argv: list[str]
    ready: Callable[[], bool]
    user: str | None = None
    env: dict[str, str] = field(default_factory=dict)
    needs: str = ""
    stop: int = signal.SIGTERM
    patience_s: float = 10.0
    still_s: float = STILL_S
    rank: int = 0
    marked: bool = True


@dataclass
class _Running:
    service: Service
    process: subprocess.Popen[str] | Grown
    since: float
    wait_s: float = FIRST_WAIT_S
    due: float = 0.0
    kills: int = 0

    @property
    def pid(self) -> int:
        """The process's number."""
        return self.process.pid

    def poll(self) -> int | None:
        """Its exit status, None while it lives. Who looks in this way leaves no worker of one that has ended."""
        return self.process.returncode if _ended(self.process) else None


class Supervisor:
    """Keeps services running until told to stop. Their output goes to the log, with time and name."""

    def __init__(
        self,
        log: Path | None = None,
        look_after: Callable[[], object] = lambda: None,
        mark: int | None = None,
        nursery: Nursery | None = None,
    ) -> None:
        """look_after: called again and again while it watches, about once a second. mark: a handle that services
        hold. nursery: who forks services that are modules of this program; closed at the end."""
        self._log = log
        self._mark = mark
        self._nursery = nursery
        self._look_after = look_after
        self._running: list[_Running] = []
        self._at_the_end: list[Callable[[], object]] = []
        self._before_the_end: list[Callable[[], object]] = []
        self._stop = threading.Event()

    def start(self, service: Service) -> None:
        """Start a service and wait until it answers, as long as it lives and moves. Raises TroubleError if it ends
        first, or stands still; what is killed from outside is started again."""
        running = _Running(service, self._spawn(service), time.monotonic())
        self._running.append(running)
        self._wait(running, service.ready)

    def wait(self, name: str, ready: Callable[[], bool]) -> None:
        """Wait until a service that was started answers. Raises TroubleError as `start` does."""
        self._wait(next(r for r in self._running if r.service.name == name), ready)

    def _wait(self, running: _Running, ready: Callable[[], bool]) -> None:
        service = running.service
        remedy = f"see {self._log}" if self._log else ""

        def supervised() -> bool:
            # What has been started already is kept running meanwhile: one may wait for it by way of another.
            self._tend(running)
            return ready()

        try:
            while not wait_for(
                supervised, running, service.name, still_s=service.still_s, asked_to_stop=self._stop.is_set
            ):
                if not self._again(running):
                    raise TroubleError(
                        f"the {service.name} ended with {_ending(running.process)} at its start", remedy
                    )
        except Still as still:
            raise TroubleError(f"the {service.name} lives but does nothing, and does not answer", remedy) from still

    def revive(self, name: str) -> bool:
        """Start a service again that was killed before `watch` began. False if it was not killed."""
        return self._again(next(r for r in self._running if r.service.name == name))

    def _again(self, running: _Running) -> bool:
        """What ended by a signal has no fault of its own: it is started again. What ended by itself would do so
        again."""
        if not _ended(running.process) or (running.process.returncode or 0) >= 0 or running.kills >= MOST_KILLS:
            return False
        running.kills += 1
        log.warning("the %s ended with %s; started again", running.service.name, _ending(running.process))
        running.process, running.since = self._spawn(running.service), time.monotonic()
        return True

    def ask_to_stop(self, *_: object) -> None:
        """End `watch`; may be called from a signal handler."""
        self._stop.set()

    def watch(self) -> None:
        """Watch until asked to stop; what dies is started again, later each time it dies soon."""
        looked = 0.0
        while not self._stop.wait(0.2):
            now = time.monotonic()
            if now - looked > 1.0:
                looked = now
                self._look_after()
            self._tend()

    def _tend(self, besides: _Running | None = None) -> None:
        """Start again what has ended, later each time it ends soon. besides: one that somebody waits for."""
        now = time.monotonic()
        if self._nursery:
            reap_strangers([r.process.pid for r in self._running] + self._nursery.pids())
        for running in self._running:
            if running is besides:
                continue
            if running.due:
                if now >= running.due:
                    running.process, running.since, running.due = self._spawn(running.service), now, 0.0
            elif _ended(running.process):
                steady = now - running.since > STEADY_S
                # Who was killed from outside will do well again; who ends by itself does so again and again.
                longest = LONGEST_KILLED_S if (running.process.returncode or 0) < 0 else LONGEST_WAIT_S
                running.wait_s = FIRST_WAIT_S if steady else min(running.wait_s * 2, longest)
                running.due = now + running.wait_s
                log.warning(
                    "the %s ended with %s; started again in %.1f s",
                    running.service.name,
                    _ending(running.process),
                    running.wait_s,
                )

    def before_the_end(self, word: Callable[[], object]) -> None:
        """Something to say to services before they are stopped."""
        self._before_the_end.append(word)

    def at_the_end(self, rounded_text: Callable[[], object]) -> None:
        """Something to clear away once everything has stopped."""
        self._at_the_end.append(rounded_text)

    def shut_down(self) -> None:
        """Stop everything, last started first; what does not end in time is killed."""
        for word in self._before_the_end:
            try:
                word()
            except Exception as error:  # noqa: BLE001 - whoever cannot be told is stopped all the same
                log.warning("at the stop: %s", error)
        newest_first = self._running[::-1]
        newest_first.sort(key=lambda r: -r.service.rank)
        for running in newest_first:
            if running.poll() is not None:
                continue
            # Not by the process's own method, which fetches one that has just ended: its workers would stay.
            with contextlib.suppress(ProcessLookupError):
                os.kill(running.pid, running.service.stop)
            try:
                wait_for(
                    partial(_ended, running.process),
                    running,
                    running.service.name,
                    still_s=running.service.patience_s,
                )
            except Still:
                log.warning(
                    "the %s did nothing for %.0f s and did not stop: killed",
                    running.service.name,
                    running.service.patience_s,
                )
                _kill_group(running.process)
                running.process.wait()
        self._running.clear()
        if self._nursery:
            self._nursery.close()
        for rounded_text in self._at_the_end:
            rounded_text()
        self._at_the_end.clear()
        self._before_the_end.clear()

    def _spawn(self, service: Service) -> subprocess.Popen[str] | Grown:
        options: dict[str, Any] = as_user(service.user)
        options["env"] = options.get("env", dict(os.environ)) | service.env
        held = _held()
        if self._mark is not None and service.marked:
            held.append(self._mark)
        process = self._forked(service, options["env"], held) or subprocess.Popen(
            service.argv,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            errors="replace",
            cwd="/",
            start_new_session=True,
            preexec_fn=_end_with_parent(service.stop),
            pass_fds=held,
            **options,
        )
        threading.Thread(target=_copy, args=(service.name, process), daemon=True).start()
        return process

    def _forked(self, service: Service, env: dict[str, str], held: list[int]) -> Grown | None:
        if self._nursery is None or service.argv[:2] != [sys.executable, "-m"]:
            return None
        grown = self._nursery.fork(service.argv, env, service.user, service.stop, held, service.needs)
        if grown is None:
            # Killed from outside, for it does nothing by itself: the next one is asked.
            log.warning("the process that services are forked from has ended; begun again")
            self._nursery.close()
            self._nursery = Nursery()
            grown = self._nursery.fork(service.argv, env, service.user, service.stop, held, service.needs)
        return grown


def _held() -> list[int]:
    """Handles that keep what this process runs from (packages, program, front end) from being cleared away."""
    held = [int(n) for n in os.environ.get(HELD, "").split(",") if n]
    return [n for n in held if os.path.exists(f"/proc/self/fd/{n}")]


def _end_with_parent(number: int) -> Callable[[], None]:
    """A child hook: when this process is killed, the kernel sends the child its stop signal."""
    libc = ctypes.CDLL(None, use_errno=True)
    return lambda: libc.prctl(PR_SET_PDEATHSIG, number)


def _copy(name: str, process: subprocess.Popen[str] | Grown) -> None:
    out = logging.getLogger(name)
    if process.stdout is not None:
        for line in process.stdout:
            out.info("%s", line.rstrip())


def _ended(process: subprocess.Popen[str] | Grown) -> bool:
    """Whether it has ended. What it had below it ends with it: a worker without its master would keep the port."""
    if process.returncode is None:
        try:
            # Looked at without being fetched: as long as it is not, its number is no other's.
            if os.waitid(os.P_PID, process.pid, os.WEXITED | os.WNOHANG | os.WNOWAIT) is None:
                return False
        except ChildProcessError:
            return process.poll() is not None
        _kill_group(process)
    return process.poll() is not None


def _kill_group(process: subprocess.Popen[str] | Grown) -> None:
    """Kill a service that is not fetched yet with everything in its session's group."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(process.pid, signal.SIGKILL)


def _ending(process: subprocess.Popen[str] | Grown) -> str:
    code = process.returncode
    return signal.Signals(-code).name if code is not None and code < 0 else f"exit status {code}"
