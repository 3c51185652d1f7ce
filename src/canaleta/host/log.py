"""The log: bounded for every source, so that a bad neighbour cannot wash it away, and going on while the disk is
full.

The same line (figures aside) is written at most once a minute, with how often it came; each source has a share of the
log, which fills up again slowly. Room for the file in use is taken when it is opened; what cannot be written all the
same waits in memory.
"""

from __future__ import annotations

import contextlib
import ctypes
import logging
import os
import time
from collections import OrderedDict, deque
from collections.abc import Callable
from io import TextIOWrapper
from logging.handlers import RotatingFileHandler
from pathlib import Path

import re2

__all__ = ["PatientFile", "Shares", "log_to"]

FILE_BYTES, FILES = 5_000_000, 5
AGAIN_S = 60.0
MOST_KNOWN = 2_000
LONGEST_LINE = 2_000
SHARE_BYTES, REFILL_BYTES_S = 200_000.0, 40.0
"""A source may write 200 kB at once and 3.4 MB a day: the files together hold a week of one that never rests."""
MOST_WAITING = 2_000
_FIGURES = re2.compile(r"[0-9]+")
_RACK = re2.compile(r"(?:scan [A-Z]+ )?(rack [0-9]+)\b")
_KEEP_SIZE = 1


class Shares(logging.Filter):
    """Lets a line through unless it came within the last minute, or its source has used up its share."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        super().__init__()
        self._now = now
        self._known: OrderedDict[tuple[str, str], tuple[float, int]] = OrderedDict()
        self._left: dict[str, tuple[float, float]] = {}
        self._dropped: dict[str, int] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether to write it; what was left out before it is told with it."""
        now, message = self._now(), record.getMessage()
        if len(message) > LONGEST_LINE:
            message = f"{message[:LONGEST_LINE]}… ({len(message)} characters)"
        key = (record.name, _FIGURES.sub("#", message))
        written, more = self._known.get(key, (-AGAIN_S, 0))
        if now - written < AGAIN_S:
            self._known[key] = (written, more + 1)
            return False
        # One rack that misbehaves is a source of its own: it takes nothing from the others.
        rack = _RACK.match(message)
        source = f"{record.name} {rack[1]}" if rack else record.name
        if not self._has_share(source, now, len(message)):
            self._dropped[source] = self._dropped.get(source, 0) + 1
            return False
        self._known[key] = (now, 0)
        self._known.move_to_end(key)
        while len(self._known) > MOST_KNOWN:
            self._known.popitem(last=False)
        if more:
            message += f" (the same {more} times more since)"
        if dropped := self._dropped.pop(source, 0):
            message += f" ({dropped} other lines of this source were left out)"
        record.msg, record.args = message, ()
        return True

    def _has_share(self, source: str, now: float, size: int) -> bool:
        left, at = self._left.get(source, (SHARE_BYTES, now))
        left = min(SHARE_BYTES, left + (now - at) * REFILL_BYTES_S)
        if left < size:
            self._left[source] = (left, now)
            return False
        self._left[source] = (left - size, now)
        return True


class PatientFile(RotatingFileHandler):
    """A rotating file that takes its room when it is opened; lines that meet a full disk wait in memory."""

    def __init__(self, file: Path) -> None:
        self._waiting: deque[str] = deque(maxlen=MOST_WAITING)
        super().__init__(file, maxBytes=FILE_BYTES, backupCount=FILES, encoding="utf-8")
        file.chmod(0o600)

    def _open(self) -> TextIOWrapper:
        opened = super()._open()
        # The blocks are the file's own from now on, its length is not changed. Where that cannot be, lines may wait.
        ctypes.CDLL(None, use_errno=True).fallocate(
            opened.fileno(), _KEEP_SIZE, ctypes.c_int64(0), ctypes.c_int64(FILE_BYTES + LONGEST_LINE)
        )
        return opened

    def emit(self, record: logging.LogRecord) -> None:
        """Write a line, those that wait first; keep it if the disk takes none."""
        self._waiting.append(self.format(record) + self.terminator)
        with contextlib.suppress(OSError):
            if self.shouldRollover(record):
                self.doRollover()
            while self._waiting:
                if self.stream is None:
                    self.stream = self._open()
                # Past the stream's own buffer: what a full disk took of a line is taken back, and it is written
                # later.
                handle, line = self.stream.fileno(), self._waiting[0].encode()
                end = os.fstat(handle).st_size
                written = os.write(handle, line)
                if written < len(line):
                    os.ftruncate(handle, end)
                    return
                self._waiting.popleft()


def log_to(folder: Path) -> Path:
    """Log to a file in a folder, and warnings of the start itself to the screen. Returns the file."""
    file = folder / "canaleta.log"
    handler = PatientFile(file)
    handler.setFormatter(logging.Formatter("%(asctime)s %(name)-10s %(levelname)-7s %(message)s"))
    handler.addFilter(Shares())
    screen = logging.StreamHandler()
    screen.setFormatter(logging.Formatter("%(asctime)s %(message)s", "%H:%M:%S"))
    screen.addFilter(lambda record: record.name == "start" and record.levelno >= logging.WARNING)
    logging.basicConfig(level=logging.INFO, handlers=[screen, handler], force=True)
    logging.getLogger("alembic").setLevel(logging.WARNING)
    return file
