"""One rack's scanner: read, work out, write, once a period; commands in between; what it knows kept when it ends."""

from __future__ import annotations

import asyncio
import logging
import math
from collections.abc import Sequence
from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.hardware.forcing import ForceMap, Write
from canaleta.core.hardware.settings import settings_size
from canaleta.core.live.alarms import Event
from canaleta.core.model.image import PlantImage
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import short
from canaleta.plant.checks.stand_in import followed_document
from canaleta.plant.live import alarms as alarm_records
from canaleta.plant.live.alarms import AlarmTransition
from canaleta.plant.live.arming import armed
from canaleta.plant.live.commands import DONE, Command, Ended, Outcome, finish, start_waiting
from canaleta.plant.live.scan_store import store_transitions, stored_state
from canaleta.plant.live.trends import pack_hour, waiting_hours
from canaleta.racks.controller import shown_values
from canaleta.racks.digesting import STATE_S, Answer
from canaleta.racks.life import Outside, RackLife
from canaleta.racks.reader import RackReader, RackRefusesError, RackSilentError, peeked, tested
from canaleta.racks.source import SourceError

if TYPE_CHECKING:
    from canaleta.racks.agent import Agent

__all__ = ["Scanner"]

log = logging.getLogger("scan")
PACK_S = 60.0
FORCES_S = 2.0
"""How often the rack is asked what it holds by force; after a force of ours it is asked at once."""
WAIT_AFTER_TROUBLE_S = 1.0


