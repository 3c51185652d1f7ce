"""The log: no neighbour washes it away, and a full disk loses no line of it."""

from __future__ import annotations

import errno
import logging
import os
import stat
from pathlib import Path

import pytest

from canaleta.host.log import PatientFile, Shares


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


def line(message: str, name: str = "scan agent") -> logging.LogRecord:
    return logging.LogRecord(name, logging.WARNING, "", 0, "%s", (message,), None)


def test_the_same_line_is_written_once_a_minute_with_how_often_it_came() -> None:
    clock = Clock()
    shares = Shares(clock)
    told = [shares.filter(line(f"rack 3: no answer, try {n}")) for n in range(100)]
    assert told == [True] + [False] * 99, "its figures make it no other line"
    clock.now = 61.0
    again = line("rack 3: no answer, try 100")
    assert shares.filter(again)
    assert again.getMessage() == "rack 3: no answer, try 100 (the same 99 times more since)"
    assert shares.filter(line("rack 3: it answers again"))


def test_a_source_that_never_rests_leaves_the_others_their_share() -> None:
    clock = Clock()
    shares = Shares(clock)
    words = ["".join(chr(97 + (n >> (4 * k)) % 16) for k in range(5)) for n in range(30_000)]
    loud = sum(shares.filter(line(f"rack 3: strange {word}")) * len(f"rack 3: strange {word}") for word in words)
    assert loud <= 200_000, "its share at once"
    assert shares.filter(line("rack 4: no answer")), "another rack of the same agent is another source"
    assert shares.filter(line("the database ended", "start"))
    clock.now = 3600.0
    after = line("rack 3: strange at last")
    assert shares.filter(after), "the share fills up again"
    assert "other lines of this source were left out" in after.getMessage()


def test_a_very_long_line_is_cut() -> None:
    record = line("x" * 100_000)
    assert Shares(Clock()).filter(record)
    assert len(record.getMessage()) < 2_100


def test_lines_that_meet_a_full_disk_are_written_when_there_is_room(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    handler = PatientFile(tmp_path / "canaleta.log")
    handler.setFormatter(logging.Formatter("%(message)s"))
    handler.emit(line("before"))
    write = os.write

    def full(handle: int, data: bytes) -> int:
        # The last bytes of the disk take half a line.
        if write(handle, data[:3]) < len(data):
            return 3
        raise OSError(errno.ENOSPC, "no space")

    with monkeypatch.context() as patched:
        patched.setattr("canaleta.host.log.os.write", full)
        handler.emit(line("while full"))
        handler.emit(line("still full"))
    handler.emit(line("after"))
    assert (tmp_path / "canaleta.log").read_text().splitlines() == ["before", "while full", "still full", "after"]
    assert stat.S_IMODE((tmp_path / "canaleta.log").stat().st_mode) == 0o600


def test_the_files_room_is_taken_when_it_is_opened(tmp_path: Path) -> None:
    PatientFile(tmp_path / "canaleta.log")
    held = (tmp_path / "canaleta.log").stat()
    assert held.st_size == 0
    assert held.st_blocks * 512 >= 5_000_000
