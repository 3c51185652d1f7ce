"""Benchmarks: ratios and budgets measured in one run, written as text beside this file.

    .venv/bin/python bench/measure.py core        50,000 generated points: image, all stations, findings
    .venv/bin/python bench/measure.py findings    faults planted in a right plant; audits of 50,000 points
    .venv/bin/python bench/measure.py convert     a million conversions of each thermocouple, or of lines
    .venv/bin/python bench/measure.py list        50,000 points: list delivered and found in, an edit
    .venv/bin/python bench/measure.py bulk        50,000 points: scrolled, pasted into, added to; as XLSX in and out
    .venv/bin/python bench/measure.py latency     register change to browser, beside the scan period
    .venv/bin/python bench/measure.py warm        a warm start to a served page
    .venv/bin/python bench/measure.py rest        what the demo plant costs with nobody at it

Each needs what `./canaleta check` installs. Results: bench/results-NAME.txt.
"""

from __future__ import annotations

import contextlib
import json
import os
import platform
import resource
import shutil
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
from pymodbus.client import ModbusTcpClient

HERE = Path(__file__).parent
# Services run elsewhere: a path that begins here would be none there.
os.environ["PYTHONPATH"] = str(HERE.parent / "src")
sys.path.insert(0, str(HERE.parent))
POINTS = 50_000
MILLION = 1_000_000


