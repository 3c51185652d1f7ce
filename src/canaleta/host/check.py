"""`check`: every check in one run, each part timed, ending with pytest's summary."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path

from canaleta.host import frontend
from canaleta.host.debian import broker, chromium, compiler, is_root, postgresql_bin
from canaleta.host.door import nginx
from canaleta.host.steps import TroubleError, run_logged, say, step

__all__ = ["check"]

MARKS = {"core": "not database and not browser and not fuzz and not clone"} | {
    name: name for name in ("database", "fuzz", "browser", "clone")
}
PARTS = ("static", *MARKS)
LONG = "CANALETA_LONG_CHECKS"
WORKERS = 2
"""With a third, journeys in the browser met a machine that was too busy for them, and nothing was won: two keep both
cores busy."""


def check(part: str, *, long: bool) -> int:
    """Run all parts, or one. Returns 0 if everything passes."""
    if part not in ("all", *PARTS):
        raise TroubleError(f"there is no part “{part}”", f"choose one of {', '.join(PARTS)}")
    checkout = Path(os.environ["CANALETA_CHECKOUT"])
    logs = Path(tempfile.mkdtemp(prefix="canaleta-check-"))
    # Tests start some fifty processes of the program: each would compile the whole house anew.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    place = Path(os.environ["CANALETA_PLACE"])
    env = frontend.node_environment(place)
    os.environ["PATH"] = env["PATH"]
    postgresql_bin(logs / "debian.log")
    chromium(logs / "debian.log")
    broker(logs / "debian.log")
    compiler(logs / "debian.log")
    nginx(logs / "debian.log")
    _for_ordinary_users(logs / "debian.log")
    front = frontend.build(checkout, place)
    frontend.hold(front)
    os.environ["CANALETA_FRONT"] = str(front)
    frontend.install(checkout / "ui", logs / "frontend.log", env)
    if part in ("all", "static"):
        _static(checkout, logs, env)
    if part == "static":
        return 0
    marks = [] if part == "all" else ["-m", MARKS[part]]
    if long:
        os.environ[LONG] = "1"
    began = time.monotonic()
    # Whoever runs the tests may not be able to enter the checkout (root in a folder of 0700 starts services as
    # somebody else), so they run from the whole program that the launcher installed. What tests start is started as a
    # user would.
    tests = {k: v for k, v in os.environ.items() if k not in ("CANALETA_CHECKOUT", "CANALETA_PLACE")}
    with _scratch() as folder:
        code = subprocess.run(
            [sys.executable, "-m", "pytest", "-n", str(WORKERS), "--dist", "loadgroup", "--durations=25", *marks],
            cwd=checkout,
            check=False,
            env=tests | {"TMPDIR": folder},
        ).returncode
    if code:
        say(f"  tests: failed after {time.monotonic() - began:.0f} s")
    elif long and part == "all":
        code = _benchmarks(checkout, tests)
    return code


IN_MEMORY, ROOM = Path("/dev/shm"), 6 << 30
"""Where files of tests are kept if there is room for them, in bytes: a plant of its own is a thousand files, made anew for
each test, five times as fast in memory as on a disk that is slow with small files."""


@contextlib.contextmanager
def _scratch() -> Iterator[str]:
    """A folder for what tests write, that whoever they start can reach; gone afterwards."""
    room = os.access(IN_MEMORY, os.W_OK | os.X_OK) and min(shutil.disk_usage(IN_MEMORY).free, _free_memory())
    folder = Path(tempfile.mkdtemp(prefix="canaleta-tests-", dir=IN_MEMORY if room > ROOM else None))
    # As /tmp is: tests run programs as somebody else.
    folder.chmod(0o1777)
    try:
        yield str(folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _free_memory() -> int:
    """Memory that can be had without anybody losing any, bytes."""
    lines = Path("/proc/meminfo").read_text(encoding="ascii").splitlines()
    return next(int(line.split()[1]) << 10 for line in lines if line.startswith("MemAvailable:"))


def _benchmarks(checkout: Path, env: dict[str, str]) -> int:
    """What only the long check runs: would the tests notice a change, and has a figure slipped. All of them run, whatever
    the one before says; 0 if none complains."""
    measured = ("core", "findings", "convert", "list", "bulk", "cabinet", "latency", "warm", "rest")
    scripts = [
        ["mutations.py", "--sample", "200"],
        ["texts.py"],
        ["quick.py"],
        ["interface.py"],
        ["board_memory.py", "60"],
        *(["measure.py", name] for name in measured),
    ]
    code = 0
    for script, *options in scripts:
        say(f"  bench/{script} {' '.join(options)}")
        argv = [sys.executable, str(checkout / "bench" / script), *options]
        code |= subprocess.run(argv, cwd=checkout, check=False, env=env).returncode
    return code


def _for_ordinary_users(log: Path) -> None:
    """The start from a clone runs as an ordinary user, who needs a Python of Debian's that can make environments."""
    able = subprocess.run(["/usr/bin/python3", "-c", "import ensurepip, venv"], capture_output=True, check=False)
    if is_root() and able.returncode:
        with step("installing python3-venv from Debian's packages"):
            run_logged(["apt-get", "update", "-q"], log, "Debian's package lists could not be fetched")
            run_logged(
                ["apt-get", "install", "-y", "-q", "--no-install-recommends", "python3.11", "python3-venv"],
                log,
                "python3-venv could not be installed",
                env={"DEBIAN_FRONTEND": "noninteractive"},
            )


