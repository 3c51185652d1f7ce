"""Benchmarks of the live part, written as text beside this file.

    .venv/bin/python bench/live.py agent [SECONDS]   10,240 channels of 40 racks at one reading a second, by one agent
    .venv/bin/python bench/live.py trends [HOURS]    10,000 points at 1/s: written, packed, drawn
    .venv/bin/python bench/live.py streams           register to browser with 49 stream clients beside one Chromium
    .venv/bin/python bench/live.py storm [MINUTES]   agents killed and racks misbehaving under load: is every value
    true?

Each needs what `./canaleta check` installs. Results: bench/results-live-NAME.txt. The racks of `agent` are a small
Modbus server of the tests, in a process of its own (tests/building/stranger.py).
"""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

import numpy as np

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
sys.path.insert(0, str(HERE))
from measure import Report  # noqa: E402

RACKS, MODULES, CHANNELS = 40, 32, 8
TICK = os.sysconf("SC_CLK_TCK")

AGENT = """
import asyncio, json, sys, time
from canaleta.plant.database.connection import engine_for
from canaleta.racks.agent import Agent

async def main(url, seconds):
    agent = Agent(engine_for(url), None)
    task = asyncio.create_task(agent.run())
    await asyncio.sleep(15)
    print("settled", flush=True)
    late, ends = [], time.monotonic() + seconds
    while time.monotonic() < ends:
        await asyncio.sleep(0.5)
        late += list(agent.context.lateness.values())
    print(json.dumps({"late": late, "held": len(agent.held)}), flush=True)
    task.cancel()
    await asyncio.gather(task, return_exceptions=True)

asyncio.run(main(sys.argv[1], float(sys.argv[2])))
"""

SERVERS = """
import asyncio, json, random, sys
sys.path.insert(0, sys.argv[1])
from tests.building.stranger import Stranger

async def main(racks, words, registers, holding):
    servers = []
    for rack in range(racks):
        server = Stranger(1, dict.fromkeys(range(holding), 0), dict.fromkeys(range(registers), 0))
        server.tables[4] |= {k: 13000 + 79 * (k % 77) for k in words}
        await server.begin()
        servers.append(server)
    print(json.dumps([s.port for s in servers]), flush=True)
    chance = random.Random(1)
    while True:
        await asyncio.sleep(0.5)
        for server in servers:
            table = server.tables[4]
            for k in words:
                table[k] = min(31000, max(500, table[k] + chance.randint(-40, 40)))

asyncio.run(main(*json.loads(sys.argv[2])))
"""


