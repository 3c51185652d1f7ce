"""`dev`: the program with reloading, for work on itself: Vite in front, gunicorn's reloader behind."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

from canaleta.host import frontend
from canaleta.host.folder import only_one, prepare
from canaleta.host.start import Options, address_of, run_back_end
from canaleta.host.steps import say
from canaleta.host.supervisor import Service, Supervisor

__all__ = ["dev"]


def dev(port: int, data: Path) -> int:
    """Run with reloading until Ctrl-C: the page on `port`, the API on the next one."""
    checkout = Path(os.environ["CANALETA_CHECKOUT"])
    prepare(data)
    supervisor = Supervisor()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, supervisor.ask_to_stop)
    env = frontend.node_environment(Path(os.environ["CANALETA_PLACE"]))
    frontend.install(checkout / "ui", data / "log" / "frontend.log", env)
    options = Options("127.0.0.1", port + 1, data, demo=True)
    with only_one(data):
        try:
            link = run_back_end(options, supervisor, reload=True)
            argv = [*frontend.npm(env), "run", "dev", "--prefix", str(checkout / "ui"), "--", "--port", str(port)]
            supervisor.start(Service("vite", argv, lambda: True, env=env | {"CANALETA_API": address_of(options)}))
            say(f"canaleta in development at http://127.0.0.1:{port}{link} (python {sys.version.split()[0]})")
            supervisor.watch()
        finally:
            supervisor.shut_down()
    return 0
