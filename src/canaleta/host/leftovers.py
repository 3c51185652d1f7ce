"""What an earlier start left behind: its processes are found by a file that each of them holds open, and ended.

A launcher that is killed cannot stop what it started. The kernel tells its children, but not theirs: a worker whose
master died keeps the port. No pid is trusted: who holds this plant's own file is of this plant, whatever its number.
"""

from __future__ import annotations

import contextlib
import os
import signal
import time
from pathlib import Path

from canaleta.host.steps import TroubleError, say

__all__ = ["Mark"]

GRACE_S = 10.0
"""How long who was asked to end may take; what is half done then is undone by the database."""
TELL_AFTER_S = 2.0
UNKILLABLE_S = 60.0


class Mark:
    """A file of a data folder that the processes of a start inherit open. Take the folder's lock first."""

    def __init__(self, data: Path) -> None:
        self._file = (data / "processes").open("a")
        found = os.fstat(self._file.fileno())
        self._is = (found.st_dev, found.st_ino)

    @property
    def handle(self) -> int:
        """To hand on to a child."""
        return self._file.fileno()

    def holders(self) -> list[int]:
        """The processes that hold it, this one left out."""
        numbers = [int(entry) for entry in os.listdir("/proc") if entry.isdigit()]
        return [pid for pid in numbers if pid != os.getpid() and self._held_by(pid)]

    def _held_by(self, pid: int) -> bool:
        # Whoever has ended meanwhile, or is another user's, holds nothing that could be ended here.
        with contextlib.suppress(OSError):
            for name in os.listdir(f"/proc/{pid}/fd"):
                with contextlib.suppress(OSError):
                    there = os.stat(f"/proc/{pid}/fd/{name}")
                    if (there.st_dev, there.st_ino) == self._is:
                        return True
        return False

    def end_leftovers(self, grace_s: float = GRACE_S) -> None:
        """Ask every holder to end, kill who does not, and return when none is left. Raises TroubleError for one that
        cannot be killed."""
        began, told, asked = time.monotonic(), False, set[int]()
        while found := self.holders():
            late = time.monotonic() - began
            for pid in found:
                if pid not in asked or late > grace_s:
                    asked.add(pid)
                    with contextlib.suppress(ProcessLookupError, PermissionError):
                        os.kill(pid, signal.SIGKILL if late > grace_s else signal.SIGTERM)
            if late > grace_s + UNKILLABLE_S:
                raise TroubleError(
                    f"process {found[0]} of an earlier start does not end", "end it by hand, then start again"
                )
            if late > TELL_AFTER_S and not told:
                told = True
                say(f"  ending what an earlier start left behind ({len(found)} processes)")
            time.sleep(0.05)
