"""Alarms as they are recorded: the state of each that is not normal, and the journal of everything that passed.

The agent that scans a rack writes what passed in the transaction that writes its block. People's words (acknowledge,
reset, shelve …) are commands to that agent: there is one place where an alarm moves.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, and_, delete, func, insert, literal, select, text, tuple_
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.live.alarms import EVENT_WORDS, WORDS, Event, State
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify

__all__ = [
    "ALARMS_CHANNEL",
    "AlarmTransition",
    "chattering",
    "journal",
    "journal_between",
    "most_urgent",
    "open_alarms",
    "record",
    "record_gap",
    "states_elsewhere",
    "waits",
]

ALARMS_CHANNEL = "canaleta_alarm"
GAP = "gap"
_WAIT = {WORDS[state] for state in (State.UNACKNOWLEDGED, State.RETURNED, State.LATCHED)}
_WEIGHT = {"low": 1, "medium": 2, "high": 3}


@dataclass(frozen=True)
class AlarmTransition:
    """One transition as it is recorded. who, why: of somebody's word, empty for what comes by itself. until: when a
    shelf ends. active: whether the condition holds."""

    point: int
    kind: str
    rack: int
    event: Event
    was: State
    becomes: State
    priority: str
    at: datetime
    active: bool
    value: float | None
    who: str = ""
    why: str = ""
    until: datetime | None = None


def record(connection: Connection, passed: Sequence[AlarmTransition]) -> None:
    """Write transitions: the journal grows, the open alarms follow, the screens are told."""
    if not passed:
        return
    connection.execute(
        insert(t.journal),
        [
            {
                "at": p.at,
                "point": p.point,
                "kind": p.kind,
                "event": EVENT_WORDS[p.event],
                "was": WORDS[p.was],
                "becomes": WORDS[p.becomes],
                "priority": p.priority,
                "who": p.who,
                "why": p.why,
                "value": p.value,
            }
            for p in passed
        ],
    )
    last = {(p.point, p.kind): p for p in passed}
    raised = {(p.point, p.kind): p.at for p in passed if p.event is Event.COMES}
    over = [key for key, p in last.items() if p.becomes is State.NORMAL]
    if over:
        connection.execute(delete(t.alarm).where(tuple_(t.alarm.c.point, t.alarm.c.kind).in_(over)))
    rows = [
        {
            "point": p.point, "kind": p.kind, "rack": p.rack, "state": WORDS[p.becomes], "active": p.active,
            "priority": p.priority, "since": p.at, "raised": raised.get(key), "who": p.who, "until": p.until,
            "why": p.why, "value": p.value,
        }
        for key, p in last.items()
        if p.becomes is not State.NORMAL
    ]  # fmt: skip
    if rows:
        put = upsert(t.alarm).values(rows)
        kept: dict[str, Any] = {
            name: put.excluded[name]
            for name in ("rack", "state", "active", "priority", "since", "who", "until", "why")
        }
        kept["raised"] = func.coalesce(put.excluded.raised, t.alarm.c.raised)
        kept["value"] = func.coalesce(put.excluded.value, t.alarm.c.value)
        connection.execute(put.on_conflict_do_update(index_elements=["point", "kind"], set_=kept))
    notify(connection, ALARMS_CHANNEL, last[next(reversed(last))].rack)


def record_gap(connection: Connection, rack: int, at: datetime, seconds: float) -> None:
    """Note in the journal that nobody scanned a rack for some time, which ended now; told once, and no alarm."""
    connection.execute(
        insert(t.journal).values(
            at=at,
            point=-rack,
            kind="fault",
            event=GAP,
            was="",
            becomes="",
            priority="journal only",
            value=seconds,
            why="nobody scanned this rack",
        )
    )


def forget(connection: Connection, rack: int, kept: Sequence[tuple[int, str]]) -> None:
    """Alarms of a rack that the list has no more are no longer open; the journal keeps them."""
    gone = delete(t.alarm).where(t.alarm.c.rack == rack)
    if kept:
        gone = gone.where(~tuple_(t.alarm.c.point, t.alarm.c.kind).in_(list(kept)))
    if connection.execute(gone).rowcount:
        notify(connection, ALARMS_CHANNEL, rack)


def states_elsewhere(connection: Connection, keys: Sequence[tuple[int, str]]) -> dict[tuple[int, str], State]:
    """The states of open alarms by (point, kind): of points that come from another rack, or back."""
    if not keys:
        return {}
    rows = connection.execute(
        select(t.alarm.c.point, t.alarm.c.kind, t.alarm.c.state).where(
            tuple_(t.alarm.c.point, t.alarm.c.kind).in_(list(keys))
        )
    )
    of_words = {words: state for state, words in WORDS.items()}
    return {(row.point, row.kind): of_words[row.state] for row in rows}


def open_alarms(connection: Connection) -> list[Any]:
    """Every alarm that is not normal, newest first."""
    return list(connection.execute(select(t.alarm).order_by(t.alarm.c.since.desc(), t.alarm.c.point, t.alarm.c.kind)))


def most_urgent(alarms: Sequence[Any]) -> list[Any]:
    """Open alarms in the order in which they must be looked at: those that wait for somebody, then the rest; of each
    the higher priority first, and of one priority the newest."""
    return sorted(alarms, key=lambda a: (not waits(a), -_WEIGHT.get(a.priority, 0), -a.since.timestamp()))


def waits(alarm: Any) -> bool:
    """Whether an open alarm waits to be acknowledged."""
    return alarm.state in _WAIT


def journal(
    connection: Connection,
    *,
    before: int | None = None,
    point: int | None = None,
    since: datetime | None = None,
    most: int = 200,
) -> list[Any]:
    """Lines of the journal, newest first; `before` an id for the next page."""
    wanted = []
    if before is not None:
        wanted.append(t.journal.c.id < before)
    if point is not None:
        wanted.append(t.journal.c.point == point)
    if since is not None:
        wanted.append(t.journal.c.at >= since)
    query = select(t.journal).where(and_(True, *wanted)).order_by(t.journal.c.id.desc()).limit(most)
    return list(connection.execute(query))


def journal_between(
    connection: Connection,
    begins: float,
    ends: float,
    behind: tuple[float, int] | None = None,
    most: int = 200,
    *,
    backwards: bool = False,
) -> list[Any]:
    """Lines of the journal between two times, both included, s since 1970; in the order of their times. behind: (time, number)
    of the line that they come after."""
    at, number = t.journal.c.at, t.journal.c.id
    wanted = [at >= datetime.fromtimestamp(begins, UTC), at <= datetime.fromtimestamp(ends, UTC)]
    if behind is not None:
        line, then = tuple_(at, number), tuple_(literal(datetime.fromtimestamp(behind[0], UTC)), literal(behind[1]))
        wanted.append(line < then if backwards else line > then)
    order = (at.desc(), number.desc()) if backwards else (at, number)
    return list(connection.execute(select(t.journal).where(*wanted).order_by(*order).limit(most)))


def chattering(connection: Connection, times: int, minutes: float = 10.0) -> dict[tuple[int, str], int]:
    """{(point, kind): most times within one minute} of alarms that came `times` or more in a minute lately."""
    rows = connection.execute(
        text(
            "select point, kind, max(together) as together from ("
            " select point, kind, count(*) over (partition by point, kind order by at"
            " range between interval '1 minute' preceding and current row) as together"
            " from journal where event = :comes and at > clock_timestamp() - make_interval(secs => :seconds)"
            ") as counted group by point, kind having max(together) >= :times"
        ),
        {"comes": EVENT_WORDS[Event.COMES], "seconds": 60.0 * minutes, "times": times},
    )
    return {(row.point, row.kind): int(row.together) for row in rows}