class Report:
    """Lines of one run: what, figure, budget."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.lines = [
            f"bench {name}, {date.today()}, Python {platform.python_version()}, numpy {np.__version__}, 2 cores"
        ]

    def add(self, what: str, figure: str, budget: str = "") -> None:
        self.lines.append(f"{what:<58} {figure:>14}" + (f"   budget {budget}" if budget else ""))
        print(self.lines[-1], flush=True)

    def write(self) -> None:
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        self.add("largest memory of this process", f"{memory:.0f} MB")
        (HERE / f"results-{self.name}.txt").write_text("\n".join(self.lines) + "\n", encoding="utf-8")


def best(work: Callable[[], Any], times: int = 5) -> float:
    """The best of some runs, in ms."""
    out = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        out.append((time.perf_counter() - began) * 1000)
    return min(out)


def generated_rows() -> tuple[list[dict[str, Any]], Any]:
    """(rows, layout) of 50,000 generated points, as they are stored."""
    from canaleta.catalogue.demo import generated, layout_of
    from canaleta.core.model.image import PlantImage
    from canaleta.plant.changes.seed import stored_row

    document = generated(POINTS)
    layout = layout_of(document)
    empty = PlantImage.of_rows([{}], layout)
    return [stored_row(empty, point) for point in document.points], layout


def core() -> None:
    """The core on generated points; numpy.sort of as many floats in the same run gives the ratio."""
    from canaleta.core.model.fields import Station
    from canaleta.core.model.image import PlantImage
    from canaleta.core.path.evaluate import evaluate
    from canaleta.core.rules import audit, audit_change

    report = Report("core")
    rows, layout = generated_rows()

    def build() -> PlantImage:
        image = PlantImage.of_rows(rows, layout)
        evaluate(image, Station.COUNTS, 1.0)
        return image

    image = build()
    report.add("image of 50,000 points built, with every derived column", f"{best(build, 3):.0f} ms")
    values = np.random.default_rng(1).uniform(0, 10_000, POINTS).round()
    stations = best(lambda: evaluate(image, Station.COUNTS, values))
    sort = best(lambda: np.sort(values))
    report.add("all six stations of 50,000 points, one call", f"{stations:.1f} ms", "500 ms")
    report.add("  as a ratio to numpy.sort of 50,000 floats", f"{stations / sort:.0f} x")
    mixed = _every_kind()
    report.add("image of 50,000 points of every kind of the demo plant", f"{best(_every_kind, 1):.0f} ms")
    for station in (Station.PROCESS, Station.COUNTS, Station.VALUE):
        took = best(lambda s=station: evaluate(mixed, s, 1.0), 3)
        report.add(f"  all their stations from {station}, one call", f"{took:.1f} ms", "500 ms")
    report.add("whole plant audited", f"{best(lambda: audit(image), 3):.0f} ms", "500 ms")
    upside_down = {(20, "value_high"): Decimal(-5)}
    after = image.with_cells(upside_down)
    report.add("what-if image of one edit", f"{best(lambda: image.with_cells(upside_down)):.1f} ms")
    edit = best(lambda: audit_change(image, after, {int(image.ids[20]): {"value_high"}}))
    report.add("one edit audited with what it touches", f"{edit:.1f} ms", "100 ms")
    tag = best(lambda: audit_change(image, after, {int(image.ids[20]): {"tag", "channel"}}))
    report.add("one edit of tag and channel audited (groups looked up)", f"{tag:.1f} ms", "100 ms")
    report.write()


def findings() -> None:
    """Faults planted in a plant that is right: found, missed, false. Then what an audit takes at 50,000 points."""
    from tests.building.planted import clean_plant, rounds, weighed

    from canaleta.core.model.image import PlantImage
    from canaleta.core.rules import RULES, audit, audit_change

    report = Report("findings")
    clean = clean_plant()
    report.add(f"a plant that is right, {len(clean)} points: findings", str(len(weighed(clean, []).false)), "0")
    table: dict[tuple[str, str], list[int]] = {}
    false = 0
    for image, planted in rounds(clean):
        outcome = weighed(image, planted)
        false += len(outcome.false)
        for one in planted:
            line = table.setdefault((one.kind.rule, one.kind.says), [0, 0])
            line[0 if one in outcome.found else 1] += 1
    total = np.array(list(table.values())).sum(axis=0)
    report.add(
        f"faults planted, {len(table)} kinds: found, missed, false", f"{total[0]}, {total[1]}, {false}", "200, 0, 0"
    )
    report.lines += [
        f"    {rule:5} {says:<40} found {found}, missed {missed}"
        for (rule, says), (found, missed) in sorted(table.items())
    ]

    image = PlantImage.of_rows(*generated_rows())
    report.add(
        f"whole plant of 50,000 points, {len(RULES)} rules", f"{best(lambda: audit(image), 3):.0f} ms", "500 ms"
    )
    rows = np.flatnonzero(image.filled("device_high"))[::50]
    wrong = image.with_cells({(int(row), "value_high"): Decimal(1000 + k) for k, row in enumerate(rows)})
    report.add(
        f"  with {len(rows)} scalings that are wrong, each otherwise", f"{best(lambda: audit(wrong), 1):.0f} ms"
    )
    slowest = max((best(lambda r=rule: list(r.check(image, np.arange(len(image)))), 2), rule.id) for rule in RULES)
    report.add("  the slowest rule", f"{slowest[1]} {slowest[0]:.0f} ms")
    for names in (("value_high",), ("tag", "channel"), ("signal", "mode", "supply", "trips")):
        took = best(lambda n=names: audit_change(image, wrong, {int(image.ids[20]): set(n)}), 3)
        report.add(f"one edit of {', '.join(names)} with what it touches", f"{took:.1f} ms", "50 ms")
    report.write()


def _every_kind() -> Any:
    """50,000 points: those of the demo plant over and over, each kind of signal, law and mode it has."""
    from canaleta.catalogue.demo import demo_plant, layout_of
    from canaleta.core.model.image import PlantImage
    from canaleta.plant.changes.seed import stored_row

    document = demo_plant()
    layout = layout_of(document)
    empty = PlantImage.of_rows([{}], layout)
    rows = [stored_row(empty, point) for point in document.points]
    return PlantImage.of_rows([rows[k % len(rows)] for k in range(POINTS)], layout)


def convert() -> None:
    """A million emf → temperature in random order, beside numpy.interp over the same array and 1,500 nodes."""
    from canaleta.core.signals.sensors.resistance import resistance_curves
    from canaleta.core.signals.sensors.thermocouples import thermocouple, thermocouple_letters

    report = Report("convert")
    generator = np.random.default_rng(11)
    report.lines.append(
        "emf → °C, a million in random order; ratio to numpy.interp over 1,500 nodes; worst error where unique"
    )
    for letter in sorted(thermocouple_letters()):
        element = thermocouple(letter)
        low = 43.0 if letter == "B" else element.low_degc
        degc = generator.uniform(low, element.high_degc, MILLION)
        emf = element.emf_mv(degc)
        nodes = np.linspace(emf.min(), emf.max(), 1500)
        table = element.temperature_degc(nodes)
        own = best(lambda e=emf, t=element: t.temperature_degc(e))
        plain = best(lambda e=emf, n=nodes, t=table: np.interp(e, n, t))
        worst = float(np.abs(element.temperature_degc(emf) - degc).max())
        report.add(f"type {letter}: {own:.0f} ms, worst error {worst:.1e} °C", f"{own / plain:.2f} x", "3 x, 5e-4 °C")
    for name in ("pt100", "ni120", "cu50"):
        curve = resistance_curves()[name]
        degc = generator.uniform(curve.low_degc, curve.high_degc, MILLION)
        ohm = curve.ohm(degc)
        took = best(lambda r=ohm, c=curve: c.temperature_degc(r), 3)
        worst = float(np.abs(curve.temperature_degc(ohm) - degc).max())
        report.add(f"{name}: ohm → °C, worst error {worst:.1e} °C", f"{took:.0f} ms")
    lines = "\n".join(f"{x:.4f}" for x in generator.uniform(-5, 54, MILLION))
    for words in ([], ["--json"]):
        tell = "import sys; from canaleta.cli import main; main(sys.argv[1:]); sys.stderr.write(open('/proc/self/status').read())"
        command = [sys.executable, "-c", tell, "convert", "thermocouple", "K", "--from", "mv", *words, "-"]
        began = time.perf_counter()
        done = subprocess.run(
            command, input=lines, text=True, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, check=True
        )
        took = time.perf_counter() - began
        memory = next(int(line.split()[1]) for line in done.stderr.splitlines() if line.startswith("VmHWM"))
        report.add(f"convert {' '.join([*words, '-'])}, a million lines: {memory // 1024} MB", f"{took:.1f} s")
    report.write()


def _site(document: Any, *, scan: bool) -> Any:
    """A running back end on a plant document, in a folder of its own; (options, supervisor, folder)."""
    from canaleta.host.cluster import Cluster, free_port
    from canaleta.host.start import Options, run_back_end
    from canaleta.host.supervisor import Supervisor
    from canaleta.plant.changes import seed
    from canaleta.plant.database.connection import engine_for, migrate

    folder = Path(tempfile.mkdtemp(prefix="canaleta-bench-"))
    folder.chmod(0o755)
    (folder / "log").mkdir()
    cluster = Cluster(folder, folder / "log")
    with cluster.for_a_moment():
        engine = engine_for(cluster.owner_url, pool_size=1)
        migrate(engine)
        with engine.begin() as connection:
            began = time.perf_counter()
            seed.load_document(connection, document)
            loaded = time.perf_counter() - began
        engine.dispose()
    options = Options("127.0.0.1", free_port(), folder, demo=True)
    supervisor = Supervisor()
    link = run_back_end(options, supervisor, scan=scan)
    return options, supervisor, folder, link, loaded


@contextlib.contextmanager
def _opened(document: Any, *, scan: bool) -> Iterator[tuple[Any, str, Any, float]]:
    """A running site and a page signed in at its list: (page, address, supervisor, seconds the loading took)."""
    from playwright.sync_api import sync_playwright

    options, supervisor, folder, link, loaded = _site(document, scan=scan)
    address = f"http://{options.host}:{options.port}"
    try:
        with sync_playwright() as playwright:
            chromium = playwright.chromium.launch(
                executable_path=shutil.which("chromium"), args=["--no-sandbox", "--disable-dev-shm-usage"]
            )
            page = chromium.new_page(viewport={"width": 1280, "height": 800})
            page.goto(address + link)
            page.wait_for_selector(".grid .row", timeout=60_000)
            yield page, address, supervisor, loaded
            chromium.close()
    finally:
        supervisor.shut_down()
        shutil.rmtree(folder, ignore_errors=True)


def list_() -> None:
    """The list of 50,000 points: delivered, drawn, found in, edited, in a real browser."""
    from canaleta.catalogue.demo import generated

    report = Report("list")
    with _opened(generated(POINTS), scan=False) as (page, address, _, loaded):
        report.add("50,000 points loaded into an empty database", f"{loaded:.1f} s")
        size = page.evaluate("async () => (await (await fetch('/api/list')).arrayBuffer()).byteLength")
        once = "async () => { const t = performance.now(); await (await fetch('/api/list', {cache: 'no-store'})).arrayBuffer(); return performance.now() - t }"
        report.add(
            "list delivered, from the server's cache",
            f"{min(page.evaluate(once) for _ in range(3)):.0f} ms",
        )
        report.add("  its size, not compressed", f"{size / 1e6:.1f} MB")
        loads = []
        for _ in range(6):
            began = time.perf_counter()
            page.goto(address + "/list")
            page.wait_for_selector(".grid .row", timeout=60_000)
            loads.append((time.perf_counter() - began) * 1000)
        # A worker process that has not served the list yet packs it first: that is the slowest one.
        report.add("page loaded to first rows, warm, median of six", f"{statistics.median(loads):.0f} ms", "1000 ms")
        report.add("page loaded to first rows, warm, slowest of six", f"{max(loads):.0f} ms", "1000 ms")
        find = """async () => {
          const input = document.querySelector('.find input')
          const out = []
          for (const text of ['zs-4', 'kiln 2 tc 31', 'nowhere', 'pt dryer 4–20']) {
            const t = performance.now()
            input.value = text
            input.dispatchEvent(new Event('input', {bubbles: true}))
            await new Promise((r) => requestAnimationFrame(() => setTimeout(r)))
            out.push(performance.now() - t)
          }
          return out
        }"""
        page.evaluate(find)
        times = page.evaluate(find)
        report.add("find answered and drawn, median of four", f"{statistics.median(times):.0f} ms", "100 ms")
        report.add("find answered and drawn, slowest of four", f"{max(times):.0f} ms", "100 ms")
        page.fill(".find input", "")
        edit = """async (number) => {
          const session = await (await fetch('/api/session')).json()
          const t = performance.now()
          const answer = await fetch('/api/proposals', {method: 'POST',
            headers: {'content-type': 'application/json', 'X-Canaleta-Csrf': session.csrf},
            body: JSON.stringify({edits: [{point: 21, field: 'value_low', was: String(number), text: String(number + 1)}]})})
          return [answer.status, performance.now() - t]
        }"""
        answers = [page.evaluate(edit, number) for number in range(20)]
        assert all(status == 200 for status, _ in answers), answers[0]
        report.add(
            "an edit saved with its consequences, median of 20",
            f"{statistics.median(t for _, t in answers):.0f} ms",
            "150 ms",
        )
        page.context.new_cdp_session(page).send("HeapProfiler.collectGarbage")
        memory = page.evaluate("performance.memory.usedJSHeapSize / 1e6")
        report.add("memory of the page (JS heap)", f"{memory:.0f} MB")
    report.write()


_ASK = """async ([method, path, body]) => {
  window.csrf ??= (await (await fetch('/api/session')).json()).csrf
  const t = performance.now()
  const answer = await fetch(path, {method, headers: {'content-type': 'application/json', 'X-Canaleta-Csrf': window.csrf},
    body: body === null ? undefined : JSON.stringify(body)})
  const data = await answer.arrayBuffer()
  return [answer.status, performance.now() - t, data.byteLength]
}"""
BLANKS = """() => {
  const canvas = document.querySelector('.grid canvas')
  const on = canvas.getContext('2d')
  const ratio = canvas.width / canvas.clientWidth
  const { data } = on.getImageData(0, 0, Math.round(60 * ratio), canvas.height)
  const wide = Math.round(60 * ratio)
  const high = Math.round(25 * ratio)
  let blank = 0
  // A row that shows nothing has one colour throughout its tag.
  for (let y = high * 2; y + high < canvas.height; y += high) {
    const seen = new Set()
    for (let k = y * wide; k < (y + high) * wide; k += 3) seen.add(data[4 * k] << 16 | data[4 * k + 1] << 8 | data[4 * k + 2])
    if (seen.size < 4) blank++
  }
  return blank
}"""
"""How many rows of the list's drawing show nothing, to be evaluated in a page."""
_SCROLL = """async () => {
  const box = document.querySelector('.grid[role=grid]')
  const frames = []
  let blanks = 0, looked = 0
  const blank = BLANK
  let last = await new Promise((r) => requestAnimationFrame(r))
  for (let k = 0; k < 180; k++) {
    box.scrollTop += k % 3 ? 300 : 4000
    const now = await new Promise((r) => requestAnimationFrame(r))
    frames.push(now - last)
    last = now
    await new Promise((r) => setTimeout(r))
    if (k % 20) continue
    looked++
    blanks += blank()
  }
  return [frames, blanks, looked]
}""".replace("BLANK", BLANKS)


