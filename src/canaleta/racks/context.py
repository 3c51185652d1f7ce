"""What an agent and the scanners of its racks share: the plant as it stands, who asked what, and who holds the leases.

The agent brings it up to date; a scanner and the digester read it. So neither knows the agent.
"""

from __future__ import annotations

import asyncio
import os
import secrets
import socket
from collections import defaultdict

from sqlalchemy import Engine

from canaleta.core.model.image import PlantImage
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.database.room import Room
from canaleta.plant.records.image_cache import ImageCache
from canaleta.racks.source import SignalSource, SourceError

__all__ = ["Channels", "Context"]

Channels = frozenset[tuple[int, int]]
"""(module, channel) of some channels."""


class Context:
    """source: the signal source of the stand-ins, None where there is none. holder: the name under which racks are leased.

    image: the list as it stands, None before it was read. asked: set for a rack that has a command. substitutes:
    {point: value}. suppressors: points whose state suppresses alarms of others; switches: their states, -1 where one is
    not known. trends_wanted: racks whose newest readings somebody asked for. lateness: s behind its time, by rack.
    followed: the list that a rack's stand-in follows.
    """

    def __init__(self, engine: Engine, source: SignalSource | None) -> None:
        self.engine = engine
        self.at_once = engine.execution_options(isolation_level="AUTOCOMMIT")
        self.source = source
        self.holder = f"{socket.gethostname()}:{os.getpid()}:{secrets.token_hex(3)}"
        self.cache = ImageCache(engine)
        self.clock = PlantClock.of(engine)
        self.room = Room.of_environment()
        self.image: PlantImage | None = None
        self.asked: defaultdict[int, asyncio.Event] = defaultdict(asyncio.Event)
        self.substitutes: dict[int, float] = {}
        self.switches: dict[int, int] = {}
        self.suppressors: set[int] = set()
        self.trends_wanted: set[int] = set()
        self.lateness: dict[int, float] = {}
        self.followed: dict[int, PlantImage] = {}
        self._asking = asyncio.Lock()
        self._asked_at = float("-inf")
        self._answer: set[tuple[int, int, int]] = set()

    async def injected(self, rack: int) -> Channels:
        """(module, channel) of each signal that is put on terminals of this rack, asked after this call began."""
        image = self.image
        if self.source is None or image is None or not image.layout.racks[rack].stand_in:
            return frozenset()
        module_at = {m.place: m.id for m in image.layout.modules_of(rack)}
        try:
            put = await self._ask_source()
        except SourceError:
            return frozenset()
        return frozenset((module_at[place], channel) for r, place, channel in put if r == rack and place in module_at)

    async def _ask_source(self) -> set[tuple[int, int, int]]:
        """Ask the source; an answer to a question that was put after this call began serves it as well."""
        assert self.source is not None
        loop = asyncio.get_running_loop()
        came = loop.time()
        async with self._asking:
            if self._asked_at < came:
                self._asked_at = loop.time()
                self._answer = await self.source.injected()
            return self._answer
