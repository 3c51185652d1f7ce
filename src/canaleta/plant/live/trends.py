"""Trends as they are kept: parts of ten seconds a rack, made into one row a point and hour with its roll-ups.

A part is written while its hour runs, so that an agent that dies loses ten seconds at most. When an hour is over, the
agent that holds the rack packs it (core.live.trends); what an agent left behind is packed by whoever holds the rack next.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy import Connection, and_, delete, func, insert, select, text
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.live.trends import (
    Drawn,
    Hour,
    Part,
    Rolled,
    drawn,
    drawn_of_rolled,
    join_hours,
    packed_times,
    roll,
    unpacked_times,
)
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify

__all__ = [
    "MINUTE_S",
    "QUARTER_S",
    "RAW_S",
    "TREND_CHANNEL",
    "borne_out",
    "forget_before",
    "pack_hour",
    "read_raw",
    "read_raw_of",
    "read_trends",
    "waiting_hours",
    "want_newest",
    "write_part",
]

MINUTE_S, QUARTER_S, HOUR_S = 60.0, 900.0, 3600.0
RAW_S = 2 * HOUR_S
"""Spans up to this long are drawn from single readings; longer ones from roll-ups."""
BORNE_OUT = timedelta(days=2)
ROWS_AT_ONCE = 500
TREND_CHANNEL = "canaleta_trend"
"""Tells an agent that somebody looks at a trend of a rack: what it read lately is written with the next scan."""


def write_part(connection: Connection, rack: int, part: Part) -> None:
    """Keep some scans of a rack."""
    if not len(part.times):
        return
    begins, ends = (datetime.fromtimestamp(float(part.times[k]), UTC) for k in (0, -1))
    connection.execute(
        upsert(t.trend_part).values(rack=rack, begins=begins, ends=ends, body=part.packed()).on_conflict_do_nothing()
    )


def want_newest(connection: Connection, racks: Iterable[int]) -> None:
    """Ask the agents to write what they read of these racks lately, so that what is stored meets what is heard."""
    for rack in sorted(set(racks)):
        notify(connection, TREND_CHANNEL, rack)


def waiting_hours(connection: Connection, rack: int, now: datetime) -> list[datetime]:
    """Hours of a rack that are over and not packed yet, oldest first."""
    over = now.replace(minute=0, second=0, microsecond=0)
    rows = connection.execute(
        select(func.date_trunc("hour", t.trend_part.c.begins).label("hour"))
        .where(t.trend_part.c.rack == rack, t.trend_part.c.begins < over)
        .distinct()
        .order_by("hour")
    )
    return [row.hour for row in rows]


def pack_hour(connection: Connection, rack: int, hour: datetime) -> int:
    """Make rows of points out of one hour's parts of a rack, and drop the parts. Returns how many points it had.

    A point that was on another rack in the same hour keeps what was read there.
    """
    wanted = (
        t.trend_part.c.rack == rack,
        t.trend_part.c.begins >= hour,
        t.trend_part.c.begins < hour + timedelta(hours=1),
    )
    parts = [Part.unpacked(row.body) for row in connection.execute(select(t.trend_part.c.body).where(*wanted))]
    hours = join_hours(parts)
    points = sorted(hours)
    known = {row.point: _hour_of(row) for row in _bodies(connection, t.trend_hour.c.hour == hour, points)}
    clocks: dict[bytes, int] = {}
    for at in range(0, len(points), ROWS_AT_ONCE):
        rows = []
        for point in points[at : at + ROWS_AT_ONCE]:
            whole = _joined([known[point], hours[point]]) if point in known else hours[point]
            rows.append(
                {
                    "point": point,
                    "hour": hour,
                    "body": whole.packed(),
                    "minutes": roll(whole, MINUTE_S).packed(),
                    "quarters": roll(whole, QUARTER_S).packed(),
                    "clock": _clock(connection, hour, whole, clocks),
                }
            )
        put = upsert(t.trend_hour)
        kept = {name: put.excluded[name] for name in ("body", "minutes", "quarters", "clock")}
        connection.execute(put.on_conflict_do_update(index_elements=["point", "hour"], set_=kept), rows)
    connection.execute(delete(t.trend_part).where(*wanted))
    return len(points)


def _clock(connection: Connection, hour: datetime, whole: Hour, clocks: dict[bytes, int]) -> int:
    """The number of the times of an hour's readings: the points of a rack are read at the same times, kept once."""
    key = whole.times.tobytes()
    if key not in clocks:
        row = insert(t.trend_clock).values(hour=hour, body=packed_times(whole.times)).returning(t.trend_clock.c.id)
        clocks[key] = int(connection.execute(row).scalar_one())
    return clocks[key]


def _bodies(connection: Connection, when: Any, points: Iterable[int]) -> Iterable[Any]:
    """The packed readings of some points with the times they were read at, oldest first."""
    return connection.execute(
        select(t.trend_hour.c.point, t.trend_hour.c.body, t.trend_clock.c.body.label("times"))
        .outerjoin(
            t.trend_clock,
            and_(t.trend_clock.c.id == t.trend_hour.c.clock, t.trend_clock.c.hour == t.trend_hour.c.hour),
        )
        .where(when, t.trend_hour.c.point.in_(list(points)))
        .order_by(t.trend_hour.c.hour)
    )


def _hour_of(row: Any) -> Hour:
    return Hour.unpacked(row.body, None if row.times is None else unpacked_times(row.times))