def _memory(supervisor: Any, word: str) -> float:
    """Resident memory of the processes of a service and their children, MB."""
    roots = [r.process.pid for r in supervisor._running if word in r.service.name]
    pids = roots + [int(c) for p in roots for c in Path(f"/proc/{p}/task/{p}/children").read_text().split()]
    return sum(int(Path(f"/proc/{p}/statm").read_text().split()[1]) * 4096 for p in pids) / 1e6


def bulk() -> None:
    """Work in bulk on 50,000 points: scrolled, pasted into, added to; the same list as XLSX in and out."""
    from canaleta.catalogue.demo import generated

    report = Report("bulk")
    document = generated(POINTS)
    workbook = Path(tempfile.mkdtemp(prefix="canaleta-bench-")) / "list.xlsx"
    with _opened(document, scan=False) as (page, _, supervisor, _):
        page.wait_for_timeout(1500)
        frames, blanks, looked = page.evaluate(_SCROLL)
        report.add(
            "scrolled by keys and by leaps, median frame of 180", f"{statistics.median(frames):.1f} ms", "17 ms"
        )
        report.add("  slowest frame", f"{max(frames):.0f} ms")
        report.add(f"  rows that were blank in {looked} pictures", str(blanks), "0")
        paste = [
            {"point": 1000 + k, "field": field, "was": "", "text": text}
            for k in range(1250)
            for field, text in (
                ("notes", f"note {k}"),
                ("serial", f"S-{k:05d}"),
                ("tolerance_loop", "0.5"),
                ("status", "wired"),
            )
        ]
        body = {"edits": paste, "source": "pasted", "partial": True}
        status, took, _ = page.evaluate(_ASK, ["POST", "/api/proposals", body])
        assert status == 200, status
        report.add("a paste of 5,000 cells saved with its consequences", f"{took:.0f} ms")
        wrong = [edit | {"text": "nothing of it"} for edit in paste if edit["field"] == "tolerance_loop"]
        status, took, _ = page.evaluate(_ASK, ["POST", "/api/proposals", {"edits": wrong, "partial": True}])
        report.add("  one of 1,250 cells that all fail, told", f"{took:.0f} ms")
        times = []
        for k in range(5):
            new = {"count": 16, "cells": {"tag": f"PT-9{k}001", "signal": "4–20 mA"}}
            status, took, _ = page.evaluate(_ASK, ["POST", "/api/points", new])
            assert status == 200, status
            times.append(took)
        report.add("16 new points saved, median of five", f"{statistics.median(times):.0f} ms", "150 ms")
        status, took, size = page.evaluate(_ASK, ["POST", "/api/export", {"form": "csv"}])
        report.add(f"all columns as CSV, {size / 1e6:.1f} MB", f"{took / 1000:.1f} s")
        names = sorted({name for point in document.points[:400] for name in point})
        status, took, size = page.evaluate(_ASK, ["POST", "/api/export", {"form": "xlsx", "fields": names}])
        assert status == 200, status
        report.add(
            f"{len(names)} columns as XLSX with findings and spares, {size / 1e6:.1f} MB", f"{took / 1000:.1f} s"
        )
        report.add("memory of the web server after that", f"{_memory(supervisor, 'web'):.0f} MB")
        with page.expect_download() as file:
            page.evaluate(
                """async (fields) => {
                  const answer = await fetch('/api/export', {method: 'POST', body: JSON.stringify({form: 'xlsx', fields}),
                    headers: {'content-type': 'application/json', 'X-Canaleta-Csrf': window.csrf}})
                  const link = document.createElement('a')
                  link.href = URL.createObjectURL(await answer.blob())
                  link.download = 'list.xlsx'
                  link.click()
                }""",
                names,
            )
        file.value.save_as(workbook)
    with _opened(document.model_copy(update={"points": document.points[:1]}), scan=False) as (
        page,
        address,
        supervisor,
        _,
    ):
        page.goto(address + "/import")
        page.wait_for_selector("input[type=file]", state="attached")
        before = _memory(supervisor, "web")
        began = time.perf_counter()
        page.locator("input[type=file]").set_input_files(workbook)
        page.wait_for_selector(".kinds", timeout=120_000)
        shown = time.perf_counter() - began
        report.add(f"50,000 rows of XLSX read and shown, {workbook.stat().st_size / 1e6:.1f} MB", f"{shown:.1f} s")
        page.wait_for_selector("text=it would raise", timeout=120_000)
        told = time.perf_counter() - began
        report.add("  and what it would do to findings and values", f"{told:.1f} s")
        began = time.perf_counter()
        page.get_by_role("button", name="take it in").click()
        page.wait_for_selector("text=Taken in as one change", timeout=120_000)
        taken = time.perf_counter() - began
        report.add("  taken in as one change set, audited", f"{taken:.1f} s", "6 s")
        page.wait_for_timeout(3000)
        report.add(
            "  memory of the web server, before and after", f"{before:.0f}, {_memory(supervisor, 'web'):.0f} MB"
        )
        began = time.perf_counter()
        page.goto(address + "/list")
        page.wait_for_selector("text=/^50\\d{3} points/", timeout=60_000)
        report.add("  shown in the list", f"{time.perf_counter() - began:.1f} s")
        page.context.new_cdp_session(page).send("HeapProfiler.collectGarbage")
        report.add(
            "memory of the page (JS heap)", f"{page.evaluate('performance.memory.usedJSHeapSize / 1e6'):.0f} MB"
        )
    if office := shutil.which("soffice"):
        began = time.perf_counter()
        subprocess.run(
            [office, "--headless", "--convert-to", "csv", "--outdir", str(workbook.parent), str(workbook)],
            capture_output=True,
            check=True,
            timeout=600,
        )
        theirs = time.perf_counter() - began
        report.add("a desktop spreadsheet without a window converts it", f"{theirs:.1f} s")
        report.add("  reading and showing here, as a share of that", f"{shown / theirs:.2f}")
    else:
        report.add("a desktop spreadsheet to compare with", "not installed")
    shutil.rmtree(workbook.parent)
    report.write()