@contextmanager
def database() -> Iterator[Any]:
    """A private PostgreSQL as the application runs it, migrated and empty; no durability switched off."""
    from sqlalchemy import Engine  # noqa: F401

    from canaleta.host.cluster import Cluster
    from canaleta.plant.database.connection import engine_for, grant_runtime, migrate

    folder = Path(tempfile.mkdtemp(prefix="canaleta-bench-"))
    folder.chmod(0o755)
    made = Cluster(folder, folder / "log")
    made.prepare()
    process = subprocess.Popen(
        made.command(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/", **made.as_user()
    )
    while not made.answers():
        time.sleep(0.05)
    made.ensure_database()
    engine = engine_for(made.owner_url)
    migrate(engine)
    with engine.begin() as connection:
        grant_runtime(connection)
    yield made, engine, process.pid
    engine.dispose()
    process.terminate()
    process.wait(20)


def cpu_s(pid: int) -> float:
    """Processor time of a process and of its children, s."""
    total = 0.0
    for stat in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = stat.read_text().rpartition(")")[2].split()
        except OSError:
            continue
        if int(stat.parent.name) == pid or int(fields[1]) == pid:
            total += (int(fields[11]) + int(fields[12])) / TICK
    return total


def memory_mb(pid: int) -> float:
    """Memory of a process, MB."""
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4096 / 1e6


def plant(ports: list[int]) -> Any:
    """40 racks of 32 modules with eight 4–20 mA inputs each; every point has two alarms, every tenth bands and a
    filter."""
    from canaleta.catalogue.demo import DemoPlant

    cabinets, points = [], []
    for k, port in enumerate(ports, start=1):
        modules = [{"slot": s, "type": "ai8-ui"} for s in range(1, MODULES + 1)]
        cabinets.append({"name": f"C-{k}", "title": "", "racks": [{"name": "1", "port": port, "modules": modules}]})
        for s in range(1, MODULES + 1):
            for c in range(1, CHANNELS + 1):
                point = {
                    "tag": f"PT-{len(points):05}", "signal": "4–20 mA", "device_low": "0", "device_high": "100",
                    "device_unit": "%", "value_low": "0", "value_high": "100", "value_unit": "%", "mode": "4–20 mA",
                    "channel": f"C-{k}·1·{s}·{c}", "alarm_h": "60", "alarm_h_deadband": "2", "alarm_l": "40", "used_by": "x",
                }  # fmt: skip
                if len(points) % 10 == 0:
                    point |= {"bands": "low < 30 < normal < 70 < high", "smoothing_s": "2"}
                points.append(point)
    return DemoPlant.model_validate(
        {"about": "", "name": "bench", "cabinets": cabinets, "points": points, "field": []}
    )


def agent(seconds: float = 120.0) -> None:
    """One agent on one core: conditioning, alarms, trends and blocks of 10,240 channels a second."""
    from sqlalchemy import func, select

    from canaleta.catalogue.demo import layout_of
    from canaleta.core.model.registers import RackMap
    from canaleta.plant.changes import seed
    from canaleta.plant.database import tables as t

    report = Report("live-agent")
    rack_map = RackMap.of(layout_of(plant([1502])), 1)
    load = [RACKS, rack_map.word.tolist(), max(first + count for first, count in rack_map.used), 2000]
    servers = subprocess.Popen(
        [sys.executable, "-c", SERVERS, str(HERE.parent), json.dumps(load)], stdout=subprocess.PIPE, text=True
    )
    assert servers.stdout is not None
    ports = json.loads(servers.stdout.readline())
    with database() as (cluster, engine, postgres):
        with engine.begin() as connection:
            seed.load_document(connection, plant(ports))
        process = subprocess.Popen(
            [sys.executable, "-c", AGENT, cluster.runtime_url, str(seconds)], stdout=subprocess.PIPE, text=True
        )
        assert process.stdout is not None
        process.stdout.readline()
        before, memory = (cpu_s(process.pid), cpu_s(postgres)), memory_mb(process.pid)
        began = time.monotonic()
        with engine.connect() as connection:
            scans = int(connection.execute(select(func.sum(t.live_block.c.scan))).scalar_one())
        answer = json.loads(process.stdout.readline())
        took = time.monotonic() - began
        after, memory_after = (cpu_s(process.pid), cpu_s(postgres)), memory_mb(process.pid)
        with engine.connect() as connection:
            done = int(connection.execute(select(func.sum(t.live_block.c.scan))).scalar_one()) - scans
            parts = int(connection.execute(select(func.sum(func.octet_length(t.trend_part.c.body)))).scalar_one())
            passed = connection.execute(select(func.count()).select_from(t.journal)).scalar_one()
        process.wait(30)
    servers.terminate()
    late = np.array(answer["late"]) * 1000
    report.add("channels", f"{RACKS * MODULES * CHANNELS:,}")
    report.add("racks held, requests a scan of one rack", f"{answer['held']}, {len(rack_map.requests())}")
    report.add("scans in the time, of those that were due", f"{100 * done / (took * RACKS):.1f} %", "99 %")
    report.add("processor share of the agent", f"{100 * (after[0] - before[0]) / took:.0f} %", "100 % of one core")
    report.add("processor share of the database", f"{100 * (after[1] - before[1]) / took:.0f} %")
    report.add("a scan begins late by, median", f"{np.median(late):.0f} ms")
    report.add("a scan begins late by, 99th percentile", f"{np.percentile(late, 99):.0f} ms")
    report.add("memory of the agent, before and after", f"{memory:.0f}, {memory_after:.0f} MB")
    report.add("alarm transitions written meanwhile", f"{passed:,}")
    report.add("trend parts, bytes a reading", f"{parts / max(done, 1) / (MODULES * CHANNELS):.1f}")
    report.write()


STORM_AGENT = """
import asyncio, sys
from canaleta.plant.database.connection import engine_for
from canaleta.racks.agent import run
asyncio.run(run(engine_for(sys.argv[1]), None))
"""

STORM_SERVERS = """
import asyncio, json, random, sys, time
sys.path.insert(0, sys.argv[1])
from tests.building.stranger import Stranger

async def main(racks, bad, words, registers, holding, log):
    servers = []
    for rack in range(racks):
        server = Stranger(1, dict.fromkeys(range(holding), 0), dict.fromkeys(range(registers), 0))
        server.tables[4] |= dict.fromkeys(words, 14000)
        await server.begin()
        servers.append(server)
    print(json.dumps([s.port for s in servers]), flush=True)
    chance, begins, phase, turn = random.Random(4), time.time(), 0, 0.0
    with open(log, "w", buffering=1) as told:
        while True:
            phase += 1
            await asyncio.sleep(max(0.0, begins + phase * 0.5 - time.time()))
            at = time.time()
            for server in servers:
                server.tables[4] |= dict.fromkeys(words, 14000 + 10 * (phase % 200))
                server.asked.clear()
            told.write(json.dumps([phase % 200, at, time.time()]) + "\\n")
            if at < turn:
                continue
            turn = at + chance.uniform(2.0, 5.0)
            for server in servers[:bad]:
                manner = chance.choice(["silent", "slow", "garbage", "refuses", "other transaction", "short", "well", "well", "cut"])
                if server._server is None:
                    await server.begin()
                server.manner = "well" if manner == "cut" else manner
                if manner == "cut":
                    await server.cut()

asyncio.run(main(*json.loads(sys.argv[2])))
"""


def storm(minutes: float = 8.0, bad: int = 4) -> None:
    """Two agents over 40 racks; one is killed every 20 s and another started, four racks misbehave in turns. Every
    register of a rack holds a number that says when it stood there: what is shown is compared with it at every
    moment."""
    from canaleta.catalogue.demo import layout_of
    from canaleta.core.model.quality import Quality
    from canaleta.core.model.registers import RackMap
    from canaleta.plant.changes import seed
    from canaleta.plant.live.blocks import read_block

    report = Report("live-storm")
    rack_map = RackMap.of(layout_of(plant([1502])), 1)
    log = Path(tempfile.mkstemp(suffix=".log")[1])
    load = [RACKS, bad, rack_map.word.tolist(), max(first + count for first, count in rack_map.used), 2000, str(log)]
    servers = subprocess.Popen(
        [sys.executable, "-c", STORM_SERVERS, str(HERE.parent), json.dumps(load)], stdout=subprocess.PIPE, text=True
    )
    assert servers.stdout is not None
    ports = json.loads(servers.stdout.readline())
    seen: list[tuple[int, float, int, int]] = []
    trusted_stale, orphaned, ages, memory, kills, looks = 0, 0, [], [], 0, 0
    with database() as (cluster, engine, _):
        with engine.begin() as connection:
            seed.load_document(connection, plant(ports))

        def start() -> subprocess.Popen[bytes]:
            return subprocess.Popen(
                [sys.executable, "-c", STORM_AGENT, cluster.runtime_url], stderr=subprocess.DEVNULL
            )

        survivor, victim = start(), start()
        time.sleep(25)
        scans: dict[int, int] = {}
        begins = time.monotonic()
        due, note = begins + 20.0, begins
        left: dict[int, int] = {}
        while (now := time.monotonic()) < begins + 60.0 * minutes:
            if now >= due:
                due += 20.0
                victim.kill()
                victim.wait()
                with engine.connect() as connection:
                    blocks = [read_block(connection, rack) for rack in range(1, RACKS + 1)]
                left = {block.rack: block.scan for block in blocks if block is not None}
                victim, kills = start(), kills + 1
            if now >= note:
                note += 30.0
                memory.append(memory_mb(survivor.pid))
            with engine.connect() as connection:
                blocks = [read_block(connection, rack) for rack in range(1, RACKS + 1)]
            at = time.time()
            for block in blocks:
                if block is None:
                    continue
                looks += 1
                age, good = at - block.read_at.timestamp(), block.quality <= Quality.DOUBTFUL
                if block.rack > bad:
                    ages.append(age)
                # A screen calls a reading stale after two periods, and the scan calls every value of a lost rack bad:
                # unless its agent was killed before it could, and no other has the rack yet.
                elif good.any() and block.state != "answers" and age > 2.0 + 2.0 + 0.5:
                    if left.get(block.rack) == block.scan:
                        orphaned += 1
                    else:
                        trusted_stale += 1
                if good.any() and scans.get(block.rack) != block.scan:
                    scans[block.rack] = block.scan
                    counts = block.counts[good]
                    seen.append((block.rack, block.read_at.timestamp(), int(counts.min()), int(counts.max())))
            time.sleep(0.25)
        for process in (survivor, victim):
            process.terminate()
            process.wait(30)
    servers.terminate()
    times = [json.loads(line) for line in log.read_text().splitlines()]
    log.unlink()
    untrue = sum(not _held_then(times, read_at, low, high) for _, read_at, low, high in seen)
    report.add("channels, racks, of them misbehaving", f"{RACKS * MODULES * CHANNELS:,}, {RACKS}, {bad}")
    report.add("minutes, agents killed", f"{minutes:g}, {kills}")
    report.add("blocks looked at, readings compared with what stood in the rack", f"{looks:,}, {len(seen):,}")
    report.add("readings that were not what stood there then", f"{untrue}", "0")
    report.add("looks at a lost rack whose values were still trusted when stale", f"{trusted_stale}", "0")
    report.add("  more, where its agent was dead: told by age alone", f"{orphaned}")
    report.add("age of a reading of a rack that answers, median", f"{np.median(ages):.1f} s")
    report.add(
        "age of a reading of a rack that answers, oldest", f"{max(ages):.1f} s", "10 s, while its agent was killed"
    )
    report.add(
        "memory of the agent that lived through it",
        ", ".join(f"{x:.0f}" for x in memory[:: max(1, len(memory) // 8)]) + " MB",
    )
    report.write()


def _held_then(times: list[list[float]], read_at: float, low: int, high: int) -> bool:
    """Whether a rack's registers held these counts when they were read: (phase, set from, set until) of each half
    second. They may be as much newer as a scan may take, a second and a half with three requests, and not older."""
    stood = [
        phase
        for k, (phase, begins, _) in enumerate(times)
        if begins - 1.5 <= read_at and (k + 1 == len(times) or read_at <= times[k + 1][2] + 0.02)
    ]
    counts = {14000 + 10 * phase for phase in stood[-8:]}
    return {low, high} <= counts


def trends(hours: int = 2) -> None:
    """10,000 points at one reading a second: parts written, hours packed, then drawn. A week follows by
    extrapolation."""
    from sqlalchemy import text

    from canaleta.core.live.trends import Part
    from canaleta.plant.live.trends import pack_hour, read_trends, write_part

    report = Report("live-trends")
    points, racks = 250, 40
    begins = datetime(2026, 11, 20, tzinfo=UTC)
    random = np.random.default_rng(5)
    level = random.uniform(10, 90, (racks, points))
    wrote = packed = 0.0
    with database() as (_, engine, _):
        for hour in range(hours):
            at = begins + timedelta(hours=hour)
            for rack in range(racks):
                with engine.begin() as connection:
                    for k in range(0, 3600, 10):
                        value = level[rack] + np.cumsum(random.normal(0, 0.02, (10, points)), axis=0)
                        level[rack] = np.clip(value[-1], 5, 95)
                        counts = np.rint(value * 320)
                        part = Part(
                            np.arange(points) + rack * points,
                            at.timestamp() + k + np.arange(10.0) + random.uniform(0, 0.05, 10),
                            counts,
                            counts / 320,
                            np.zeros((10, points), np.uint8),
                        )
                        began = time.perf_counter()
                        write_part(connection, rack, part)
                        wrote += time.perf_counter() - began
            began = time.perf_counter()
            for rack in range(racks):
                with engine.begin() as connection:
                    pack_hour(connection, rack, at)
            packed += time.perf_counter() - began
            print(f"  hour {hour + 1} of {hours}: packed in {packed / (hour + 1):.1f} s", flush=True)
        with engine.connect() as connection:
            size = connection.execute(
                text("select pg_total_relation_size('trend_hour') + pg_total_relation_size('trend_clock')")
            ).scalar_one()
            ends = begins.timestamp() + hours * 3600
            drawn = {}
            for name, seconds in (("10 min", 600), ("2 h", 7200), ("a day", 86_400), ("a week", 604_800)):
                took = []
                for point in range(0, 4000, 100):
                    began = time.perf_counter()
                    read_trends(connection, {point: point // points}, ends - seconds, ends, 800, {point: 1.0})
                    took.append((time.perf_counter() - began) * 1000)
                drawn[name] = took
    day = size / hours * 24
    report.add("points, hours written", f"10,000, {hours}")
    report.add("parts written, s of each hour of one core", f"{wrote / hours:.0f}")
    report.add("an hour packed, s of one core", f"{packed / hours:.0f}")
    report.add("size of a day" + (", by extrapolation" if hours < 24 else ""), f"{day / 1e9:.2f} GB")
    report.add("size of a week, by extrapolation", f"{day * 7 / 1e9:.1f} GB", "2 to 10 GB")
    for name, took in drawn.items():
        report.add(f"one point drawn over {name}, median of {len(took)}", f"{statistics.median(took):.1f} ms")
        report.add(f"one point drawn over {name}, slowest", f"{max(took):.1f} ms")
    report.write()


def streams(clients: int = 49) -> None:
    """Register to browser while other screens listen to the same racks."""
    from canaleta.catalogue.demo import demo_plant
    from measure import _one_change, _opened

    report = Report("live-streams")
    with _opened(demo_plant(), scan=True) as (page, _link, supervisor, _):
        stand_in = next(r.process.pid for r in supervisor._running if r.service.name == "stand-in")
        environment = dict(
            pair.split("=", 1) for pair in Path(f"/proc/{stand_in}/environ").read_text().split("\0") if "=" in pair
        )
        source = int(environment["CANALETA_SOURCE_PORT"]), environment["CANALETA_SOURCE_TOKEN"]
        base = page.url.rsplit("/", 1)[0]
        cookies = "; ".join(f"{c['name']}={c['value']}" for c in page.context.cookies())
        racks = ",".join(
            str(r["id"]) for r in page.evaluate("async () => (await (await fetch('/api/plant')).json()).racks")
        )
        heard = [0] * clients
        stop = threading.Event()

        def listen(k: int) -> None:
            request = urllib.request.Request(f"{base}/api/stream?since=0&racks={racks}", headers={"Cookie": cookies})
            with urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar())).open(
                request, timeout=30
            ) as answer:
                while not stop.is_set() and (line := answer.readline()):
                    heard[k] += line.startswith(b"event: live")

        threads = [threading.Thread(target=listen, args=(k,), daemon=True) for k in range(clients)]
        for thread in threads:
            thread.start()
        time.sleep(4)
        page.evaluate(
            """() => {
              window.shown = []
              const cell = document.querySelector('#cell-1-now')
              new MutationObserver(() => window.shown.push([Date.now(), cell.innerText])).observe(
                cell, {subtree: true, characterData: true, childList: true})
            }"""
        )
        began, before = time.monotonic(), sum(heard)
        lags = [_one_change(page, source, level) for level in ("8", "16") * 20]
        rate = (sum(heard) - before) / (time.monotonic() - began)
        least = min(heard)
        stop.set()
    report.add("stream clients beside one Chromium", str(clients))
    report.add("blocks told to them, a second", f"{rate:.0f}")
    report.add("least blocks one of them heard", str(least))
    report.add("scan period", "1000 ms")
    report.add("register change to figure in the browser, median", f"{statistics.median(lags):.0f} ms")
    report.add("register change to figure in the browser, 95th percentile", f"{np.percentile(lags, 95):.0f} ms")
    report.write()


if __name__ == "__main__":
    what, *rest = sys.argv[1:] or ["help"]
    works: dict[str, Any] = {"agent": agent, "trends": trends, "streams": streams, "storm": storm}
    if what not in works:
        sys.exit(__doc__)
    works[what](*[type(works[what].__defaults__[0])(x) for x in rest] if rest else [])
