"""The data folder of a plant: where it is, whether it can be used, and who uses it."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import sys
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import IO

from canaleta.host.debian import is_root
from canaleta.host.steps import TroubleError, say

__all__ = ["OnlyOne", "Running", "default_data", "free_to_take", "locked", "only_one", "prepare", "running"]

RUNNING = "running"
TELL_EVERY_S = 5.0


@dataclass(frozen=True)
class Running:
    """What runs with a data folder. address: '' until it is up. program, python: what it runs from."""

    address: str = ""
    program: str = ""
    python: str = ""

    @classmethod
    def of_this(cls, address: str = "") -> Running:
        """This very process."""
        return cls(address, os.environ.get("CANALETA_PROGRAM", ""), sys.executable)


def default_data() -> Path:
    """Where data lives if nobody says otherwise."""
    if is_root():
        return Path("/var/lib/canaleta/plant")
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "canaleta"


def prepare(data: Path) -> None:
    """Make the folder; its logs are its owner's alone. Raises TroubleError if it cannot be made or written."""
    try:
        data.mkdir(parents=True, exist_ok=True)
        (data / "log").mkdir(mode=0o700, exist_ok=True)
        if is_root():
            data.chmod(0o755)
        if os.access(data / "log", os.W_OK):
            (data / "log").chmod(0o700)
            for file in (data / "log").iterdir():
                file.chmod(0o600)
    except OSError as error:
        raise TroubleError(
            f"the data folder {data} cannot be made: {error.strerror}", "choose another place with --data DIR"
        ) from error
    if not os.access(data, os.W_OK):
        raise TroubleError(f"the data folder {data} cannot be written", "choose another place with --data DIR")


class OnlyOne:
    """The lock on a data folder; it falls with this process, however it ends. `is_up` tells others where it runs."""

    def __init__(self, data: Path) -> None:
        self._data = data
        self._file = (data / RUNNING).open("a+", encoding="utf-8")
        while not _taken(self._file):
            if (there := running(data)) is not None:
                self._file.close()
                raise TroubleError(
                    f"canaleta runs already with this data, at {there.address or 'its start'}",
                    "use that one, stop it, or choose another plant with --data DIR",
                )
            # Somebody only looked whether it runs.
            time.sleep(0.01)
        self.is_up("")

    def is_up(self, address: str) -> None:
        """Write where it runs, and from what."""
        self._file.seek(0)
        self._file.truncate()
        self._file.write(json.dumps(asdict(Running.of_this(address))))
        self._file.flush()

    def __enter__(self) -> OnlyOne:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()


def only_one(data: Path) -> OnlyOne:
    """Take the lock on a data folder. Raises TroubleError with where the other one runs."""
    return OnlyOne(data)


def _taken(file: IO[str]) -> bool:
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True


def running(data: Path) -> Running | None:
    """What runs with this data now; None if nothing does."""
    try:
        with (data / RUNNING).open("r", encoding="utf-8") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except OSError:
                return _told(file.read())
    except OSError:
        return None
    return None


def _told(text: str) -> Running:
    try:
        return Running(**json.loads(text))
    except (ValueError, TypeError):
        # A version before this one wrote its address alone.
        return Running(text.strip())


@contextlib.contextmanager
def locked(file: Path, *, shared: bool = False, what: str = "another command of this plant") -> Iterator[None]:
    """Hold a lock file, after those who hold it; who waits is told what for. It falls with the process."""
    with file.open("a") as opened:
        wish = (fcntl.LOCK_SH if shared else fcntl.LOCK_EX) | fcntl.LOCK_NB
        told = time.monotonic()
        while True:
            try:
                fcntl.flock(opened, wish)
                break
            except BlockingIOError:
                if time.monotonic() - told > TELL_EVERY_S:
                    told = time.monotonic()
                    say(f"  waiting for {what}")
                time.sleep(0.02)
        yield


def free_to_take(file: Path) -> bool:
    """Whether nobody holds a lock file this moment."""
    with file.open("a") as opened:
        return _taken(opened)
