"""What comes from Debian's packages: the PostgreSQL server; for the checks Chromium and a C compiler; a Node.js if
need be."""

from __future__ import annotations

import contextlib
import os
import pwd
import re
import shutil
from collections.abc import Iterator
from pathlib import Path

from canaleta.host.steps import TroubleError, run_logged, step

__all__ = ["broker", "chromium", "compiler", "ensure_user", "installed", "is_root", "postgresql_bin"]

OLDEST_POSTGRESQL = 13
POLICY = Path("/usr/sbin/policy-rc.d")


def is_root() -> bool:
    """Whether this process may install packages and change users."""
    return os.geteuid() == 0


def postgresql_bin(log: Path) -> Path:
    """The folder of the newest PostgreSQL server programs, installed first if there are none."""
    found = _newest_postgresql()
    if found is None:
        _install(["postgresql-15"], log)
        found = _newest_postgresql()
    if found is None:
        raise TroubleError("the PostgreSQL server was installed but cannot be found under /usr/lib/postgresql")
    return found


def chromium(log: Path) -> str:
    """The path of Chromium, installed first if it is missing."""
    return installed("chromium", "chromium", log)


def broker(log: Path) -> str:
    """The path of the MQTT broker, installed first if it is missing."""
    return installed("mosquitto", "mosquitto", log)


def compiler(log: Path) -> str:
    """The path of the C compiler that generated C99 is tried with, installed first if it is missing."""
    if shutil.which("gcc") is None:
        with _no_services():
            _install(["gcc", "libc6-dev"], log)
    return installed("gcc", "gcc", log)


def installed(program: str, package: str, log: Path) -> str:
    """The path of a program, its package installed first if it is missing; services that come with it are not
    started."""
    path = f"{os.environ['PATH']}:/usr/sbin:/sbin"
    if shutil.which(program, path=path) is None:
        with _no_services():
            _install([package], log)
    found = shutil.which(program, path=path)
    if found is None:
        raise TroubleError(f"{package} was installed but {program} is not on the PATH")
    return found


@contextlib.contextmanager
def _no_services() -> Iterator[None]:
    """Debian's packages ask this file whether they may start what they bring; 101 says no (invoke-rc.d(8))."""
    if not is_root() or POLICY.exists():
        yield
        return
    POLICY.write_text("#!/bin/sh\nexit 101\n", encoding="ascii")
    POLICY.chmod(0o755)
    try:
        yield
    finally:
        POLICY.unlink(missing_ok=True)


def ensure_user(name: str, home: Path) -> None:
    """Make an unprivileged system user if there is none of that name; only root can."""
    try:
        pwd.getpwnam(name)
    except KeyError:
        run_logged(
            ["useradd", "--system", "--user-group", "--no-create-home", "--home-dir", str(home),
             "--shell", "/usr/sbin/nologin", name],
            home / "log" / "useradd.log", f"the system user {name} could not be made",
        )  # fmt: skip


def _newest_postgresql() -> Path | None:
    versions = [
        (int(folder.name), folder / "bin")
        for folder in Path("/usr/lib/postgresql").glob("*")
        if re.fullmatch(r"\d+", folder.name) and (folder / "bin" / "initdb").is_file()
    ]
    usable = sorted(v for v in versions if v[0] >= OLDEST_POSTGRESQL)
    return usable[-1][1] if usable else None


def _install(packages: list[str], log: Path) -> None:
    line = f"apt-get update && apt-get install -y --no-install-recommends {' '.join(packages)}"
    if not is_root() or shutil.which("apt-get") is None:
        raise TroubleError(f"this machine lacks {' and '.join(packages)}", f"run as root: {line}")
    quiet = {"DEBIAN_FRONTEND": "noninteractive"}
    with step(f"installing {' and '.join(packages)} from Debian's packages"):
        run_logged(
            ["apt-get", "update", "-q"], log, "Debian's package lists could not be fetched", "check the network"
        )
        run_logged(
            ["apt-get", "install", "-y", "-q", "--no-install-recommends", *packages],
            log,
            f"{' and '.join(packages)} could not be installed",
            f"see {log}, or run by hand: {line}",
            env=quiet,
        )
