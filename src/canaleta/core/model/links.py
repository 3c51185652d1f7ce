"""The ways to reach a rack. Over Modbus: TCP, or the frames of a serial line, carried by the line or by TCP. By name:
an OPC UA server, or a broker of MQTT (core.model.by_name).

Frames of a serial line (MODBUS over Serial Line V1.02) have no transaction numbers: which answer is whose is known by
the order alone, so that requests of one line are made in turn.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError

__all__ = [
    "LINKS",
    "MODBUS_LINKS",
    "USUAL_LINE",
    "USUAL_PORT",
    "LineSettings",
    "Link",
    "ModbusLink",
    "in_turn",
    "is_by_name",
    "is_serial",
    "read_line",
    "serial_device",
]

ModbusLink = Literal["Modbus TCP", "Modbus RTU over TCP", "Modbus ASCII over TCP", "Modbus RTU", "Modbus ASCII"]
Link = Literal[
    "Modbus TCP", "Modbus RTU over TCP", "Modbus ASCII over TCP", "Modbus RTU", "Modbus ASCII", "OPC UA", "MQTT"
]
MODBUS_LINKS: tuple[ModbusLink, ...] = get_args(ModbusLink)
LINKS: tuple[Link, ...] = get_args(Link)
USUAL_PORT = {"OPC UA": 4840, "MQTT": 1883}
"""As registered with IANA for each; 502 for Modbus."""
USUAL_LINE = "19200 8E1"
"""What a device has where its manual says nothing (V1.02, 2.5.1: 19,200 bits a second, even parity)."""

_LINE = compiled(
    r"([0-9]{3,7})(?:\s*(?:baud|bit/s|bps))?[\s,;/]+([78])\s*[,-]?\s*([neo])\s*[,-]?\s*([12])", ignore_case=True
)
_DEVICE = compiled(r"/dev/(?:tty[A-Za-z0-9]{1,20}|pts/[0-9]{1,6}|serial/by-(?:id|path)/[A-Za-z0-9_.:+-]{1,120})")


@dataclass(frozen=True)
class LineSettings:
    """Of a serial line: bits a second, data bits, parity (N, E, O) and stop bits."""

    baud: int
    data_bits: int
    parity: str
    stop_bits: int

    def __str__(self) -> str:
        return f"{self.baud} {self.data_bits}{self.parity}{self.stop_bits}"

    @property
    def silence_s(self) -> float:
        """The silence that ends a frame of RTU: three and a half characters, 1.75 ms above 19,200 (V1.02, 2.5.1.1)."""
        bits = 1 + self.data_bits + (self.parity != "N") + self.stop_bits
        return 0.00175 if self.baud > 19_200 else 3.5 * bits / self.baud


def is_serial(link: str) -> bool:
    """Whether the rack hangs on a serial port of the machine that reads it."""
    return link in ("Modbus RTU", "Modbus ASCII")


def in_turn(link: str) -> bool:
    """Whether answers have no transaction numbers, so that one request waits for the other."""
    return link in MODBUS_LINKS and link != "Modbus TCP"


def is_by_name(link: str) -> bool:
    """Whether what the rack has is asked for by name, not by register."""
    return link not in MODBUS_LINKS


def read_line(text: str) -> LineSettings:
    """Settings of a line as typed: “19200 8E1”, “9600 baud, 8-N-1”. Raises TextError."""
    found = _LINE.fullmatch(text.strip())
    if not found:
        raise TextError(f"“{text.strip()[:40]}” is not how a line works: write it as {USUAL_LINE}")
    baud = int(found[1])
    if not 300 <= baud <= 4_000_000:
        raise TextError(f"{baud} bits a second: a line has 300 to 4 000 000")
    return LineSettings(baud, int(found[2]), found[3].upper(), int(found[4]))


def serial_device(text: str) -> str:
    """The device file of a serial port. Raises TextError for any other file."""
    path = text.strip()
    if not _DEVICE.fullmatch(path) or ".." in path:
        raise TextError(f"“{path[:60]}” is no serial port: write it as /dev/ttyUSB0 or /dev/serial/by-id/…")
    return path
