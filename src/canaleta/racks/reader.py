"""Reading a rack over Modbus TCP: few large requests, plain reasons when it does not answer."""

from __future__ import annotations

from types import TracebackType

import numpy as np
from numpy.typing import NDArray
from pymodbus.client import AsyncModbusTcpClient
from pymodbus.exceptions import ModbusException

from canaleta.core.layout import Rack
from canaleta.core.registers import RackMap

__all__ = ["RackReader", "RackSilentError"]

EXCEPTIONS = {
    1: "the rack does not know the function",
    2: "the rack has no such register: is the first register right?",
    3: "the rack refuses the number of registers",
    4: "the rack could not do it",
    10: "a gateway says that the path to the unit is not there",
    11: "a gateway says that the unit does not answer",
}


class RackSilentError(ConnectionError):
    """The rack could not be read. The message says why, for people."""


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
        try:
            if not self._client.connected and not await self._client.connect():
                raise RackSilentError(f"nothing answers at {self._rack.host}:{self._rack.port}")
            for request in self._requests:
                answer = await self._client.read_input_registers(
                    request.first, count=request.count, device_id=self._rack.unit
                )
                if answer.isError():
                    code = getattr(answer, "exception_code", 0)
                    raise RackSilentError(EXCEPTIONS.get(code, f"the rack answers with exception {code}"))
                if len(answer.registers) != request.count:
                    raise RackSilentError("the rack sent fewer registers than were asked for")
                words[request.first : request.first + request.count] = answer.registers
        except (TimeoutError, ModbusException, OSError) as error:
            self._client.close()
            if isinstance(error, RackSilentError):
                raise
            raise RackSilentError(f"no answer from {self._rack.host}:{self._rack.port} in time") from error
        return words