def _full_cabinet() -> Any:
    """One cabinet of 12 racks of 16 modules of 16 channels, every second channel used."""
    from canaleta.catalogue.demo import DemoPlant

    racks = [
        {"name": str(r), "port": 15020, "modules": [{"slot": s, "type": "di16-24v"} for s in range(1, 17)]}
        for r in range(1, 13)
    ]
    points = [
        {"tag": f"ZS-{r:02d}{s:02d}{c:02d}", "service": f"position {r} {s} {c}", "area": "kiln 2",
         "signal": "contact NO", "wires": "2", "supply": "module", "mode": "24 V DC", "text_0": "open",
         "text_1": "closed", "channel": f"FC-1·{r}·{s}·{c}"}
        for r in range(1, 13) for s in range(1, 17) for c in range(1, 17, 2)
    ]  # fmt: skip
    cabinet = {"name": "FC-1", "title": "full", "racks": racks}
    return DemoPlant.model_validate(
        {"about": "generated", "name": "Vallroja Tileworks", "cabinets": [cabinet], "points": points, "field": []}
    )


_DRAG = """async () => {
  const tasks = []
  new PerformanceObserver((list) => tasks.push(...list.getEntries().map((e) => e.duration))).observe({type: 'longtask'})
  const head = document.querySelector('.head[data-place="1"]')
  const at = head.getBoundingClientRect()
  const send = (target, type, x) => target.dispatchEvent(new PointerEvent(type,
    {bubbles: true, button: 0, pointerId: 1, clientX: x, clientY: at.y + 20}))
  const frames = []
  let last = await new Promise((r) => requestAnimationFrame(r))
  send(head, 'pointerdown', at.x + 30)
  for (let k = 1; k <= 120; k++) {
    send(window, 'pointermove', at.x + 30 + 3 * k)
    const now = await new Promise((r) => requestAnimationFrame(r))
    frames.push(now - last)
    last = now
  }
  send(window, 'pointerup', at.x + 390)
  await new Promise((r) => setTimeout(r, 1500))
  return [frames, tasks]
}"""


