"""What time does to one rack's readings: conditioning, alarms, trends, what is held, forced or replaced. No I/O.

A RackLife is the memory of a rack between two scans. It can be packed into bytes and taken up again by another agent;
when the list changes, the states of points that stay move along.
"""

from __future__ import annotations

import io
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live import alarms as alarm_states
from canaleta.core.live import conditioning, recognition
from canaleta.core.live.alarms import KINDS, Alarms, AlarmTable, Event, State, Transition
from canaleta.core.live.conditioning import UNKNOWN, Condition, Conditioned, Reading, Settings
from canaleta.core.live.recognition import Recognised, signal_span
from canaleta.core.live.trends import Part
from canaleta.core.model.field_table import PRIORITIES
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import BAD_SIGNAL, Quality, Reason, of_reasons
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.arrays import Bools, Floats, Words
from canaleta.plant.live.alarms import AlarmTransition
from canaleta.plant.live.blocks import Flag, LiveBlock, RackState
from canaleta.racks.scan import Asked, Joined, Read, ScanPlan

__all__ = ["FoundPoint", "Outside", "RackLife"]

PART_S = 10.0
WANTED_PART_S = 2.0
FIRST_LOOK_S = 15.0
_AS_BEFORE = {"read": "raw", "read_since": "raw_since"}
NEVER = datetime(1970, 1, 1, tzinfo=UTC)
_RANK = np.zeros(len(State), dtype=np.int64)
_RANK[[State.UNACKNOWLEDGED, State.LATCHED, State.RETURNED, State.ACKNOWLEDGED, State.LATCHED_ACKNOWLEDGED]] = (
    9,
    8,
    7,
    6,
    5,
)
_RANK[[State.OUT_OF_SERVICE, State.SUPPRESSED, State.SHELVED]] = (1, 2, 3)
_URGENT = np.array([PRIORITIES.index(p) for p in ("journal only", "low", "medium", "high")])
_WEIGHT = np.argsort(_URGENT)
"""How much each priority weighs, by its index."""


@dataclass(frozen=True)
class Outside:
    """What else is known at a scan. injected, forced: (module, channel). substitutes: {point: value in our view}.
    switches: {point: state} of points that keep others quiet. shown: what the controller shows, by point."""

    injected: frozenset[tuple[int, int]] = frozenset()
    forced: frozenset[tuple[int, int]] = frozenset()
    substitutes: Mapping[int, float] | None = None
    switches: Mapping[int, int] | None = None
    shown: Mapping[int, float] | None = None


NOTHING = Outside()


@dataclass(frozen=True)
class FoundPoint:
    """A point at which somebody played a pattern."""

    point: int
    found: Recognised


