"""Running processes: started in order, watched, started again with back-off, stopped in reverse order."""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import subprocess
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from canaleta.host.cluster import as_user
from canaleta.host.steps import TroubleError

__all__ = ["Service", "Supervisor"]

log = logging.getLogger("start")
FIRST_WAIT_S, LONGEST_WAIT_S, STEADY_S = 0.5, 30.0, 30.0
PR_SET_PDEATHSIG = 1


@dataclass
class Service:
    """A process to keep running. ready: whether it answers. stop: the signal that ends it in order."""

    name: str
    argv: list[str]
    ready: Callable[[], bool]
    user: str | None = None
    env: dict[str, str] = field(default_factory=dict)
    stop: int = signal.SIGTERM
    patience_s: float = 10.0
    start_s: float = 30.0


@dataclass
class _Running:
    service: Service
    process: subprocess.Popen[str]
    since: float
    wait_s: float = FIRST_WAIT_S
    due: float = 0.0


class Supervisor:
    """Keeps services running until told to stop. Their output goes to the log, with time and name."""

    def __init__(self) -> None:
        self._running: list[_Running] = []
        self._stop = threading.Event()

    def start(self, service: Service) -> None:
        """Start a service and wait until it answers. Raises TroubleError if it does not."""
        running = _Running(service, self._spawn(service), time.monotonic())
        self._running.append(running)
        until = time.monotonic() + service.start_s
        while not service.ready():
            if running.process.poll() is not None:
                raise TroubleError(f"the {service.name} ended with {_ending(running.process)} at its start")
            if time.monotonic() > until:
                raise TroubleError(f"the {service.name} does not answer after {service.start_s:.0f} s")
            if self._stop.is_set():
                raise KeyboardInterrupt
            time.sleep(0.05)

    def ask_to_stop(self, *_: object) -> None:
        """End `watch`; may be called from a signal handler."""
        self._stop.set()

    def watch(self) -> None:
        """Watch until asked to stop; what dies is started again, later each time it dies soon."""
        while not self._stop.wait(0.2):
            now = time.monotonic()
            for running in self._running:
                if running.due:
                    if now >= running.due:
                        running.process, running.since, running.due = self._spawn(running.service), now, 0.0
                elif running.process.poll() is not None:
                    steady = now - running.since > STEADY_S
                    running.wait_s = FIRST_WAIT_S if steady else min(running.wait_s * 2, LONGEST_WAIT_S)
                    running.due = now + running.wait_s
                    log.warning(
                        "the %s ended with %s; started again in %.1f s",
                        running.service.name, _ending(running.process), running.wait_s,
                    )  # fmt: skip

    def shut_down(self) -> None:
        """Stop everything, last started first; what does not end in time is killed."""
        for running in reversed(self._running):
            if running.process.poll() is not None:
                continue
            running.process.send_signal(running.service.stop)
            try:
                running.process.wait(running.service.patience_s)
            except subprocess.TimeoutExpired:
                log.warning("the %s did not stop in %.0f s: killed", running.service.name, running.service.patience_s)
                running.process.kill()
                running.process.wait()
        self._running.clear()

    def _spawn(self, service: Service) -> subprocess.Popen[str]:
        options: dict[str, Any] = as_user(service.user)
        options["env"] = options.get("env", dict(os.environ)) | service.env
        process = subprocess.Popen(
            service.argv, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
            errors="replace", cwd="/", start_new_session=True,
            preexec_fn=_end_with_parent(service.stop), **options,
        )  # fmt: skip
        threading.Thread(target=_copy, args=(service.name, process), daemon=True).start()
        return process


def _end_with_parent(number: int) -> Callable[[], None]:
    """A child hook: when this process is killed, the kernel sends the child its stop signal."""
    libc = ctypes.CDLL(None, use_errno=True)
    return lambda: libc.prctl(PR_SET_PDEATHSIG, number)


def _copy(name: str, process: subprocess.Popen[str]) -> None:
    out = logging.getLogger(name)
    if process.stdout is not None:
        for line in process.stdout:
            out.info("%s", line.rstrip())


def _ending(process: subprocess.Popen[str]) -> str:
    code = process.returncode
    return signal.Signals(-code).name if code is not None and code < 0 else f"exit status {code}"
