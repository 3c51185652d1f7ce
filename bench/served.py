"""Ten thousand points that change every second, served: what share of a core each door takes, and how late clients hear.

    PYTHONPATH=src .venv/bin/python bench/served.py [--seconds 20] [--points 10000]

Whoever serves is a process of its own, as `serve` is; blocks come to it as from the database. Clients: asyncua subscribing to
all, Debian's mosquitto, a Modbus client that reads all registers each second. Results: bench/results-served.txt.
"""

from __future__ import annotations

import argparse
import asyncio
import multiprocessing
import resource
import statistics
import sys
import time
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent))

from asyncua.client.client import Client  # noqa: E402
from pyModbusTCP.client import ModbusClient  # noqa: E402
from tests.building.named import Broker, free_port  # noqa: E402
from tests.building.served import block_of  # noqa: E402
from tests.building.words import layout_with  # noqa: E402

from canaleta.certificates import made  # noqa: E402
from canaleta.core.model.conventions import Conventions  # noqa: E402
from canaleta.core.model.image import PlantImage  # noqa: E402
from canaleta.core.model.quality import Quality, Reason  # noqa: E402
from canaleta.plant.changes.seed import stored_row  # noqa: E402
from canaleta.serving.broker import read_broker  # noqa: E402
from canaleta.serving.modbus import ModbusDoor  # noqa: E402
from canaleta.serving.mqtt import MqttDoor  # noqa: E402
from canaleta.serving.opc import OpcDoor  # noqa: E402
from canaleta.serving.people import Doorkeeper  # noqa: E402
from canaleta.serving.values import Values  # noqa: E402
from measure import Report  # noqa: E402

BATCHES = 20
DOORS = (
    "Modbus TCP",
    "OPC UA, one client",
    "OPC UA, three clients",
    "MQTT, plain JSON",
    "MQTT, Sparkplug B",
    "all of them",
)


def plant(points: int) -> PlantImage:
    """Points in areas and loops, each published as a real."""
    layout = layout_with()
    empty = PlantImage.of_rows([{}], layout, Conventions())
    rows = [
        stored_row(
            empty,
            {
                "tag": f"PT-{k:05d}", "area": f"area {k // 500}", "signal": "4–20 mA", "value_low": "0", "value_high": "10",
                "value_unit": "bar", "published_at": f"holding {2 * k} real",
            },
        )
        for k in range(points)
    ]  # fmt: skip
    return PlantImage.of_rows(rows, layout, empty.conventions)