class Scanner:
    """Scans one rack under one lease. It ends when the hardware changes; its agent then starts another."""

    def __init__(self, agent: Agent, rack: int, epoch: int) -> None:
        self._agent = agent
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
        self._agent.asked[self._rack].set()
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
            self._agent.digester.forget(self._rack)
            self._keep_last()

    async def _hold(self) -> bool:
        """Scan one rack with one layout. Returns whether it is over: the rack is gone, or somebody else has it."""
        image = self._agent.image
        if image is None or self._rack not in image.layout.racks:
            return True
        rack, rack_map = image.layout.racks[self._rack], RackMap.of(image.layout, self._rack)
        await self._stand_in_follows(image)
        self._life = await asyncio.to_thread(self._begin, image, rack_map)
        log.info("rack %d at %s:%d is ours, %d channels", rack.id, rack.host, rack.port, len(rack_map))
        forces = ForceMap.of(image.layout, self._rack)
        async with RackReader(rack, rack_map, timeout_s=min(1.0, rack.period_ms / 1000)) as reader:
            return await self._scan(image, reader, forces, rack.period_ms / 1000.0)

    async def _scan(self, image: PlantImage, reader: RackReader, forces: ForceMap, period: float) -> bool:
        assert self._life is not None
        loop, layout = asyncio.get_running_loop(), image.layout
        due = loop.time()
        while True:
            self._agent.lateness[self._rack] = loop.time() - due
            newest = self._agent.image
            if newest is None or newest.layout is not layout:
                return newest is None or self._rack not in newest.layout.racks
            await self._follow(newest)
            await self._commands()
            # Stamped before it is asked for: a reading is never older than it says, however long the way took.
            outside, words, read_at = Outside(), None, self._agent.clock.not_before()
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
                self._silent, read_at = error, self._agent.clock.when()
            answer = Answer(self._life, self._epoch, words, read_at, outside, reader.refused, self._silent)
            if not await self._agent.digester.digest(answer):
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
        before = self._agent.followed.get(self._rack)
        self._agent.followed[self._rack] = image
        source = self._agent.source
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

    async def _outside(self, image: PlantImage, reader: RackReader, forces: ForceMap) -> Outside:
        injected = await self._agent.injected(self._rack)
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
        return Outside(injected, self._forced, self._agent.substitutes, self._agent.switches, shown)

    async def _woken(self, seconds: float) -> bool:
        """Wait for the next scan; whether a command came before it."""
        asked = self._agent.asked[self._rack]
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
        with self._agent.engine.begin() as connection:
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
        with self._agent.engine.begin() as connection:
            store_transitions(connection, self._rack, self._epoch, self._agent.holder, (), None, before)
            self._life.adopt(alarm_records.states_elsewhere(connection, self._life.new_alarms))
            alarm_records.forget(connection, self._rack, self._life.every_key)

    def _keep_last(self) -> None:
        """What must not be lost when this scanner ends. A database that is away has the state of a moment ago."""
        if self._life is None:
            return
        try:
            with self._agent.engine.begin() as connection:
                store_transitions(
                    connection,
                    self._rack,
                    self._epoch,
                    self._agent.holder,
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
        with self._agent.engine.connect() as connection:
            hours = waiting_hours(connection, self._rack, self._agent.clock.when())
        for hour in hours:
            with self._agent.engine.begin() as connection:
                points = pack_hour(connection, self._rack, hour)
            log.info("rack %d: the hour %s packed, %d points", self._rack, hour.isoformat(), points)

    # Commands ------------------------------------------------------------------------------------------

    async def _commands(self) -> None:
        asked = self._agent.asked[self._rack]
        if not asked.is_set():
            return
        asked.clear()
        for command in await asyncio.to_thread(self._waiting):
            result = await self._do(command)
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

    async def _do(self, command: Command) -> Outcome:
        try:
            match command.kind:
                case "inject":
                    return await self._inject(command.target)
                case "become":
                    return await self._become(command.target)
                case "alarm" | "reset" | "zero":
                    return await asyncio.to_thread(self._said, command)
                case "force":
                    return await self._write(command.target)
                case "peek":
                    return Outcome(Ended.DONE, answer=await peeked(command.target))
                case _:
                    return await self._settings(command)
        except (SourceError, RackSilentError) as error:
            return Outcome.failed(error)

    async def _inject(self, target: dict[str, Any]) -> Outcome:
        if self._agent.source is None:
            return Outcome.failed("this rack has no signal source")
        await self._agent.source.put(target)
        return DONE

    async def _become(self, target: dict[str, Any]) -> Outcome:
        if self._agent.source is None:
            return Outcome.failed("there is no stand-in on this machine")
        ports = {int(rack): port for rack, port in target["ports"].items()}
        await self._agent.source.become(target["document"], ports, target.get("only"))
        return DONE

    def _said(self, command: Command) -> Outcome:
        """Somebody's word about alarms, latched faults or counters; the answer says how many it moved."""
        life, target = self._life, command.target
        assert life is not None
        now = self._agent.clock.when()
        passed: list[AlarmTransition] = []
        if command.kind == "alarm":
            until = datetime.fromisoformat(target["until"]) if target.get("until") else None
            keys = [(int(point), str(kind)) for point, kind in target["alarms"]]
            passed = life.told(Event[target["event"]], keys, now, command.who, target.get("why", ""), until)
            moved = len(passed)
        elif command.kind == "reset":
            moved = life.reset_faults([int(p) for p in target["points"]])
        else:
            life.zero_counters([int(p) for p in target["points"]])
            moved = len(target["points"])
        with self._agent.engine.begin() as connection:
            store_transitions(connection, self._rack, self._epoch, self._agent.holder, passed, life.packed())
        return Outcome(Ended.DONE, answer={"moved": moved})

    async def _write(self, target: dict[str, Any]) -> Outcome:
        """Write forces or commands of outputs, each read back."""
        image = await asyncio.to_thread(self._agent.cache.current)
        if self._rack not in image.layout.racks:
            return Outcome.failed("there is no such rack")
        rack_map = RackMap.of(image.layout, self._rack)
        writes = [Write(int(w[0]), int(w[1]), int(w[2])) for w in target["writes"]]
        self._forced_at = float("-inf")
        async with RackReader(image.layout.racks[self._rack], rack_map, timeout_s=2.0) as reader:
            if not target.get("stand_in") and not await asyncio.to_thread(self._armed):
                return Outcome.failed("writing to this rack is not armed: nothing was written")
            for write in writes:
                written = await _written_bits(reader, write)
                if not written.done:
                    return written
        return DONE

    async def _settings(self, command: Command) -> Outcome:
        """Read the settings of a rack, test the way to it, or write settings while it is armed: one after the other,
        each read back, so that the answer tells of each what became of it."""
        image = await asyncio.to_thread(self._agent.cache.current)
        rack = image.layout.racks.get(command.rack)
        if rack is None:
            return Outcome.failed("there is no such rack")
        rack_map, size = RackMap.of(image.layout, rack.id), settings_size(image.layout, rack.id)
        if command.kind == "test":
            says, look, words = await tested(rack, rack_map, size)
            return Outcome(Ended.DONE, answer={"says": says, "look": look, "words": words})
        async with RackReader(rack, rack_map, timeout_s=2.0) as reader:
            if command.kind == "write" and not await asyncio.to_thread(self._armed):
                return Outcome.failed("writing to this rack is not armed any more: nothing was written")
            results = []
            for write in command.target.get("writes", []):
                written = await _written_bits(reader, Write(int(write["register"]), int(write["word"])))
                results.append({"done": written.done, "says": written.says})
            return Outcome(Ended.DONE, answer={"words": await reader.read_settings(size), "results": results})

    def _armed(self) -> bool:
        with self._agent.engine.connect() as connection:
            return armed(connection, self._rack) is not None

    def _waiting(self) -> Sequence[Command]:
        with self._agent.engine.begin() as connection:
            return start_waiting(connection, self._rack, self._epoch)

    def _finish(self, command: int, result: Outcome) -> None:
        with self._agent.engine.begin() as connection:
            finish(connection, command, result)


async def _written_bits(reader: RackReader, write: Write) -> Outcome:
    """Write the bits that are meant and read them back."""
    try:
        word = write.word
        if write.mask != 0xFFFF:
            there = (await reader.read_some_settings([write.register]))[write.register]
            word = (there & ~write.mask) | (write.word & write.mask)
        await reader.write_setting(write.register, word)
        now = (await reader.read_some_settings([write.register]))[write.register]
    except RackSilentError as error:
        return Outcome.failed(error)
    return DONE if now == word else Outcome.failed(f"the rack kept {now}")
