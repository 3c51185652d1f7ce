"""The README's first command, from a clone, as an ordinary user; nothing is left running when it stops."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import subprocess
import tempfile
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from tests.building.waiting import until

from canaleta.host.cluster import as_user, free_port
from canaleta.host.debian import is_root

CHECKOUT = Path(__file__).parents[2]
USER = "canaleta-check"


@pytest.fixture
def clone() -> Iterator[tuple[Path, dict[str, Any]]]:
    """A fresh clone that belongs to an ordinary user, and how to run things as that user."""
    folder = Path(tempfile.mkdtemp(prefix="canaleta-clone-"))
    folder.chmod(0o755)
    subprocess.run(["git", "clone", "-q", str(CHECKOUT), str(folder / "canaleta")], check=True)
    # The machine's own settings (proxy, certificates) hold for anybody on it; a virtual environment's do not.
    ours = {k: v for k, v in os.environ.items() if not k.startswith(("CANALETA_", "VIRTUAL_ENV", "PYTEST", "XDG_"))}
    path = ":".join(p for p in ours["PATH"].split(":") if "/root" not in p and str(CHECKOUT) not in p)
    run_as: dict[str, Any] = {"env": ours | {"HOME": str(folder / "home"), "PATH": path}}
    (folder / "home").mkdir()
    if is_root():
        try:
            pwd.getpwnam(USER)
        except KeyError:
            subprocess.run(["useradd", "--system", "--user-group", "--no-create-home", USER], check=True)
        for path in (folder, *folder.rglob("*")):
            shutil.chown(path, USER, USER)
        run_as = {k: v for k, v in as_user(USER).items() if k != "env"} | run_as
    yield folder / "canaleta", run_as
    shutil.rmtree(folder, ignore_errors=True)


def served(address: str) -> str:
    with urllib.request.urlopen(address) as answer:
        return str(answer.read().decode())


def test_the_first_command_of_the_readme(clone: tuple[Path, dict[str, Any]]) -> None:
    folder, run_as = clone
    port = free_port()
    for _ in ("cold", "warm"):
        process = subprocess.Popen(
            ["./canaleta", "start", "--port", str(port)],
            cwd=folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            text=True,
            start_new_session=True,
            **run_as,
        )
        assert process.stdout
        report = ""
        for line in process.stdout:
            report += line
            if "/enter#" in line:
                break
        assert f"canaleta runs at http://127.0.0.1:{port}" in report, report
        assert '<div id="app">' in served(f"http://127.0.0.1:{port}/")
        process.send_signal(signal.SIGTERM)
        assert process.wait() == 0
    until(lambda: _left_running(folder) == [], "nothing is left running")
    status = subprocess.run(
        ["git", "-c", "safe.directory=*", "status", "--porcelain"],
        cwd=folder,
        capture_output=True,
        text=True,
        check=True,
    )
    assert status.stdout == "", "a start leaves the checkout clean"


def _left_running(folder: Path) -> list[str]:
    listed = subprocess.run(["ps", "-ww", "-eo", "args"], capture_output=True, text=True, check=True).stdout
    return [line for line in listed.splitlines() if str(folder.parent) in line and "ps -eo" not in line]
