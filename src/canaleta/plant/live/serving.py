"""Serving to other systems: who holds the lease of it, which client certificates are trusted, which points were given away for
writing and what was written. All times are the database's."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, case, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import confirmed, notify
from canaleta.plant.database.patience import patient

__all__ = [
    "GIVEN_CHANNEL",
    "LEASE_S",
    "MOST_GIVEN_MINUTES",
    "ClientCertificate",
    "Given",
    "Served",
    "Written",
    "certificates",
    "end_given",
    "give",
    "given_now",
    "note_certificate",
    "release",
    "seen_writes",
    "served_now",
    "take",
    "tell_outlets",
    "trust",
    "write_down",
]

LEASE_S = 5.0
MOST_GIVEN_MINUTES = 8 * 60
GIVEN_CHANNEL = "canaleta_given"
"""Tells whoever serves that a point was given away or taken back, or that a certificate is trusted or not."""
MOST_TOLD = 200


@dataclass(frozen=True)
class Served:
    """Somebody who serves. outlets: what it says of each of its doors; alive: whether its lease holds."""

    name: str
    holder: str
    until: datetime
    outlets: list[dict[str, Any]]
    alive: bool


@dataclass(frozen=True)
class ClientCertificate:
    """A client that showed a certificate. name: of its application."""

    fingerprint: str
    name: str
    expires: datetime
    first: datetime
    last: datetime
    trusted: bool
    trusted_by: str


@dataclass(frozen=True)
class Given:
    """A point that other systems may write to for a time."""

    id: int
    at: datetime
    point: int
    who: str
    why: str
    until: datetime


@dataclass(frozen=True)
class Written:
    """What another system wrote to a point, or tried to."""

    id: int
    at: datetime
    point: int
    by: str
    door: str
    value: str
    done: bool
    says: str


def _until(seconds: float) -> Any:
    return func.clock_timestamp() + text("make_interval(secs => :seconds)").bindparams(seconds=seconds)


def take(connection: Connection, name: str, holder: str, seconds: float = LEASE_S) -> int | None:
    """Take or renew the lease of serving under a name. Returns its epoch, which grows with each holder; None while another
    holds it."""
    seconds = patient(seconds)
    put = upsert(t.serving).values(name=name, holder=holder, epoch=1, until=_until(seconds))
    # A promise for longer than anybody gives was made before the clock was set back.
    free = (
        (t.serving.c.holder == holder)
        | (t.serving.c.until < func.clock_timestamp())
        | (t.serving.c.until > _until(2 * seconds))
    )
    grown = case((t.serving.c.holder != holder, t.serving.c.epoch + 1), else_=t.serving.c.epoch)
    taken = connection.execute(
        put.on_conflict_do_update(
            index_elements=["name"], set_={"holder": holder, "epoch": grown, "until": _until(seconds)}, where=free
        ).returning(t.serving.c.epoch)
    ).scalar_one_or_none()
    return None if taken is None else int(taken)


def release(connection: Connection, name: str, holder: str) -> None:
    """Give the lease back: whoever waits may serve at once."""
    connection.execute(
        update(t.serving)
        .where(t.serving.c.name == name, t.serving.c.holder == holder)
        .values(until=func.clock_timestamp(), outlets=[])
    )


def tell_outlets(connection: Connection, name: str, holder: str, outlets: Sequence[Mapping[str, Any]]) -> None:
    """Say how the doors are."""
    connection.execute(
        update(t.serving)
        .where(t.serving.c.name == name, t.serving.c.holder == holder)
        .values(outlets=[dict(one) for one in outlets])
    )


def served_now(connection: Connection) -> list[Served]:
    """Everybody who serves or served, by name."""
    rows = connection.execute(
        select(t.serving, (t.serving.c.until >= func.clock_timestamp()).label("alive")).order_by(t.serving.c.name)
    )
    return [Served(r.name, r.holder, r.until, list(r.outlets), bool(r.alive)) for r in rows]


def note_certificate(connection: Connection, fingerprint: str, name: str, expires: datetime) -> bool:
    """Keep that a client showed a certificate. Returns whether it is trusted. Of those that nobody trusted the newest
    MOST_TOLD are kept: a client that shows a new one each time fills nothing."""
    strange = select(t.client_certificate.c.fingerprint).where(~t.client_certificate.c.trusted)
    old = strange.order_by(t.client_certificate.c.last.desc()).offset(MOST_TOLD).scalar_subquery()
    connection.execute(delete(t.client_certificate).where(t.client_certificate.c.fingerprint.in_(old)))
    put = upsert(t.client_certificate).values(fingerprint=fingerprint, name=name, expires=expires)
    return bool(
        connection.execute(
            put.on_conflict_do_update(
                index_elements=["fingerprint"], set_={"last": func.now(), "name": name}
            ).returning(t.client_certificate.c.trusted)
        ).scalar_one()
    )


def certificates(connection: Connection) -> list[ClientCertificate]:
    """All that clients showed: those that are trusted, then the newest first."""
    rows = connection.execute(
        select(t.client_certificate)
        .order_by(t.client_certificate.c.trusted.desc(), t.client_certificate.c.last.desc())
        .limit(MOST_TOLD)
    )
    return [
        ClientCertificate(r.fingerprint, r.name, r.expires, r.first, r.last, r.trusted, r.trusted_by) for r in rows
    ]


def trust(connection: Connection, fingerprint: str, who: str, trusted: bool) -> bool:
    """Trust a certificate, or no more. Returns whether there is such a one."""
    done = connection.execute(
        update(t.client_certificate)
        .where(t.client_certificate.c.fingerprint == fingerprint)
        .values(trusted=trusted, trusted_by=who if trusted else "")
    )
    notify(connection, GIVEN_CHANNEL, 0)
    return bool(done.rowcount)


def give(connection: Connection, points: Sequence[int], who: str, why: str, minutes: int) -> None:
    """Give points away for writing, for so many minutes, MOST_GIVEN_MINUTES at most; what was given of them before ends."""
    _end(connection, t.given_away.c.point.in_(list(points)), who=who)
    until = _until(60.0 * max(1, min(minutes, MOST_GIVEN_MINUTES)))
    for point in points:
        now = func.clock_timestamp()
        connection.execute(insert(t.given_away).values(at=now, point=point, who=who, why=why, until=until))
    notify(connection, GIVEN_CHANNEL, 0)


def end_given(connection: Connection, ids: Sequence[int], who: str) -> int:
    """Take points back. Returns how many were still given."""
    done = _end(connection, t.given_away.c.id.in_(list(ids)), who=who)
    notify(connection, GIVEN_CHANNEL, 0)
    return done


def _end(connection: Connection, *which: Any, who: str) -> int:
    open_ = t.given_away.c.ended_at.is_(None), t.given_away.c.until > func.clock_timestamp()
    done = connection.execute(
        update(t.given_away).where(*open_, *which).values(ended_at=func.clock_timestamp(), ended_by=who)
    )
    return int(done.rowcount)


def given_now(connection: Connection) -> list[Given]:
    """What may be written now, the newest first."""
    c = t.given_away.c
    rows = connection.execute(
        select(c.id, c.at, c.point, c.who, c.why, c.until)
        # A clock that was set back behind the moment of giving ends it.
        .where(c.ended_at.is_(None), c.until > func.clock_timestamp(), c.at <= func.clock_timestamp())
        .order_by(c.id.desc())
    )
    return [Given(*row) for row in rows]


def write_down(connection: Connection, point: int, by: str, door: str, value: str, done: bool, says: str) -> None:
    """Keep what another system wrote, or tried to: for good."""
    confirmed(connection)
    connection.execute(insert(t.given_write).values(point=point, by=by, door=door, value=value, done=done, says=says))


def seen_writes(connection: Connection, most: int = MOST_TOLD) -> list[Written]:
    """The newest writes and tries."""
    rows = connection.execute(select(t.given_write).order_by(t.given_write.c.id.desc()).limit(most))
    return [Written(r.id, r.at, r.point, r.by, r.door, r.value, r.done, r.says) for r in rows]
