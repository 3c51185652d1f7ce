"""Alarms after IEC 62682: when the condition of each holds, and the whole life of an alarm, all its states.

The life is one table of transitions (LIFE); nothing else knows which state follows which. `step` is a state machine
for all alarms of a rack, driven by time. No clock, no I/O.

Conditions: LL, L, H, HH of the value, deviation from a set point, rate of change, a discrete state, and a signal that
has failed. Each has a deadband, an on-delay and an off-delay. A value that cannot be trusted moves no process alarm:
the failed signal is an alarm of its own.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live.columns import Columns
from canaleta.core.model.field_table import ALARM_LEVELS, CONSEQUENCES, PRIORITIES
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.arrays import Bools, Floats

__all__ = [
    "EVENT_WORDS",
    "KINDS",
    "LIFE",
    "WORDS",
    "AlarmTable",
    "Alarms",
    "Event",
    "State",
    "Transition",
    "begin",
    "priority_of",
    "rack_table",
    "step",
]

KINDS = ("ll", "l", "h", "hh", "dev", "rate", "state", "fault")
LL, L, H, HH, DEV, RATE, STATE, FAULT = range(len(KINDS))
RATE_OVER_S = 10.0
"""Time constant over which a rate of change is judged."""


class State(IntEnum):
    """The states of an alarm: IEC 62682 (2014), alarm state transitions, A to I."""

    NORMAL = 0
    UNACKNOWLEDGED = 1
    ACKNOWLEDGED = 2
    RETURNED = 3
    LATCHED = 4
    LATCHED_ACKNOWLEDGED = 5
    SHELVED = 6
    SUPPRESSED = 7
    OUT_OF_SERVICE = 8


WORDS: dict[State, str] = {
    State.NORMAL: "normal",
    State.UNACKNOWLEDGED: "unacknowledged",
    State.ACKNOWLEDGED: "acknowledged",
    State.RETURNED: "returned, unacknowledged",
    State.LATCHED: "latched, unacknowledged",
    State.LATCHED_ACKNOWLEDGED: "latched, acknowledged",
    State.SHELVED: "shelved",
    State.SUPPRESSED: "suppressed by design",
    State.OUT_OF_SERVICE: "out of service",
}
LETTERS = dict(zip(State, "ABCDEFGHI", strict=True))
"""The letters by which the standard's diagram calls its states."""
ASIDE = (State.SHELVED, State.SUPPRESSED, State.OUT_OF_SERVICE)


class Event(IntEnum):
    """What moves an alarm from state to state."""

    COMES = 0
    GOES = 1
    ACKNOWLEDGE = 2
    RESET = 3
    SHELVE = 4
    UNSHELVE = 5
    SUPPRESS = 6
    RELEASE = 7
    OUT = 8
    BACK = 9


EVENT_WORDS = {
    Event.COMES: "comes",
    Event.GOES: "goes",
    Event.ACKNOWLEDGE: "acknowledge",
    Event.RESET: "reset",
    Event.SHELVE: "shelve",
    Event.UNSHELVE: "unshelve",
    Event.SUPPRESS: "suppressed by design",
    Event.RELEASE: "no longer suppressed",
    Event.OUT: "take out of service",
    Event.BACK: "back in service",
}