def cabinet() -> None:
    """A cabinet of 12 racks, 16 modules each, 16 channels each: opened, and a module dragged, in a real browser."""
    report = Report("cabinet")
    with _opened(_full_cabinet(), scan=False) as (page, address, _, _):
        opened = """async () => {
          const t = performance.now()
          document.querySelector('a[href="/cabinets"]').click()
          while (!document.querySelector('.seat .tag')) await new Promise((r) => requestAnimationFrame(r))
          await new Promise((r) => requestAnimationFrame(() => setTimeout(r)))
          const out = performance.now() - t
          document.querySelector('a[href="/list"]').click()
          while (!document.querySelector('.grid .row')) await new Promise((r) => requestAnimationFrame(r))
          return out
        }"""
        times = [page.evaluate(opened) for _ in range(5)]
        report.add("opened from the list, first time", f"{times[0]:.0f} ms", "1000 ms")
        report.add("opened from the list, median of five", f"{statistics.median(times):.0f} ms", "1000 ms")
        began = time.perf_counter()
        page.goto(address + "/cabinets")
        page.wait_for_selector(".seat .tag", timeout=60_000)
        report.add("page loaded at the cabinet", f"{(time.perf_counter() - began) * 1000:.0f} ms")
        report.add("seats made at once", str(page.locator(".seat").count()))
        page.wait_for_timeout(1000)
        frames, tasks = page.evaluate(_DRAG)
        report.add("drag of a module, median frame of 120", f"{statistics.median(frames):.1f} ms", "17 ms")
        report.add("drag of a module, slowest frame", f"{max(frames):.1f} ms")
        report.add("longest task while dragging and after the drop", f"{max(tasks, default=0):.0f} ms", "50 ms")
        page.wait_for_selector(".preview .act.main:enabled", timeout=10_000)
        report.add("addresses that the drop would change, told", page.locator(".preview h3").first.inner_text())
    report.write()


