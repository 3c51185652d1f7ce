"""The stand-in process: a real Modbus TCP server a rack, and a guarded port for the signal source.

The guarded port speaks one JSON object a line: {"token", "do": "inject" | "list", "module", "channel",
"value", "unit"} and answers {"ok": true, …} or {"ok": false, "says": "…"}. It listens on loopback only.
"""

from __future__ import annotations

import asyncio
import hmac
import json
import logging
import signal
from dataclasses import dataclass
from typing import Any

from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from canaleta.catalogue.demo import DemoPlant, layout_of
from canaleta.standins.field import FieldRack, InjectionError

__all__ = ["StandIn", "serve"]

log = logging.getLogger("stand-in")
READ_INPUT_REGISTERS = 4
STEP_S = 0.25
LONGEST_LINE = 4096


@dataclass
class StandIn:
    """One stand-in rack: its field, its Modbus server, its unit number."""

    field: FieldRack
    server: ModbusTcpServer
    unit: int = 1
    step: int = 0

    async def run(self) -> None:
        """Serve the registers and move the process on, four times a second, until cancelled."""
        await self.server.serve_forever(background=True)
        while True:
            await self.refresh()
            await asyncio.sleep(STEP_S)
            self.step += 1

    async def refresh(self) -> None:
        """Work the registers out anew: a signal just put on the terminals is read at once."""
        words = self.field.step(self.step).tolist()
        await self.server.async_setValues(self.unit, READ_INPUT_REGISTERS, 0, words)


def build(plant: DemoPlant, rack: int, port: int, seed: int) -> StandIn:
    """A stand-in for one rack of a demo plant on a port of loopback. Must be called inside an event loop."""
    field = FieldRack(plant, layout_of(plant), rack, seed, STEP_S)
    blank = SimData(0, values=[0], datatype=DataType.BITS)
    words = SimData(0, values=field.step(0).tolist(), datatype=DataType.REGISTERS)
    holding = SimData(0, values=[0], datatype=DataType.REGISTERS)
    device = SimDevice(id=1, simdata=([blank], [blank], [holding], [words]))
    return StandIn(field, ModbusTcpServer(device, address=("127.0.0.1", port)))


class SourcePort:
    """The guarded port of the signal source."""

    def __init__(self, rack: StandIn, token: str) -> None:
        self._rack = rack
        self._token = token

    async def handle(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Answer one client, a line at a time, until it closes or misbehaves."""
        try:
            while line := await reader.readline():
                answer = self._answer(line)
                if answer.pop("put", False):
                    await self._rack.refresh()
                writer.write(json.dumps(answer).encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError, asyncio.LimitOverrunError) as error:
            log.warning("source port: a client left: %s %s", type(error).__name__, error)
        finally:
            writer.close()

    def _answer(self, line: bytes) -> dict[str, Any]:
        try:
            asked = json.loads(line)
            if not hmac.compare_digest(str(asked["token"]).encode(), self._token.encode()):
                return {"ok": False, "says": "wrong token"}
            if asked["do"] == "inject":
                value = asked["value"]
                value = None if value is None else float(value)
                self._rack.field.inject(int(asked["module"]), int(asked["channel"]), value, str(asked["unit"]))
                return {"ok": True, "put": True, "injected": self._rack.field.injected()}
            return {"ok": True, "injected": self._rack.field.injected()}
        except InjectionError as error:
            return {"ok": False, "says": str(error)}
        except (KeyError, TypeError, ValueError) as error:
            return {"ok": False, "says": f"not understood: {type(error).__name__}"}


async def serve(plant: DemoPlant, rack: int, port: int, source_port: int, token: str, seed: int) -> None:
    """Run one stand-in rack until SIGTERM or SIGINT. Raises OSError if a port is taken."""
    stand_in = build(plant, rack, port, seed)
    source = await asyncio.start_server(
        SourcePort(stand_in, token).handle, "127.0.0.1", source_port, limit=LONGEST_LINE
    )
    running = asyncio.create_task(stand_in.run())
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    log.info("rack %d answers Modbus TCP on 127.0.0.1:%d", rack, port)
    stopped = asyncio.create_task(stop.wait())
    done, _ = await asyncio.wait({running, stopped}, return_when=asyncio.FIRST_COMPLETED)
    source.close()
    running.cancel()
    await stand_in.server.shutdown()  # type: ignore[no-untyped-call]
    if running in done:
        running.result()
