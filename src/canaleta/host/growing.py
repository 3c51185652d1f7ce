"""Services as forks of one process that has loaded the program (canaleta.nursery): begun at once, sharing its
memory."""

from __future__ import annotations

import contextlib
import ctypes
import json
import os
import pwd
import signal
import socket
import subprocess
import sys
from collections.abc import Iterable
from typing import IO

__all__ = ["Grown", "Nursery", "reap_strangers"]

PR_SET_CHILD_SUBREAPER = 36


class Grown:
    """A forked service, to be used as a `subprocess.Popen`: it is a child of this process."""

    def __init__(self, pid: int, stdout: IO[str]) -> None:
        self.pid = pid
        self.stdout = stdout
        self.returncode: int | None = None

    def poll(self) -> int | None:
        """Its exit status, negative for a signal; None while it lives."""
        if self.returncode is None:
            self._fetch(os.WNOHANG)
        return self.returncode

    def wait(self) -> int:
        """Wait for its end."""
        if self.returncode is None:
            self._fetch(0)
        assert self.returncode is not None, "waited for"
        return self.returncode

    def _fetch(self, how: int) -> None:
        try:
            pid, status = os.waitpid(self.pid, how)
        except ChildProcessError:
            # Somebody else fetched it: that it has ended is all that is known.
            self.returncode = 255
            return
        if pid:
            self.returncode = os.waitstatus_to_exitcode(status)

    def send_signal(self, number: int) -> None:
        """Send a signal unless it has ended."""
        if self.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.pid, number)

    def kill(self) -> None:
        """SIGKILL."""
        self.send_signal(signal.SIGKILL)


class Nursery:
    """The process that forks."""

    def __init__(self) -> None:
        # What is forked in two steps becomes a child of this process, and is watched as any other.
        ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1)
        self._asked, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._process = subprocess.Popen(
            [sys.executable, "-m", "canaleta.nursery", str(theirs.fileno())],
            cwd="/",
            stdin=subprocess.DEVNULL,
            pass_fds=[theirs.fileno()],
            env=os.environ | {"CANALETA_NO_DOCUMENT": "1"},
            start_new_session=True,
            umask=0o077,
        )
        theirs.close()

    def fork(
        self, argv: list[str], env: dict[str, str], user: str | None, stop: int, keeps: list[int], needs: str = ""
    ) -> Grown | None:
        """A new service, once what it needs is loaded; None if the nursery has ended."""
        entry = pwd.getpwnam(user) if user else None
        wish = {
            "argv": argv,
            "env": env,
            "user": [entry.pw_uid, entry.pw_gid] if entry else None,
            "stop": stop,
            "parent": os.getpid(),
            "keeps": keeps,
            "needs": needs,
        }
        read, write = os.pipe()
        try:
            socket.send_fds(self._asked, [json.dumps(wish).encode()], [write, *keeps])
            pid = self._asked.recv(64)
        except OSError:
            pid = b""
        finally:
            os.close(write)
        if not pid:
            os.close(read)
            return None
        return Grown(int(pid), os.fdopen(read, encoding="utf-8", errors="replace"))

    def pids(self) -> list[int]:
        """The process itself."""
        return [self._process.pid]

    def close(self) -> None:
        """End it; what it forked lives on."""
        self._asked.close()
        self._process.wait()


def reap_strangers(known: Iterable[int]) -> None:
    """Fetch what became this process's child without being one of its own: a worker whose master has ended."""
    mine = set(known)
    with contextlib.suppress(ChildProcessError):
        while (found := os.waitid(os.P_ALL, 0, os.WEXITED | os.WNOHANG | os.WNOWAIT)) is not None:
            if found.si_pid in mine:
                return
            os.waitpid(found.si_pid, 0)
