"""Reading a rack over Modbus TCP: few large requests, plain reasons when it does not answer."""

from __future__ import annotations

import time
from collections.abc import Sequence
from types import TracebackType
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from canaleta.core.layout import Layout, Rack
from canaleta.core.registers import RackMap, plan_requests

__all__ = ["RackReader", "RackRefusesError", "RackSilentError", "peeked", "tested"]

MOST_WORDS = 125

EXCEPTIONS = {
    1: "the rack does not know the function",
    2: "the rack has no such register: is the first register right?",
    3: "the rack refuses the number of registers",
    4: "the rack could not do it",
    5: "the rack is still at it",
    6: "the rack is busy",
    10: "a gateway says that the path to the unit is not there",
    11: "a gateway says that the unit does not answer",
}
"""Exception codes of the MODBUS Application Protocol V1.1b3, section 7, in words."""
LASTING = frozenset({1, 2, 3})
"""What will be answered next time too: the rack has no such function or register. All others pass."""


class RackSilentError(ConnectionError):
    """The rack could not be read. The message says why, for people."""


class RackRefusesError(RackSilentError):
    """The rack has no such function or register, and will say so the next time as well."""


class RackReader:
    """One connection to one rack; reconnects at the next read after a failure."""

    def __init__(self, rack: Rack, rack_map: RackMap, timeout_s: float = 1.0) -> None:
        self._rack = rack
        self._requests = rack_map.requests()
        self._size = max((r.first + r.count for r in self._requests), default=0)
        self._client = AsyncModbusTcpClient(
            rack.host, port=rack.port, timeout=timeout_s, retries=0, reconnect_delay=0
        )

    async def __aenter__(self) -> RackReader:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._client.close()

    async def read(self) -> NDArray[np.uint16]:
        """All registers of the rack, (registers,) uint16 by register number. Raises RackSilentError."""
        words = np.zeros(self._size, dtype=np.uint16)
        for request in self._requests:
            found = await self.read_run(self._rack.function, request.first, request.count)
            words[request.first : request.first + request.count] = found
        return words

    async def read_run(self, function: str, first: int, count: int) -> list[int]:
        """A run of "input" or "holding" registers, 125 at most. Raises RackSilentError."""
        read = self._client.read_holding_registers if function == "holding" else self._client.read_input_registers
        return await self._asked(read, first, count)

    async def read_some_settings(self, registers: Sequence[int]) -> dict[int, int]:
        """{register: word} of some holding registers, in as few requests as cover them. Raises RackSilentError."""
        out: dict[int, int] = {}
        for request in plan_requests(((register, 1) for register in registers), gap=MOST_WORDS):
            words = await self._asked(self._client.read_holding_registers, request.first, request.count)
            out |= {request.first + k: word for k, word in enumerate(words)}
        return out

    async def read_settings(self, count: int) -> list[int]:
        """The first `count` holding registers. Raises RackSilentError."""
        words: list[int] = []
        while len(words) < count:
            words += await self._asked(
                self._client.read_holding_registers, len(words), min(MOST_WORDS, count - len(words))
            )
        return words

    async def write_setting(self, register: int, word: int) -> None:
        """Write one holding register. Raises RackSilentError."""
        try:
            await self.connect()
            answer = await self._client.write_register(register, word, device_id=self._rack.unit)
            _refuse_error(answer)
        except (TimeoutError, ModbusException, OSError) as error:
            raise self._gone(error) from error

    async def _asked(self, read: Any, first: int, count: int) -> list[int]:
        try:
            await self.connect()
            answer = await read(first, count=count, device_id=self._rack.unit)
            _refuse_error(answer)
            if len(answer.registers) != count:
                raise RackSilentError("the rack sent fewer registers than were asked for")
            return [int(word) for word in answer.registers]
        except (TimeoutError, ModbusException, OSError) as error:
            raise self._gone(error) from error

    async def connect(self) -> None:
        """Be connected. Raises RackSilentError if nobody listens."""
        if not self._client.connected and not await self._client.connect():
            raise RackSilentError(f"nothing answers at {self._rack.host}:{self._rack.port}")

    def _gone(self, error: Exception) -> RackSilentError:
        """The error in words; the next reading connects anew."""
        self._client.close()
        if isinstance(error, RackSilentError):
            return error
        return RackSilentError(f"no answer from {self._rack.host}:{self._rack.port} in time")


def _refuse_error(answer: Any) -> None:
    if answer.isError():
        code = getattr(answer, "exception_code", 0)
        says = EXCEPTIONS.get(code, f"the rack answers with exception {code}")
        raise RackRefusesError(says) if code in LASTING else RackSilentError(says)


async def tested(rack: Rack, rack_map: RackMap, settings: int) -> tuple[str, str, list[int]]:
    """Test a connection: (verdict, what to look at, the rack's settings registers as far as they came).

    The verdict is plain words; a rack that knows no such unit number may stay silent, answer anyway or send an
    exception, so no verdict rests on one code alone.
    """
    began = time.monotonic()
    async with RackReader(rack, rack_map, timeout_s=2.0) as reader:
        try:
            await reader.connect()
        except (RackSilentError, OSError):
            return f"nobody listens at {rack.host}:{rack.port}", "address, port, cable, and whether it is powered", []
        try:
            await reader.read()
            words = await reader.read_settings(settings)
        except RackSilentError as error:
            says = str(error)
            if "in time" in says:
                return (
                    f"somebody listens at {rack.host}:{rack.port} and does not answer unit {rack.unit}",
                    "most likely the unit number; or it is no Modbus device, or too slow", [],
                )  # fmt: skip
            if "unit" in says or "path" in says:
                return says, "the unit number behind the gateway", []
            # A device may answer a unit number it does not know with any code, so that is named whatever it says.
            return (
                f"somebody answers and refuses: {says}",
                "the unit number, then the first register and the modules",
                [],
            )
    took = (time.monotonic() - began) * 1000.0
    if took > rack.period_ms:
        return (
            f"it answers in {took:.0f} ms, slower than its period of {rack.period_ms} ms",
            "a longer period, or fewer modules a rack", words,
        )  # fmt: skip
    return f"it answers, {took:.0f} ms for everything", "", words


async def peeked(target: dict[str, Any]) -> dict[str, Any]:
    """Registers of any server as they stand: {"words": […], "says": ""}, or the reason in words and no words.

    target: host, port, unit, function ("input" or "holding"), first, count (60 at most).
    """
    rack = Rack(0, 0, "", target["host"], int(target["port"]), int(target["unit"]), 1000)
    async with RackReader(rack, RackMap.of(_NOTHING, 0), timeout_s=2.0) as reader:
        try:
            words = await reader.read_run(target["function"], int(target["first"]), min(int(target["count"]), 60))
        except RackSilentError as error:
            return {"words": [], "says": str(error)}
    return {"words": words, "says": ""}


_NOTHING = Layout({}, {}, {}, {})
