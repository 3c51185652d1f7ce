"""Takes the pictures in this folder from a running demo plant.

.venv/bin/python docs/screenshots/take.py 'http://127.0.0.1:8412/enter#TOKEN'      (a link from ./canaleta user link)
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

HERE = Path(__file__).parent
SHEET = """tag;service;signal;range low;URV;range unit;vendor
PT-3107;burner gas header;4 to 20 mA;0;500;mbar;
PT-3130;cooling air pressure;4-20 mA;0-60 mbar(g);;;
TE-3131;cooling zone temperature;type N;about 20;1200;°C;
"""


def shoot(page: Page, name: str, path: str = "", wait: str = ".station") -> None:
    """Open a page of the plant and take its picture once it shows readings."""
    if path:
        page.goto(address + path)
    page.wait_for_selector(wait)
    page.wait_for_timeout(1800)
    page.screenshot(path=str(HERE / f"{name}.png"))


def pictures(browser: Browser, link: str) -> None:
    """All pictures, light then dark, in one session."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme="light")
    page = context.new_page()
    page.goto(link)
    shoot(page, "list-light", wait=".grid .row")
    shoot(page, "path-light", "/point/1")
    page.goto(address + "/point/6")
    page.wait_for_selector(".station")
    page.locator(".station input").nth(2).click()
    page.keyboard.type("13.3334")
    page.keyboard.press("Enter")
    page.locator(".station").nth(3).get_by_role("button", name="working").click()
    shoot(page, "path-thermocouple")
    page.goto(address + "/point/16")
    page.wait_for_selector(".station")
    page.locator(".station").nth(2).click()
    shoot(page, "path-loop")
    page.goto(address + "/point/12")
    page.wait_for_selector(".station")
    page.locator(".station input").first.fill("1200")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="what if wrong…").click()
    page.get_by_role("button", name="the extension wire is swapped at both ends").click()
    shoot(page, "path-fault")
    shoot(page, "cabinet", "/cabinets?hold=4", wait=".module.warns")
    page.goto(address + "/cabinets?cabinet=KC-1")
    page.wait_for_selector(".seat .tag")
    page.locator(".head", has_text="AI-8 U/I").first.focus()
    page.keyboard.press("Alt+ArrowLeft")
    shoot(page, "cabinet-order", wait=".preview h3")
    page.keyboard.press("Escape")
    page.goto(address + "/point/1")
    page.wait_for_selector(".station")
    page.locator(".station").nth(3).click()
    page.locator("dt", has_text="filter").locator("..").locator("button").click()
    page.keyboard.press("Control+a")
    page.keyboard.type("300 ms")
    page.keyboard.press("Enter")
    page.wait_for_timeout(800)
    page.goto(address + "/cabinets?cabinet=KC-2")
    page.locator(".right").get_by_role("button", name="rack 1", exact=True).click()
    page.get_by_role("button", name="compare with what the rack reports").click()
    shoot(page, "rack", wait=".trips")
    shoot(page, "module-type", "/types/ai4-iso", wait=".sketch table")
    shoot(page, "wiring", "/point/16/wiring", wait=".drawing svg")
    shoot(page, "conventions", "/conventions", wait=".conventions .panel")
    page.goto(address + "/import")
    page.locator("input[type=file]").set_input_files(
        {"name": "from-site.csv", "mimeType": "text/csv", "buffer": SHEET.encode()}
    )
    shoot(page, "import", wait=".kinds")
    page.goto(address + "/list")
    page.wait_for_selector(".grid .row")
    page.get_by_label("group by").select_option("area")
    page.keyboard.press("Alt+v")
    page.get_by_role("button", name="alarms").click()
    page.get_by_label("group by").select_option("area")
    shoot(page, "list-groups", wait=".group")
    page.get_by_role("button", name="as it came").first.click()
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+n")
    page.get_by_label("how many").fill("16")
    page.get_by_label("first tag").fill("PT-4301")
    page.get_by_label("filled in from").select_option(label="typical: pressure, 4–20 mA, two wires")
    shoot(page, "list-work", wait="aside li")
    page.keyboard.press("Escape")
    page.goto(address + "/revisions")
    page.wait_for_timeout(800)
    if page.get_by_role("button", name="put up").count():
        page.get_by_label("what it is for").fill("first issue, for the loop tests of kiln 2")
        page.get_by_label("why with findings open").fill("three devices are changed in the shutdown of May")
        page.get_by_role("button", name="put up").click()
        page.wait_for_timeout(800)
    page.goto(address + "/list")
    page.wait_for_selector(".grid .row")
    page.locator("#cell-4-device_low").click()
    page.keyboard.type("0-160 mbar")
    page.keyboard.press("Enter")
    page.wait_for_timeout(800)
    shoot(page, "revisions", "/revisions", wait=".right table")
    shoot(page, "history", "/history", wait=".history")
    page.goto(address + "/findings?at=R07:1")
    page.get_by_role("button", name="follow the device").click()
    page.wait_for_selector(".preview")
    shoot(page, "findings", wait=".preview")
    page.evaluate("localStorage.setItem('canaleta-theme', 'dark')")
    shoot(page, "list-dark", "/list", wait=".grid .row")
    shoot(page, "path-dark", "/point/2")


if __name__ == "__main__":
    address = sys.argv[1].partition("/enter")[0]
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-dev-shm-usage"]
        )
        pictures(chromium, sys.argv[1])
        chromium.close()
