"""The guarded port of the stand-ins, for whoever stands at them.

The guarded port speaks one JSON object a line with a "token" and "do": "inject" (rack, place, channel, value, unit;
form, high and period_s of a signal that moves; faults), "wire" (rack, place, channel of an input, output: [rack,
place, channel] that is led to it or null), "list", or "become" (document, ports; only: one rack; keep: devices that
stay), and answers {"ok": true, …} or {"ok": false, "says": "…"}. It listens on loopback only. A channel is meant by
where it is in the cabinet, for the stand-in keeps its own layout, whatever the list says.
"""

from __future__ import annotations

import asyncio
import hmac
import json
import logging
import signal
from collections.abc import Mapping
from typing import Any

from canaleta.catalogue.demo import DemoPlant
from canaleta.core.notation.text import TextError
from canaleta.standins.field import InjectionError
from canaleta.standins.server import StandIns

__all__ = ["LONGEST_LINE", "SourcePort", "serve"]

log = logging.getLogger("stand-in")
LONGEST_LINE = 8_000_000


class SourcePort:
    """The guarded port of the stand-ins."""

    def __init__(self, stand_ins: StandIns, token: str) -> None:
        self._all = stand_ins
        self._token = token

    async def handle(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Answer one client, a line at a time, until it closes or misbehaves."""
        try:
            while line := await reader.readline():
                writer.write(json.dumps(await self._answer(line)).encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError, asyncio.LimitOverrunError) as error:
            log.warning("source port: a client left: %s %s", type(error).__name__, error)
        finally:
            writer.close()

    async def _answer(self, line: bytes) -> dict[str, Any]:
        try:
            asked = json.loads(line)
            if not hmac.compare_digest(str(asked["token"]).encode(), self._token.encode()):
                return {"ok": False, "says": "wrong token"}
            if asked["do"] == "inject":
                await self._inject(asked)
            elif asked["do"] == "wire":
                rack, place, channel = (int(asked[name]) for name in ("rack", "place", "channel"))
                output = asked["output"]
                led = (int(output[0]), int(output[1]), int(output[2])) if output else None
                await self._all.wire(rack, place, channel, led)
            elif asked["do"] == "become":
                ports = {int(rack): int(port) for rack, port in asked["ports"].items()}
                await self._all.become(
                    DemoPlant.model_validate(asked["document"]), ports, asked.get("only"), asked.get("keep")
                )
            return {"ok": True, "injected": self._injected()}
        except (InjectionError, TextError) as error:
            return {"ok": False, "says": str(error)}
        except (LookupError, TypeError, ValueError, OSError) as error:
            log.warning("source port: %s %s", type(error).__name__, str(error).splitlines()[:1])
            return {"ok": False, "says": f"not understood: {type(error).__name__}"}

    async def _inject(self, asked: Mapping[str, Any]) -> None:
        made = self._all.there(int(asked["rack"]))
        value = asked["value"]
        value = None if value is None else float(value)
        faults = [(str(kind), str(amount)) for kind, amount in asked.get("faults", ())]
        made.field.inject(
            int(asked["place"]),
            int(asked["channel"]),
            value,
            str(asked["unit"]),
            str(asked.get("form", "fixed")),
            float(asked.get("high", 0.0)),
            float(asked.get("period_s", 10.0)),
            faults,
        )
        await made.refresh()

    def _injected(self) -> list[tuple[int, int, int, float]]:
        return [(rack, *put) for rack, made in self._all.racks.items() for put in made.field.injected()]


async def serve(stand_ins: StandIns, source_port: int, token: str) -> None:
    """Run stand-in racks until SIGTERM or SIGINT. Raises OSError if the source port is taken."""
    # Whoever waits for the source port finds every rack listening.
    await stand_ins.begin()
    source = await asyncio.start_server(
        SourcePort(stand_ins, token).handle, "127.0.0.1", source_port, limit=LONGEST_LINE
    )
    stop = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    log.info("%d racks answer Modbus TCP on 127.0.0.1", len(stand_ins.racks))
    await stop.wait()
    source.close()
    await stand_ins.end()