def _life() -> dict[tuple[State, Event, bool], State]:
    """{(state, event, whether it latches): next state}; what is not there does not move."""
    s, e = State, Event
    out: dict[tuple[State, Event, bool], State] = {}
    for latches in (False, True):
        gone = (s.LATCHED, s.LATCHED_ACKNOWLEDGED) if latches else (s.RETURNED, s.NORMAL)
        steps = {
            (s.NORMAL, e.COMES): s.UNACKNOWLEDGED,
            (s.UNACKNOWLEDGED, e.ACKNOWLEDGE): s.ACKNOWLEDGED,
            (s.UNACKNOWLEDGED, e.GOES): gone[0],
            (s.ACKNOWLEDGED, e.GOES): gone[1],
            (s.RETURNED, e.ACKNOWLEDGE): s.NORMAL,
            (s.RETURNED, e.COMES): s.UNACKNOWLEDGED,
            (s.LATCHED, e.ACKNOWLEDGE): s.LATCHED_ACKNOWLEDGED,
            (s.LATCHED, e.COMES): s.UNACKNOWLEDGED,
            (s.LATCHED, e.RESET): s.RETURNED,
            (s.LATCHED_ACKNOWLEDGED, e.RESET): s.NORMAL,
            (s.LATCHED_ACKNOWLEDGED, e.COMES): s.UNACKNOWLEDGED,
            (s.SHELVED, e.UNSHELVE): s.NORMAL,
            (s.SUPPRESSED, e.RELEASE): s.NORMAL,
            (s.OUT_OF_SERVICE, e.BACK): s.NORMAL,
        }
        for state in State:
            for event, aside in ((e.SHELVE, s.SHELVED), (e.SUPPRESS, s.SUPPRESSED), (e.OUT, s.OUT_OF_SERVICE)):
                if state is not aside and not (state is s.OUT_OF_SERVICE and event is not e.OUT):
                    steps[state, event] = aside
        # What keeps an alarm quiet by design does not lift somebody's shelf.
        del steps[s.SHELVED, e.SUPPRESS]
        out |= {(state, event, latches): becomes for (state, event), becomes in steps.items()}
    return out


LIFE = _life()
_TABLE = np.array(
    [[[LIFE.get((s, e, latches), s) for latches in (False, True)] for e in Event] for s in State], dtype=np.uint8
)
"""(states, events, latches) → next state."""

URGENCY_MIN = (3.0, 10.0, 30.0)
"""Times to act below which it is urgent, soon, and in time; after the last there is no hurry."""


def priority_of(consequence: str, respond_min: float) -> str:
    """The priority that follows from the consequence and the time there is to act; "" where either is not said.

    The classes are a matrix as IEC 62682 asks for, of this program's own making: one class up for each step of the
    consequence, one for each shortening of the time; a consequence of none is for the journal only.
    """
    if consequence not in CONSEQUENCES or np.isnan(respond_min):
        return ""
    if consequence == "none":
        return "journal only"
    hurry = sum(respond_min < limit for limit in URGENCY_MIN)
    score = CONSEQUENCES.index(consequence) + hurry
    return "high" if score >= 5 else "medium" if score >= 3 else "low"


@dataclass(frozen=True)
class AlarmTable:
    """The alarms of some points. Arrays of shape (m,), one row an alarm.

    at: the place of its point among those points. kind: index into KINDS. limit, deadband: in the value's unit; of a
    discrete, limit is the state. set_point: of a deviation. on_s, off_s: delays. priority: index into PRIORITIES.
    latches: it stays after its return until reset. quiet: place of the point that keeps it quiet by design, by its
    identity, -1 for none.
    """

    at: NDArray[np.int64]
    point: NDArray[np.int64]
    kind: NDArray[np.int8]
    limit: Floats
    deadband: Floats
    set_point: Floats
    on_s: Floats
    off_s: Floats
    priority: NDArray[np.int8]
    latches: Bools
    quiet: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.at)

    def key(self, k: int) -> tuple[int, str]:
        """(point, kind in letters) of one alarm: what it is known by."""
        return int(self.point[k]), KINDS[int(self.kind[k])]

    @classmethod
    def of(cls, image: PlantImage, rows: NDArray[np.int64]) -> AlarmTable:
        """Every alarm of some points of a plant."""
        columns: dict[str, list[NDArray[np.generic]]] = {name: [] for name in cls.__dataclass_fields__}
        usual = _default_priority(image, rows)
        latches = image.code("alarm_ends")[rows] == 1
        quiet = _suppressing(image, rows)
        for kind, name in enumerate(KINDS):
            limit = _limit(image, rows, name)
            some = np.flatnonzero(~np.isnan(limit))
            report = _priority(image, f"alarm_{name}_priority")[rows]
            stem = f"alarm_{name}"
            columns["at"].append(some)
            columns["point"].append(image.ids[rows][some])
            columns["kind"].append(np.full(len(some), kind, dtype=np.int8))
            columns["limit"].append(limit[some])
            columns["deadband"].append(_number(image, rows, f"{stem}_deadband")[some])
            columns["set_point"].append(_number(image, rows, "alarm_dev_from")[some])
            columns["on_s"].append(_number(image, rows, f"{stem}_delay")[some])
            columns["off_s"].append(_number(image, rows, f"{stem}_off_delay")[some])
            columns["priority"].append(np.where(report >= 0, report, usual)[some].astype(np.int8))
            columns["latches"].append(latches[some])
            columns["quiet"].append(quiet[some])
        return cls(**{name: np.concatenate(parts) for name, parts in columns.items()})


