"""Waiting for what lives: a process is given up when it ends or stands still, never because a clock ran out.

Read from Linux's /proc: processor time and bytes moved of a process and of everything below it.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from canaleta.host.steps import say

__all__ = ["Process", "Still", "moved", "wait_for"]

STILL_S = 120.0
"""A process that used no processor and moved no byte for so long stands still, on however busy a machine."""
TELL_EVERY_S = 5.0
LOOK_EVERY_S = 0.05


class Process(Protocol):
    """What runs: its number, and whether it has ended."""

    @property
    def pid(self) -> int:
        """Its number."""

    def poll(self) -> int | None:
        """Its exit status, None while it lives."""


class Still(RuntimeError):
    """What is waited for stands still."""


def moved(pid: int) -> int:
    """A number that grows as long as a process, or one below it, works: ticks of processor time and bytes moved."""
    below: dict[int, list[int]] = {}
    for entry in os.listdir("/proc"):
        if entry.isdigit() and (parent := _parent(int(entry))) is not None:
            below.setdefault(parent, []).append(int(entry))
    total, waiting = 0, [pid]
    while waiting:
        one = waiting.pop()
        total += _work(one)
        waiting += below.get(one, [])
    return total


def wait_for(
    holds: Callable[[], bool],
    process: Process | int,
    name: str,
    *,
    still_s: float = STILL_S,
    asked_to_stop: Callable[[], bool] = lambda: False,
) -> bool:
    """Wait until a condition holds, as long as the process lives and moves; tell every few seconds what is waited
    for.

    Returns False when the process has ended first; raises Still, or KeyboardInterrupt when asked to stop.
    """
    pid = process if isinstance(process, int) else process.pid

    def ended() -> bool:
        return not _lives(pid) if isinstance(process, int) else process.poll() is not None

    began = told = last = time.monotonic()
    seen = -1
    while not holds():
        if ended():
            return holds()
        if asked_to_stop():
            raise KeyboardInterrupt
        now = time.monotonic()
        if now - told > TELL_EVERY_S:
            told = now
            say(f"  waiting for the {name}: {now - began:.0f} s, it lives")
        if now - last > min(1.0, still_s / 4):
            if (does := moved(pid)) != seen:
                seen, last = does, now
            elif now - last > still_s:
                raise Still(name)
        time.sleep(LOOK_EVERY_S)
    return True


def _lives(pid: int) -> bool:
    fields = _fields(pid)
    return bool(fields) and fields[0] not in "ZX"


def _fields(pid: int) -> list[str]:
    try:
        # The name in parentheses may hold anything, blanks too.
        return Path(f"/proc/{pid}/stat").read_text(encoding="utf-8", errors="replace").rpartition(")")[2].split()
    except OSError:
        return []


def _parent(pid: int) -> int | None:
    fields = _fields(pid)
    return int(fields[1]) if fields else None


def _work(pid: int) -> int:
    fields = _fields(pid)
    ticks = sum(int(f) for f in fields[11:15]) if fields else 0
    try:
        lines = Path(f"/proc/{pid}/io").read_text(encoding="ascii").splitlines()
        return ticks + sum(int(line.partition(":")[2]) for line in lines if line.startswith(("rchar", "wchar")))
    except OSError:
        return ticks
