"""A process that has loaded the program once and forks what is asked for: services begin at once and share its
memory.

    python -m canaleta.nursery HANDLE

HANDLE is a socket. Each message is one JSON object: "argv" (PYTHON, "-m", MODULE, …), "env", "user" (uid, gid) or
null, "stop" (the signal that ends the service), "parent" (the pid that it shall be a child of, a subreaper), "needs"
(a module that is loaded first, '' for all); with it come handles: its output first, then those that it keeps, under
the numbers "keeps". The answer is the new process's pid. It has one thread, no connection and no state of its own; it
ends when the other end of the socket does.
"""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import gc
import json
import os
import runpy
import select
import signal
import socket
import sys
import time
from typing import Any

from setproctitle import setproctitle

__all__ = ["main"]

LOADED = (
    "canaleta.standins.server",
    "gunicorn.app.wsgiapp",
    "gunicorn.workers.gthread",
    "canaleta.web.app",
    "canaleta.racks.agent",
)
"""In the order in which a start asks for them."""
MOST_HANDLES, LONGEST = 32, 1 << 20
PR_SET_PDEATHSIG = 1


def main(handle: int) -> int:
    """Load everything, then fork on request. Returns only in a forked child (with its exit status) or at the end."""
    asked = socket.socket(fileno=handle)
    coming = list(LOADED)
    # What is loaded stays. Looking for what could go takes a tenth of the time, and would write to each object's
    # page.
    gc.disable()
    while True:
        while coming and not select.select([asked], [], [], 0)[0]:
            __import__(coming.pop(0))
        message, handles, _, _ = socket.recv_fds(asked, LONGEST, MOST_HANDLES)
        if not message:
            return 0
        wish = json.loads(message)
        while coming and wish["needs"] in ("", *coming):
            __import__(coming.pop(0))
        # Forked twice: the one between ends at once, so that the service becomes a child of whoever asked; it is one
        # by the time that the answer comes.
        read, write = os.pipe()
        between = os.fork()
        if between == 0:
            pid = os.fork()
            if pid == 0:
                asked.close()
                return _service(wish, handles)
            os.write(write, str(pid).encode())
            os._exit(0)
        os.close(write)
        pid_told = os.read(read, 64)
        os.waitpid(between, 0)
        for one in (*handles, read):
            os.close(one)
        try:
            asked.send(pid_told)
        except OSError:
            # Whoever asked is gone; what was just forked sees that by itself.
            return 0


def _service(wish: dict[str, Any], handles: list[int]) -> int:
    """Become the service: session, handles, user, environment, name; then run its module."""
    gc.freeze()
    gc.enable()
    os.setsid()
    _place(handles, wish["keeps"])
    for number in (signal.SIGTERM, signal.SIGHUP, signal.SIGCHLD):
        signal.signal(number, signal.SIG_DFL)
    os.environ.clear()
    os.environ.update(wish["env"])
    if wish["user"]:
        uid, gid = wish["user"]
        os.setgroups([])
        os.setgid(gid)
        os.setuid(uid)
    while os.getppid() != wish["parent"]:
        if os.getppid() == 1:
            return 1
        time.sleep(0.001)
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, wish["stop"])
    setproctitle(" ".join(wish["argv"]))
    for stream in (sys.stdout, sys.stderr):
        stream.reconfigure(line_buffering=True)  # type: ignore[union-attr]
    module, sys.argv = wish["argv"][2], [wish["argv"][2], *wish["argv"][3:]]
    try:
        runpy.run_module(module, run_name="__main__", alter_sys=True)
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else int(end.code is not None)
    return 0


def _place(handles: list[int], keeps: list[int]) -> None:
    """Put the handles where they belong: output at 1 and 2, nothing at 0, the kept ones at their old numbers."""
    # First out of the way of all places, then into them.
    out_of_the_way = max([64, *(number + 1 for number in keeps)])
    high = [fcntl.fcntl(handle, fcntl.F_DUPFD_CLOEXEC, out_of_the_way) for handle in handles]
    empty = os.open(os.devnull, os.O_RDONLY)
    os.dup2(empty, 0)
    os.dup2(high[0], 1)
    os.dup2(high[0], 2)
    for handle, number in zip(high[1:], keeps, strict=True):
        os.dup2(handle, number, inheritable=True)
    for name in os.listdir("/proc/self/fd"):
        if int(name) not in (0, 1, 2, *keeps):
            with contextlib.suppress(OSError):
                os.close(int(name))


if __name__ == "__main__":
    # By its own end, not by os._exit: what a service registered for its end is run.
    sys.exit(main(int(sys.argv[1])))