def _joined(hours: Sequence[Hour]) -> Hour:
    """Readings of several pieces in their order."""
    if not hours:
        none = np.empty(0)
        return Hour(none, none, none, none.astype(np.uint8))
    columns = {name: np.concatenate([getattr(h, name) for h in hours]) for name in Hour.__dataclass_fields__}
    order = np.argsort(columns["times"], kind="stable")
    return Hour(**{name: column[order] for name, column in columns.items()})


def borne_out(connection: Connection, now: datetime) -> datetime:
    """The time by which old trends are told: that of the database, but no later than BORNE_OUT after the newest hour that was kept.
    A clock that jumps a year ahead for a while must not make a year of trends look old."""
    newest: datetime | None = connection.execute(select(func.max(t.trend_hour.c.hour))).scalar_one()
    return now if newest is None else min(now, newest + BORNE_OUT)


def forget_before(connection: Connection, day: datetime) -> list[str]:
    """Make the months to come, and drop those that lie wholly before a day: no row is deleted by itself. Returns what was
    dropped. Raises sqlalchemy.exc.OperationalError (lock_not_available) while somebody reads for longer than two seconds."""
    connection.execute(text("select canaleta_months(2)"))
    dropped: list[str] = connection.execute(text("select canaleta_forget_trends(:day)"), {"day": day}).scalar_one()
    return dropped


def read_raw(connection: Connection, point: int, rack: int, begins: float, ends: float) -> Hour:
    """Every single reading of a point between two times, s since 1970."""
    return read_raw_of(connection, {point: rack}, begins, ends)[point]


def read_trends(
    connection: Connection,
    racks: Mapping[int, int],
    begins: float,
    ends: float,
    most_columns: int,
    periods_s: Mapping[int, float],
) -> dict[int, Drawn]:
    """The trends of some points between two times, s since 1970, in at most so many columns each.

    racks, periods_s: of each point, where it is read and how often. Single readings up to RAW_S, minutes up to two
    days, quarters of an hour beyond; the hour that runs is rolled up on the way. Gaps where nothing good was read.
    """
    if ends - begins <= RAW_S:
        return {
            point: drawn(hour, begins, ends, most_columns, 2.5 * periods_s[point])
            for point, hour in read_raw_of(connection, racks, begins, ends).items()
        }
    minutes = ends - begins <= 48 * HOUR_S
    span, column = (MINUTE_S, t.trend_hour.c.minutes) if minutes else (QUARTER_S, t.trend_hour.c.quarters)
    rolled: dict[int, list[Rolled]] = {point: [] for point in racks}
    for row in _rows(connection, column, racks, begins, ends):
        rolled[row.point].append(Rolled.unpacked(row[1]))
    running = _of_parts(connection, racks, begins, ends)
    return {
        point: drawn_of_rolled(
            Rolled.joined([*rolled[point], roll(_joined(running[point]), span)]), begins, ends, most_columns, span
        )
        for point in racks
    }


def read_raw_of(connection: Connection, racks: Mapping[int, int], begins: float, ends: float) -> dict[int, Hour]:
    """Every single reading of some points between two times, s since 1970. racks: where each is read."""
    pieces: dict[int, list[Hour]] = {point: [] for point in racks}
    for row in _bodies(connection, _between(begins, ends), racks):
        pieces[row.point].append(_hour_of(row))
    for point, parts in _of_parts(connection, racks, begins, ends).items():
        pieces[point] += parts
    out = {}
    for point, some in pieces.items():
        whole = _joined(some)
        here = (whole.times >= begins) & (whole.times <= ends)
        out[point] = Hour(*(getattr(whole, name)[here] for name in Hour.__dataclass_fields__))
    return out


def _rows(connection: Connection, column: Any, points: Iterable[int], begins: float, ends: float) -> Iterable[Any]:
    """One packed column of the hours of some points, oldest first."""
    return connection.execute(
        select(t.trend_hour.c.point, column)
        .where(t.trend_hour.c.point.in_(list(points)), _between(begins, ends))
        .order_by(t.trend_hour.c.hour)
    )


def _between(begins: float, ends: float) -> Any:
    first, last = (datetime.fromtimestamp(x, UTC) for x in (begins, ends))
    return and_(t.trend_hour.c.hour > first - timedelta(hours=1), t.trend_hour.c.hour <= last)


def _of_parts(connection: Connection, racks: Mapping[int, int], begins: float, ends: float) -> dict[int, list[Hour]]:
    """What is not packed into hours yet; each part is unpacked once, however many of its points are asked for."""
    first, last = (datetime.fromtimestamp(x, UTC) for x in (begins, ends))
    out: dict[int, list[Hour]] = {point: [] for point in racks}
    for rack in sorted(set(racks.values())):
        mine = [point for point, of in racks.items() if of == rack]
        rows = connection.execute(
            select(t.trend_part.c.body)
            .where(t.trend_part.c.rack == rack, t.trend_part.c.ends >= first, t.trend_part.c.begins <= last)
            .order_by(t.trend_part.c.begins)
        )
        for row in rows:
            part = Part.unpacked(row.body)
            column_of = {int(point): k for k, point in enumerate(part.points)}
            for point in mine:
                if (k := column_of.get(point)) is not None:
                    out[point].append(Hour(part.times, part.counts[:, k], part.value[:, k], part.quality[:, k]))
    return out
