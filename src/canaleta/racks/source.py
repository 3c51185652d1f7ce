"""The signal source of a stand-in: puts a signal on terminals through its guarded port."""

from __future__ import annotations

import asyncio
import json
import logging
from typing import Any

__all__ = ["SignalSource", "SourceError"]

log = logging.getLogger("source")
TRIES = 3
PATIENCE_S = 2.5
PAUSE_S = 0.2
BUILDING_S = 20.0
"""How often a signal is put, how long each asking may take, what is left between, and how
long new racks may take. A scan asks once."""


class SourceError(RuntimeError):
    """The source refused or could not be reached; in words."""


class SignalSource:
    """Client of the guarded port. It exists only for stand-ins, never for a real rack."""

    def __init__(self, port: int, token: str) -> None:
        self._port = port
        self._token = token

    async def inject(self, at: tuple[int, int, int], value: float | None, unit: str) -> None:
        """Put a signal on (rack, place, channel), or take it off with None. Raises SourceError."""
        rack, place, channel = at
        put = {"do": "inject", "rack": rack, "place": place, "channel": channel, "value": value, "unit": unit}
        await self._ask(put, TRIES)

    async def put(self, what: dict[str, Any]) -> None:
        """Put on, or take off, what a command says: see the stand-ins' port. Raises SourceError."""
        await self._ask({"do": "inject"} | what, TRIES)

    async def injected(self) -> set[tuple[int, int, int]]:
        """(rack, place, channel) of every injected signal. Raises SourceError."""
        answer = await self._ask({"do": "list"})
        return {(rack, place, channel) for rack, place, channel, _ in answer["injected"]}

    async def become(
        self,
        document: dict[str, Any],
        ports: dict[int, int],
        only: int | None = None,
        keep: dict[str, str] | None = None,
    ) -> None:
        """Make the stand-ins what a document says, all of them or one rack. Raises SourceError."""
        wish = {"do": "become", "document": document, "ports": ports, "only": only, "keep": keep}
        await self._ask(wish, 1, BUILDING_S)

    async def _ask(self, what: dict[str, Any], tries: int = 1, patience_s: float = PATIENCE_S) -> dict[str, Any]:
        """Ask, and again if the machine was too busy to answer: asking twice does no more than once."""
        for left in reversed(range(tries)):
            try:
                async with asyncio.timeout(patience_s):
                    answer = await self._once(what)
                break
            except (OSError, TimeoutError, ValueError) as error:
                log.warning("the signal source at port %d: %s %s", self._port, type(error).__name__, error)
                if not left:
                    why = type(error).__name__
                    raise SourceError(f"the signal source of this stand-in cannot be reached: {why}") from error
                await asyncio.sleep(PAUSE_S)
        if not answer["ok"]:
            raise SourceError(answer["says"])
        return answer

    async def _once(self, what: dict[str, Any]) -> dict[str, Any]:
        reader, writer = await asyncio.open_connection("127.0.0.1", self._port)
        try:
            writer.write(json.dumps(what | {"token": self._token}).encode() + b"\n")
            await writer.drain()
            answer: dict[str, Any] = json.loads(await reader.readline())
            return answer
        finally:
            writer.close()