def latency() -> None:
    """From a signal put on terminals to its value in the browser, beside the scan period."""
    from canaleta.catalogue.demo import demo_plant

    report = Report("latency")
    with _opened(demo_plant(), scan=True) as (page, _, supervisor, _):
        stand_in = next(r.process.pid for r in supervisor._running if r.service.name == "stand-in")
        environment = dict(
            pair.split("=", 1) for pair in Path(f"/proc/{stand_in}/environ").read_text().split("\0") if "=" in pair
        )
        source = int(environment["CANALETA_SOURCE_PORT"]), environment["CANALETA_SOURCE_TOKEN"]
        page.evaluate(
            """() => {
              window.shown = []
              const cell = document.querySelector('#cell-1-now')
              new MutationObserver(() => window.shown.push([Date.now(), cell.innerText])).observe(
                cell, {subtree: true, characterData: true, childList: true})
            }"""
        )
        lags = [_one_change(page, source, level) for level in ("8", "16") * 20]
    report.add("scan period", "1000 ms")
    report.add("changes of the register watched by another Modbus client", str(len(lags)))
    report.add("register change to figure in the browser, median", f"{statistics.median(lags):.0f} ms")
    report.add("register change to figure in the browser, 95th percentile", f"{np.percentile(lags, 95):.0f} ms")
    report.write()


