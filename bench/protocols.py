"""Ten thousand values a second over each way to reach a rack: what share of a core the reading takes, how late it comes.

    PYTHONPATH=src .venv/bin/python bench/protocols.py [--seconds 20]

The devices are a process of their own, by other hands than ours (tests/building); the reading is ours, as the scan does
it: requests of 125 registers, each answer checked and decoded. Results: bench/results-protocols.txt.
"""

from __future__ import annotations

import argparse
import asyncio
import multiprocessing
import resource
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent))

import numpy as np  # noqa: E402
from tests.building.line import Devices  # noqa: E402
from tests.building.stranger import Stranger  # noqa: E402
from tests.building.words import layout_with  # noqa: E402

from canaleta.core.model.module_type import ModuleType  # noqa: E402
from canaleta.core.model.registers import RackMap, decode  # noqa: E402
from canaleta.racks.reader import RackReader  # noqa: E402
from measure import Report  # noqa: E402

VALUES = 1000
A_SECOND = 10
WAYS = ("Modbus TCP", "Modbus RTU over TCP", "Modbus ASCII over TCP", "Modbus RTU")


def devices(way: str, tell: Connection) -> None:
    """Serve the registers until this process is ended."""

    async def run() -> None:
        registers = {k: k % 30_000 for k in range(VALUES)}
        if way == "Modbus TCP":
            server = Stranger(1, holding=registers)
            await server.begin()
            tell.send(("127.0.0.1", server.port))
        else:
            some = Devices({1: registers}, ascii_frames="ASCII" in way)
            tell.send(("127.0.0.1", await some.on_tcp()) if "TCP" in way else (some.on_terminal(), 1))
        await asyncio.Event().wait()

    asyncio.run(run())


def image() -> tuple[RackMap, Callable[..., object]]:
    """A map of 1,000 channels in holding registers, and the rack that it is of."""
    mode = {"name": "4–20 mA", "family": "linear", "signal_unit": "mA", "signal": [4, 20], "counts": [0, 30_000]}
    run = {"holds": "channel words", "count": 50}
    kind = ModuleType.model_validate(
        {"key": "fifty", "title": "fifty", "channels": 50, "modes": [mode], "registers": [run]}
    )
    layout = layout_with([kind])
    modules = {n: replace(layout.modules[4], id=n, place=n) for n in range(1, VALUES // 50 + 1)}
    racks = {1: replace(layout.racks[1], function="holding", first_register=0, unit=1, line="115200 8N1")}
    layout = replace(layout, modules=modules, racks=racks)
    return RackMap.of(layout, 1), lambda **fields: replace(layout.racks[1], **fields)


async def reads(way: str, host: str, port: int, seconds: float) -> tuple[float, float, float, int]:
    """(share of a core, median and 99th percentile of lateness in ms, how many readings)."""
    rack_map, rack = image()
    lateness = []
    async with RackReader(rack(link=way, host=host, port=port), rack_map, timeout_s=5.0) as reader:
        await reader.read()
        loop = asyncio.get_running_loop()
        began, used = loop.time(), time.process_time()
        due = began
        while due < began + seconds:
            await asyncio.sleep(max(0.0, due - loop.time()))
            counts = decode(rack_map, await reader.read()).counts
            assert counts[-1] == (VALUES - 1) % 30_000
            lateness.append(loop.time() - due)
            due += 1 / A_SECOND
        share = (time.process_time() - used) / (loop.time() - began)
    ms = np.array(lateness) * 1000
    return share, float(np.median(ms)), float(np.percentile(ms, 99)), len(lateness)


def main() -> None:
    """Measure every way, and write the report."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=20.0)
    seconds = parser.parse_args().seconds
    report = Report("protocols")
    report.lines.append(f"{VALUES} values read {A_SECOND} times a second, eight requests each, for {seconds:.0f} s")
    for way in WAYS:
        mine, theirs = multiprocessing.Pipe()
        process = multiprocessing.Process(target=devices, args=(way, theirs), daemon=True)
        process.start()
        host, port = mine.recv()
        share, median, late, count = asyncio.run(reads(way, host, port, seconds))
        process.terminate()
        process.join()
        report.add(f"{way}: of a core", f"{100 * share:.0f} %", "100 %")
        report.add(f"{way}: a reading is there after, median, 99th", f"{median:.0f}, {late:.0f} ms")
        report.add(f"{way}: readings of those due", f"{count} of {round(seconds * A_SECOND)}")
    began = time.perf_counter()
    image()
    report.add(
        "a rack of 1,000 channels planned", f"{1000 * (time.perf_counter() - began):.0f} ms", "50 ms for 2,000"
    )
    report.add("largest memory of this process", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MB")
    report.write()


if __name__ == "__main__":
    main()
