"""How quick the list is under the hand: 50,000 points in a browser, main-thread tasks as its own trace has them.

    PYTHONPATH=src .venv/bin/python bench/interface.py

Wheel, keys held, typing, finding, the warm page, the first visit, a page at rest. Results: bench/results-interface.txt.
The browser has no graphics card; figures are of one run on this machine, budgets are those of the product.
"""

from __future__ import annotations

import gzip
import json
import os
import statistics
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from measure import BLANKS, POINTS, Report, _opened

HERE = Path(__file__).parent
STEPS = 90
MAIN = "CrRendererMain"
TASK = "ThreadControllerImpl::RunTask"
MEDIAN_MS, WORST_MS = 16.0, 30.0
WATCHED_S = 20.0
FIND_TEXTS = ("zs-4", "kiln 2 tc 31", "nowhere", "pt dryer 4–20")

# Where the machine itself is slower than at another time, this is too: figures of two runs are compared by it.
YARDSTICK = """() => { const out = []
  for (let n = 0; n < 9; n++) { const t = performance.now(); let s = 0
    for (let k = 0; k < 3e7; k++) s = (s + k * 7) % 1000003
    out.push(performance.now() - t, s) }
  return Math.min(...out.filter((_, k) => k % 2 === 0)) }"""
_DRAWN = """() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))"""


def tasks(trace: bytes) -> list[tuple[float, float]]:
    """(begin, processor time), ms, of the tasks of the page's main thread, from a trace of the browser."""
    events = json.loads(trace)["traceEvents"]
    main = {(e["pid"], e["tid"]) for e in events if e.get("name") == "thread_name" and e["args"]["name"] == MAIN}
    found = [
        (e["ts"] / 1000, e.get("tdur", e.get("dur", 0)) / 1000)
        for e in events
        if e["name"] == TASK and (e["pid"], e["tid"]) in main
    ]
    return sorted(found)


def flow(page: Any, step: Callable[[], None]) -> tuple[list[float], int]:
    """The longest task of each step, ms, and how many rows were blank in a picture taken now and then."""
    browser = page.context.browser
    begins, blank = [], 0
    page.wait_for_timeout(600)
    browser.start_tracing(page=page, categories=["toplevel", "__metadata", "blink.user_timing"])
    for _ in range(STEPS):
        page.evaluate("performance.mark('step')")
        step()
        page.evaluate(_DRAWN)
        begins.append(0.0)
    trace = browser.stop_tracing()
    marks = sorted(
        e["ts"] / 1000 for e in json.loads(trace)["traceEvents"] if e.get("name") == "step" and e["ph"] in "RIi"
    )
    longest = []
    every = tasks(trace)
    for begin, end in zip(marks, [*marks[1:], float("inf")], strict=True):
        mine = [duration for at, duration in every if begin <= at < end]
        longest.append(max(mine, default=0.0))
    for _ in range(5):
        step()
        blank += page.evaluate(BLANKS)
    return longest[2:], blank


def main() -> None:
    """Measure everything in one run."""
    from canaleta.catalogue.demo import generated
    from canaleta.host import frontend
    from quick import PLACE

    os.environ.setdefault("CANALETA_FRONT", str(frontend.build(HERE.parent, PLACE)))
    report = Report("interface")
    with _opened(generated(POINTS), scan=False) as (page, address, _, _):
        measured(page, address, report)
    report.write()


def measured(page: Any, address: str, report: Report) -> None:
    """All figures of a page that shows the list."""
    page.wait_for_timeout(1500)
    report.add("a fixed piece of script in the same page", f"{page.evaluate(YARDSTICK):.0f} ms")
    page.locator(".grid[role=grid]").hover()
    page.locator(".grid[role=grid]").focus()
    flows: list[tuple[str, Callable[[], None]]] = [
        ("wheel", lambda: page.mouse.wheel(0, 120)),
        ("↓ held", lambda: page.keyboard.press("ArrowDown")),
        ("→ held", lambda: page.keyboard.press("ArrowRight")),
        ("Page Down", lambda: page.keyboard.press("PageDown")),
    ]
    for name, step in flows:
        if name == "→ held":
            page.keyboard.press("Home")
        longest, blank = flow(page, step)
        report.add(
            f"{name}: longest task of a step, median", f"{statistics.median(longest):.1f} ms", f"{MEDIAN_MS:.0f} ms"
        )
        report.add(f"{name}: worst", f"{max(longest):.1f} ms", f"{WORST_MS:.0f} ms")
        report.add(f"{name}: blank rows", str(blank), "0")
    page.keyboard.press("Control+Home")
    page.keyboard.press("ArrowRight")
    typed = []
    for _ in range(10):
        page.wait_for_timeout(300)
        page.evaluate(
            """() => { window.typed = new Promise((done) => addEventListener('keydown', (e) => {
                 const t = e.timeStamp
                 requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = () =>
                   done([performance.now() - t, !!document.querySelector('.editor input')]); c.port2.postMessage(0) })
               }, { once: true, capture: true })) }"""
        )
        page.keyboard.press("x")
        took, there = page.evaluate("window.typed")
        assert there, "the editor was not there"
        typed.append(took)
        page.keyboard.press("Escape")
    report.add("a key to the editor drawn, median", f"{statistics.median(typed):.0f} ms", "50 ms")
    found = page.evaluate(
        """async (texts) => {
          const input = document.querySelector('.find input')
          const out = []
          for (const text of texts) {
            const t = performance.now()
            input.value = text
            input.dispatchEvent(new Event('input', { bubbles: true }))
            await new Promise((done) => requestAnimationFrame(() => { const c = new MessageChannel(); c.port1.onmessage = done; c.port2.postMessage(0) }))
            out.push(performance.now() - t)
            await new Promise((done) => setTimeout(done, 700))
          }
          input.value = ''
          input.dispatchEvent(new Event('input', { bubbles: true }))
          return out
        }""",
        list(FIND_TEXTS),
    )
    report.add("a text sought, drawn, slowest of four", f"{max(found):.0f} ms", "60 ms")
    warm = []
    for _ in range(6):
        began = time.perf_counter()
        page.goto(address + "/list")
        page.wait_for_selector(".grid .row")
        warm.append((time.perf_counter() - began) * 1000)
    report.add("warm page to first rows, median of six", f"{statistics.median(warm):.0f} ms", "500 ms")
    front = Path(os.environ["CANALETA_FRONT"])
    files = page.evaluate("performance.getEntriesByType('resource').map((r) => new URL(r.name).pathname)")
    sent = [front / name.lstrip("/") for name in files if name.endswith((".js", ".css"))]
    size = sum(len(gzip.compress(file.read_bytes(), 9)) for file in sent if file.exists())
    report.add(
        f"scripts and styles of the first visit to the list, {len(sent)} files", f"{size / 1000:.0f} kB", "400 kB"
    )
    page.wait_for_timeout(2000)
    cdp = page.context.new_cdp_session(page)
    cdp.send("Performance.enable")

    def busy() -> float:
        return next(m["value"] for m in cdp.send("Performance.getMetrics")["metrics"] if m["name"] == "ThreadTime")

    before = busy()
    page.wait_for_timeout(WATCHED_S * 1000)
    report.add("a page at rest, share of a core", f"{(busy() - before) / WATCHED_S:.1%}", "2 %")


if __name__ == "__main__":
    main()
