"""The whole system on free ports, and people with browsers in front of it."""

from __future__ import annotations

import shutil
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, expect, sync_playwright

from canaleta.host.cluster import free_port
from canaleta.host.start import Options, run_back_end
from canaleta.host.supervisor import Supervisor
from tests.building.site import PATIENCE_MS, Site

expect.set_options(timeout=PATIENCE_MS)
FLAGS = ["--no-sandbox", "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update"]


@pytest.fixture(scope="package")
def browser() -> Iterator[Browser]:
    chromium = shutil.which("chromium")
    assert chromium, "Chromium comes from Debian's packages: ./canaleta check installs it"
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=chromium, args=FLAGS)
        yield opened
        opened.close()


@pytest.fixture
def site(running: Site) -> Iterator[Site]:
    yield running
    running.close_browsers()
    errors, running.errors = running.errors, []
    assert errors == [], "the interface reported errors of its own"


@pytest.fixture(scope="package")
def running(browser: Browser) -> Iterator[Site]:
    folder = Path(tempfile.mkdtemp(prefix="canaleta-site-"))
    folder.chmod(0o755)
    (folder / "log").mkdir()
    options = Options("127.0.0.1", free_port(), folder, demo=True)
    supervisor = Supervisor()
    try:
        run_back_end(options, supervisor)
        # As `start` does: what ends by itself is told and begun again, and no journey waits for what is gone.
        watching = threading.Thread(target=supervisor.watch, daemon=True)
        watching.start()
        made = Site(options, browser)
        yield made
        made.engine.dispose()
        supervisor.ask_to_stop()
        watching.join()
    finally:
        supervisor.shut_down()
        shutil.rmtree(folder, ignore_errors=True)