def _one_change(page: Any, source: tuple[int, str], level: str) -> float:
    """Put a current on the terminals at no moment of the scan in particular, see the register change with a client of
    our own, see the figure change; ms between."""
    counts, figure = {"8": (8000, "125.0"), "16": (24000, "375.0")}[level]
    port = int(page.evaluate("async () => (await (await fetch('/api/plant')).json()).racks[0].address").split(":")[1])
    client = ModbusTcpClient("127.0.0.1", port=port)
    client.connect()
    page.evaluate("window.shown = []")
    put = {
        "token": source[1],
        "do": "inject",
        "rack": 1,
        "place": 2,
        "channel": 0,
        "value": float(level),
        "unit": "mA",
    }
    with socket.create_connection(("127.0.0.1", source[0])) as line:
        line.sendall(json.dumps(put).encode() + b"\n")
    until = time.time() + 10
    while client.read_input_registers(1, count=1, device_id=1).registers[0] != counts:
        assert time.time() < until, "the register did not change"
        time.sleep(0.002)
    changed = time.time()
    client.close()
    page.wait_for_function(
        "(figure) => window.shown.some(([, text]) => text.includes(figure))", arg=figure, timeout=10_000
    )
    at = page.evaluate("(figure) => window.shown.find(([, text]) => text.includes(figure))[0]", figure)
    time.sleep(float(np.random.default_rng(int(changed * 1000)).uniform(0.0, 1.0)))
    return float(at - changed * 1000)


