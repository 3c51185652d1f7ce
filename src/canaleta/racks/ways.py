"""The connection to a rack: its own over Modbus TCP, or a line that several racks share in turn.

On a line nothing tells whose an answer is but the order. So one request is made at a time, none is repeated, and after
any fault the line is kept quiet until an answer that comes late has come and belongs to nobody (docs/decisions/0029).
A unit that does not answer is asked less often, or its silence would be everybody's.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import ClassVar

from pymodbus import FramerType
from pymodbus.client import AsyncModbusSerialClient, AsyncModbusTcpClient

from canaleta.core.model.layout import Rack
from canaleta.core.model.links import in_turn, is_serial, read_line

__all__ = ["QUIET_S", "Line", "OnLine", "Own", "way_to"]

Client = AsyncModbusTcpClient | AsyncModbusSerialClient
QUIET_S = 2.5
"""How long a line is quiet after a fault: longer than a gateway holds an answer back."""
BACK_OFF_S = 10.0
"""How often a unit that did not answer is tried again, while others share its line."""
HANGS_S = 60.0
"""What a line's client waits at most; each of its racks waits as long as it likes to."""
HEARS_S = 0.02
"""Time to hear what has arrived already, before one asks."""
PAUSE_S = 0.005
"""Between two requests of a line over TCP, where the gateway keeps the silence of the line itself."""


class Own:
    """A connection of the rack's own: Modbus TCP, where an answer names the request that it is for."""

    shared = False
    resting = False

    def __init__(self, rack: Rack, timeout_s: float) -> None:
        self.client = AsyncModbusTcpClient(rack.host, port=rack.port, timeout=timeout_s, retries=0, reconnect_delay=0)

    @property
    def connected(self) -> bool:
        return bool(self.client.connected)

    async def connect(self) -> bool:
        return bool(await self.client.connect())

    @asynccontextmanager
    async def turn(self) -> AsyncIterator[None]:
        yield

    def failed(self) -> None:
        """What comes too late meets a closed connection."""
        self.client.close()

    def leave(self) -> None:
        self.client.close()


class Line:
    """One line of this process: a serial port, or a gateway that carries its frames over TCP."""

    _all: ClassVar[dict[tuple[int, str, str, int, str], Line]] = {}
    _quiet: ClassVar[dict[tuple[int, str, str, int, str], float]] = {}
    """Until when lines are quiet that nobody uses now: who comes next may still meet the answer to what was asked."""

    @classmethod
    def of(cls, rack: Rack) -> Line:
        """The line that a rack hangs on. It lives as long as somebody uses it."""
        key = (id(asyncio.get_running_loop()), rack.link, rack.host, rack.port, rack.line)
        line = cls._all.get(key)
        if line is None:
            line = cls._all[key] = cls(rack, key, cls._quiet.pop(key, 0.0))
        line.users += 1
        return line

    def __init__(self, rack: Rack, key: tuple[int, str, str, int, str], quiet_until: float) -> None:
        self._key = key
        self.users = 0
        self.lock = asyncio.Lock()
        self.quiet_until = quiet_until
        self.silent_units: dict[int, float] = {}
        framer = FramerType.ASCII if "ASCII" in rack.link else FramerType.RTU
        self.pause_s = PAUSE_S
        if is_serial(rack.link):
            line = read_line(rack.line)
            self.pause_s = line.silence_s
            self.client: Client = AsyncModbusSerialClient(
                rack.host, framer=framer, baudrate=line.baud, bytesize=line.data_bits, parity=line.parity,
                stopbits=line.stop_bits, timeout=HANGS_S, retries=0, reconnect_delay=0,
            )  # fmt: skip
        else:
            self.client = AsyncModbusTcpClient(
                rack.host, port=rack.port, framer=framer, timeout=HANGS_S, retries=0, reconnect_delay=0
            )

    def leave(self) -> None:
        """One user less; the last one closes it."""
        self.users -= 1
        if self.users <= 0:
            self.client.close()
            self._all.pop(self._key, None)
            now = time.monotonic()
            for key in [key for key, until in self._quiet.items() if until <= now]:
                del self._quiet[key]
            if self.quiet_until > now:
                self._quiet[self._key] = self.quiet_until


class OnLine:
    """A rack's part of a line: its unit."""

    shared = True

    def __init__(self, line: Line, unit: int, timeout_s: float) -> None:
        self.line, self._unit, self._timeout_s = line, unit, timeout_s
        self._left = False

    @property
    def client(self) -> Client:
        return self.line.client

    @property
    def connected(self) -> bool:
        return bool(self.line.client.connected)

    @property
    def resting(self) -> bool:
        """Whether the unit did not answer a moment ago, and others wait for the line."""
        return self.line.users > 1 and time.monotonic() < self.line.silent_units.get(self._unit, 0.0)

    async def connect(self) -> bool:
        return bool(await self.line.client.connect())

    @asynccontextmanager
    async def turn(self) -> AsyncIterator[None]:
        """One's turn on the line, which is quiet by then. What comes meanwhile was for an earlier request, and the
        client forgets it when it asks anew."""
        async with self.line.lock:
            if (wait := self.line.quiet_until - time.monotonic()) > 0:
                await asyncio.sleep(wait)
                if wait > self.line.pause_s:
                    # Where this process was held up, what came meanwhile is still to be heard.
                    await asyncio.sleep(HEARS_S)
            try:
                async with asyncio.timeout(self._timeout_s):
                    yield
                self.line.silent_units.pop(self._unit, None)
            finally:
                self.line.quiet_until = max(self.line.quiet_until, time.monotonic() + self.line.pause_s)

    def failed(self) -> None:
        """Nobody knows what is still on its way."""
        now = time.monotonic()
        self.line.quiet_until = now + QUIET_S
        self.line.silent_units[self._unit] = now + BACK_OFF_S

    def leave(self) -> None:
        if not self._left:
            self._left = True
            self.line.leave()


def way_to(rack: Rack, timeout_s: float) -> Own | OnLine:
    """The way to a rack. Must be called inside an event loop."""
    return OnLine(Line.of(rack), rack.unit, timeout_s) if in_turn(rack.link) else Own(rack, timeout_s)
