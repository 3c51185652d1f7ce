"""Processes that are begun while the database is still being made ready: they load, then wait for the word to go on."""

from __future__ import annotations

import os

__all__ = ["GO", "wait_for_go"]

GO = "CANALETA_GO"
"""The handle that is at its end once whoever began this process has made ready what it needs."""


def wait_for_go() -> None:
    """Wait until the handle is at its end; not at all for a process that was begun later."""
    handle = os.environ.pop(GO, "")
    if handle:
        try:
            os.read(int(handle), 1)
            os.close(int(handle))
        except OSError:
            return
