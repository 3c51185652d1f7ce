"""Ten thousand values a second from racks that are reached by name: what share of a core they take, how old they are.

    PYTHONPATH=src .venv/bin/python bench/by_name.py [--seconds 20]

The servers are processes of their own: Debian's mosquitto with a publisher, and the server of the asyncua package. As it
comes that one gives about 5,000 changes a second on a core, so a copy of each value is left out of it here, in its own
process; our client is as it always is. A value says when it was sent. Results: bench/results-by-name.txt.
"""

from __future__ import annotations

import argparse
import asyncio
import multiprocessing
import resource
import sys
import time
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent))

import numpy as np  # noqa: E402
import orjson  # noqa: E402
from tests.building.named import Broker, free_port  # noqa: E402
from tests.building.words import layout_with  # noqa: E402

from canaleta.core.model.layout import Rack  # noqa: E402
from canaleta.core.model.module_type import ModuleType  # noqa: E402
from canaleta.core.model.registers import RackMap, decode  # noqa: E402
from canaleta.racks.mqtt import MqttReader  # noqa: E402
from canaleta.racks.named import NamedReader  # noqa: E402
from canaleta.racks.opc import OpcReader  # noqa: E402
from canaleta.racks.sparkplug import Metric, Payload, written_payload  # noqa: E402
from measure import Report  # noqa: E402

VALUES = 1000
A_SECOND = 10
GROUP = 50
WAYS = (
    "OPC UA",
    "MQTT, a topic a value",
    "MQTT, 50 values of JSON a topic",
    "MQTT, Sparkplug B, 50 metrics a message",
)


def now() -> float:
    """The moment, as both processes know it, s: small enough for what a value tells."""
    return time.monotonic() % 100_000.0


async def opc_server(tell: Connection) -> None:
    """A server whose variables say when they were written, ten times a second each."""
    from asyncua import ua
    from asyncua.server import monitored_item_service
    from asyncua.server.server import Server

    monitored_item_service.copy.deepcopy = lambda value: value  # type: ignore[assignment]
    server, port = Server(), free_port()
    await server.init()
    server.set_endpoint(f"opc.tcp://127.0.0.1:{port}")
    server.set_security_policy([ua.SecurityPolicyType.NoSecurity])
    nodes = []
    for k in range(VALUES):
        name = ua.NodeId.from_string(f"ns=2;s=v{k}")
        nodes.append((await server.nodes.objects.add_variable(name, f"2:v{k}", 0.0)).nodeid)
    await server.start()
    tell.send(port)
    due = time.monotonic()
    while True:
        for at in range(0, VALUES, 100):
            for node in nodes[at : at + 100]:
                value = ua.DataValue(ua.Variant(now(), ua.VariantType.Double))
                await server.write_attribute_value(node, value)
            await asyncio.sleep(0)
        due = max(due + 1 / A_SECOND, time.monotonic() - 1.0)
        await asyncio.sleep(max(0.0, due - time.monotonic()))


async def publisher(way: str, tell: Connection) -> None:
    """A broker, and whoever publishes to it."""
    async with Broker(free_port()) as broker:
        tell.send(broker.port)
        due, seq = time.monotonic(), 0
        while True:
            at = now()
            if "topic a value" in way:
                for k in range(VALUES):
                    broker.say(f"v/{k}", repr(at))
            elif "JSON" in way:
                for first in range(0, VALUES, GROUP):
                    broker.say(f"g/{first}", orjson.dumps({f"v{k}": at for k in range(first, first + GROUP)}))
            else:
                for first in range(0, VALUES, GROUP):
                    kind = "NBIRTH" if seq == 0 else "NDATA"
                    metrics = [Metric(f"v{k}", k, at) for k in range(first, first + GROUP)]
                    broker.say(f"spBv1.0/g/{kind}/n{first}", written_payload(Payload(metrics, seq % 256)))
                seq += 1
            due += 1 / A_SECOND
            await asyncio.sleep(max(0.0, due - time.monotonic()))


def serve(way: str, tell: Connection) -> None:
    """Until this process is ended."""
    asyncio.run(opc_server(tell) if way == "OPC UA" else publisher(way, tell))


def name_of(way: str, k: int) -> str:
    """What a value is called."""
    if way == "OPC UA":
        return f"ns=2;s=v{k}"
    if "topic a value" in way:
        return f"v/{k}"
    first = k - k % GROUP
    return f"g/{first}#/v{k}" if "JSON" in way else f"spBv1.0/g/n{first}#v{k}"


def rack_of(way: str, port: int) -> tuple[Rack, RackMap]:
    """A rack of 1,000 channels that have these names."""
    mode = {"name": "as it comes", "family": "linear", "signal_unit": "mA", "signal": [4, 20], "counts": [4, 20]}
    run = {"holds": "channel words", "count": 50}
    kind = ModuleType.model_validate(
        {"key": "fifty", "title": "fifty", "channels": 50, "modes": [mode], "registers": [run]}
    )
    layout = layout_with([kind])
    modules = {
        n: replace(
            layout.modules[4], id=n, place=n, names=tuple(name_of(way, k) for k in range((n - 1) * 50, n * 50))
        )
        for n in range(1, VALUES // 50 + 1)
    }
    link = "OPC UA" if way == "OPC UA" else "MQTT"
    rack = replace(layout.racks[1], link=link, host="127.0.0.1", port=port, period_ms=100)
    layout = replace(layout, modules=modules, racks={1: rack})
    return rack, RackMap.of(layout, 1)


async def reads(way: str, port: int, seconds: float) -> tuple[float, np.ndarray, float]:
    """(share of a core, how old the values were at each reading in ms, values that came a second)."""
    rack, rack_map = rack_of(way, port)
    reader: NamedReader = (
        OpcReader(rack, rack_map, "", None, 5.0) if way == "OPC UA" else MqttReader(rack, rack_map, "", 5.0)
    )
    ages, fresh = [], 0
    async with reader:  # type: ignore[attr-defined]
        await reader.read()
        loop = asyncio.get_running_loop()
        await asyncio.sleep(1.0)
        before = decode(rack_map, await reader.read()).counts
        began, used = loop.time(), time.process_time()
        due = began
        while due < began + seconds:
            await asyncio.sleep(max(0.0, due - loop.time()))
            counts = decode(rack_map, await reader.read()).counts
            fresh += int(np.count_nonzero(counts != before))
            before = counts
            ages.append((now() - counts) * 1000.0)
            due += 1 / A_SECOND
        took = loop.time() - began
        share = (time.process_time() - used) / took
    return share, np.concatenate(ages), fresh / took


def main() -> None:
    """Measure every way, and write the report."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=20.0)
    seconds = parser.parse_args().seconds
    report = Report("by-name")
    report.lines.append(f"{VALUES} values that change {A_SECOND} times a second, read as often, for {seconds:.0f} s")
    for way in WAYS:
        mine, theirs = multiprocessing.Pipe()
        process = multiprocessing.Process(target=serve, args=(way, theirs), daemon=False)
        process.start()
        share, ages, came = asyncio.run(reads(way, mine.recv(), seconds))
        process.terminate()
        process.join()
        report.add(f"{way}: of a core", f"{100 * share:.0f} %", "100 %")
        report.add(f"{way}: a value is this old when read, median, 99th", f"{np.median(ages):.0f}, {np.percentile(ages, 99):.0f} ms")  # fmt: skip
        report.add(f"{way}: values that had changed", f"{came:,.0f} a second", "10,000")
    report.add("largest memory of this process", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024} MB")
    report.write()


if __name__ == "__main__":
    main()