@contextlib.contextmanager
def started(data: Path) -> Iterator[tuple[int, float]]:
    """(pid, seconds to the first page served) of ./canaleta start; everything is installed."""
    from canaleta.host.cluster import free_port

    port = free_port()
    began = time.perf_counter()
    process = subprocess.Popen(
        [str(HERE.parent / "canaleta"), "start", "--port", str(port), "--data", str(data)],
        stdout=subprocess.PIPE,
        text=True,
        stderr=subprocess.STDOUT,
    )
    try:
        assert process.stdout
        for line in process.stdout:
            if "/enter#" in line:
                break
        urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5).read()
        yield process.pid, time.perf_counter() - began
    finally:
        process.terminate()
        process.wait(40)


@contextlib.contextmanager
def data_folder() -> Iterator[Path]:
    """A place for a demo plant, which others may enter."""
    folder = Path(tempfile.mkdtemp(prefix="canaleta-bench-"))
    folder.chmod(0o755)
    yield folder / "data"
    shutil.rmtree(folder, ignore_errors=True)


def empty_loop_s() -> float:
    """Processor time of ten million turns of an empty loop, s: what this machine is worth at this moment."""
    began = time.process_time()
    for _ in range(10_000_000):
        pass
    return time.process_time() - began


def warm() -> None:
    """./canaleta start when everything is installed, to the first page served."""
    report = Report("warm")
    times = []
    with data_folder() as data:
        for _ in range(6):
            with started(data) as (_, seconds):
                times.append(seconds)
    report.add("ten million turns of an empty loop", f"{empty_loop_s():.2f} s")
    report.add("warm start to a served page, median of five", f"{statistics.median(times[1:]):.1f} s", "3 s")
    report.add("warm start to a served page, slowest of five", f"{max(times[1:]):.1f} s", "8 s")
    report.write()


SETTLES_S, RESTS_S = 30.0, 60.0
KINDS = {"_agent": "agent", "_stand-in": "stand-ins of ten racks", "postgres": "database"}


def rest() -> None:
    """The demo plant with nobody at it: processor and memory of everything that runs."""
    report = Report("rest")
    with data_folder() as data, started(data) as (launcher, _):
        time.sleep(SETTLES_S)
        pids = {launcher: ""} | below(launcher)
        before = {pid: _cpu_s(pid) for pid in pids}
        time.sleep(RESTS_S)
        spent, held = Counter[str](), 0.0
        for pid, line in pids.items():
            kind = next((name for word, name in KINDS.items() if word in line), "all others")
            spent[kind] += (_cpu_s(pid) - before[pid]) / RESTS_S
            held += _held_mb(pid)
    report.add("ten million turns of an empty loop", f"{empty_loop_s():.2f} s")
    for kind, share in spent.most_common():
        report.add(f"{kind} at rest", f"{share:.1%} of a core")
    report.add("everything at rest", f"{sum(spent.values()):.1%} of a core", "7 %")
    report.add("memory of everything, proportional", f"{held:.0f} MB", "600 MB")
    report.write()


def below(pid: int) -> dict[int, str]:
    """{pid: command line} of everything below a process."""
    listed = subprocess.run(["ps", "-ww", "-eo", "pid,ppid,args"], capture_output=True, text=True, check=True).stdout
    rows = [(int(p), int(q), args) for p, q, args in (line.split(None, 2) for line in listed.splitlines()[1:])]
    found: dict[int, str] = {}
    while more := {p: args for p, q, args in rows if (q == pid or q in found) and p not in found}:
        found |= more
    return found


def _cpu_s(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def _held_mb(pid: int) -> float:
    for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
        if line.startswith("Pss:"):
            return int(line.split()[1]) / 1024
    return 0.0


if __name__ == "__main__":
    {
        "core": core,
        "findings": findings,
        "convert": convert,
        "list": list_,
        "bulk": bulk,
        "cabinet": cabinet,
        "latency": latency,
        "warm": warm,
        "rest": rest,
    }[sys.argv[1]]()
