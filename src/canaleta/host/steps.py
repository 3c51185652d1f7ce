"""What `start` and `check` tell the person in front of them: steps with their time, and trouble with its remedy."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

__all__ = ["BEAT_S", "TroubleError", "run_logged", "say", "step"]

BEAT_S = 5.0


class TroubleError(RuntimeError):
    """Something stands in the way: what, and what to do."""

    def __init__(self, what: str, remedy: str = "") -> None:
        super().__init__(what)
        self.remedy = remedy


def say(text: str) -> None:
    """One line to the person."""
    print(text, flush=True)


@contextlib.contextmanager
def step(name: str) -> Iterator[None]:
    """A step with a name: says that it begins, that it goes on every few seconds, and how long it took."""
    began = time.monotonic()
    ended = threading.Event()

    def beat() -> None:
        while not ended.wait(BEAT_S):
            say(f"  {name}: {time.monotonic() - began:.0f} s, still at it")

    threading.Thread(target=beat, daemon=True).start()
    try:
        yield
    finally:
        ended.set()
    say(f"  {name}: done in {time.monotonic() - began:.1f} s")


def run_logged(
    argv: Sequence[str],
    log: Path,
    what: str,
    remedy: str = "",
    cwd: Path | None = None,
    env: dict[str, str] | None = None,
    told: int = 6,
) -> None:
    """Run a command with its output in a log file. Raises TroubleError if it fails, its last lines told before."""
    log.parent.mkdir(parents=True, exist_ok=True)
    with log.open("w", encoding="utf-8") as out:
        try:
            code = subprocess.run(
                argv,
                stdout=out,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                cwd=cwd,
                env=os.environ | (env or {}),
                check=False,
            ).returncode
        except OSError as error:
            raise TroubleError(f"{what}: {error.strerror}: {argv[0]}", remedy) from error
    if code != 0:
        tail = log.read_text(encoding="utf-8", errors="replace").strip().splitlines()[-told:]
        print("\n".join(f"    {line}" for line in tail), file=sys.stderr)
        raise TroubleError(what, remedy or f"the whole output is in {log}")
