"""A Modbus TCP server that is none of ours: written from the protocol's own paper, and able to misbehave on purpose.

MODBUS Messaging on TCP/IP Implementation Guide V1.0b: transaction, protocol 0, length, unit; then function and data.
"""

from __future__ import annotations

import asyncio
import contextlib
import struct
from typing import Literal

Manner = Literal["well", "slow", "silent", "garbage", "refuses", "other transaction", "short"]


class Stranger:
    """Answers functions 1 to 4 from a dict of each table. manner: how it behaves from now on. late: how much later
    each answer comes, s, in turns; swapped: a quick answer may pass a slow one."""

    def __init__(
        self,
        unit: int,
        holding: dict[int, int] | None = None,
        inputs: dict[int, int] | None = None,
        coils: dict[int, int] | None = None,
        discrete: dict[int, int] | None = None,
    ) -> None:
        self.unit = unit
        self.tables = {1: coils or {}, 2: discrete or {}, 3: holding or {}, 4: inputs or {}}
        self.manner: Manner = "well"
        self.refuses_with = 2
        self.asked: list[tuple[int, int, int]] = []
        self.port = 0
        self.connections = 0
        self.unknown: set[int] = set()
        self.written: list[int] = []
        self.late: list[float] = []
        self.swapped = False
        self._server: asyncio.Server | None = None
        self._writers: set[asyncio.StreamWriter] = set()

    writes = frozenset((5, 6, 15, 16, 22, 23))

    def _written(self, function: int, body: bytes) -> bytes:
        """What writes: single coil and register, several of them, bits of one, and writing before reading (V1.1b3, 6.5,
        6.6, 6.11, 6.12, 6.16, 6.17)."""
        self.written.append(function)
        coils, holding = self.tables[1], self.tables[3]
        at, count = struct.unpack(">HH", body[1:5])
        if function == 5:
            coils[at] = int(count == 0xFF00)
            return body
        if function == 6:
            holding[at] = count
            return body
        if function == 15:
            coils.update({at + k: body[6 + k // 8] >> (k % 8) & 1 for k in range(count)})
            return body[:5]
        if function == 16:
            holding.update({at + k: word for k, word in enumerate(struct.unpack(f">{count}H", body[6:]))})
            return body[:5]
        if function == 22:
            and_mask, or_mask = struct.unpack(">HH", body[3:7])
            holding[at] = (holding[at] & and_mask) | (or_mask & ~and_mask & 0xFFFF)
            return body
        first, many = struct.unpack(">HH", body[5:9])
        holding.update({first + k: word for k, word in enumerate(struct.unpack(f">{many}H", body[10:]))})
        return bytes((function, 2 * count)) + struct.pack(f">{count}H", *(holding[at + k] for k in range(count)))

    async def begin(self, port: int = 0) -> None:
        """Listen; a server that was cut off listens again on the same port."""
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", port or self.port)
        self.port = self._server.sockets[0].getsockname()[1]

    async def cut(self) -> None:
        """As if the cable were pulled: nobody listens, and every connection is gone."""
        if self._server:
            self._server.close()
        for writer in list(self._writers):
            writer.transport.abort()
        self._server = None

    async def hang_up(self) -> None:
        """End every connection; it goes on listening."""
        for writer in list(self._writers):
            writer.transport.abort()

    async def _later(
        self, answer: bytes, writer: asyncio.StreamWriter, seconds: float, before: asyncio.Task[None] | None
    ) -> None:
        await asyncio.sleep(seconds)
        if before is not None and not self.swapped:
            await before
        writer.write(answer)

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._writers.add(writer)
        self.connections += 1
        waiting: asyncio.Task[None] | None = None
        with contextlib.suppress(asyncio.IncompleteReadError, ConnectionError, asyncio.CancelledError):
            while True:
                transaction, _, length, unit = struct.unpack(">HHHB", await reader.readexactly(7))
                body = await reader.readexactly(length - 1)
                answer = await self._answer(unit, body)
                if answer is None:
                    continue
                if self.manner == "garbage":
                    writer.write(b"\xff\x00garbage\x00\x01" * 3)
                else:
                    number = transaction + (self.manner == "other transaction") * 77 & 0xFFFF
                    frame = struct.pack(">HHHB", number, 0, len(answer) + 1, unit) + answer
                    if self.late:
                        seconds = self.late[len(self.asked) % len(self.late)]
                        waiting = asyncio.create_task(self._later(frame, writer, seconds, waiting))
                        continue
                    writer.write(frame)
                await writer.drain()
        self._writers.discard(writer)
        writer.close()

    async def _answer(self, unit: int, body: bytes) -> bytes | None:
        if self.manner == "silent" or unit != self.unit:
            return None
        if self.manner == "slow":
            await asyncio.sleep(2.0)
        function = body[0]
        if function in self.writes and function not in self.unknown:
            return self._written(function, body)
        if function not in self.tables or function in self.unknown:
            return bytes((function | 0x80, 1))
        first, count = struct.unpack(">HH", body[1:5])
        self.asked.append((function, first, count))
        table = self.tables[function]
        if self.manner == "refuses" or any(at not in table for at in range(first, first + count)):
            return bytes((function | 0x80, self.refuses_with))
        words = [table[at] for at in range(first, first + count)]
        if function in (1, 2):
            # The first in the lowest bit of the first byte (MODBUS Application Protocol V1.1b3, 6.1).
            octets = bytearray((len(words) + 7) // 8)
            for k, bit in enumerate(words):
                octets[k // 8] |= bit << (k % 8)
            return bytes((function, len(octets))) + octets
        if self.manner == "short":
            words = words[:-1]
        return bytes((function, 2 * len(words))) + struct.pack(f">{len(words)}H", *words)