class RackLife:
    """The memory of one rack. Every method is quick and none waits."""

    def __init__(self, image: PlantImage, rack: int, rack_map: RackMap) -> None:
        self.rack = rack
        self._map = rack_map
        self.scan = 0
        self.read_at = NEVER
        # The time that delays are told by, s, how far it is ahead of the plant's, and when it was read last.
        self._moved, self._ahead, self._read_moment = float("-inf"), 0.0, float("-inf")
        self.new_alarms: list[tuple[int, str]] = []
        self._set_plan(image)
        n, m = len(self.plan), len(self.table)
        self.condition: Condition = conditioning.begin(n)
        self.alarms: Alarms = alarm_states.begin(m)
        self.rack_alarm: Alarms = alarm_states.begin(1)
        self._looks_since, self.gap_s = float("nan"), 0.0
        self._failing, self._good = np.full(n, np.nan), np.full(n, np.nan)
        self._reading, self._load_ma = _unread(n), np.full(n, np.nan)
        self._seen = _nothing_seen(n)
        self._watch = recognition.begin(n)
        self._wires, self._noise2 = np.full(n, np.nan), np.zeros(n)
        self.found: list[FoundPoint] = []
        self.kept_at = 0.0
        self._kept: list[tuple[float, Floats, Floats, NDArray[np.uint8]]] = []
        self.new_alarms = self.keys

    def _set_plan(self, image: PlantImage) -> None:
        self.__dict__.pop("_alone", None)
        self.plan = ScanPlan.of(image, self._map)
        self.settings = Settings.of(image, self.plan.rows)
        self.table = AlarmTable.of(image, self.plan.rows)
        self.keys = [self.table.key(k) for k in range(len(self.table))]
        self._own = alarm_states.rack_table(self.rack, self.table)
        self._points = self.plan.points
        self._quiets = {int(p) for p in self.table.quiet.tolist() if p >= 0}
        self._span = signal_span(image, self.plan.rows)
        self._meters = np.flatnonzero((self.settings.edge >= 0) | self.settings.cumulative)

    @cached_property
    def _alone(self) -> Joined:
        return Joined({self.rack: self.plan})

    # The list moves on ---------------------------------------------------------------------------------

    def replan(self, image: PlantImage) -> Part | None:
        """Go on with a changed list; states of points and alarms that stay move along. Returns the trend so far if it
        must be written first, for its points are others now."""
        if image is self.plan.image:
            return None
        before, old_keys, old_points = self.part(), self.keys, self._points
        known, alarm_at = _places(old_points.tolist()), _places(old_keys)
        self._set_plan(image)
        rows = np.array([known.get(p, -1) for p in self._points.tolist()], dtype=np.int64)
        places = np.array([alarm_at.get(key, -1) for key in self.keys], dtype=np.int64)
        self.condition, self.alarms = self.condition.take(rows), self.alarms.take(places)
        self._failing, self._good = _taken(self._failing, rows), _taken(self._good, rows)
        self._reading, self._seen = _unread(len(rows)), _nothing_seen(len(rows))
        self._load_ma = _taken(self._load_ma, rows)
        self._watch, self._wires = self._watch.take(rows), _taken(self._wires, rows)
        self._noise2 = np.nan_to_num(_taken(self._noise2, rows))
        self.new_alarms = [key for key in self.keys if key not in alarm_at]
        return before

    @property
    def every_key(self) -> list[tuple[int, str]]:
        """What each alarm is known by, that of the rack itself too."""
        return [*self.keys, self._own.key(0)]

    def adopt(self, states: Mapping[tuple[int, str], State]) -> None:
        """Take up the states of alarms that were open elsewhere: their point came from another rack."""
        if not states:
            return
        state = self.alarms.state.copy()
        for k, key in enumerate(self.keys):
            if key in states:
                state[k] = states[key]
        active = self.alarms.active | np.isin(state, (State.UNACKNOWLEDGED, State.ACKNOWLEDGED))
        self.alarms = Alarms(state, active, self.alarms.since, self.alarms.until, self.alarms.slow, self.alarms.last)

    # A scan --------------------------------------------------------------------------------------------

    def read(
        self,
        words: Words,
        read_at: datetime,
        epoch: int,
        outside: Outside = NOTHING,
        refused: Bools | None = None,
        reasons: NDArray[np.uint32] | None = None,
    ) -> tuple[LiveBlock, list[AlarmTransition]]:
        """The block of a reading, and what alarms passed with it. refused, reasons: see Asked."""
        read = self._alone.read({self.rack: self.asks(words, read_at, refused, reasons)})
        return self.take_in(read[self.rack], read_at, epoch, outside)

    def asks(
        self,
        words: Words,
        read_at: datetime,
        refused: Bools | None = None,
        reasons: NDArray[np.uint32] | None = None,
    ) -> Asked:
        """What has to be known to make readings of words, alone or together with other racks; `take_in` is next."""
        self._read_moment = self._moment(read_at)
        self._resume(self._read_moment)
        return Asked(words, self._good, self._failing, self._read_moment, refused, reasons)

    def take_in(
        self, read: Read, read_at: datetime, epoch: int, outside: Outside = NOTHING
    ) -> tuple[LiveBlock, list[AlarmTransition]]:
        """The block of what was made of the words that `asks` was given last, and what alarms passed with it."""
        now, reading, self._failing, on_wires = self._read_moment, read.reading, read.failing_since, read.on_wires
        self._load_ma = np.full(len(self._points), np.nan) if reading.load_ma is None else reading.load_ma
        self.found += self._watched(now, on_wires, reading)
        reading = self._replaced(reading, outside)
        trusted = (reading.quality == Quality.GOOD) & ~np.isnan(reading.value)
        self._good = np.where(trusted, reading.value, self._good)
        self.read_at = read_at
        passed = self._stepped(reading, now, outside)
        passed_rack = self._rack_stepped(now, lost=False)
        self._kept.append((read_at.timestamp(), reading.counts, self._seen.value, self._quality()))
        return self._block(RackState.ANSWERS, "", epoch, outside), self._told(passed, read_at) + self._told(
            passed_rack, read_at, of=self._own
        )

    def silent(
        self, state: RackState, says: str, now: datetime, epoch: int, outside: Outside = NOTHING
    ) -> tuple[LiveBlock, list[AlarmTransition]]:
        """The block of a scan that brought nothing: the figures stay those of the last reading, and once they are
        stale every one of them is bad, for the rack is lost. state, says: why it does not answer, as a code and in
        words.

        That is one alarm, of the rack: the alarms of its points stay as they are, for nobody knows. What was lost
        while nobody scanned is no word of the plant: the time counts from when this agent began to look.
        """
        moment = self._moment(now)
        self._resume(moment)
        stale = self.plan.image.stale_after_s(self.rack)
        # Until this agent has read it once, a rack has as long as everything takes to come up after a restart of
        # ours.
        grace = stale if self._read_moment >= self._looks_since else max(stale, FIRST_LOOK_S)
        old = moment - max(self._read_moment, self._looks_since) > grace
        passed: list[Transition] = []
        passed_rack: list[Transition] = []
        if old:
            reasons = np.where(self.plan.off, np.uint32(Reason.DISABLED), np.uint32(Reason.RACK_SILENT)).astype(
                np.uint32
            )
            quality = of_reasons(reasons, ~np.isnan(self._reading.value))
            lost = Reading(self._reading.value, self._reading.counts, reasons, quality)
            passed = self._stepped(lost, moment, outside, unknown=True)
            passed_rack = self._rack_stepped(moment, lost=True)
        return self._block(state, says, epoch, outside), self._told(passed, now) + self._told(
            passed_rack, now, of=self._own
        )

    def _resume(self, now: float) -> None:
        """At the first look of this agent: what had begun before a gap that nobody watched goes on from here."""
        if np.isfinite(self._looks_since):
            return
        self._looks_since = now
        gap = now - self._condition_at()
        if np.isfinite(gap) and gap > self.plan.image.stale_after_s(self.rack):
            self._failing = self._failing + gap
            self.alarms = replace(self.alarms, since=self.alarms.since + gap)
            self.gap_s = gap

    def _condition_at(self) -> float:
        return float(self.condition.at) if np.isfinite(self.condition.at) else self._read_moment

    def _rack_stepped(self, now: float, *, lost: bool) -> list[Transition]:
        if not lost and self.rack_alarm.at_rest:
            return []
        quality = np.array([Quality.BAD if lost else Quality.GOOD], dtype=np.uint8)
        self.rack_alarm, passed = alarm_states.step(
            self._own, self.rack_alarm, now, np.zeros(1), quality, np.zeros(1, dtype=np.int8)
        )
        return passed

    def _moment(self, at: datetime) -> float:
        """The time that delays and alarms are told by, s: it never runs back. When somebody sets the plant's clock
        back, what waits goes on from where it was, and is not an hour late."""
        now = at.timestamp()
        self._ahead = max(self._ahead, self._moved - now)
        self._moved = now + self._ahead
        return self._moved

    def _watched(self, now: float, on_wires: Floats, reading: Reading) -> list[FoundPoint]:
        """The points at which somebody has just played a pattern."""
        jump = np.minimum(np.abs(np.nan_to_num(on_wires - self._wires)), 0.02 * np.nan_to_num(self._span))
        # The noise of each signal, slowly followed, from neighbouring readings; a step of somebody's hand counts as
        # little.
        self._noise2 += 0.05 * (jump**2 / 2.0 - self._noise2)
        self._wires = on_wires
        contact = np.where(self.settings.contact & ~np.isnan(reading.value), np.nan_to_num(reading.value), -1)
        signal = np.where(self.settings.contact | self.plan.off, np.nan, on_wires)
        self._watch, found = recognition.step(
            self._watch,
            now,
            signal,
            self._span,
            reading.counts,
            reading.value,
            contact.astype(np.int8),
            np.sqrt(self._noise2),
        )
        return [FoundPoint(int(self._points[f.row]), f) for f in found]

    def _replaced(self, reading: Reading, outside: Outside) -> Reading:
        """With what is forced in the rack marked, and what is replaced in our view alone put in."""
        reasons, value = reading.reasons.copy(), reading.value
        forced = self.plan.channels(set(outside.forced))
        reasons[forced] |= np.uint32(Reason.FORCED)
        if outside.substitutes:
            where = np.array([int(p) in outside.substitutes for p in self._points.tolist()], dtype=bool)
            if where.any():
                given = np.array([outside.substitutes.get(int(p), np.nan) for p in self._points.tolist()])
                value = np.where(where, given, value)
                off = reasons & np.uint32(Reason.DISABLED)
                reasons = np.where(where, np.uint32(Reason.SUBSTITUTED) | off, reasons).astype(np.uint32)
        return Reading(value, reading.counts, reasons, of_reasons(reasons, ~np.isnan(value)))

    def _stepped(self, reading: Reading, now: float, outside: Outside, *, unknown: bool = False) -> list[Transition]:
        self._reading = reading
        self.condition, self._seen = conditioning.step(self.settings, self.condition, now, reading)
        quiet = self._quiet(outside)
        self.alarms, passed = alarm_states.step(
            self.table, self.alarms, now, self._seen.value, self._quality(), self._seen.state, quiet, unknown=unknown
        )
        return passed

    def _quality(self) -> NDArray[np.uint8]:
        """Quality with what conditioning adds: chatter, and faults that wait for a reset."""
        return of_reasons(self._seen.reasons, ~np.isnan(self._seen.value))

    def _quiet(self, outside: Outside) -> Bools | None:
        if not self._quiets:
            return None
        # A signal that has failed keeps nothing quiet: its last state may be long over.
        elsewhere, own = outside.switches or {}, self.states_of(set(self._quiets))
        on = {p for p in self._quiets if own.get(p, elsewhere.get(p, UNKNOWN)) == 1}
        return np.isin(self.table.quiet, list(on))

    def states_of(self, points: set[int]) -> dict[int, int]:
        """The states of some points of this rack, of those that keep others quiet: -1 where the signal has failed."""
        rows = np.flatnonzero(np.isin(self._points, list(points)))
        failed = (self._seen.reasons[rows] & BAD_SIGNAL) != 0
        states = np.where(failed, UNKNOWN, self._seen.state[rows])
        return dict(zip(self._points[rows].tolist(), states.tolist(), strict=True))

    # What people say -----------------------------------------------------------------------------------

    def told(
        self,
        event: Event,
        keys: Sequence[tuple[int, str]],
        now: datetime,
        who: str,
        why: str = "",
        until: datetime | None = None,
    ) -> list[AlarmTransition]:
        """Somebody's word about some alarms. Returns what passed; an alarm in a state without such a word stays."""
        at = _places(self.keys)
        which = np.array([at[key] for key in keys if key in at], dtype=np.int64)
        end = until.timestamp() + self._ahead if until else float("nan")
        self.alarms, passed = alarm_states.told(self.table, self.alarms, which, event, end)
        out = self._told(passed, now, who, why, until)
        if self._own.key(0) in keys:
            mine = np.array([0], dtype=np.int64)
            self.rack_alarm, passed = alarm_states.told(self._own, self.rack_alarm, mine, event, end)
            out += self._told(passed, now, who, why, until, of=self._own)
        return out

    def reset_faults(self, points: Sequence[int]) -> int:
        """Take the latches of faults off some points. Returns how many had one."""
        where = np.isin(self._points, list(points))
        had = int(np.count_nonzero(where & (self.condition.latched != 0)))
        self.condition = self.condition.reset(where)
        return had

    def zero_counters(self, points: Sequence[int]) -> None:
        """Set counters and totals of some points back to zero."""
        self.condition = self.condition.zeroed(np.isin(self._points, list(points)))

    def _told(
        self,
        passed: Sequence[Transition],
        at: datetime,
        who: str = "",
        why: str = "",
        until: datetime | None = None,
        of: AlarmTable | None = None,
    ) -> list[AlarmTransition]:
        out = []
        table, alarms = (self.table, self.alarms) if of is None else (of, self.rack_alarm)
        for p in passed:
            point, kind = table.key(p.alarm)
            out.append(
                AlarmTransition(
                    point, kind, self.rack, p.event, p.was, p.becomes, PRIORITIES[int(table.priority[p.alarm])], at,
                    bool(alarms.active[p.alarm]), p.value if np.isfinite(p.value) else None, who, why, until,
                )
            )  # fmt: skip
        return out

    # What is handed on ---------------------------------------------------------------------------------

    def _block(self, state: RackState, says: str, epoch: int, outside: Outside) -> LiveBlock:
        self.scan += 1
        injected = self.plan.channels(set(outside.injected))
        seen, meters = self._seen, self._meters
        flags = (
            injected * Flag.INJECTED
            + ((seen.reasons & np.uint32(Reason.FORCED)) != 0) * Flag.FORCED
            + seen.chatters * Flag.CHATTERS
            + (self.condition.latched != 0) * Flag.LATCHED
            + ((seen.reasons & np.uint32(Reason.SUBSTITUTED)) != 0) * Flag.SUBSTITUTED
            + seen.done * Flag.DONE
        )
        shown = outside.shown or {}
        return LiveBlock(
            rack=self.rack, scan=self.scan, epoch=epoch, seq=self.plan.image.seq, read_at=self.read_at, state=state, says=says,
            points=self._points, counts=self._reading.counts, value=seen.value, quality=self._quality(),
            reasons=seen.reasons, injected=injected.astype(np.uint8), switch=seen.state, flags=flags.astype(np.uint8),
            alarm=self._worst(), band=seen.band, meters=self._points[meters], counted=self.condition.counted[meters],
            total=self.condition.total[meters], rate=self.condition.rate[meters],
            loaded=self._points[self.plan.loaded], load_ma=self._load_ma[self.plan.loaded],
            shown=np.array([shown.get(int(p), np.nan) for p in self._points]) if shown else np.full(len(self._points), np.nan),
        )  # fmt: skip

    def _worst(self) -> NDArray[np.uint8]:
        """The worst alarm of each point: its state, and its priority and one more above it."""
        out = np.zeros(len(self._points), dtype=np.uint8)
        open_ = np.flatnonzero(self.alarms.state != State.NORMAL)
        if not len(open_):
            return out
        state, priority = self.alarms.state[open_], self.table.priority[open_]
        order = np.lexsort((_WEIGHT[priority], _RANK[state]))
        out[self.table.at[open_][order]] = (state | ((priority + 1) << 4).astype(np.uint8))[order]
        return out

    def part_due(self, now: float, wanted: bool = False) -> bool:
        """Whether what is kept for trends has become a part; sooner where somebody looks at a trend just now."""
        return bool(self._kept) and abs(now - self._kept[0][0]) >= (WANTED_PART_S if wanted else PART_S)

    def part(self) -> Part | None:
        """What was read since the last part, None if nothing; it is handed out once."""
        kept, self._kept = self._kept, []
        if not kept:
            return None
        times, counts, value, quality = zip(*kept, strict=True)
        return Part(self._points, np.array(times), np.array(counts), np.array(value), np.array(quality))

    # Kept between agents -------------------------------------------------------------------------------

    def packed(self) -> bytes:
        """Everything that must outlive this agent, as bytes."""
        out = io.BytesIO()
        arrays = {f"condition_{name}": getattr(self.condition, name) for name in Condition.__dataclass_fields__}
        arrays |= {f"alarms_{name}": getattr(self.alarms, name) for name in Alarms.__dataclass_fields__}
        arrays |= {f"rack_{name}": getattr(self.rack_alarm, name) for name in Alarms.__dataclass_fields__}
        keys = np.array([(point, KINDS.index(kind)) for point, kind in self.keys], dtype=np.int64).reshape(-1, 2)
        np.savez(
            out,
            points=self._points,
            keys=keys,
            failing=self._failing,
            good=self._good,
            scan=self.scan,
            read_at=self.read_at.timestamp(),
            **arrays,
        )
        return zlib.compress(out.getvalue(), 1)

    def take_up(self, data: bytes) -> None:
        """Go on from what another agent packed. Raises ValueError if the bytes are none of these."""
        try:
            with np.load(io.BytesIO(zlib.decompress(data)), allow_pickle=False) as kept:
                places = _places(kept["points"].tolist())
                rows = np.array([places.get(p, -1) for p in self._points.tolist()], dtype=np.int64)
                known = _places([(int(p), KINDS[int(k)]) for p, k in kept["keys"]])
                alarms = np.array([known.get(key, -1) for key in self.keys], dtype=np.int64)
                # What an earlier version kept knows no debounce: what was read held at once.
                held = {n: n if f"condition_{n}" in kept else _AS_BEFORE[n] for n in Condition.__dataclass_fields__}
                old = {n: kept[f"condition_{of}"] for n, of in held.items() if n != "at"}
                self.condition = Condition(float(kept["condition_at"]), **old).take(rows)
                fields = {n: kept[f"alarms_{n}"] for n in Alarms.__dataclass_fields__ if n != "last"}
                self.alarms = Alarms(**fields, last=float(kept["alarms_last"])).take(alarms)
                # What an earlier version kept knows no alarm of the rack.
                if "rack_state" in kept:
                    own = {n: kept[f"rack_{n}"] for n in Alarms.__dataclass_fields__ if n != "last"}
                    self.rack_alarm = Alarms(**own, last=float(kept["rack_last"]))
                self._failing, self._good = _taken(kept["failing"], rows), _taken(kept["good"], rows)
                self.scan, self.read_at = int(kept["scan"]), datetime.fromtimestamp(float(kept["read_at"]), UTC)
                self._read_moment = float(kept["read_at"])
                self._moved = max(self._read_moment, float(np.nan_to_num(kept["condition_at"], nan=-np.inf)))
        except (KeyError, OSError, EOFError, IndexError, zlib.error) as error:
            raise ValueError("what was kept of this rack cannot be read") from error
        self.new_alarms = [key for key, at in zip(self.keys, alarms.tolist(), strict=True) if at < 0]


def _places(of: Sequence[object]) -> dict[object, int]:
    return {what: k for k, what in enumerate(of)}


def _taken(column: Floats, rows: NDArray[np.int64]) -> Floats:
    out = np.full(len(rows), np.nan)
    out[rows >= 0] = column[rows[rows >= 0]]
    return out


def _unread(n: int) -> Reading:
    """No reading at all."""
    nothing = np.full(n, np.nan)
    return Reading(
        nothing, nothing, np.full(n, Reason.RACK_SILENT, dtype=np.uint32), np.full(n, Quality.BAD, dtype=np.uint8)
    )


def _nothing_seen(n: int) -> Conditioned:
    unknown = np.full(n, conditioning.UNKNOWN, dtype=np.int8)
    off = np.zeros(n, dtype=bool)
    return Conditioned(
        np.full(n, np.nan), unknown, np.full(n, Reason.RACK_SILENT, dtype=np.uint32), off, unknown, off
    )
