"""Waiting in tests: for an event, with a patience that a busy machine stretches, so that only what hangs fails."""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable
from pathlib import Path

__all__ = ["HANGS_S", "KEPT", "until"]

KEPT = ("CANALETA_FRONT", "CANALETA_PATIENCE")
"""What of our own settings a program that a test starts keeps."""

HANGS_S = 900.0
"""Where one limit must do: longer than anything takes on a machine at work, so that only what hangs meets it."""
PATIENCE_S = 120.0
"""On an idle machine. Time counts the less the more processes want the processor at that moment."""


def until(
    holds: Callable[[], object], what: str, *, let: tuple[type[Exception], ...] = (), patience_s: float = PATIENCE_S
) -> None:
    """Wait until a condition holds; exceptions that belong to the waiting (a server that is away) are let pass."""
    spent, last = 0.0, time.monotonic()
    while True:
        with contextlib.suppress(*let):
            if holds():
                return
        time.sleep(0.05)
        now = time.monotonic()
        spent, last = spent + (now - last) / crowd(), now
        if spent > patience_s:
            raise AssertionError(f"this did not come: {what}")


def crowd() -> float:
    """How many want each processor now, at least one: 20 says that everything takes twenty times as long."""
    wanting = int(Path("/proc/loadavg").read_text(encoding="ascii").split()[3].partition("/")[0])
    return max(1.0, wanting / (os.cpu_count() or 1))
