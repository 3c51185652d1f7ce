"""The launcher: a program in use is never replaced, whatever commands run and whatever happens to the checkout."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import tempfile
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.building.waiting import KEPT, until

from canaleta.host.cluster import free_port
from canaleta.host.debian import is_root
from canaleta.host.folder import running

CHECKOUT = Path(__file__).parents[2]
COMMANDS = 40 if os.environ.get("CANALETA_LONG_CHECKS") else 10
pytestmark = [
    pytest.mark.database,
    pytest.mark.xdist_group("clone"),
    pytest.mark.skipif(not is_root(), reason="an ordinary user's installation is per checkout: tests/clone"),
]
ENVIRONMENT = {
    k: v for k, v in os.environ.items() if not k.startswith(("CANALETA_", "PYTHON", "PYTEST")) or k in KEPT
}


@pytest.fixture
def place() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="canaleta-launch-"))
    folder.chmod(0o755)
    subprocess.run(["git", "clone", "-q", str(CHECKOUT), str(folder / "checkout")], check=True)
    yield folder
    # What a failed test left running.
    subprocess.run(["pkill", "-TERM", "-f", f"{folder}/"], check=False)
    until(
        lambda: subprocess.run(["pgrep", "-f", f"{folder}/"], check=False, capture_output=True).returncode,
        "all stopped",
    )
    shutil.rmtree(folder, ignore_errors=True)


def launched(place: Path, *words: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [str(place / "checkout" / "canaleta"), *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        stdin=subprocess.DEVNULL,
        text=True,
        cwd=place,
        env=ENVIRONMENT,
    )


def started(place: Path, name: str) -> subprocess.Popen[str]:
    process = launched(place, "start", "--data", str(place / name), "--port", str(free_port()))
    assert process.stdout
    report = []
    for line in process.stdout:
        report.append(line)
        if "/enter#" in line:
            return process
    raise AssertionError("".join(report))


def below(pid: int) -> list[int]:
    listed = subprocess.run(["ps", "-ww", "-eo", "pid,ppid"], capture_output=True, text=True, check=True).stdout
    pairs = [tuple(map(int, line.split())) for line in listed.splitlines()[1:]]
    found, waiting = [], [pid]
    while waiting:
        one = waiting.pop()
        found.append(one)
        waiting += [child for child, parent in pairs if parent == one]
    return found


def programs(pid: int) -> set[str]:
    """The folders that a process and its children import the program from."""
    out = set()
    for one in below(pid):
        try:
            pairs = Path(f"/proc/{one}/environ").read_bytes().split(b"\0")
        except OSError:
            continue
        out |= {p.partition(b"=")[2].decode() for p in pairs if p.startswith(b"PYTHONPATH=")}
    return out


def print_of(folder: Path) -> str:
    """As the launcher works out a program's name from its files."""
    code = (CHECKOUT / "canaleta").read_text()
    function = code[code.index("print_of() {") : code.index("# Whether nobody is changing")]
    return subprocess.run(
        ["bash", "-c", f"{function}\nprint_of {folder}"], capture_output=True, text=True, check=True
    ).stdout.strip()


def updated(place: Path, text: str) -> None:
    """An update of the checkout: some files change, as a pull would do it."""
    for name in ("host/start.py", "core/notation/text.py", "racks/agent.py", "web/app.py"):
        file = place / "checkout" / "src" / "canaleta" / name
        new = file.with_suffix(".new")
        new.write_text(file.read_text(encoding="utf-8") + f"\n# {text}\n", encoding="utf-8")
        new.replace(file)


@pytest.mark.long
def test_commands_starts_and_an_update_at_once(place: Path) -> None:
    """None fails, and no process ever runs from a folder whose files are not what its name says."""
    first = started(place, "one")
    was = programs(first.pid)
    there = running(place / "one")
    assert there
    with urllib.request.urlopen(there.address) as page:
        assert b'<div id="app">' in page.read(), "the unprivileged user that serves the page can read it"
    kinds = [
        ("user", "list"),
        ("export", "OUT"),
        ("audit", "--json"),
        ("user", "add", "NAME"),
        ("backup", "OUT"),
        ("convert", "rtd", "--from", "ohm", "pt100", "100"),
        ("--version",),
    ]
    commands = []
    second = None
    for n in range(COMMANDS):
        if n == COMMANDS // 3:
            updated(place, "a later version")
            second = launched(place, "start", "--data", str(place / "two"), "--port", str(free_port()))
        words = [w.replace("OUT", str(place / f"out{n}")).replace("NAME", f"u{n}") for w in kinds[n % len(kinds)]]
        if words[0] not in ("convert", "--version"):
            words += ["--data", str(place / "one")]
        commands.append((words, launched(place, *words)))
    assert second
    for words, command in commands:
        report = command.communicate()[0]
        # 3 and 4: the audit found something.
        assert command.returncode in ((0, 3, 4) if words[0] == "audit" else (0,)), (words, report)
    assert second.stdout
    assert any("/enter#" in line for line in second.stdout)
    assert programs(first.pid) == was, "it runs from what it began with"
    assert len(was) == 1
    assert programs(second.pid) - was, "the second runs the later version"
    for source in was | programs(second.pid):
        assert print_of(Path(source).parent) == Path(source).parent.name, "not one file has changed"
    for process in (first, second):
        process.send_signal(signal.SIGTERM)
        process.communicate()
        assert process.returncode == 0


@pytest.mark.long
def test_a_command_on_a_plant_that_runs_is_done_by_the_version_that_runs(place: Path) -> None:
    """The later version would change the database's shape; the plant goes on as it is, and the command is done."""
    running = started(place, "one")
    updated(place, "a later version")
    later = place / "checkout" / "src" / "canaleta" / "host" / "shape.py"
    later.write_text(
        later.read_text() + "\n\ndef bring_up(*_, **__):\n    raise SystemExit('it changes the shape')\n"
    )
    for words in (("export", str(place / "out.json")), ("backup", str(place / "out.backup")), ("user", "add", "ana")):
        command = launched(place, *words, "--data", str(place / "one"))
        report = command.communicate()[0]
        assert command.returncode == 0, report
    running.send_signal(signal.SIGTERM)
    running.communicate()
    stopped = launched(place, "user", "list", "--data", str(place / "one"))
    assert "it changes the shape" in stopped.communicate()[0], (
        "once it is stopped, the version of the checkout does it"
    )


def test_what_nobody_uses_any_more_goes(place: Path) -> None:
    def program() -> Path:
        code = "import canaleta; print(canaleta.__file__)"
        text = (place / "checkout" / "canaleta").read_text().replace('-m canaleta.cli "$@"', f'-c "{code}"')
        (place / "checkout" / "say").write_text(text)
        (place / "checkout" / "say").chmod(0o755)
        report = subprocess.run(
            [str(place / "checkout" / "say"), "user"], capture_output=True, text=True, check=True, env=ENVIRONMENT
        )
        return Path(report.stdout.strip()).parents[2]

    updated(place, f"first of {place}")
    first = program()
    holder = subprocess.Popen(["flock", "-s", str(first / ".whole"), "cat"], stdin=subprocess.PIPE)
    until(
        lambda: subprocess.run(["flock", "-n", "-x", str(first / ".whole"), "true"], check=False).returncode, "held"
    )
    updated(place, f"second of {place}")
    second = program()
    assert first.is_dir(), "somebody uses it"
    holder.communicate()
    updated(place, f"third of {place}")
    third = program()
    assert not first.exists()
    assert not second.exists()
    assert third.is_dir()
