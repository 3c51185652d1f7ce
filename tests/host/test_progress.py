"""Who waits goes by what a process does, not by a clock."""

from __future__ import annotations

import subprocess
import sys
import threading

import pytest

from canaleta.host.progress import Still, moved, wait_for


def running(code: str) -> subprocess.Popen[str]:
    return subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)


def test_work_of_a_process_and_of_its_children_counts() -> None:
    child = "sum(range(20_000_000)); print('done'); input()"
    process = running(f"import subprocess, sys; subprocess.run([sys.executable, '-c', {child!r}])")
    assert process.stdout
    before = moved(process.pid)
    assert process.stdout.readline() == "done\n"
    assert moved(process.pid) > before
    process.kill()
    process.communicate()


def test_what_works_is_waited_for_longer_than_it_may_stand_still() -> None:
    process = running(
        "import time\nfor n in range(8):\n  time.sleep(0.1); sum(range(1_000_000))\nprint('up', flush=True)\ninput()"
    )
    assert process.stdout
    lines: list[str] = []
    threading.Thread(target=lambda: lines.append(process.stdout.readline()), daemon=True).start()  # type: ignore[union-attr]
    assert wait_for(lambda: bool(lines), process, "worker", still_s=30)
    process.kill()
    process.wait()


def test_what_stands_still_is_given_up_and_what_ends_is_told() -> None:
    idle = running("print('up', flush=True); input()")
    assert idle.stdout
    idle.stdout.readline()
    with pytest.raises(Still):
        wait_for(lambda: False, idle, "idler", still_s=0.4)
    idle.kill()
    assert wait_for(lambda: False, idle, "idler") is False
    idle.wait()


def test_asked_to_stop_ends_the_waiting() -> None:
    idle = running("input()")
    with pytest.raises(KeyboardInterrupt):
        wait_for(lambda: False, idle, "idler", asked_to_stop=lambda: True)
    idle.kill()
    idle.wait()
