"""Devices on a serial line that are none of ours: written from MODBUS over Serial Line V1.02, on a pseudo-terminal or
behind a gateway that only carries bytes; and able to be late, silent or garbled on purpose."""

from __future__ import annotations

import asyncio
import contextlib
import os
import struct
import tty
from collections.abc import Callable


def crc(frame: bytes) -> bytes:
    """The check of an RTU frame, low byte first (V1.02, 6.2.2): polynomial 0xA001, preset to ones."""
    value = 0xFFFF
    for octet in frame:
        value ^= octet
        for _ in range(8):
            value = (value >> 1) ^ 0xA001 if value & 1 else value >> 1
    return struct.pack("<H", value)


def lrc(frame: bytes) -> int:
    """The check of an ASCII frame (V1.02, 6.2.1): the sum of the bytes, negated."""
    return -sum(frame) & 0xFF


class Devices:
    """Units on one line, each with its holding registers. late: how much later each answer comes, s, in turns. spoil:
    what becomes of a frame on its way; silent: units that do not answer."""

    def __init__(self, units: dict[int, dict[int, int]], *, ascii_frames: bool = False) -> None:
        self.units, self.ascii_frames = units, ascii_frames
        self.late: list[float] = []
        self.silent: set[int] = set()
        self.spoil: Callable[[bytes], bytes] = lambda frame: frame
        self.asked: list[tuple[int, int, int]] = []
        self.overlaps = 0
        self._busy = 0
        self._tasks: set[asyncio.Task[None]] = set()
        self._ends: list[Callable[[], None]] = []

    async def on_tcp(self) -> int:
        """Behind a gateway that carries the bytes of whoever is connected; returns its port."""
        writers: list[asyncio.StreamWriter] = []

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            writers[:] = [writer]
            rest = b""
            with contextlib.suppress(ConnectionError):
                while data := await reader.read(256):
                    rest = self._heard(rest + data, lambda answer: writers[-1].write(answer))

        server = await asyncio.start_server(serve, "127.0.0.1", 0)
        self._ends += [server.close, lambda: [w.transport.abort() for w in writers] and None]
        return int(server.sockets[0].getsockname()[1])

    def on_terminal(self) -> str:
        """On a pseudo-terminal; returns the device file of its other end."""
        ours, theirs = os.openpty()
        tty.setraw(ours)
        tty.setraw(theirs)
        os.set_blocking(ours, False)
        loop, rest = asyncio.get_running_loop(), bytearray()

        def hear() -> None:
            with contextlib.suppress(OSError):
                rest[:] = self._heard(bytes(rest) + os.read(ours, 256), lambda answer: os.write(ours, answer))

        loop.add_reader(ours, hear)
        self._ends += [lambda: loop.remove_reader(ours), lambda: os.close(ours), lambda: os.close(theirs)]
        return os.ttyname(theirs)

    def end(self) -> None:
        for end in self._ends:
            end()
        for task in self._tasks:
            task.cancel()

    def _heard(self, data: bytes, send: Callable[[bytes], object]) -> bytes:
        """Answer whole frames; what is left of a begun one."""
        if self.ascii_frames:
            while (end := data.find(b"\r\n")) >= 0:
                frame, data = bytes.fromhex(data[1:end].decode()), data[end + 2 :]
                assert lrc(frame[:-1]) == frame[-1]
                self._answer(frame[:-1], send)
            return data
        # Reads and writes of one register have eight bytes.
        while len(data) >= 8:
            frame, data = data[:8], data[8:]
            assert crc(frame[:6]) == frame[6:8]
            self._answer(frame[:6], send)
        return data

    def _answer(self, frame: bytes, send: Callable[[bytes], object]) -> None:
        unit, function, first, count = struct.unpack(">BBHH", frame)
        self.asked.append((unit, first, count))
        registers = self.units.get(unit)
        if registers is None or unit in self.silent:
            return
        if function == 6:
            registers[first] = count
            body = frame
        elif all(at in registers for at in range(first, first + count)):
            body = struct.pack(">BBB", unit, function, 2 * count)
            body += struct.pack(f">{count}H", *(registers[at] for at in range(first, first + count)))
        else:
            body = struct.pack(">BBB", unit, function | 0x80, 2)
        if self.ascii_frames:
            whole = b":" + (body + bytes((lrc(body),))).hex().upper().encode() + b"\r\n"
        else:
            whole = body + crc(body)
        seconds = self.late[len(self.asked) % len(self.late)] if self.late else 0.0
        self.overlaps += self._busy > 0
        task = asyncio.create_task(self._send(self.spoil(whole), seconds, send))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _send(self, frame: bytes, seconds: float, send: Callable[[bytes], object]) -> None:
        self._busy += 1
        await asyncio.sleep(seconds)
        self._busy -= 1
        with contextlib.suppress(OSError):
            send(frame)
