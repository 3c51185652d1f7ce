"""What racks answered at about the same time, worked out and written together.

Most of what a rack of thirty points costs is not its points: ten racks in one go cost hardly more than two. What goes
wrong with one of them is told to its scanner alone.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live.trends import Part
from canaleta.core.notation.arrays import Bools, Words
from canaleta.plant.live import alarms as alarm_records
from canaleta.plant.live.alarms import AlarmTransition
from canaleta.plant.live.blocks import LiveBlock, write_blocks
from canaleta.plant.live.scan_store import store_scan
from canaleta.plant.live.walking import note_found
from canaleta.racks.context import Context
from canaleta.racks.life import FoundPoint, Outside, RackLife
from canaleta.racks.reader import RackSilentError
from canaleta.racks.scan import Joined, Read, ScanPlan

__all__ = ["Answer", "Digester"]

log = logging.getLogger("scan")
GATHER_S = 0.03
"""How long the first answer waits for those of other racks."""
STATE_S = 10.0
"""How often the state is kept when nothing passes."""
MOST_POINTS = 5_000
"""How many are worked out together: the first rack's values need not wait for the last one's."""


@dataclass(eq=False)
class Answer:
    """What a rack answered. words: None if nothing, and then silent is why. refused, reasons: see racks.scan.Asked."""

    life: RackLife
    epoch: int
    words: Words | None
    at: datetime
    outside: Outside
    refused: Bools
    silent: RackSilentError | None = None
    reasons: NDArray[np.uint32] | None = None
    done: asyncio.Future[bool] = field(default_factory=lambda: asyncio.get_running_loop().create_future())


@dataclass
class _Scan:
    """What a scan left to be written."""

    answer: Answer
    block: LiveBlock
    passed: list[AlarmTransition]
    part: Part | None
    state: bytes | None
    found: list[FoundPoint]

    @property
    def block_only(self) -> bool:
        return not (self.passed or self.found or self.part or self.state or self.answer.life.gap_s)


class Digester:
    """Takes the answers of an agent's racks."""

    def __init__(self, context: Context) -> None:
        self._context = context
        self._waiting: list[Answer] = []
        self._due: asyncio.TimerHandle | None = None
        self._plans: dict[int, ScanPlan] = {}
        self._joined: dict[tuple[int, ...], Joined] = {}

    async def digest(self, answer: Answer) -> bool:
        """Work an answer out and write what it brought. Returns whether the lease still holds. Raises what the
        database raises. It ends when that is done, cancelled or not: the rack's memory is in use until then."""
        self._waiting.append(answer)
        if self._due is None:
            self._due = asyncio.get_running_loop().call_later(GATHER_S, self._begin)
        cancelled: asyncio.CancelledError | None = None
        while not answer.done.done():
            try:
                await asyncio.wait({answer.done})
            except asyncio.CancelledError as error:
                cancelled = error
        if cancelled is not None:
            answer.done.exception()
            raise cancelled
        return answer.done.result()

    def forget(self, rack: int) -> None:
        """A rack that is not scanned here any more."""
        self._plans.pop(rack, None)

    def _begin(self) -> None:
        """Work out what waits, one lot after the other: what comes meanwhile is the next lot."""
        answers, self._waiting = sorted(self._waiting, key=lambda a: a.life.rack), []
        self._plans |= {a.life.rack: a.life.plan for a in answers}
        loop = asyncio.get_running_loop()
        loop.run_in_executor(None, self._work, answers, dict(self._plans), loop).add_done_callback(self._over)

    def _over(self, work: asyncio.Future[None]) -> None:
        self._due = asyncio.get_running_loop().call_later(GATHER_S, self._begin) if self._waiting else None
        if not work.cancelled() and (error := work.exception()):
            log.error("what the racks answered could not be worked out", exc_info=error)

    # In a thread ---------------------------------------------------------------------------------------

    def _work(self, answers: list[Answer], plans: dict[int, ScanPlan], loop: asyncio.AbstractEventLoop) -> None:
        untold = list(answers)
        try:
            for some, joined in self._shared_out(answers, plans):
                for answer, outcome in zip(some, self._digested(some, joined), strict=True):
                    untold.remove(answer)
                    loop.call_soon_threadsafe(_tell, answer.done, outcome)
        except Exception as error:
            # Nobody waits for ever for what nobody foresaw.
            for answer in untold:
                loop.call_soon_threadsafe(_tell, answer.done, error)
            raise

    def _shared_out(
        self, answers: list[Answer], plans: dict[int, ScanPlan]
    ) -> list[tuple[list[Answer], Joined | None]]:
        """The answers in parts, and of each the racks that are worked out together; None where each goes alone."""
        newest = max((plan.image for plan in plans.values()), key=lambda image: image.seq)
        groups: list[dict[int, ScanPlan]] = []
        for rack, plan in sorted(plans.items()):
            if plan.image is not newest:
                continue
            if not groups or sum(map(len, groups[-1].values())) + len(plan) > MOST_POINTS:
                groups.append({})
            groups[-1][rack] = plan
        kept, self._joined = self._joined, {}
        out: list[tuple[list[Answer], Joined | None]] = []
        rest = {a.life.rack: a for a in answers}
        for group in groups:
            here = [rest[rack] for rack, plan in group.items() if rack in rest and rest[rack].life.plan is plan]
            wanted, size = sum(len(a.life.plan) for a in here if a.words is not None), sum(map(len, group.values()))
            # Known by what they are: as long as it is kept, a plan's number is no other's.
            key = tuple(id(plan) for plan in group.values())
            if key in kept:
                self._joined[key] = kept[key]
            # Those that are absent are worked out for nothing: not worth it for few.
            if len(group) > 1 and 2 * wanted > size:
                if key not in self._joined:
                    self._joined[key] = Joined(group)
                out.append((here, self._joined[key]))
                for answer in here:
                    del rest[answer.life.rack]
        return [*out, *(([a], None) for a in rest.values())]

    def _digested(self, answers: Sequence[Answer], joined: Joined | None) -> list[bool | Exception]:
        """Of each answer whether its lease still holds, or what went wrong with it."""
        outcome: dict[int, bool | Exception] = {}
        scans: list[_Scan] = []
        reads = self._read(answers, joined)
        for answer in answers:
            try:
                scans.append(self._scan(answer, reads.get(answer.life.rack)))
            except Exception as error:  # noqa: BLE001 - it is its scanner's
                outcome[answer.life.rack] = error
        together = [scan for scan in scans if scan.block_only]
        try:
            with self._context.at_once.connect() as connection:
                held = write_blocks(connection, [scan.block for scan in together], self._context.holder)
            outcome |= {scan.block.rack: scan.block.rack in held for scan in together}
        except Exception as error:  # noqa: BLE001 - it is each scanner's
            outcome |= {scan.block.rack: error for scan in together}
        for scan in scans:
            if scan.block.rack not in outcome:
                try:
                    outcome[scan.block.rack] = self._kept(scan)
                except Exception as error:  # noqa: BLE001 - it is its scanner's
                    outcome[scan.block.rack] = error
        return [outcome[answer.life.rack] for answer in answers]

    def _read(self, answers: Sequence[Answer], joined: Joined | None) -> dict[int, Read]:
        """The readings of those that answered, by rack, where they are worked out together and nothing is wrong."""
        if joined is None:
            return {}
        try:
            return joined.read(
                {
                    a.life.rack: a.life.asks(a.words, a.at, a.refused, a.reasons)
                    for a in answers
                    if a.words is not None
                }
            )
        except Exception:
            log.exception("racks could not be worked out together; each is tried alone")
            return {}

    def _scan(self, answer: Answer, read: Read | None) -> _Scan:
        life, context = answer.life, self._context
        if answer.words is None:
            assert answer.silent is not None
            outside = Outside(substitutes=context.substitutes, switches=context.switches)
            block, passed = life.silent(answer.silent.state, str(answer.silent), answer.at, answer.epoch, outside)
        elif read is not None:
            block, passed = life.take_in(read, answer.at, answer.epoch, answer.outside)
        else:
            block, passed = life.read(
                answer.words, answer.at, answer.epoch, answer.outside, answer.refused, answer.reasons
            )
        context.switches |= life.states_of(context.suppressors)
        now = answer.at.timestamp()
        # On a full disk the trend has a gap; what stands now is told all the same.
        wanted = life.rack in context.trends_wanted
        part = life.part() if life.part_due(now, wanted) else None
        if part is not None:
            context.trends_wanted.discard(life.rack)
        if part is not None and context.room.is_short():
            log.warning("rack %d: the disk is full: the trend has a gap", life.rack)
            part = None
        state = life.packed() if passed or now - life.kept_at >= STATE_S else None
        if state is not None:
            life.kept_at = now
        found, life.found = life.found, []
        return _Scan(answer, block, passed, part, state, found)

    def _kept(self, scan: _Scan) -> bool:
        """Write what is more than a block. Returns whether the lease still holds."""
        life, at = scan.answer.life, scan.answer.at
        with self._context.engine.begin() as connection:
            if not store_scan(connection, scan.block, self._context.holder, scan.passed, scan.part, scan.state):
                return False
            if life.gap_s:
                alarm_records.record_gap(connection, life.rack, at, life.gap_s)
                life.gap_s = 0.0
            for one in scan.found:
                log.info("somebody plays at point %d: %s", one.point, one.found.pattern)
                note_found(connection, one.point, at, one.found.pattern, [asdict(p) for p in one.found.plateaus])
        return True


def _tell(done: asyncio.Future[bool], outcome: bool | Exception) -> None:
    if done.done():
        return
    if isinstance(outcome, Exception):
        done.set_exception(outcome)
    else:
        done.set_result(outcome)
