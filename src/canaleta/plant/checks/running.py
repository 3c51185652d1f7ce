"""What racks run beside the list and its newest issue: read now, counted, kept apart with a reason and a day.

A look asks the rack's agent and keeps what it came to, so that whoever comes next sees it without asking again, and a look by
night tells in the morning.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime

from sqlalchemy import Connection, Engine, func, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.checks.own_numbers import OwnNumber, compared, number_runs, numbers_of
from canaleta.core.hardware.running import Issued, Parameter, three_columns
from canaleta.core.hardware.settings import block_of_words, reported_modules, strangers, words_of
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.plant.database import tables as t
from canaleta.plant.live.commands import ask, awaited

__all__ = ["Kept", "Look", "Newest", "end_kept", "keep_apart", "kept_now", "last_edits", "look_at", "looked_at"]

WAITS_S = 25.0


@dataclass(frozen=True)
class Kept:
    """A difference that stays for now: what runs, why, until which day ("" for no day), by whom."""

    id: int
    at: datetime
    point: int
    field: str
    running: str
    reason: str
    who: str
    until: str

    def holds(self, parameter: Parameter, today: date) -> bool:
        """Whether it is this difference, still as it was, and its day has not passed."""
        same = (self.point, self.field, self.running) == (parameter.point, parameter.field, parameter.running)
        return same and (not self.until or date.fromisoformat(self.until) >= today)


@dataclass(frozen=True)
class Look:
    """What a look at a rack came to. says: why nothing could be compared, "" where it was. parameters: what is apart;
    kept: the one that each is kept by, None for none. missing: what of it could not be read, in words."""

    rack: int
    seq: int
    says: str
    parameters: tuple[Parameter, ...]
    kept: tuple[Kept | None, ...]
    missing: tuple[str, ...] = ()

    @property
    def open(self) -> tuple[Parameter, ...]:
        """What is apart and not kept so."""
        return tuple(p for p, kept in zip(self.parameters, self.kept, strict=True) if kept is None)


@dataclass(frozen=True)
class Newest:
    """The newest look at a rack: when, by whom, with which list, what kept it from comparing, how many were open and at
    which points, and how many places could not be read."""

    rack: int
    at: datetime
    who: str
    seq: int
    says: str
    open: int
    points: tuple[int, ...]
    missing: int


def look_at(
    engine: Engine, image: PlantImage, issued: Issued, rack: int, who: str, types: Iterable[ModuleType]
) -> Look:
    """Read a rack's settings by its agent, and hold them against list and issue. types: every module type that a rack's
    numbers may mean."""
    says, parameters = "", []
    missing: list[str] = []
    one = image.layout.racks[rack]
    if one.by_name:
        says = f"a rack that is reached by {one.link} reports no settings"
    else:
        numbers, missing = numbers_of(image, rack)
        also = [[str(table), first, count] for table, first, count in number_runs(numbers)]
        with engine.begin() as connection:
            number = ask(connection, who, rack, "read", {"also": also})
        outcome = awaited(engine, number, WAITS_S)
        if not outcome.done:
            says = outcome.says
        else:
            words = words_of(outcome.answer["read"])
            known = list(types)
            block = block_of_words(words)
            own = {kind.title: kind.ident_code for kind in known if kind.ident_code is not None}
            if strange := strangers(image.layout, rack, block, own):
                first = strange[0]
                says = reported_modules(image.layout, rack, block, known) or (
                    f"slot {first.slot} should be {first.expected} and reports {first.reported}, which is"
                    f" {first.is_like or 'no module the catalogue knows'}"
                )
            else:
                parameters = three_columns(image, issued, rack, words)
                parameters += compared(image, issued, numbers, words_of(outcome.answer["also"]))
                missing += _refused(image, numbers, outcome.answer["refused"])
    with engine.begin() as connection:
        today = datetime.now(UTC).date()
        keeps = kept_now(connection, [p.point for p in parameters])
        kept = tuple(next((k for k in keeps if k.holds(p, today)), None) for p in parameters)
        out = Look(rack, image.seq, says, tuple(parameters), kept, tuple(missing))
        points = list(dict.fromkeys(p.point for p in out.open))
        values = {
            "who": who,
            "seq": image.seq,
            "says": says,
            "open": len(out.open),
            "points": points,
            "missing": len(missing),
        }
        put = upsert(t.rack_look).values(rack=rack, at=func.now(), **values)
        connection.execute(put.on_conflict_do_update(index_elements=["rack"], set_={"at": func.now(), **values}))
    return out


def _refused(
    image: PlantImage, numbers: Sequence[OwnNumber], refused: Iterable[tuple[str, int, int, str]]
) -> list[str]:
    """Which numbers stand where a rack would not be read, and what it said."""
    out = []
    for _, first, count, why in refused:
        mine = [n for n in numbers if any(first <= place.register < first + count for place in n.places)]
        out += [f"{image.label(n.row)} {n.setting}, {n.where}: {why}" for n in mine]
    return list(dict.fromkeys(out))


def looked_at(connection: Connection) -> dict[int, Newest]:
    """The newest look at each rack that was ever looked at."""
    rows = connection.execute(select(t.rack_look))
    return {r.rack: Newest(r.rack, r.at, r.who, r.seq, r.says, r.open, tuple(r.points), r.missing) for r in rows}


def kept_now(connection: Connection, points: Sequence[int] | None = None) -> list[Kept]:
    """What is kept apart, newest first, whether its day has passed or not. points: of these alone."""
    columns = [t.kept_apart.c[name] for name in ("id", "at", "point", "field", "running", "reason", "who", "until")]
    query = select(*columns).where(t.kept_apart.c.ended_at.is_(None)).order_by(t.kept_apart.c.id.desc())
    if points is not None:
        query = query.where(t.kept_apart.c.point.in_(list(points)))
    return [Kept(*row) for row in connection.execute(query)]


def keep_apart(
    connection: Connection, items: Iterable[tuple[int, str, str]], reason: str, who: str, until: str
) -> None:
    """Keep differences, (point, field, what runs) each; what was kept of the same before ends."""
    for point, field, running in items:
        _end(connection, t.kept_apart.c.point == point, t.kept_apart.c.field == field, who=who)
        connection.execute(
            t.kept_apart.insert().values(
                point=point, field=field, running=running, reason=reason, who=who, until=until
            )
        )


def end_kept(connection: Connection, ids: Sequence[int], who: str) -> int:
    """What was kept is open again. Returns how many were."""
    return _end(connection, t.kept_apart.c.id.in_(list(ids)), who=who)


def _end(connection: Connection, *which: object, who: str) -> int:
    done = connection.execute(
        update(t.kept_apart)
        .where(t.kept_apart.c.ended_at.is_(None), *which)  # type: ignore[arg-type]
        .values(ended_at=func.now(), ended_by=who)
    )
    return int(done.rowcount)


def last_edits(
    connection: Connection, parameters: Sequence[Parameter], since: int
) -> dict[tuple[int, str], tuple[str, datetime]]:
    """{(point, field): (who, when)} of the newest edit of each since a sequence number."""
    wanted = {(p.point, p.field) for p in parameters}
    rows = connection.execute(
        select(t.change.c.entity_id, t.change.c.fields, t.change_set.c.who, t.change_set.c.at)
        .join(t.change_set, t.change_set.c.seq == t.change.c.seq)
        .where(t.change.c.entity == "point", t.change.c.seq > since)
        .where(t.change.c.entity_id.in_({point for point, _ in wanted}))
        .order_by(t.change.c.seq)
    )
    return {
        (row.entity_id, name): (row.who, row.at)
        for row in rows
        for name in row.fields
        if (row.entity_id, name) in wanted
    }
