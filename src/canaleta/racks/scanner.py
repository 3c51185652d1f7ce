"""One rack's scanner: read, work out, write, once a period; commands in between; what it knows kept when it ends."""

from __future__ import annotations

import asyncio
import logging
import math
from collections.abc import Sequence

from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.hardware.forcing import ForceMap
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import short
from canaleta.plant.checks.stand_in import followed_document
from canaleta.plant.live import alarms as alarm_records
from canaleta.plant.live.commands import Command, Outcome, finish, start_waiting
from canaleta.plant.live.scan_store import store_transitions, stored_state
from canaleta.plant.live.trends import pack_hour, waiting_hours
from canaleta.racks.commands import done
from canaleta.racks.context import Context
from canaleta.racks.controller import shown_values
from canaleta.racks.digesting import STATE_S, Answer, Digester
from canaleta.racks.life import Outside, RackLife
from canaleta.racks.reader import RackRefusesError, RackSilentError
from canaleta.racks.readers import AnyReader, reader_of
from canaleta.racks.source import SourceError

__all__ = ["Scanner"]

log = logging.getLogger("scan")
PACK_S = 60.0
FORCES_S = 2.0
"""How often the rack is asked what it holds by force; after a force of ours it is asked at once."""
WAIT_AFTER_TROUBLE_S = 1.0


