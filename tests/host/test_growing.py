"""Services as forks of a process that has loaded the program: children of whoever asked, and nobody's else."""

from __future__ import annotations

import os
import signal
import socket
import sys
from collections.abc import Iterator

import pytest
from tests.building.waiting import until

from canaleta.host.cluster import free_port
from canaleta.host.growing import Grown, Nursery, reap_strangers
from canaleta.host.supervisor import Service, Supervisor

STAND_IN = "canaleta.standins.server"
"""What is loaded first: the rest need not be for a test."""


@pytest.fixture
def nursery() -> Iterator[Nursery]:
    one = Nursery()
    yield one
    one.close()


def grown(nursery: Nursery, *words: str, keeps: list[int] | None = None, **env: str) -> Grown:
    argv = [sys.executable, "-m", *words]
    found = nursery.fork(argv, dict(os.environ) | env, None, signal.SIGTERM, keeps or [], STAND_IN)
    assert found is not None
    return found


def listens(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def test_a_forked_module_says_what_it_says_and_ends_as_it_ends(nursery: Nursery) -> None:
    well = grown(nursery, "calendar", "2026", "11")
    assert "November 2026" in well.stdout.read()
    assert well.wait() == 0
    ill = grown(nursery, "json.tool", "/nowhere/at/all")
    assert "No such file" in ill.stdout.read()
    assert ill.wait() != 0


def test_a_forked_service_is_a_child_of_who_asked_in_a_session_of_its_own(nursery: Nursery) -> None:
    read, write = os.pipe()
    port = free_port()
    one = grown(nursery, "http.server", str(port), "--bind", "127.0.0.1", keeps=[write])
    until(lambda: listens(port), "it listens")
    assert os.getsid(one.pid) == one.pid != os.getsid(0)
    # What it keeps is open under the same number; nothing else of ours is.
    held = {int(name) for name in os.listdir(f"/proc/{one.pid}/fd")}
    assert write in held
    assert read not in held
    one.send_signal(signal.SIGTERM)
    assert one.wait() == -signal.SIGTERM
    os.close(read)
    os.close(write)


def test_what_was_forked_outlives_the_nursery_and_the_next_is_forked_from_another() -> None:
    """Killed from outside, it takes nobody with it."""
    nursery = Nursery()
    ports = free_port(), free_port()
    supervisor = Supervisor(nursery=nursery)
    first, second = (
        Service(
            f"at {port}",
            [sys.executable, "-m", "http.server", str(port), "--bind", "127.0.0.1"],
            lambda port=port: listens(port),
            needs=STAND_IN,
        )  # type: ignore[misc]
        for port in ports
    )
    supervisor.start(first)
    for pid in nursery.pids():
        os.kill(pid, signal.SIGKILL)
    supervisor.start(second)
    assert all(listens(port) for port in ports)
    supervisor.shut_down()
    assert not any(listens(port) for port in ports)


def test_a_strangers_end_is_fetched_and_ones_own_is_left_to_who_watches(nursery: Nursery) -> None:
    port = free_port()
    mine = grown(nursery, "http.server", str(port), "--bind", "127.0.0.1")
    stranger = grown(nursery, "calendar", "2026")
    until(lambda: (reap_strangers([mine.pid, *nursery.pids()]), gone(stranger.pid))[1], "the stranger is fetched")
    until(lambda: listens(port), "it listens")
    mine.kill()
    os.waitid(os.P_PID, mine.pid, os.WEXITED | os.WNOWAIT)
    reap_strangers([mine.pid, *nursery.pids()])
    assert mine.wait() == -signal.SIGKILL


def gone(pid: int) -> bool:
    return not os.path.exists(f"/proc/{pid}")
