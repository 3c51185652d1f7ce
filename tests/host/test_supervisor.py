"""Processes: started in order, started again when they die, stopped in reverse order."""

from __future__ import annotations

import logging
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from tests.building.waiting import until

from canaleta.host.cluster import free_port
from canaleta.host.leftovers import Mark
from canaleta.host.steps import TroubleError, run_logged
from canaleta.host.supervisor import Service, Supervisor


def service(name: str, code: str, ready: Callable[[], bool] = lambda: True, **more: float) -> Service:
    return Service(name, [sys.executable, "-c", code], ready, **more)  # type: ignore[arg-type]


def test_what_dies_is_started_again_and_the_log_says_so(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    marks = tmp_path / "marks"
    supervisor = Supervisor()
    code = f"import time; open({str(marks)!r}, 'a').write('x'); time.sleep(0.05); raise SystemExit(3)"
    with caplog.at_level(logging.WARNING, "start"):
        supervisor.start(service("pump", code))
        watch = threading.Thread(target=supervisor.watch)
        watch.start()
        until(lambda: marks.exists() and len(marks.read_text()) >= 2, "started again")
        supervisor.ask_to_stop()
        watch.join()
        supervisor.shut_down()
    assert "the pump ended with exit status 3; started again in 1.0 s" in caplog.text


def test_a_service_that_ends_at_its_start_is_told() -> None:
    supervisor = Supervisor()
    with pytest.raises(TroubleError, match="the pump ended with exit status 5 at its start"):
        supervisor.start(service("pump", "raise SystemExit(5)", ready=lambda: False))


def test_a_service_that_stands_still_is_told_with_the_log_and_stopped(tmp_path: Path) -> None:
    supervisor = Supervisor(tmp_path / "canaleta.log")
    with pytest.raises(TroubleError, match="the pump lives but does nothing") as trouble:
        supervisor.start(service("pump", "import time; time.sleep(600)", ready=lambda: False, still_s=0.4))
    assert "canaleta.log" in trouble.value.remedy
    supervisor.shut_down()


def test_a_service_that_is_slow_but_works_is_waited_for(tmp_path: Path) -> None:
    """A start on a busy machine: seconds of work before it answers, many times what it may stand still."""
    up = tmp_path / "up"
    code = (
        f"import time\nfor n in range(30):\n  time.sleep(0.05); sum(range(300_000))\n"
        f"open({str(up)!r}, 'w'); time.sleep(600)"
    )
    supervisor = Supervisor()
    supervisor.start(service("pump", code, ready=up.exists, still_s=20.0))
    supervisor.shut_down()


def test_services_stop_in_reverse_order(tmp_path: Path) -> None:
    order = tmp_path / "order"
    code = (
        "import signal, sys, time\n"
        "def leave(*_):\n"
        f"    open({str(order)!r}, 'a').write(sys.argv[1])\n"
        "    sys.exit(0)\n"
        "signal.signal(signal.SIGTERM, leave)\n"
        "open(sys.argv[2], 'w')\n"
        "time.sleep(60)\n"
    )
    supervisor = Supervisor()
    for name in "abc":
        up = tmp_path / name
        supervisor.start(Service(name, [sys.executable, "-c", code, name, str(up)], up.exists))
    supervisor.shut_down()
    assert order.read_text() == "cba"


def test_one_that_does_not_listen_is_killed(caplog: pytest.LogCaptureFixture, tmp_path: Path) -> None:
    up = tmp_path / "up"
    code = (
        f"import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); open({str(up)!r}, 'w'); time.sleep(60)"
    )
    supervisor = Supervisor()
    supervisor.start(service("deaf", code, ready=up.exists, patience_s=0.3))
    with caplog.at_level(logging.WARNING, "start"):
        supervisor.shut_down()
    assert "and did not stop: killed" in caplog.text


def test_a_command_that_fails_shows_the_end_of_what_it_said(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    code = "print('first'); print('the disk is full'); raise SystemExit(1)"
    with pytest.raises(TroubleError, match="could not be unpacked"):
        run_logged([sys.executable, "-c", code], tmp_path / "x.log", "it could not be unpacked")
    assert "the disk is full" in capsys.readouterr().err
    with pytest.raises(TroubleError) as missing:
        run_logged(["/nowhere/at/all"], tmp_path / "x.log", "it could not be run", "install it")
    assert missing.value.remedy == "install it"


FAMILY = """
import os, pathlib, socket, sys, time
port = socket.socket(); port.bind(("127.0.0.1", int(sys.argv[1])))
if (worker := os.fork()) == 0:
    time.sleep(600)
with open(sys.argv[2], "a") as file:
    file.write(f"{os.getpid()} {worker} ")
time.sleep(600)
"""


def test_who_is_killed_leaves_no_worker_that_keeps_its_port(tmp_path: Path) -> None:
    """A front server whose master is killed: its workers hold the port, and the next one could not listen."""
    pids, port = tmp_path / "pids", free_port()
    supervisor = Supervisor()
    supervisor.start(
        Service("front", [sys.executable, "-c", FAMILY, str(port), str(pids)], lambda: bool(_numbers(pids)))
    )
    watch = threading.Thread(target=supervisor.watch)
    watch.start()
    os.kill(_numbers(pids)[0], signal.SIGKILL)
    until(lambda: len(_numbers(pids)) == 4, "the next one listens at the same port")
    supervisor.ask_to_stop()
    watch.join()
    supervisor.shut_down()
    # Nor does one that is stopped and leaves a worker behind.
    until(lambda: not any(_lives(pid) for pid in _numbers(pids)), "all are gone")


def test_who_ends_by_himself_just_before_the_stop_leaves_no_worker(tmp_path: Path) -> None:
    """Nobody had seen yet that he ended: the stop is the first to look."""
    pids = tmp_path / "pids"
    supervisor = Supervisor()
    supervisor.start(
        Service(
            "front", [sys.executable, "-c", FAMILY, str(free_port()), str(pids)], lambda: len(_numbers(pids)) == 2
        )
    )
    master, worker = _numbers(pids)
    os.kill(master, signal.SIGKILL)
    until(lambda: _ghost(master), "the master has ended, and nobody has fetched him")
    supervisor.shut_down()
    until(lambda: not _lives(worker), "the worker is gone")


def _lives(pid: int) -> bool:
    return Path(f"/proc/{pid}").exists() and not _ghost(pid)


def _ghost(pid: int) -> bool:
    """Whether it has ended and is only not fetched yet."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def _numbers(file: Path) -> list[int]:
    return [int(word) for word in file.read_text().split()] if file.exists() else []


def test_what_an_earlier_start_left_is_ended_and_nobody_else(tmp_path: Path) -> None:
    """By the file they hold: a worker that ignores to be asked, whose master is gone; beside it a stranger."""
    (tmp_path / "copy").mkdir()
    mark, of_a_copy = Mark(tmp_path), Mark(tmp_path / "copy")
    code = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(1, flush=True); time.sleep(600)"
    left, stranger = (
        subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, pass_fds=[m.handle])
        for m in (mark, of_a_copy)
    )
    for one in (left, stranger):
        assert one.stdout
        one.stdout.readline()
    assert mark.holders() == [left.pid]
    threading.Thread(target=left.wait).start()
    mark.end_leftovers(grace_s=0.2)
    assert left.wait() == -signal.SIGKILL
    assert stranger.poll() is None
    stranger.kill()
    stranger.wait()


def test_what_is_killed_while_it_starts_is_started_again(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    """Killed from outside is no fault of its own; one that ends by itself is given up at once."""
    tries, up = tmp_path / "tries", tmp_path / "up"
    code = (
        f"import os, time\nopen({str(tries)!r}, 'a').write('x')\n"
        f"if os.path.getsize({str(tries)!r}) < 3: os.kill(os.getpid(), 9)\nopen({str(up)!r}, 'w'); time.sleep(600)"
    )
    supervisor = Supervisor()
    with caplog.at_level(logging.WARNING, "start"):
        supervisor.start(service("pump", code, ready=up.exists))
    assert tries.read_text() == "xxx"
    assert "the pump ended with SIGKILL; started again" in caplog.text
    supervisor.shut_down()


def test_what_is_killed_while_another_is_waited_for_is_started_again(tmp_path: Path) -> None:
    """A front server killed during the start: who waits for an answer by way of it would wait for ever."""
    pids, up = tmp_path / "pids", tmp_path / "up"
    front = f"import os, time; open({str(pids)!r}, 'a').write(f'{{os.getpid()}} '); time.sleep(600)"
    behind = (
        f"import os, signal, time\nfirst = int(open({str(pids)!r}).read().split()[0]); os.kill(first, signal.SIGKILL)\n"
        f"while len(open({str(pids)!r}).read().split()) < 2: time.sleep(0.05)\nopen({str(up)!r}, 'w'); time.sleep(600)"
    )
    supervisor = Supervisor()
    supervisor.start(service("front", front, ready=lambda: bool(_numbers(pids))))
    supervisor.start(service("behind", behind, ready=up.exists))
    assert len(_numbers(pids)) == 2
    supervisor.shut_down()
