"""Scripts of injections as they are kept, and their runs: one row a run, written as it goes on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.plant.database import tables as t

__all__ = [
    "BusyError",
    "Run",
    "ScriptRow",
    "TooManyScriptsError",
    "begin_run",
    "drop",
    "keep",
    "note",
    "run_of",
    "runs",
    "script_of",
    "scripts",
    "still",
]

SILENT_S = 15.0
"""How long a run may say nothing before it counts as broken off."""
KEPT_RUNS = 50
RUNS, BROKEN = "runs", "broken off"
_RUN_LOCK = 0x73637274


class BusyError(RuntimeError):
    """Another run works at one of the points. The message names who runs what."""


@dataclass(frozen=True)
class ScriptRow:
    """A script as it is kept. version: grows with each change."""

    name: str
    text: str
    version: int
    who: str
    at: datetime


@dataclass(frozen=True)
class Run:
    """One run. state: "runs", "done", "called off", "failed", or "broken off" where its server ended. body: its lines
    as the API tells them. record: the signed record made of it, 0 for none."""

    id: int
    script: str
    text: str
    who: str
    at: datetime
    seq: int
    state: str
    says: str
    points: list[int]
    body: dict[str, Any]
    record: int


MOST_SCRIPTS = 200
"""For each person."""


class TooManyScriptsError(ValueError):
    """A person keeps as many scripts as one may."""


def scripts(connection: Connection) -> list[ScriptRow]:
    """Every script, by name."""
    return [ScriptRow(**row) for row in connection.execute(select(t.script).order_by(t.script.c.name)).mappings()]


def script_of(connection: Connection, name: str) -> ScriptRow | None:
    """One script."""
    row = connection.execute(select(t.script).where(t.script.c.name == name)).mappings().first()
    return ScriptRow(**row) if row else None


def keep(connection: Connection, name: str, body: str, version: int, who: str) -> int | None:
    """Keep a script; version: the one that was worked on, 0 for a new one. Its new version, None if it moved on."""
    moment = func.clock_timestamp()
    if version == 0:
        mine = select(func.count()).select_from(t.script).where(t.script.c.who == who)
        if connection.execute(mine).scalar_one() >= MOST_SCRIPTS:
            raise TooManyScriptsError(f"{MOST_SCRIPTS} scripts of yours are kept already")
        new = upsert(t.script).values(name=name, text=body, version=1, who=who, at=moment)
        made = connection.execute(new.on_conflict_do_nothing().returning(t.script.c.version)).scalar_one_or_none()
        return None if made is None else int(made)
    changed = connection.execute(
        update(t.script)
        .where(t.script.c.name == name, t.script.c.version == version)
        .values(text=body, version=version + 1, who=who, at=moment)
    )
    return version + 1 if changed.rowcount else None


def drop(connection: Connection, name: str) -> bool:
    """Drop a script; its runs and records stay. Returns whether there was one."""
    return bool(connection.execute(delete(t.script).where(t.script.c.name == name)).rowcount)


def begin_run(
    connection: Connection, script: str, body: str, who: str, seq: int, points: Sequence[int], lines: dict[str, Any]
) -> int:
    """Begin a run at points where no other works. Old runs of the script without a record are forgotten. Raises
    BusyError."""
    connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _RUN_LOCK})
    alive = t.script_run.c.beat > func.clock_timestamp() - text(f"interval '{SILENT_S} seconds'")
    at_work = select(t.script_run).where(t.script_run.c.state == RUNS, alive)
    for row in connection.execute(at_work).mappings():
        if set(row["points"]) & set(points):
            raise BusyError(f"{row['who']} runs “{row['script']}” at one of these points")
    old = (
        select(t.script_run.c.id)
        .where(t.script_run.c.script == script, t.script_run.c.record == 0)
        .order_by(t.script_run.c.id.desc())
        .offset(KEPT_RUNS)
    )
    connection.execute(delete(t.script_run).where(t.script_run.c.id.in_(old)))
    now = func.clock_timestamp()
    made = insert(t.script_run).values(
        script=script, text=body, who=who, at=now, beat=now, seq=seq, state=RUNS, points=list(points), body=lines
    )
    return int(connection.execute(made.returning(t.script_run.c.id)).scalar_one())


def still(connection: Connection, number: int) -> bool:
    """Whether a run may go on: nobody has called it off."""
    query = select(t.script_run.c.state).where(t.script_run.c.id == number)
    return connection.execute(query).scalar_one_or_none() == RUNS


def note(connection: Connection, number: int, **values: Any) -> bool:
    """Write how a run stands, if it still runs. Returns whether it did."""
    changed = connection.execute(
        update(t.script_run)
        .where(t.script_run.c.id == number, t.script_run.c.state == RUNS)
        .values(beat=func.clock_timestamp(), **values)
    )
    return bool(changed.rowcount)


def ended_lines(connection: Connection, number: int, lines: dict[str, Any], says: str) -> None:
    """What was seen before a run was called off, and what became of what it had put on."""
    connection.execute(update(t.script_run).where(t.script_run.c.id == number).values(body=lines, says=says))


def signed(connection: Connection, number: int, record: int) -> None:
    """A record was made of a run."""
    connection.execute(update(t.script_run).where(t.script_run.c.id == number).values(record=record))


def run_of(connection: Connection, number: int) -> Run | None:
    """One run as it stands."""
    return next(iter(_runs(connection, t.script_run.c.id == number)), None)


def runs(connection: Connection, script: str | None = None, most: int = 20) -> list[Run]:
    """The runs of a script, or of any, newest first."""
    return _runs(connection, text("true") if script is None else t.script_run.c.script == script, most)


def _runs(connection: Connection, which: Any, most: int = 1) -> list[Run]:
    age = func.extract("epoch", func.clock_timestamp() - t.script_run.c.beat).label("age")
    query = select(t.script_run, age).where(which).order_by(t.script_run.c.id.desc()).limit(most)
    out = []
    for row in connection.execute(query).mappings():
        values = {name: row[name] for name in Run.__dataclass_fields__}
        if row["state"] == RUNS and row["age"] > SILENT_S:
            values |= {"state": BROKEN, "says": "the server that ran it ended: look what is still put on"}
        out.append(Run(**values))
    return out