async def serve(tell: Connection, points: int, which: str, broker: int, seconds: float) -> None:
    """Open doors, then change every point once a second; at the end tell what that took."""
    image = plant(points)
    values = Values.of(image)
    values.rack[:] = 1
    ids, per = image.ids.tolist(), -(-points // BATCHES)
    lots = [ids[k : k + per] for k in range(0, points, per)]
    values.take([block_of(1, 1, dict.fromkeys(ids, (5.0, Quality.GOOD, 0)), time.time())], time.time())
    doors: list[Any] = []
    ports = {"modbus": free_port(), "opc": free_port()}

    async def nobody(*_: Any) -> bool:
        return False

    if which in ("Modbus TCP", "all of them"):
        doors.append(ModbusDoor("127.0.0.1", ports["modbus"], nobody))
    if which.startswith("OPC") or which == "all of them":
        keeper = Doorkeeper(anybody=True, noted=lambda *_: None)
        doors.append(
            OpcDoor(
                "127.0.0.1",
                ports["opc"],
                made("urn:canaleta:server"),
                keeper,
                nobody,
                lambda *_: [],
                lambda *_: [],
                open_to_all=True,
            )
        )
    if which in ("MQTT, plain JSON", "all of them"):
        doors.append(MqttDoor(read_broker(f"mqtt://127.0.0.1:{broker}"), "bench", ()))
    if which == "MQTT, Sparkplug B":
        doors.append(MqttDoor(read_broker(f"mqtt://127.0.0.1:{broker}"), "", ("bench", "node")))
    began = time.process_time()
    for door in doors:
        await door.open(values)
    opened = time.process_time() - began
    tell.send((ports, opened, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024))
    while not tell.poll():
        await asyncio.sleep(0.1)
    tell.recv()
    scan, start, used = 2, time.monotonic(), time.process_time()
    sent = 0
    for step in range(int(seconds * BATCHES)):
        lot = lots[step % len(lots)]
        at = time.time()
        # The value is the time, so that a client knows how old it is; now and then one fails.
        told = {
            p: (at % 100_000.0, Quality.GOOD, 0) if (p + step) % 997 else (0.0, Quality.BAD, Reason.OPEN_CIRCUIT)
            for p in lot
        }
        rows = values.take([block_of(1, scan, told, at)], at)
        scan += 1
        sent += len(rows)
        for door in doors:
            await door.take(values, rows)
        due = start + (step + 1) / BATCHES
        await asyncio.sleep(max(0.0, due - time.monotonic()))
    took = time.monotonic() - start
    tell.send((time.process_time() - used, took, sent))
    tell.recv()
    for door in doors:
        await door.close()


class Ages:
    """How old values are when they are heard."""

    def __init__(self) -> None:
        self.ages: list[float] = []
        self.count = self.wrong = 0

    def datachange_notification(self, node: Any, value: Any, data: Any) -> None:
        """Of the subscription: no value goes with a status that is bad, and none is missing where it is good."""
        self.count += 1
        bad = bool(data.monitored_item.Value.StatusCode.value >> 31)
        self.wrong += bad is not (value is None)
        if value is not None and value > 10.0 and self.count % 50 == 0:
            self.ages.append((time.time() % 100_000.0) - value)


async def opc_client(port: int, points: int, ages: Ages) -> Client:
    """One that subscribes to everything."""
    client = Client(f"opc.tcp://127.0.0.1:{port}", watchdog_intervall=30, timeout=60)
    await client.connect()
    subscription = await client.create_subscription(200, ages)
    nodes = [client.get_node(f"ns=2;i={k + 1}") for k in range(points)]
    for at in range(0, points, 1000):
        await subscription.subscribe_data_change(nodes[at : at + 1000], queuesize=1)
    return client


def listening(port: int, points: int, clients: int, tell: Connection) -> None:
    """OPC UA clients in a process of their own."""

    async def run() -> None:
        ages = [Ages() for _ in range(clients)]
        there = [await opc_client(port, points, one) for one in ages]
        tell.send("there")
        while not tell.poll():
            await asyncio.sleep(0.1)
        tell.recv()
        tell.send([(one.count, one.wrong, sorted(one.ages)) for one in ages])
        for client in there:
            await client.disconnect()

    asyncio.run(run())


async def measured(report: Report, which: str, points: int, seconds: float) -> None:
    """One way."""
    async with Broker(free_port()) as broker:
        here, there = multiprocessing.Pipe()
        process = multiprocessing.Process(
            target=lambda: asyncio.run(serve(there, points, which, broker.port, seconds)), daemon=True
        )
        process.start()
        ports, opened, megabytes = await asyncio.to_thread(here.recv)
        clients = 0 if "OPC" not in which and which != "all of them" else 3 if "three" in which else 1
        mine, theirs = multiprocessing.Pipe()
        if clients:
            hears = multiprocessing.Process(
                target=listening, args=(ports["opc"], points, clients, theirs), daemon=True
            )
            hears.start()
            await asyncio.to_thread(mine.recv)
        here.send("go")
        reads = 0
        if which in ("Modbus TCP", "all of them"):
            client = ModbusClient("127.0.0.1", ports["modbus"], timeout=10, auto_open=True)
            until = time.monotonic() + seconds
            while time.monotonic() < until:
                began = time.monotonic()
                for at in range(0, 2 * points, 120):
                    got = await asyncio.to_thread(client.read_holding_registers, at, min(120, 2 * points - at))
                    reads += got is not None
                await asyncio.sleep(max(0.0, 1.0 - (time.monotonic() - began)))
        used, took, sent = await asyncio.to_thread(here.recv)
        report.add(f"{which}: of a core", f"{100 * used / took:.0f} %", "100 %" if which == "all of them" else "")
        report.add(f"{which}: changes a second", f"{sent / took:,.0f}")
        report.add(f"{which}: opened in, processor", f"{opened:.1f} s")
        report.add(f"{which}: memory once open", f"{megabytes:.0f} MB")
        if clients:
            mine.send("end")
            for count, wrong, ages in await asyncio.to_thread(mine.recv):
                report.add(f"{which}: heard a second", f"{count / took:,.0f}")
                report.add(f"{which}: half heard within", f"{statistics.median(ages):.2f} s")
                report.add(f"{which}: 99 % heard within", f"{ages[int(len(ages) * 0.99)]:.2f} s", "1 s")
                report.add(f"{which}: statuses that do not fit", str(wrong), "0")
        if reads:
            report.add(f"{which}: Modbus reads answered a second", f"{reads / took:.0f}")
        here.send("end")
        await asyncio.to_thread(process.join, 20)


def main() -> None:
    """Measure each door, and all together."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=20.0)
    parser.add_argument("--points", type=int, default=10_000)
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    multiprocessing.set_start_method("fork")
    report = Report("served")
    for which in DOORS:
        if options.only in which:
            asyncio.run(measured(report, which, options.points, options.seconds))
    report.write()


if __name__ == "__main__":
    main()