_KNOWN = {
    "alarm_dev_from",
    "alarm_state_delay",
    "alarm_fault_delay",
    "alarm_rate_delay",
    "alarm_dev_delay",
    "alarm_dev_deadband",
} | {f"alarm_{level}_{of}" for level in ALARM_LEVELS for of in ("deadband", "delay", "off_delay")}


def _number(image: PlantImage, rows: NDArray[np.int64], name: str) -> Floats:
    return np.nan_to_num(image.number(name)[rows]) if name in _KNOWN else np.zeros(len(rows))


def _limit(image: PlantImage, rows: NDArray[np.int64], name: str) -> Floats:
    """The limit of one kind for each point, NaN where it has no such alarm."""
    if name == "state":
        code = image.code("alarm_state")[rows]
        return np.where(code >= 0, code.astype(np.float64), np.nan)
    if name == "fault":
        report = image.code("alarm_fault")[rows]
        plant = image.conventions.fault_alarms
        matters = image.filled("trips")[rows] | image.filled("used_by")[rows]
        by_plant = np.full(len(rows), plant == "yes") if plant in ("yes", "no") else matters
        return np.where(np.where(report < 0, by_plant, report == 0), 0.0, np.nan)
    return image.number(f"alarm_{name}")[rows]


def _priority(image: PlantImage, name: str) -> NDArray[np.int16]:
    return image.code(name)


