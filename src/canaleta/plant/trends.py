"""Trends as they are kept: parts of ten seconds a rack, made into one row a point and hour with its roll-ups.

A part is written while its hour runs, so that an agent that dies loses ten seconds at most. When an hour is over, the
agent that holds the rack packs it (core.trends); what an agent left behind is packed by whoever holds the rack next.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

import numpy as np
from sqlalchemy import Connection, delete, func, select
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.trends import Drawn, Hour, Part, Rolled, drawn, drawn_of_rolled, join_hours, roll
from canaleta.plant import tables as t

__all__ = [
    "MINUTE_S",
    "QUARTER_S",
    "RAW_S",
    "forget_before",
    "pack_hour",
    "read_raw",
    "read_trend",
    "waiting_hours",
    "write_part",
]

MINUTE_S, QUARTER_S, HOUR_S = 60.0, 900.0, 3600.0
RAW_S = 2 * HOUR_S
"""Spans up to this long are drawn from single readings; longer ones from roll-ups."""
ROWS_AT_ONCE = 500


def write_part(connection: Connection, rack: int, part: Part) -> None:
    """Keep some scans of a rack."""
    if not len(part.times):
        return
    begins, ends = (datetime.fromtimestamp(float(part.times[k]), UTC) for k in (0, -1))
    connection.execute(
        upsert(t.trend_part).values(rack=rack, begins=begins, ends=ends, body=part.packed()).on_conflict_do_nothing()
    )


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
    known = {
        row.point: row.body
        for row in connection.execute(
            select(t.trend_hour.c.point, t.trend_hour.c.body).where(
                t.trend_hour.c.hour == hour, t.trend_hour.c.point.in_(points)
            )
        )
    }
    for at in range(0, len(points), ROWS_AT_ONCE):
        rows = []
        for point in points[at : at + ROWS_AT_ONCE]:
            whole = _joined([Hour.unpacked(known[point]), hours[point]]) if point in known else hours[point]
            rows.append(
                {
                    "point": point, "hour": hour, "body": whole.packed(), "minutes": roll(whole, MINUTE_S).packed(),
                    "quarters": roll(whole, QUARTER_S).packed(),
                }
            )  # fmt: skip
        put = upsert(t.trend_hour)
        kept = {name: put.excluded[name] for name in ("body", "minutes", "quarters")}
        connection.execute(put.on_conflict_do_update(index_elements=["point", "hour"], set_=kept), rows)
    connection.execute(delete(t.trend_part).where(*wanted))
    return len(points)


def _joined(hours: Sequence[Hour]) -> Hour:
    """Readings of several pieces in their order."""
    if not hours:
        none = np.empty(0)
        return Hour(none, none, none, none.astype(np.uint8))
    columns = {name: np.concatenate([getattr(h, name) for h in hours]) for name in Hour.__dataclass_fields__}
    order = np.argsort(columns["times"], kind="stable")
    return Hour(**{name: column[order] for name, column in columns.items()})


def forget_before(connection: Connection, day: datetime) -> None:
    """Drop what is older than the plant keeps."""
    connection.execute(delete(t.trend_hour).where(t.trend_hour.c.hour < day))


def read_raw(connection: Connection, point: int, rack: int, begins: float, ends: float) -> Hour:
    """Every single reading of a point between two times, s since 1970."""
    first, last = (datetime.fromtimestamp(x, UTC) for x in (begins, ends))
    pieces = [
        Hour.unpacked(row.body)
        for row in connection.execute(
            select(t.trend_hour.c.body)
            .where(
                t.trend_hour.c.point == point,
                t.trend_hour.c.hour > first - timedelta(hours=1),
                t.trend_hour.c.hour <= last,
            )
            .order_by(t.trend_hour.c.hour)
        )
    ]
    pieces += _of_parts(connection, point, rack, first, last)
    whole = _joined(pieces)
    some = (whole.times >= begins) & (whole.times <= ends)
    return Hour(*(getattr(whole, name)[some] for name in Hour.__dataclass_fields__))


def _of_parts(connection: Connection, point: int, rack: int, first: datetime, last: datetime) -> list[Hour]:
    out = []
    rows = connection.execute(
        select(t.trend_part.c.body)
        .where(t.trend_part.c.rack == rack, t.trend_part.c.ends >= first, t.trend_part.c.begins <= last)
        .order_by(t.trend_part.c.begins)
    )
    for row in rows:
        part = Part.unpacked(row.body)
        column = np.flatnonzero(part.points == point)
        if len(column):
            k = int(column[0])
            out.append(Hour(part.times, part.counts[:, k], part.value[:, k], part.quality[:, k]))
    return out


def read_trend(
    connection: Connection, point: int, rack: int, begins: float, ends: float, most_columns: int, period_s: float
) -> Drawn:
    """The trend of a point between two times, s since 1970, in at most so many columns.

    Single readings up to RAW_S, minutes up to two days, quarters of an hour beyond; the hour that runs is rolled up on
    the way. Gaps where nothing good was read.
    """
    if ends - begins <= RAW_S:
        return drawn(read_raw(connection, point, rack, begins, ends), begins, ends, most_columns, 2.5 * period_s)
    span, column = (
        (MINUTE_S, t.trend_hour.c.minutes) if ends - begins <= 48 * HOUR_S else (QUARTER_S, t.trend_hour.c.quarters)
    )
    first, last = (datetime.fromtimestamp(x, UTC) for x in (begins, ends))
    rolled = [
        Rolled.unpacked(row[0])
        for row in connection.execute(
            select(column)
            .where(
                t.trend_hour.c.point == point,
                t.trend_hour.c.hour > first - timedelta(hours=1),
                t.trend_hour.c.hour <= last,
            )
            .order_by(t.trend_hour.c.hour)
        )
    ]
    running = _joined(_of_parts(connection, point, rack, first, last))
    rolled.append(roll(running, span))
    return drawn_of_rolled(Rolled.joined(rolled), begins, ends, most_columns, span)