class Scanner:
    """Scans one rack under one lease. It ends when the hardware changes; its agent then starts another."""

    def __init__(self, context: Context, digester: Digester, rack: int, epoch: int) -> None:
        self._context, self._digester = context, digester
        self._rack = rack
        self._epoch = epoch
        self._life: RackLife | None = None
        self._packed_at = 0.0
        self._silent: RackSilentError | None = None
        self._no_forces = ""
        self._forced: frozenset[tuple[int, int]] = frozenset()
        self._forced_at = float("-inf")

    async def run(self) -> None:
        """Scan until cancelled, or until the layout is another. Trouble with the database is waited out."""
        self._context.asked[self._rack].set()
        try:
            while True:
                try:
                    if await self._hold():
                        return
                except SQLAlchemyError as error:
                    log.warning("rack %d: the database does not answer: %s", self._rack, short(error))
                    await asyncio.sleep(WAIT_AFTER_TROUBLE_S)
                except Exception:
                    # What nobody foresaw costs this rack a second, not the scan.
                    log.exception("rack %d: the scan met what it does not know; it begins anew", self._rack)
                    await asyncio.sleep(WAIT_AFTER_TROUBLE_S)
        finally:
            self._digester.forget(self._rack)
            self._keep_last()

    async def _hold(self) -> bool:
        """Scan one rack with one layout. Returns whether it is over: the rack is gone, or somebody else has it."""
        image = self._context.image
        if image is None or self._rack not in image.layout.racks:
            return True
        rack, rack_map = image.layout.racks[self._rack], RackMap.of(image.layout, self._rack)
        await self._stand_in_follows(image)
        self._life = await asyncio.to_thread(self._begin, image, rack_map)
        log.info("rack %d at %s:%d is ours, %d channels", rack.id, rack.host, rack.port, len(rack_map))
        forces = ForceMap.of(image.layout, self._rack)
        async with reader_of(self._context.engine, rack, rack_map, min(1.0, rack.period_ms / 1000)) as reader:
            return await self._scan(image, reader, forces, rack.period_ms / 1000.0)

    async def _scan(self, image: PlantImage, reader: AnyReader, forces: ForceMap, period: float) -> bool:
        assert self._life is not None
        loop, layout = asyncio.get_running_loop(), image.layout
        due = loop.time()
        while True:
            self._context.lateness[self._rack] = loop.time() - due
            newest = self._context.image
            if newest is None or newest.layout is not layout:
                return newest is None or self._rack not in newest.layout.racks
            await self._follow(newest)
            await self._commands()
            # Stamped before it is asked for: a reading is never older than it says, however long the way took.
            outside, words, read_at = Outside(), None, self._context.clock.not_before()
            try:
                async with reader.one_reading():
                    words = await reader.read()
                    outside = await self._outside(newest, reader, forces)
                if self._silent:
                    log.info("rack %d answers again", self._rack)
                self._silent = None
            except RackSilentError as error:
                # Values without what is forced among them would pass for the field's: they are not shown at all.
                words = None
                if self._silent is None or self._silent.state is not error.state:
                    log.warning("rack %d: %s", self._rack, error)
                self._silent, read_at = error, self._context.clock.when()
            answer = Answer(
                self._life, self._epoch, words, read_at, outside, reader.refused, self._silent, reader.reasons
            )
            if not await self._digester.digest(answer):
                return True
            await self._pack()
            # Racks of one period are read at the same moments: what they answer is worked out together.
            due = max(period * math.floor(due / period + 1.001), loop.time())
            if await self._woken(due - loop.time()):
                due = loop.time()

    async def _follow(self, image: PlantImage) -> None:
        """Go on with a changed list."""
        assert self._life is not None
        if image is not self._life.plan.image:
            await self._stand_in_follows(image)
            await asyncio.to_thread(self._replan, image)

    async def _stand_in_follows(self, image: PlantImage) -> None:
        """A stand-in becomes what the list says of it, point by point as the list changes, unless the plant keeps its
        stand-ins as they are; what else was made different there stays."""
        before = self._context.followed.get(self._rack)
        self._context.followed[self._rack] = image
        source = self._context.source
        if before is None or source is None or image.conventions.stand_ins != "follow the list":
            return
        if (wanted := await asyncio.to_thread(followed_document, before, image, self._rack)) is None:
            return
        document, port, keep = wanted
        try:
            await source.become(document, {self._rack: port}, self._rack, keep)
            log.info("rack %d: the stand-in follows the list", self._rack)
        except SourceError as error:
            log.warning("rack %d: the stand-in could not follow the list: %s", self._rack, error)

    async def _outside(self, image: PlantImage, reader: AnyReader, forces: ForceMap) -> Outside:
        injected = await self._context.injected(self._rack)
        loop = asyncio.get_running_loop()
        if forces.registers and loop.time() - self._forced_at >= FORCES_S:
            self._forced_at = loop.time()
            try:
                self._forced = frozenset(forces.forced(await reader.read_some_settings(forces.registers)))
                self._no_forces = ""
            except RackRefusesError as error:
                if self._no_forces != str(error):
                    log.warning("rack %d: what is forced cannot be read: %s", self._rack, error)
                self._no_forces = str(error)
            except RackSilentError:
                self._forced_at = float("-inf")
                raise
        assert self._life is not None
        shown = await shown_values(reader, image, self._life.plan.rows)
        return Outside(injected, self._forced, self._context.substitutes, self._context.switches, shown)

    async def _woken(self, seconds: float) -> bool:
        """Wait for the next scan; whether a command came before it."""
        asked = self._context.asked[self._rack]
        try:
            async with asyncio.timeout(seconds):
                await asked.wait()
        except TimeoutError:
            return False
        return True

    # In threads ----------------------------------------------------------------------------------------

    def _begin(self, image: PlantImage, rack_map: RackMap) -> RackLife:
        """A rack's memory: what the scanner before kept, and what alarms were open elsewhere."""
        life = RackLife(image, self._rack, rack_map)
        with self._context.engine.begin() as connection:
            if kept := stored_state(connection, self._rack):
                try:
                    life.take_up(kept[0])
                except ValueError as error:
                    log.warning("rack %d: %s: it begins anew", self._rack, error)
            life.adopt(alarm_records.states_elsewhere(connection, life.new_alarms))
            alarm_records.forget(connection, self._rack, life.every_key)
        return life

    def _replan(self, image: PlantImage) -> None:
        assert self._life is not None
        before = self._life.replan(image)
        with self._context.engine.begin() as connection:
            store_transitions(connection, self._rack, self._epoch, self._context.holder, (), None, before)
            self._life.adopt(alarm_records.states_elsewhere(connection, self._life.new_alarms))
            alarm_records.forget(connection, self._rack, self._life.every_key)

    def _keep_last(self) -> None:
        """What must not be lost when this scanner ends. A database that is away has the state of a moment ago."""
        if self._life is None:
            return
        try:
            with self._context.engine.begin() as connection:
                store_transitions(
                    connection,
                    self._rack,
                    self._epoch,
                    self._context.holder,
                    (),
                    self._life.packed(),
                    self._life.part(),
                )
        except SQLAlchemyError as error:
            log.warning("rack %d: its state is that of %d s ago at most: %s", self._rack, STATE_S, short(error))

    async def _pack(self) -> None:
        """Make hours that are over into rows of points, one an hour, in a thread."""
        loop = asyncio.get_running_loop()
        if loop.time() - self._packed_at < PACK_S:
            return
        self._packed_at = loop.time()
        await asyncio.to_thread(self._pack_hours)

    def _pack_hours(self) -> None:
        with self._context.engine.connect() as connection:
            hours = waiting_hours(connection, self._rack, self._context.clock.when())
        for hour in hours:
            with self._context.engine.begin() as connection:
                points = pack_hour(connection, self._rack, hour)
            log.info("rack %d: the hour %s packed, %d points", self._rack, hour.isoformat(), points)

    # Commands ------------------------------------------------------------------------------------------

    async def _commands(self) -> None:
        asked = self._context.asked[self._rack]
        if not asked.is_set():
            return
        asked.clear()
        assert self._life is not None
        for command in await asyncio.to_thread(self._waiting):
            result = await done(self._context, self._life, self._epoch, command)
            if command.kind == "force":
                self._forced_at = float("-inf")
            await asyncio.to_thread(self._finish, command.id, result)
            log.info(
                "command %d of %s: %s %s: %s %s",
                command.id,
                command.who,
                command.kind,
                command.target,
                result.ended,
                result.says,
            )

    def _waiting(self) -> Sequence[Command]:
        with self._context.engine.begin() as connection:
            return start_waiting(connection, self._rack, self._epoch)

    def _finish(self, command: int, result: Outcome) -> None:
        with self._context.engine.begin() as connection:
            finish(connection, command, result)