def _default_priority(image: PlantImage, rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """The priority where none is said: from consequence and time, else low."""
    out = np.full(len(rows), PRIORITIES.index("low"), dtype=np.int64)
    minutes = image.number("respond_min")[rows]
    for k in np.flatnonzero((image.code("consequence")[rows] >= 0) & ~np.isnan(minutes)).tolist():
        found = priority_of(image.text("consequence", int(rows[k])), float(minutes[k]))
        out[k] = PRIORITIES.index(found or "low")
    return out


def _suppressing(image: PlantImage, rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """The point that suppresses each point's alarms, by the tag that stands there; -1 for none."""
    out = np.full(len(rows), -1, dtype=np.int64)
    named = np.flatnonzero(image.filled("quiet_while")[rows])
    if len(named):
        by_tag = {tag: int(point) for tag, point in zip(image.cells["tag"], image.ids, strict=True)}
        for k in named.tolist():
            out[k] = by_tag.get(image.text("quiet_while", int(rows[k])), -1)
    return out


@dataclass(frozen=True)
class Alarms(Columns):
    """The state of m alarms. state: of State. active: whether the condition holds, behind its delays. since: since
    when the bare condition says otherwise, NaN while it agrees. until: when a shelf ends by itself, NaN for never.
    slow: the value behind RATE_OVER_S, for rates; last: when the last step was, s."""

    state: NDArray[np.uint8]
    active: Bools
    since: Floats
    until: Floats
    slow: Floats
    last: float

    @property
    def at_rest(self) -> bool:
        """Whether nothing has come, nothing is coming and nothing is set aside."""
        return not (self.state.any() or self.active.any() or np.isfinite(self.since).any())

    @classmethod
    def begin(cls, n: int) -> Alarms:
        """Nothing has come yet."""
        return begin(n)


def rack_table(rack: int, points: AlarmTable) -> AlarmTable:
    """The one alarm of a rack itself: that it is lost. Its point is the rack's number, negative, for no point has
    that.

    It is as urgent as the most urgent alarm of its points, for none of them can come while nobody knows.
    """
    one = np.zeros(1, dtype=np.int64)
    told = points.priority[points.priority != PRIORITIES.index("journal only")]
    priority = int(told.max()) if len(told) else PRIORITIES.index("low")
    zero, no = np.zeros(1), np.zeros(1, dtype=bool)
    return AlarmTable(
        one, one - rack, np.array([FAULT], dtype=np.int8), zero, zero, zero, zero, zero,
        np.array([priority], dtype=np.int8), no, one - 1,
    )  # fmt: skip


def begin(m: int) -> Alarms:
    """Alarms that were never looked at."""
    nothing = np.full(m, np.nan)
    return Alarms(np.zeros(m, dtype=np.uint8), np.zeros(m, dtype=bool), nothing, nothing, nothing, float("nan"))


_STANDS, _CAME = (
    np.array([state in those for state in range(max(State) + 1)], dtype=bool)
    for those in ((State.UNACKNOWLEDGED, State.ACKNOWLEDGED), (State.UNACKNOWLEDGED, State.ACKNOWLEDGED, *ASIDE))
)
"""By state: whether its condition is told as standing; whether it has come already, or is set aside."""


@dataclass(frozen=True)
class Transition:
    """One transition: which alarm, by what event, from which state to which, at what value."""

    alarm: int
    event: Event
    was: State
    becomes: State
    value: float


def step(
    table: AlarmTable,
    before: Alarms,
    now: float,
    value: Floats,
    quality: NDArray[np.uint8],
    state: NDArray[np.int8],
    quiet_on: Bools | None = None,
    *,
    unknown: bool = False,
) -> tuple[Alarms, list[Transition]]:
    """The alarms after a reading at `now` (s), and what passed. unknown: nothing was read, so every condition stays.

    value, quality, state: (n,) of the points, conditioned. quiet_on: (m,) where the point that keeps an alarm quiet
    by design is on; None for nowhere.
    """
    moment = max(now, before.last) if np.isfinite(before.last) else now
    elapsed = moment - before.last if np.isfinite(before.last) else np.nan
    mine, good = value[table.at], quality[table.at] < Quality.BAD
    good &= ~np.isnan(mine)
    slow, rate = _rated(before.slow, mine, good, elapsed)
    bare = _condition(table, before.active, mine, rate, state[table.at], quality[table.at], good)
    active, since = (before.active, before.since) if unknown else _delayed(table, before, bare, moment)
    passed: list[Transition] = []
    now_state = before.state
    now_state = _moved(table, now_state, _shelf_ends(before, moment), Event.UNSHELVE, mine, passed)
    quiet = np.zeros(len(table), dtype=bool) if quiet_on is None else quiet_on
    now_state = _moved(table, now_state, quiet & (now_state != State.SUPPRESSED), Event.SUPPRESS, mine, passed)
    now_state = _moved(table, now_state, ~quiet & (now_state == State.SUPPRESSED), Event.RELEASE, mine, passed)
    came = active & ~_CAME[now_state]
    now_state = _moved(table, now_state, came, Event.COMES, mine, passed)
    # What is only for the journal asks nobody to acknowledge it.
    noted = (now_state == State.UNACKNOWLEDGED) & (table.priority == PRIORITIES.index("journal only"))
    now_state = _moved(table, now_state, noted, Event.ACKNOWLEDGE, mine, passed)
    gone = ~active & _STANDS[now_state]
    now_state = _moved(table, now_state, gone, Event.GOES, mine, passed)
    until = np.where(now_state == State.SHELVED, before.until, np.nan)
    return Alarms(now_state, active, since, until, slow, moment), passed


def told(
    table: AlarmTable, before: Alarms, which: NDArray[np.int64], event: Event, until: float = float("nan")
) -> tuple[Alarms, list[Transition]]:
    """The alarms after somebody's word about some of them; those in a state that knows no such word stay.

    until: when a shelf ends by itself, s. An alarm that comes back into service while its condition holds comes anew
    with the next reading.
    """
    where = np.zeros(len(table), dtype=bool)
    where[which] = True
    passed: list[Transition] = []
    state = _moved(table, before.state, where, event, np.full(len(table), np.nan), passed)
    shelf = before.until
    if event is Event.SHELVE:
        shelf = np.where(where & (state == State.SHELVED), until, before.until)
    return replace(before, state=state, until=shelf), passed


def _shelf_ends(before: Alarms, now: float) -> Bools:
    with np.errstate(invalid="ignore"):
        return np.asarray((before.state == State.SHELVED) & (before.until <= now), dtype=bool)


def _moved(
    table: AlarmTable, state: NDArray[np.uint8], where: Bools, event: Event, value: Floats, passed: list[Transition]
) -> NDArray[np.uint8]:
    if not where.any():
        return state
    becomes = np.where(where, _TABLE[state, int(event), table.latches.astype(np.int64)], state).astype(np.uint8)
    for k in np.flatnonzero(becomes != state).tolist():
        passed.append(Transition(k, event, State(int(state[k])), State(int(becomes[k])), float(value[k])))
    return becomes


def _rated(slow: Floats, value: Floats, good: Bools, elapsed: float) -> tuple[Floats, Floats]:
    """The slow value, and the rate of change in a minute: exact for a steady ramp once it has settled."""
    if not np.isfinite(elapsed) or elapsed <= 0:
        return np.where(np.isnan(slow) & good, value, slow), np.zeros(len(value))
    # After a long silence the rate is simply that of the gap.
    share = min(1.0 - float(np.exp(-elapsed / RATE_OVER_S)), 1.0 - 1e-9)
    known = ~np.isnan(slow)
    after = np.where(known, slow + share * (value - slow), value)
    rate = np.where(known & good, (value - after) * share / ((1.0 - share) * elapsed) * 60.0, 0.0)
    return np.where(good, after, slow), rate


def _condition(
    table: AlarmTable,
    active: Bools,
    value: Floats,
    rate: Floats,
    state: NDArray[np.int8],
    quality: NDArray[np.uint8],
    good: Bools,
) -> Bools:
    """Whether each condition holds before its delays. A limit that is met is passed; it ends beyond its deadband."""
    kind = table.kind
    low, high = (kind == LL) | (kind == L), (kind == H) | (kind == HH)
    far = np.abs(value - table.set_point)
    measured = np.where(kind == DEV, far, np.where(kind == RATE, np.abs(rate), value))
    with np.errstate(invalid="ignore"):
        passed = np.where(low, measured <= table.limit, measured >= table.limit)
        dead = table.deadband > 0
        back_low = np.where(dead, measured >= table.limit + table.deadband, measured > table.limit)
        back_high = np.where(dead, measured <= table.limit - table.deadband, measured < table.limit)
    holds = np.where(active, ~np.where(low, back_low, back_high), passed)
    on_value = low | high | (kind == DEV) | (kind == RATE)
    by_state = np.where(state < 0, active, state == table.limit)
    return np.asarray(
        np.where(
            kind == FAULT,
            quality == Quality.BAD,
            np.where(good, np.where(on_value, holds, by_state), active),
        ),
        dtype=bool,
    )


def _delayed(table: AlarmTable, before: Alarms, bare: Bools, now: float) -> tuple[Bools, Floats]:
    """The condition behind its on- and off-delay, and since when the bare one differs."""
    differs = bare != before.active
    since = np.where(differs, np.where(np.isnan(before.since), now, before.since), np.nan)
    delay = np.where(bare, table.on_s, table.off_s)
    turns = differs & (now - np.nan_to_num(since, nan=now) >= delay - 1e-9)
    return np.where(turns, bare, before.active), np.where(turns, np.nan, since)
