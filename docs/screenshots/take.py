"""Takes the pictures in this folder from a running demo plant.

.venv/bin/python docs/screenshots/take.py 'http://127.0.0.1:8412/enter#TOKEN'      (a link from ./canaleta user link)
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

HERE = Path(__file__).parent
SHEET = """Site list, kiln 2;;;;;;
Tag;Service;Type;Signal;Range;Vendor;Checked on
PT-3107;burner gas header;AI;4 to 20 mA;0-500 mbar;Ormeu;2026-03-02
Cooling zone;;;;;;
PT-3130;cooling air pressure;AI;4-20 mA HART;0…60 mbar(g);Ormeu;
TE-3131;cooling zone temperature;AI;TC type N;0 to 1200 °C;;
ZS-3132;cooling damper open;DI;24 V DC contact;;;2026-03-02
PT-3133;fuel gas supply;AI;4-20 mA;25 bar;;
Total;5;;;;;
"""


def shoot(page: Page, name: str, path: str = "", wait: str = ".station") -> None:
    """Open a page of the plant and take its picture once it shows readings."""
    if path:
        page.goto(address + path)
    page.wait_for_selector(wait)
    page.wait_for_timeout(1800)
    page.screenshot(path=str(HERE / f"{name}.png"))


def live(page: Page) -> None:
    """The live part: a force of one's own, a jumper, a check that was played, a loop with a broken wire."""
    page.goto(address + "/now/1")
    page.get_by_role("button", name="hold…").click()
    page.get_by_label("value to hold").fill("300")
    page.get_by_label("why", exact=True).fill("loop test of the header")
    page.get_by_role("button", name="force in the rack").click()
    page.get_by_text("held in the rack: the controller sees it").wait_for()
    page.goto(address + "/temporary")
    page.get_by_placeholder("tag").fill("PSL-3103")
    page.get_by_label("what", exact=True).fill("X1:9 to X1:10")
    page.get_by_label("why", exact=True).fill("fan trip bypassed for the damper test")
    page.get_by_role("button", name="enter", exact=True).click()
    shoot(page, "temporary", wait="tbody tr:nth-child(2)")
    page.goto(address + "/live")
    page.wait_for_timeout(6000)
    page.locator(".hung").first.click()
    shoot(page, "live", wait=".now .trend canvas")
    shoot(page, "point-now", "/now/17", wait=".trend canvas")
    page.goto(address + "/check/3")
    page.get_by_role("button", name="play it on the stand-in").click()
    page.get_by_text("hysteresis").wait_for(timeout=90_000)
    shoot(page, "check", wait=".outcome")


def program(page: Page) -> None:
    """Code of a cabinet, a point chosen in it, some of it proved."""
    page.goto(address + "/program?of=IO_KC_2")
    page.get_by_role("button", name="TE-2101", exact=True).click()
    page.get_by_role("button", name="prove", exact=True).click()
    page.locator("td", has_text="✓").nth(11).wait_for(timeout=90_000)
    page.get_by_role("button", name="stop").click()
    shoot(page, "program", wait=".code .row.on")


SENDS = """async ([method, path, body]) => {
  const { csrf } = await (await fetch('/api/session')).json()
  const headers = { 'content-type': 'application/json', 'X-Canaleta-Csrf': csrf }
  await fetch(path, { method, headers, body: JSON.stringify(body) })
}"""
CALIBRATOR = {
    "make": "made up, LC-2",
    "serial": "7731",
    "due": "2027-05",
    "certificate": "C 11-204",
    "ranges": [{"unit": "mA", "low": 0, "high": 24, "of_reading": 0.02, "digits": 2, "resolution": 0.001}],
}


def progress(page: Page) -> None:
    """How far a plant has come that is half wired, with something still to be mended."""
    for rung, first, last in (("wired", 60, 240), ("continuity", 70, 200), ("powered", 90, 170)):
        page.evaluate(SENDS, ["POST", "/api/ladder", {"points": list(range(first, last)), "rung": rung}])
    for point, what, severity in ((1, "cable gland is loose", "A"), (150, "label is missing", "C")):
        page.evaluate(SENDS, ["POST", "/api/punches", {"point": point, "what": what, "severity": severity}])
    page.goto(address + "/progress")
    page.get_by_role("button", name="kiln 2").click()
    shoot(page, "progress", wait=".bar")


def trim(page: Page) -> None:
    """A channel whose converter has drifted, two levels taken; the calibrator is one that the plant keeps."""
    drifted = [{"kind": "zero off", "amount": "0.3"}, {"kind": "slope off", "amount": "-0.2"}]
    page.evaluate(SENDS, ["PUT", "/api/instruments/loop calibrator 3", CALIBRATOR])
    page.evaluate("localStorage.setItem('canaleta-instrument', 'loop calibrator 3')")
    page.evaluate(SENDS, ["PUT", "/api/points/2/injection", {"text": "12", "faults": drifted}])
    page.goto(address + "/trim/2")
    page.get_by_role("button", name="put them on at the stand-in").click()
    page.get_by_text("the value was").wait_for(timeout=180_000)
    shoot(page, "trim", wait=".uplot")


def pictures(browser: Browser, link: str) -> None:
    """All pictures, light then dark, in one session."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, color_scheme="light")
    # Whoever looks at a picture has been here before.
    context.add_init_script("localStorage.setItem('canaleta-first-steps', 'true')")
    page = context.new_page()
    page.goto(link)
    shoot(page, "list-light", wait=".grid .row")
    shoot(page, "path-light", "/point/1")
    shoot(page, "cabinet", "/cabinets?hold=4", wait=".module.warns")
    page.goto(address + "/point/1")
    page.wait_for_selector(".station")
    page.locator(".station").nth(3).click()
    page.locator("dt", has_text="filter").locator("..").locator("button").click()
    page.keyboard.press("Control+a")
    page.keyboard.type("300 ms")
    page.keyboard.press("Enter")
    page.wait_for_timeout(800)
    page.goto(address + "/running")
    page.locator(".rack").filter(has_text="KC-2 · 1").click()
    shoot(page, "rack", wait="tbody tr")
    shoot(page, "module-type", "/types/mx10", wait=".sketch table")
    shoot(page, "wiring", "/point/16/wiring", wait=".drawing svg")
    shoot(page, "conventions", "/conventions", wait=".conventions .panel")
    page.goto(address + "/import")
    page.locator("input[type=file]").set_input_files(
        {"name": "from-site.csv", "mimeType": "text/csv", "buffer": SHEET.encode()}
    )
    shoot(page, "import", wait=".kinds")
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
    shoot(page, "revisions", "/revisions", wait=".right table:visible")
    program(page)
    page.goto(address + "/findings?at=R07:1")
    page.get_by_role("button", name="follow the device").click()
    page.wait_for_selector(".preview")
    shoot(page, "findings", wait=".preview")
    page.evaluate("localStorage.setItem('canaleta-theme', 'dark')")
    progress(page)
    shoot(page, "alarms", "/alarms", wait="tbody tr")
    page.evaluate("localStorage.setItem('canaleta-theme', 'light')")
    trim(page)
    live(page)
    phone = browser.new_context(viewport={"width": 390, "height": 844}, storage_state=context.storage_state())
    shoot(phone.new_page(), "phone", "/now/30", wait=".trend canvas")


if __name__ == "__main__":
    address = sys.argv[1].partition("/enter")[0]
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-dev-shm-usage"]
        )
        pictures(chromium, sys.argv[1])
        chromium.close()
