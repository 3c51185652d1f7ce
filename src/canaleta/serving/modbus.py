"""Modbus TCP: values in units at the registers that the list says (`published_at`), served by pymodbus.

A request that begins or ends where nothing is published, or in the middle of a number, is refused: a wrong address must not
read as zero. Between numbers of one request zeros may stand.
"""

from __future__ import annotations

import logging
from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from canaleta.core.notation.arrays import Rows
from canaleta.core.sheet.published import FUNCTIONS, published
from canaleta.serving.values import Values

__all__ = ["ModbusDoor", "Registers"]

log = logging.getLogger("serve")
_INPUT, _HOLDING = (FUNCTIONS.index(name) for name in ("input", "holding"))
_TABLES = {3: (_HOLDING, False), 4: (_INPUT, False), 1: (_HOLDING, True), 2: (_INPUT, True)}
"""Which table a function reads, and whether its bits: MODBUS Application Protocol V1.1b3, 6.1 to 6.4."""
_WRITES = (6, 16)
MOST_CLIENTS = 64
Write = Callable[[int, float], Awaitable[bool]]
"""Writes a value in units to a point that was given away; whether it was done."""


class Registers:
    """What stands at each register, and whether a number begins or ends there."""

    def __init__(self, values: Values) -> None:
        self.words = np.zeros((2, 0x10000), np.uint16)
        self.good = np.zeros((2, 0x10000), bool)
        self.begins = np.zeros((2, 0x10000), bool)
        self.ends = np.zeros((2, 0x10000), bool)
        self.renew(values)

    def renew(self, values: Values) -> None:
        """Follow a list that moved on."""
        self.what = what = published(values.image)
        for table in (self.words, self.good, self.begins, self.ends):
            table[:] = 0
        widths = np.array([form.words for form in what.forms], dtype=np.int64)
        wide = widths[what.form] if len(what.rows) else np.empty(0, np.int64)
        self.begins[what.function, what.register] = True
        self.ends[what.function, what.register + wide - 1] = True
        # From a row of the image to its place here, −1 for none.
        self._place = np.full(len(values.image), -1, np.int64)
        self._place[what.rows] = np.arange(len(what.rows))
        self.put(values, what.rows)

    def put(self, values: Values, rows: Rows) -> None:
        """Some rows of the list say something else."""
        places = self._place[rows]
        places = places[places >= 0]
        if not len(places):
            return
        what, mine = self.what, self.what.rows[places]
        value, bad = values.value[mine], values.bad(mine)
        for some, words in what.words(places, value, bad):
            at = what.register[some][:, None] + np.arange(words.shape[1])
            self.words[what.function[some][:, None], at] = words
        self.good[what.function[places], what.register[places]] = values.good(mine) & ~what.unfit(places, value)

    def read(self, function: int, address: int, count: int) -> list[int] | list[bool] | ExcCodes:
        """What a request reads."""
        table, bits = _TABLES[function]
        last = address + count - 1
        if bits:
            known = self.begins[table, address : last + 1]
            return self.good[table, address : last + 1].tolist() if known.any() else ExcCodes.ILLEGAL_ADDRESS
        if last > 0xFFFF or not self.begins[table, address] or not self.ends[table, last]:
            return ExcCodes.ILLEGAL_ADDRESS
        return [int(word) for word in self.words[table, address : last + 1]]

    def written(self, address: int, words: list[int]) -> tuple[int, float] | None:
        """(row of the image, value in units) that a write means; None where no number begins or ends there."""
        what = self.what
        at = np.flatnonzero((what.function == _HOLDING) & (what.register == address))
        if len(at) != 1:
            return None
        k = int(at[0])
        form = what.forms[int(what.form[k])]
        if form.words != len(words):
            return None
        return int(what.rows[k]), float(form.counts_of([words])[0] / what.factor[k])


