"""Room on the disk of the private database: how much is left, and what is refused before nothing goes any more.

A database that meets a full disk in the middle of its own log ends. So changes are refused while there is still room
for reading, signing in and recovering. A reserve file is given up when even that runs short, and taken again later;
as long as it is missing, the disk counts as full.
"""

from __future__ import annotations

import contextlib
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

__all__ = ["LEAST_MB", "RESERVE_MB", "Room"]

LEAST_MB = 48
"""Below this changes are refused: three segments of the database's log."""
GIVE_UP_MB = 20
RESERVE_MB = 48
_MB = 2**20


@dataclass(frozen=True)
class Room:
    """The disk of a data folder. folder: None for a database elsewhere, whose disk is not ours to judge."""

    folder: Path | None

    @classmethod
    def of_environment(cls) -> Room:
        """As `start` tells its processes: CANALETA_ROOM."""
        folder = os.environ.get("CANALETA_ROOM", "")
        return cls(Path(folder) if folder else None)

    def free_mb(self) -> int:
        """Megabytes that are free; a large number where nobody knows."""
        if self.folder is None:
            return 2**31
        try:
            return shutil.disk_usage(self.folder).free // _MB
        except OSError:
            return 2**31

    def is_short(self) -> bool:
        """Whether changes are refused."""
        if self.folder is None:
            return False
        return self.free_mb() < LEAST_MB or (self.folder / "reserve.given").exists()

    def says(self) -> tuple[str, str]:
        """(what is the matter, what to do), for people."""
        wanted = LEAST_MB + RESERVE_MB
        return (
            f"the disk is full: {self.free_mb()} MB are free where the plant's data lies ({self.folder})",
            f"free {wanted} MB there (old backups, logs, other programs' files); it then goes on by itself",
        )

    # The keeper of the reserve is `start` alone ------------------------------------------------------------

    def look_after(self) -> str:
        """Give the reserve up, or take it again, as the room asks. Returns what was done in words, or ''."""
        if self.folder is None:
            return ""
        reserve, given = self.folder / "reserve", self.folder / "reserve.given"
        free = self.free_mb()
        if free < GIVE_UP_MB and reserve.exists():
            given.touch()
            reserve.unlink()
            return f"the disk is full ({free} MB free): the reserve of {RESERVE_MB} MB is given up"
        if not reserve.exists() and free >= LEAST_MB + RESERVE_MB:
            new = self.folder / "reserve.new"
            try:
                with new.open("wb") as file:
                    os.posix_fallocate(file.fileno(), 0, RESERVE_MB * _MB)
                new.replace(reserve)
            except OSError:
                with contextlib.suppress(OSError):
                    new.unlink()
                return ""
            if given.exists():
                given.unlink()
                return "there is room on the disk again: changes are taken"
        return ""
