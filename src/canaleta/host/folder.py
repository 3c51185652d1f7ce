"""The data folder of a plant: where it is, whether it can be used, and who uses it."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO

from canaleta.host.debian import is_root
from canaleta.host.steps import TroubleError

__all__ = ["default_data", "only_one", "prepare"]


def default_data() -> Path:
    """Where data lives if nobody says otherwise."""
    if is_root():
        return Path("/var/lib/canaleta/plant")
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "canaleta"


def prepare(data: Path) -> None:
    """Make the folder. Raises TroubleError if it cannot be made or written."""
    try:
        data.mkdir(parents=True, exist_ok=True)
        (data / "log").mkdir(exist_ok=True)
        if is_root():
            data.chmod(0o755)
    except OSError as error:
        raise TroubleError(
            f"the data folder {data} cannot be made: {error.strerror}", "choose another place with --data DIR"
        ) from error
    if not os.access(data, os.W_OK):
        raise TroubleError(f"the data folder {data} cannot be written", "choose another place with --data DIR")


def only_one(data: Path) -> IO[str]:
    """The lock on a data folder; it falls with this process, however it ends. Its text says where it runs."""
    lock = (data / "running").open("a+", encoding="utf-8")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        lock.seek(0)
        raise TroubleError(
            f"canaleta runs already with this data, at {lock.read() or 'its start'}",
            "use that one, stop it, or choose another plant with --data DIR",
        ) from error
    return lock
