"""Processes: started in order, started again when they die, stopped in reverse order."""

from __future__ import annotations

import logging
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from canaleta.host.steps import TroubleError, run_logged
from canaleta.host.supervisor import Service, Supervisor


def service(name: str, code: str, ready: Callable[[], bool] = lambda: True, **more: float) -> Service:
    return Service(name, [sys.executable, "-c", code], ready, **more)  # type: ignore[arg-type]


def until(holds: Callable[[], bool]) -> None:
    end = time.monotonic() + 20
    while not holds():
        assert time.monotonic() < end
        time.sleep(0.02)


def test_what_dies_is_started_again_and_the_log_says_so(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    marks = tmp_path / "marks"
    supervisor = Supervisor()
    code = f"import time; open({str(marks)!r}, 'a').write('x'); time.sleep(0.05); raise SystemExit(3)"
    with caplog.at_level(logging.WARNING, "start"):
        supervisor.start(service("pump", code))
        watch = threading.Thread(target=supervisor.watch)
        watch.start()
        until(lambda: marks.exists() and len(marks.read_text()) >= 2)
        supervisor.ask_to_stop()
        watch.join()
        supervisor.shut_down()
    assert "the pump ended with exit status 3; started again in 1.0 s" in caplog.text


def test_a_service_that_ends_at_its_start_is_told() -> None:
    supervisor = Supervisor()
    with pytest.raises(TroubleError, match="the pump ended with exit status 5 at its start"):
        supervisor.start(service("pump", "raise SystemExit(5)", ready=lambda: False))


def test_a_service_that_never_answers_is_told_and_stopped() -> None:
    supervisor = Supervisor()
    with pytest.raises(TroubleError, match="does not answer after 0 s"):
        supervisor.start(service("pump", "import time; time.sleep(60)", ready=lambda: False, start_s=0.2))
    began = time.monotonic()
    supervisor.shut_down()
    assert time.monotonic() - began < 10


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
    assert "the deaf did not stop" in caplog.text


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
