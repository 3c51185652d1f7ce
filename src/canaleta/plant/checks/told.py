"""What the records and the live tables hold that is a finding now (core.rules.records)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta

import numpy as np
from sqlalchemy import Connection, func, select

from canaleta.core.live.alarms import EVENT_WORDS, WORDS, Event, State
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.rules.records import (
    DEADBANDS,
    Stands,
    Told,
    drifting,
    never_came,
    noisy,
    runs_apart,
    standing,
    unproved,
)
from canaleta.core.signals.noise import noise_of
from canaleta.plant.checks.due import due_points
from canaleta.plant.checks.histories import DAY_S
from canaleta.plant.checks.running import looked_at
from canaleta.plant.database import tables as t
from canaleta.plant.live import temporary
from canaleta.plant.live.alarms import open_alarms
from canaleta.plant.live.blocks import Flag, read_block
from canaleta.plant.live.temporary import FORCE, SUBSTITUTE
from canaleta.plant.live.trends import read_raw_of

__all__ = ["told_now"]

WINDOW_S = 300.0
LEAST_READINGS = 30
MOST_LOOKED_AT = 200
"""Points whose noise is worked out at a time."""
_PROVING = ("loop check", "loop-back", "script")
_ALARM_FIELDS = (
    "channel",
    "enabled",
    "alarm_ll",
    "alarm_l",
    "alarm_h",
    "alarm_hh",
    "alarm_dev",
    "alarm_rate",
    "alarm_state",
)


def told_now(connection: Connection, image: PlantImage, now: float) -> list[Told]:
    """Everything that is told at a moment, s since 1970."""
    due, today = due_points(connection, image), now / DAY_S
    return [
        *_held(connection, image, now),
        *_latched(connection, image),
        *unproved(image, due, _proved(connection), today),
        *drifting(image, due, today),
        *_apart(connection, image, now),
        *_standing(connection, image, now),
        *_never_came(connection, image, now),
        *_noisy(connection, image, now),
    ]


def _proved(connection: Connection) -> set[int]:
    """Points with a signed record that proves a rung of theirs, their own or one of a script that they had a part in."""
    own = select(t.evidence.c.point).where(t.evidence.c.kind.in_(_PROVING), t.evidence.c.passes.is_not(False))
    among = select(func.jsonb_array_elements(t.evidence.c.body["points"])).where(
        t.evidence.c.kind == "script", func.jsonb_typeof(t.evidence.c.body["points"]) == "array"
    )
    return {int(p) for p in connection.execute(own).scalars()} | {int(p) for p in connection.execute(among).scalars()}


def _held(connection: Connection, image: PlantImage, now: float) -> Iterator[Told]:
    for x in (x for x in temporary.listed(connection) if image.has(x.point)):
        late = x.due is not None and x.due.timestamp() < now
        rule = "R32" if x.kind in (FORCE, SUBSTITUTE) else "R50"
        text = f"{image.label(image.row_of(x.point))}: {x.kind}, {x.what}, by {x.who}{', overdue' if late else ''}"
        yield Told(rule, "bad" if late else "settle", (x.point,), text)


def _latched(connection: Connection, image: PlantImage) -> Iterator[Told]:
    for rack in image.layout.racks:
        block = read_block(connection, rack)
        if block is None:
            continue
        for k in np.flatnonzero((block.flags & Flag.LATCHED) != 0).tolist():
            point = int(block.points[k])
            if image.has(point):
                text = f"{image.label(image.row_of(point))}: a fault waits for its reset"
                yield Told("R33", "settle", (point,), text)


def _apart(connection: Connection, image: PlantImage, now: float) -> Iterator[Told]:
    layout = image.layout
    for look in looked_at(connection).values():
        rack = layout.racks.get(look.rack)
        if rack is None or rack.by_name:
            continue
        where = f"rack {rack.name} of {layout.cabinets[rack.cabinet].name}"
        days = (now - look.at.timestamp()) / DAY_S
        yield from runs_apart(image, where, look.open, look.points, look.says, days, look.missing)


def _standing(connection: Connection, image: PlantImage, now: float) -> Iterator[Told]:
    quiet = (WORDS[State.SUPPRESSED], WORDS[State.OUT_OF_SERVICE])
    active = [
        Stands(int(a.point), str(a.kind), (now - (a.raised or a.since).timestamp()) / 3600.0)
        for a in open_alarms(connection)
        if a.active and a.state not in quiet
    ]
    yield from standing(image, active)


def _never_came(connection: Connection, image: PlantImage, now: float) -> Iterator[Told]:
    days = float(image.conventions.never_came_days)
    since = datetime.fromtimestamp(now, UTC) - timedelta(days=days)
    first = connection.execute(select(func.min(t.journal.c.at))).scalar_one()
    if first is None or first > since:
        # The journal does not reach back so far: nothing can be said.
        return
    lines = select(t.journal.c.point, t.journal.c.kind).where(
        t.journal.c.at >= since, t.journal.c.event == EVENT_WORDS[Event.COMES]
    )
    came = {(int(p), str(kind)) for p, kind in connection.execute(lines.distinct())}
    # One that has stood since before came once.
    came |= {(int(a.point), str(a.kind)) for a in open_alarms(connection)}
    moved = (
        select(t.change.c.entity_id)
        .join(t.change_set, t.change_set.c.seq == t.change.c.seq)
        .where(t.change_set.c.at >= since, t.change.c.entity == "point")
        .where(func.jsonb_exists_any(t.change.c.fields, list(_ALARM_FIELDS)))
    )
    lately = {int(p) for p in connection.execute(moved).scalars()}
    yield from never_came(image, came, lately, days)


def _noisy(connection: Connection, image: PlantImage, now: float) -> Iterator[Told]:
    wide = np.any([image.number(name) > 0 for name in DEADBANDS], axis=0)
    rows = np.flatnonzero(image.landed & wide)[:MOST_LOOKED_AT].tolist()
    racks = {int(image.ids[row]): image.layout.modules[int(image.module[row])].rack for row in rows}
    hours = read_raw_of(connection, racks, now - WINDOW_S, now)
    sigma = []
    for row in rows:
        hour = hours[int(image.ids[row])]
        value = hour.value[(hour.quality == Quality.GOOD) & np.isfinite(hour.value)]
        sigma.append(noise_of(value).fast if len(value) >= LEAST_READINGS else float("nan"))
    yield from noisy(image, rows, sigma)
