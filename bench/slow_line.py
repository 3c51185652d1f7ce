"""Every page drawn over a slow, lossy line; and what each asks for in a minute at rest.

    PYTHONPATH=src .venv/bin/python bench/slow_line.py ADDRESS/enter#TOKEN     (a link from ./canaleta user link)

Between the browser and the running program stands a relay that delays every byte by half of 800 ms in each direction
and loses one packet of 1,448 bytes in a hundred: what comes behind it waits for a second, as long as TCP takes to
send it again. A kernel's own emulation would be nearer to the wire, but few containers have it. Results:
bench/results-slow-line.txt.
"""

from __future__ import annotations

import asyncio
import random
import shutil
import sys
import threading
import time
from pathlib import Path
from urllib.parse import urlsplit

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
from playwright.sync_api import Page, Request, sync_playwright  # noqa: E402

from measure import Report  # noqa: E402

DELAY_S, LOSS, AGAIN_S, PACKET = 0.8, 0.01, 1.0, 1448
SETTLES_S, RESTS_S = 13.0, 20.0
PAGES = {
    "/list": ".grid .row", "/point/1": ".station", "/point/1/wiring": ".drawing svg", "/live": ".hung",
    "/now/1": ".now .trend svg", "/alarms": "tbody tr", "/temporary": ".panel.enter", "/scripts": "textarea",
    "/learn": ".station", "/checkout": ".checkout .act.main", "/check/3": ".check tbody tr", "/finder": ".finder input",
    "/history": ".history", "/cabinets": ".module", "/types/ai4-iso": ".sketch table", "/cables": ".cables .row",
    "/findings": ".all .stop", "/import": "input[type=file]",
    "/revisions": ".revisions button", "/handover": ".handover .act", "/conventions": ".conventions .panel",
    "/account": ".account input",
}  # fmt: skip
"""What a page shows once it is drawn."""


class Relay:
    """Hands bytes on, late. In a thread with a loop of its own."""

    def __init__(self, host: str, port: int) -> None:
        self._to = host, port
        self.port = 0
        self._lot = random.Random(7)
        there = threading.Event()
        threading.Thread(target=lambda: asyncio.run(self._serve(there)), daemon=True).start()
        there.wait()

    async def _serve(self, there: threading.Event) -> None:
        server = await asyncio.start_server(self._take, "127.0.0.1", 0)
        self.port = server.sockets[0].getsockname()[1]
        there.set()
        await server.serve_forever()

    async def _take(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        # A connection begins with a way there and back.
        await asyncio.sleep(DELAY_S)
        theirs, ours = await asyncio.open_connection(*self._to)
        await asyncio.gather(self._hand_on(reader, ours), self._hand_on(theirs, writer))

    async def _hand_on(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        loop = asyncio.get_running_loop()
        queue: asyncio.Queue[tuple[float, bytes]] = asyncio.Queue()

        async def write() -> None:
            while True:
                due, data = await queue.get()
                await asyncio.sleep(max(0.0, due - loop.time()))
                if not data:
                    break
                writer.write(data)
                await writer.drain()

        writing, free = asyncio.create_task(write()), 0.0
        try:
            while data := await reader.read(65536):
                lost = any(self._lot.random() < LOSS for _ in range(-(-len(data) // PACKET)))
                free = max(free, loop.time() + DELAY_S / 2 + (AGAIN_S if lost else 0.0))
                queue.put_nowait((free, data))
            queue.put_nowait((free, b""))
            await writing
        except (ConnectionError, asyncio.CancelledError):
            writing.cancel()
        finally:
            writer.close()


def drawn(page: Page, address: str, path: str, wait: str) -> float:
    """Seconds until a page stands."""
    began = time.perf_counter()
    page.goto(address + path, wait_until="commit", timeout=120_000)
    page.locator(wait).first.wait_for(timeout=120_000)
    return time.perf_counter() - began


def main(link: str) -> None:
    report = Report("slow-line")
    to = urlsplit(link)
    relay = Relay(str(to.hostname), int(to.port or 80))
    address = f"http://127.0.0.1:{relay.port}"
    asked: list[str] = []
    troubles: list[str] = []

    def count(request: Request) -> None:
        if "/api/stream" not in request.url:
            asked.append(f"{request.method} {urlsplit(request.url).path}")

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-dev-shm-usage"]
        )
        page = chromium.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.on("pageerror", lambda error: troubles.append(str(error)))
        page.goto(f"{address}/enter#{to.fragment}", wait_until="commit", timeout=120_000)
        page.locator(".grid .row").first.wait_for(timeout=120_000)
        for path, wait in PAGES.items():
            try:
                seconds = f"{drawn(page, address, path, wait):.1f} s"
            except Exception as error:  # noqa: BLE001 - told, and the next page is tried
                seconds = f"not drawn ({type(error).__name__})"
            page.wait_for_timeout(SETTLES_S * 1000)
            page.on("request", count)
            asked.clear()
            page.wait_for_timeout(RESTS_S * 1000)
            page.remove_listener("request", count)
            report.add(f"{path} over 800 ms and 1 % loss", seconds, "20 s")
            if asked:
                report.add(f"{path} asks at rest, a minute", f"{len(asked) * 60 / RESTS_S:.0f} ({asked[0]})", "0")
        report.add("errors in pages", str(len(troubles)) + (f" ({troubles[0][:60]})" if troubles else ""), "0")
        chromium.close()
    report.write()


if __name__ == "__main__":
    main(sys.argv[1])