def _static(checkout: Path, logs: Path, env: dict[str, str]) -> None:
    """Formatting, lint, types, import walls, and the front end's types against the API: two at once, the longest
    first, for each keeps one core busy. All of them are tried; the first trouble is told."""
    python = [sys.executable, "-m"]
    ui, bin_folder = checkout / "ui", Path(sys.executable).parent
    walls, front = [str(bin_folder / "lint-imports"), "--no-cache"], [*frontend.npm(env), "run", "-s"]
    parts: list[Callable[[], None]] = [
        *(
            partial(_static_part, f"front end {name}", [*front, script], ui, logs, env)
            for name, script in (("types", "types"), ("unit tests", "unit"))
        ),
        partial(_static_part, "python types", [*python, "mypy"], checkout, logs, env),
        *(partial(_static_part, f"front end {name}", [*front, name], ui, logs, env) for name in ("format", "lint")),
        partial(_api_types, ui, logs, env),
        partial(_static_part, "import walls", walls, checkout, logs, env),
        partial(_static_part, "python format", [*python, "ruff", "format", "--check", "."], checkout, logs, env),
        partial(_static_part, "python lint", [*python, "ruff", "check", "."], checkout, logs, env),
    ]
    with ThreadPoolExecutor(2) as pool:
        ended = [pool.submit(part) for part in parts]
    for part in ended:
        part.result()


def _static_part(name: str, argv: Sequence[str], cwd: Path, logs: Path, env: dict[str, str]) -> None:
    with step(name):
        log = logs / f"{name.replace(' ', '-')}.log"
        # Where the check runs by itself its log is gone afterwards: which test it was has to be told here.
        plain = env | {"NO_COLOR": "1"}
        run_logged(argv, log, f"{name}: not well", f"the whole output is in {log}", cwd=cwd, env=plain, told=60)


def _api_types(ui: Path, logs: Path, env: dict[str, str]) -> None:
    with step("API document and front end's types"):
        _api_is_told(ui, logs, env)


def _api_is_told(ui: Path, logs: Path, env: dict[str, str]) -> None:
    api = ui / "src" / "api"
    remedy = "run: PYTHONPATH=src .venv/bin/python -m canaleta.web.document ui/src/api/openapi.json && npm --prefix ui run api"
    document = logs / "openapi.json"
    run_logged(
        [sys.executable, "-m", "canaleta.web.document", str(document)],
        logs / "api-document.log",
        "the API document could not be made",
    )
    if document.read_text(encoding="utf-8") != (api / "openapi.json").read_text(encoding="utf-8"):
        raise TroubleError("ui/src/api/openapi.json is out of date", remedy)
    made = logs / "schema.d.ts"
    run_logged(
        [
            str(ui / "node_modules" / ".bin" / "openapi-typescript"),
            str(api / "openapi.json"),
            "-o",
            str(made),
            "--default-non-nullable=false",
        ],
        logs / "api-types.log",
        "the front end's types could not be made",
        cwd=ui,
        env=env,
    )
    if made.read_text(encoding="utf-8") != (api / "schema.d.ts").read_text(encoding="utf-8"):
        raise TroubleError("ui/src/api/schema.d.ts is out of date", remedy)
