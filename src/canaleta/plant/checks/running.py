"""What racks run beside the list and its newest issue: read now, counted, kept apart with a reason and a day.

A look asks the rack's agent and keeps what it came to, so that whoever comes next sees it without asking again, and a look by
night tells in the morning.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass, field, fields
from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import Connection, Engine, func, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.checks.own_numbers import (
    OwnNumber,
    compared,
    named_nodes,
    number_names,
    number_runs,
    numbers_of,
    ranged,
)
from canaleta.core.hardware.running import Parameter, three_columns
from canaleta.core.hardware.settings import block_of_words, reported_modules, strangers, words_of
from canaleta.core.hardware.themselves import (
    Themselves,
    WasIssued,
    firmware_runs,
    not_as_noted,
    told_of_themselves,
)
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table
from canaleta.plant.database import tables as t
from canaleta.plant.live.commands import Outcome, ask, awaited

__all__ = [
    "Kept",
    "Look",
    "Newest",
    "end_kept",
    "keep_apart",
    "kept_now",
    "last_edits",
    "look_at",
    "looked_at",
    "tells_of_itself",
]

WAITS_S = 25.0


@dataclass(frozen=True)
class Kept:
    """A difference that stays for now: of which point, module or rack, what runs, why, until which day ("" for no day), by
    whom."""

    id: int
    at: datetime
    entity: str
    entity_id: int
    field: str
    running: str
    reason: str
    who: str
    until: str

    def holds(self, parameter: Parameter, today: date) -> bool:
        """Whether it is this difference, still as it was, and its day has not passed."""
        mine = (self.entity, self.entity_id, self.field, self.running)
        same = mine == (parameter.entity, parameter.entity_id, parameter.field, parameter.running)
        return same and (not self.until or date.fromisoformat(self.until) >= today)


@dataclass(frozen=True)
class Look:
    """What a look at a rack came to. says: why nothing could be compared, "" where it was. parameters: what is apart;
    kept: the one that each is kept by, None for none. missing: what of it could not be read, in words; themselves: what its
    head and its modules say of themselves."""

    rack: int
    seq: int
    says: str
    parameters: tuple[Parameter, ...]
    kept: tuple[Kept | None, ...]
    missing: tuple[str, ...] = ()
    themselves: tuple[Themselves, ...] = ()

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


@dataclass
class _Found:
    """What came of asking a rack. says: why nothing could be compared, "" where it could."""

    says: str = ""
    parameters: list[Parameter] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    themselves: list[Themselves] = field(default_factory=list)


def tells_of_itself(image: PlantImage, rack: int) -> bool:
    """Whether a look at a rack can find anything: a broker tells nothing of its own."""
    one = image.layout.racks[rack]
    return one.link != "MQTT" or bool(numbers_of(image, rack)[0])


def look_at(
    engine: Engine, image: PlantImage, issued: WasIssued, rack: int, who: str, types: Iterable[ModuleType]
) -> Look:
    """Read a rack's settings by its agent, and hold them against list and issue. types: every module type that a rack's
    numbers may mean."""
    one = image.layout.racks[rack]
    found = (
        _named(engine, image, issued, rack, who)
        if one.by_name
        else _registers(engine, image, issued, rack, who, list(types))
    )
    found.parameters += not_as_noted(found.themselves, known=issued.hardware.known)
    with engine.begin() as connection:
        today = datetime.now(UTC).date()
        keeps = kept_now(connection, [(p.entity, p.entity_id) for p in found.parameters])
        kept = tuple(next((k for k in keeps if k.holds(p, today)), None) for p in found.parameters)
        out = Look(
            rack, image.seq, found.says, tuple(found.parameters), kept, tuple(found.missing), tuple(found.themselves)
        )
        points = list(dict.fromkeys(p.entity_id for p in out.open if p.entity == "point"))
        values = {
            "who": who,
            "seq": image.seq,
            "says": out.says,
            "open": len(out.open),
            "points": points,
            "missing": len(out.missing),
        }
        put = upsert(t.rack_look).values(rack=rack, at=func.now(), **values)
        connection.execute(put.on_conflict_do_update(index_elements=["rack"], set_={"at": func.now(), **values}))
    return out


def _asked(engine: Engine, who: str, rack: int, target: dict[str, Any]) -> Outcome:
    with engine.begin() as connection:
        number = ask(connection, who, rack, "read", target)
    return awaited(engine, number, WAITS_S)


def _registers(
    engine: Engine, image: PlantImage, issued: WasIssued, rack: int, who: str, types: list[ModuleType]
) -> _Found:
    """What a rack with registers runs."""
    numbers, missing = numbers_of(image, rack)
    also = [
        [str(table), first, count]
        for table, first, count in [*number_runs(numbers), *firmware_runs(image.layout, rack)]
    ]
    outcome = _asked(engine, who, rack, {"also": also, "head": True})
    if not outcome.done:
        return _Found(outcome.says)
    words = words_of(outcome.answer["read"])
    block = block_of_words(words)
    own = {kind.title: kind.ident_code for kind in types if kind.ident_code is not None}
    besides = words_of(outcome.answer["also"])
    said = told_of_themselves(image.layout, rack, outcome.answer.get("head", ""), besides, issued.hardware)
    if strange := strangers(image.layout, rack, block, own):
        first = strange[0]
        says = reported_modules(image.layout, rack, block, types) or (
            f"slot {first.slot} should be {first.expected} and reports {first.reported}, which is"
            f" {first.is_like or 'no module the catalogue knows'}"
        )
        return _Found(says, themselves=said)
    parameters = three_columns(image, issued.points, rack, words)
    parameters += compared(image, issued.points, numbers, besides)
    refused = outcome.answer["refused"]
    missing += _refused(image, numbers, said, refused)
    missing += _quiet(said, {(Table(table), first) for table, first, _, _ in refused})
    return _Found("", parameters, missing, said)


def _named(engine: Engine, image: PlantImage, issued: WasIssued, rack: int, who: str) -> _Found:
    """What a rack runs that is reached by name: the numbers that were said to stand there, the ranges that its nodes tell, and
    what it says of itself."""
    numbers, missing = numbers_of(image, rack)
    names = number_names(numbers)
    outcome = _asked(engine, who, rack, {"names": names, "nodes": named_nodes(image, rack)})
    if not outcome.done:
        return _Found(outcome.says)
    there = outcome.answer["names"]
    missing += [
        f"{image.label(one.row)} {one.setting}: no good number is there behind {place.name}"
        for one in numbers
        for place in one.places
        if there.get(place.name) is None
    ]
    ranges = {node: (float(low), float(high)) for node, (low, high) in outcome.answer["ranges"].items()}
    told, ends = ranged(image, rack, ranges, numbers)
    heard = {name: float(value) for name, value in there.items() if value is not None} | ends
    said = told_of_themselves(image.layout, rack, outcome.answer["head"], {}, issued.hardware)
    missing += _quiet(said, set())
    return _Found("", compared(image, issued.points, [*numbers, *told], {}, heard), missing, said)


def _quiet(said: Iterable[Themselves], refused: Set[tuple[Table, int]]) -> list[str]:
    """What was noted and says nothing now: it would pass for what agrees. refused: places that are told already."""
    return [
        f"{one.name} {one.field}: {one.noted} was noted, and it says nothing now"
        for one in said
        if one.noted and not one.says and one.place not in refused
    ]


def _refused(
    image: PlantImage,
    numbers: Sequence[OwnNumber],
    said: Sequence[Themselves],
    refused: Iterable[tuple[str, int, int, str]],
) -> list[str]:
    """Which numbers and which firmware stand where a rack would not be read, and what it said."""
    out = []
    for table, first, count, why in refused:
        out += [f"{one.name} {one.field}, {one.at}: {why}" for one in said if one.place == (Table(table), first)]
        mine = [n for n in numbers if any(first <= place.register < first + count for place in n.places)]
        out += [f"{image.label(n.row)} {n.setting}, {n.where}: {why}" for n in mine]
    return list(dict.fromkeys(out))


def looked_at(connection: Connection) -> dict[int, Newest]:
    """The newest look at each rack that was ever looked at."""
    rows = connection.execute(select(t.rack_look))
    return {r.rack: Newest(r.rack, r.at, r.who, r.seq, r.says, r.open, tuple(r.points), r.missing) for r in rows}


def kept_now(connection: Connection, some: Sequence[tuple[str, int]] | None = None) -> list[Kept]:
    """What is kept apart, newest first, whether its day has passed or not. some: of these (entity, number) alone."""
    columns = [t.kept_apart.c[one.name] for one in fields(Kept)]
    query = select(*columns).where(t.kept_apart.c.ended_at.is_(None)).order_by(t.kept_apart.c.id.desc())
    if some is not None:
        query = query.where(t.kept_apart.c.entity_id.in_({number for _, number in some}))
    kept = [Kept(*row) for row in connection.execute(query)]
    return kept if some is None else [k for k in kept if (k.entity, k.entity_id) in set(some)]


def keep_apart(
    connection: Connection, items: Iterable[tuple[str, int, str, str]], reason: str, who: str, until: str
) -> None:
    """Keep differences, (entity, its number, field, what runs) each; what was kept of the same before ends."""
    c = t.kept_apart.c
    for entity, number, name, running in items:
        _end(connection, c.entity == entity, c.entity_id == number, c.field == name, who=who)
        values = {"entity": entity, "entity_id": number, "field": name, "running": running}
        connection.execute(t.kept_apart.insert().values(**values, reason=reason, who=who, until=until))


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
) -> dict[tuple[str, int, str], tuple[str, datetime]]:
    """{(entity, its number, field): (who, when)} of the newest edit of each since a sequence number."""
    wanted = {(p.entity, p.entity_id, p.field) for p in parameters}
    rows = connection.execute(
        select(t.change.c.entity, t.change.c.entity_id, t.change.c.fields, t.change_set.c.who, t.change_set.c.at)
        .join(t.change_set, t.change_set.c.seq == t.change.c.seq)
        .where(t.change.c.seq > since, t.change.c.entity.in_({entity for entity, _, _ in wanted}))
        .where(t.change.c.entity_id.in_({number for _, number, _ in wanted}))
        .order_by(t.change.c.seq)
    )
    return {
        (row.entity, row.entity_id, name): (row.who, row.at)
        for row in rows
        for name in row.fields
        if (row.entity, row.entity_id, name) in wanted
    }
