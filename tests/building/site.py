"""The built interface in a browser, on a plant of its own."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, Response

from canaleta.host.cluster import Cluster
from canaleta.host.start import Options, address_of
from canaleta.plant.database.connection import engine_for
from canaleta.plant.people import accounts

PATIENCE_MS = 600_000
"""What does not come at all is told after this; on a machine at work everything may take twenty times as long."""


def choose(page: Page, label: str, title: str) -> None:
    """Choose the one of a field's choices whose words begin so."""
    field = page.get_by_label(re.compile(rf"^\s*{re.escape(label)}(\s|$)")).and_(page.locator("input")).first
    field.click(force=True)  # what it says lies over it
    if field.get_attribute("readonly") is None and field.get_attribute("type") != "hidden":
        field.fill(title)
    page.get_by_role("option", name=re.compile(rf"(^|\s){re.escape(title)}")).first.click()


class Site:
    """A running system. `enter` opens a browser of its own for a person of a role."""

    def __init__(self, options: Options, browser: Browser) -> None:
        self.options, self.browser = options, browser
        self.address = address_of(options)
        cluster = Cluster(options.data, options.data / "log")
        cluster.port = int((options.data / "postgres.port").read_text())
        self.engine = engine_for(cluster.owner_url, pool_size=1)
        self._made: set[str] = set()
        self._contexts: list[BrowserContext] = []
        self.errors: list[str] = []

    def enter(self, name: str, role: str = "engineer", dark: bool = False) -> Page:
        with self.engine.begin() as connection:
            if name not in self._made:
                accounts.add_account(connection, name, role)
                self._made.add(name)
            token = accounts.make_link(connection, name)
        context = self._open_context(dark)
        page = context.new_page()
        page.set_default_timeout(PATIENCE_MS)
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        page.on("console", self._heard)
        page.on("response", self._answered)
        page.goto(f"{self.address}/enter#{token}")
        page.wait_for_selector(".grid .row")
        assert token not in page.url, "what signs one in once does not stay in the address"
        return page

    def _open_context(self, dark: bool) -> BrowserContext:
        context = self.browser.new_context(
            viewport={"width": 1280, "height": 800},
            color_scheme="dark" if dark else "light",
            permissions=["clipboard-read", "clipboard-write"],
        )
        self._contexts.append(context)
        # Whoever tries a journey has been here before.
        context.add_init_script("localStorage.setItem('canaleta-first-steps', 'true')")
        return context

    def _heard(self, message: ConsoleMessage) -> None:
        """Errors of the interface itself; an answer of 4xx is what some journeys are about."""
        if message.type == "error" and "Failed to load resource" not in message.text:
            self.errors.append(message.text)

    def _answered(self, response: Response) -> None:
        """What the server did not do: shown with a test that fails, for nothing else tells it afterwards."""
        if response.status >= 409:
            print(f"{response.status} {response.request.method} {response.url}")

    def close_browsers(self) -> None:
        """Close what a test opened: forgotten screens would load the machine for the next one."""
        while self._contexts:
            self._contexts.pop().close()