class ModbusDoor:
    """A server at one address. write: what a write to a point that was given away does."""

    kind = "Modbus TCP"

    def __init__(self, host: str, port: int, write: Write) -> None:
        self._host, self._port, self._write = host, port, write
        self.registers: Registers | None = None
        self._server: _Server | None = None
        self._given: frozenset[int] = frozenset()
        self._ids = np.empty(0, np.int64)

    async def open(self, values: Values) -> None:
        """Listen. Raises OSError if the address is taken."""
        await self.renew(values)
        server = _Server(self, (self._host, self._port))
        try:
            await server.serve_forever(background=True)
        except RuntimeError as error:
            raise OSError(f"nobody can listen at {self._host}:{self._port}: it is taken, or not ours") from error
        self._server = server

    async def renew(self, values: Values) -> None:
        """Follow a list that moved on."""
        self._ids = values.image.ids
        if self.registers is None:
            self.registers = Registers(values)
        else:
            self.registers.renew(values)

    async def take(self, values: Values, rows: Rows) -> None:
        """Some rows say something else."""
        if self.registers is not None:
            self.registers.put(values, rows)

    async def give(self, points: frozenset[int]) -> None:
        """Which points may be written."""
        self._given = points

    def says(self) -> dict[str, Any]:
        """How this door is."""
        what = self.registers.what if self.registers else None
        wrong = [{"point": int(self._ids[row]), "says": text} for row, text in (what.wrong if what else {}).items()]
        return {
            "kind": self.kind,
            "at": f"{self._host}:{self._port}",
            "clients": self._server.clients if self._server else 0,
            "points": len(what.rows) if what else 0,
            "wrong": wrong[:20],
        }

    async def close(self) -> None:
        """End every connection."""
        server, self._server = self._server, None
        if server is not None:
            await server.shutdown()  # type: ignore[no-untyped-call]

    # As pymodbus asks its store --------------------------------------------------------------------------

    async def async_getValues(self, device_id: int, func_code: int, address: int, count: int = 1) -> Any:
        """What a read asks for, or why not."""
        if func_code not in _TABLES:
            return ExcCodes.ILLEGAL_FUNCTION
        return self.registers.read(func_code, address, count) if self.registers else ExcCodes.DEVICE_BUSY

    async def async_setValues(self, device_id: int, func_code: int, address: int, values: Any) -> ExcCodes | None:
        """A write: to what was given away alone."""
        if func_code not in _WRITES:
            return ExcCodes.ILLEGAL_FUNCTION
        if self.registers is None:
            return ExcCodes.DEVICE_BUSY
        meant = self.registers.written(address, [int(word) for word in values])
        if meant is None:
            return ExcCodes.ILLEGAL_ADDRESS
        row, value = meant
        point = int(self._ids[row])
        if point not in self._given:
            return ExcCodes.ILLEGAL_FUNCTION
        if not np.isfinite(value):
            return ExcCodes.ILLEGAL_VALUE
        return None if await self._write(point, value) else ExcCodes.DEVICE_FAILURE

    def device_ids(self) -> list[int]:
        """Every unit is this one."""
        return [0]


class _Server(ModbusTcpServer):
    """pymodbus' server before our registers, with so many clients at most."""

    def __init__(self, door: ModbusDoor, address: tuple[str, int]) -> None:
        nothing = SimDevice(0, simdata=[SimData(0, values=0, datatype=DataType.REGISTERS)])
        super().__init__(nothing, address=address)
        self.context: Any = door

    @property
    def clients(self) -> int:
        """How many are connected."""
        return len(self.active_connections)

    def callback_new_connection(self) -> Any:
        """A client has come. One too many is let go at once: those that are in are not pushed out."""
        handler = super().callback_new_connection()  # type: ignore[no-untyped-call]
        if self.clients >= MOST_CLIENTS:
            log.warning("Modbus TCP: %d clients are connected, one more was let go", self.clients)
            self.loop.call_soon(handler.close)
        return handler
