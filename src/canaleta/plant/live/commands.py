"""Commands to racks: who asked for what, until when it is worth starting, and what became of it."""

from __future__ import annotations

import json
import time
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import Connection, Engine, func, insert, or_, select, text, update

from canaleta.core.checks.injection import Injection, loop_unit
from canaleta.core.model.image import PlantImage
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import confirmed, notify
from canaleta.plant.database.patience import patient

__all__ = [
    "DONE",
    "Command",
    "Ended",
    "Outcome",
    "ask",
    "awaited",
    "done_at",
    "finish",
    "injection_of",
    "outcome",
    "racks_with_commands",
    "start_waiting",
    "wiring_of",
]


class Ended(StrEnum):
    """How a command ended."""

    DONE = "done"
    FAILED = "failed"
    VOID = "void"
    """No agent began it while somebody still expected it."""


@dataclass(frozen=True)
class Outcome:
    """What became of a command. says: what went wrong, for people. answer: what was asked for."""

    ended: Ended
    says: str = ""
    answer: dict[str, Any] = field(default_factory=dict)

    @property
    def done(self) -> bool:
        """Whether it was done."""
        return self.ended is Ended.DONE

    @classmethod
    def failed(cls, why: object) -> Outcome:
        """It was tried and could not be done."""
        return cls(Ended.FAILED, str(why))

    @classmethod
    def of_row(cls, ended: str, result: str) -> Outcome:
        """As it is recorded: an answer as JSON where it was done, words where it was not."""
        if Ended(ended) is not Ended.DONE:
            return cls(Ended(ended), result)
        return cls(Ended.DONE, answer=json.loads(result) if result else {})


DONE = Outcome(Ended.DONE)
LATE = Outcome(Ended.VOID, "no agent took it up in time")

EXPIRES_S = 5.0
"""A command that no agent has begun by then is void: it must not act when nobody expects it any more."""


@dataclass(frozen=True)
class Command:
    """A command to one rack. target is what its kind needs."""

    id: int
    who: str
    rack: int
    kind: str
    target: dict[str, Any]


def ask(
    connection: Connection, who: str, rack: int, kind: str, target: dict[str, Any], seconds: float = EXPIRES_S
) -> int:
    """Record a command and wake the agents; not started within `seconds`, it is void. Returns its id."""
    number = connection.execute(
        insert(t.command)
        .values(
            who=who,
            rack=rack,
            kind=kind,
            target=target,
            expires=func.clock_timestamp()
            + text("make_interval(secs => :seconds)").bindparams(seconds=patient(seconds)),
        )
        .returning(t.command.c.id)
    ).scalar_one()
    notify(connection, "canaleta_command", rack)
    return int(number)


def racks_with_commands(connection: Connection) -> set[int]:
    """The racks that have a command which waits and is still worth starting."""
    waiting = t.command.c.epoch.is_(None), t.command.c.expires > func.clock_timestamp()
    return set(connection.execute(select(t.command.c.rack).distinct().where(*waiting)).scalars())


def start_waiting(connection: Connection, rack: int, epoch: int) -> list[Command]:
    """The commands of a rack that wait and are still worth starting, now marked as started by this epoch."""
    # Nobody does it a second time where another server took over in between.
    confirmed(connection)
    due = (
        select(t.command.c.id)
        .where(
            t.command.c.rack == rack,
            t.command.c.epoch.is_(None),
            t.command.c.expires > func.clock_timestamp(),
        )
        .with_for_update(skip_locked=True)
    )
    rows = connection.execute(
        update(t.command).where(t.command.c.id.in_(due)).values(epoch=epoch).returning(t.command)
    ).all()
    return [Command(r.id, r.who, r.rack, r.kind, r.target) for r in sorted(rows, key=lambda r: r.id)]


def finish(connection: Connection, command: int, outcome: Outcome) -> None:
    """Record what became of a command: for good, for whoever asked is told so."""
    confirmed(connection)
    result = (json.dumps(outcome.answer) if outcome.answer else "") if outcome.done else outcome.says
    connection.execute(
        update(t.command)
        .where(t.command.c.id == command)
        .values(outcome=outcome.ended, result=result, done_at=func.clock_timestamp())
    )
    notify(connection, "canaleta_done", command)


def outcome(connection: Connection, command: int) -> Outcome | None:
    """What became of a command; None while it may still come."""
    row = connection.execute(
        select(
            t.command.c.outcome,
            t.command.c.result,
            or_(t.command.c.epoch.is_not(None), t.command.c.expires > func.clock_timestamp()).label("alive"),
        ).where(t.command.c.id == command)
    ).one()
    if row.outcome:
        return Outcome.of_row(row.outcome, row.result)
    return None if row.alive else LATE


def awaited(engine: Engine, command: int, seconds: float) -> Outcome:
    """What became of a command; void if nothing came in time. Polled: who asks holds no listener of its own."""
    until = time.monotonic() + patient(seconds)
    while time.monotonic() < until:
        with engine.connect() as connection:
            found = outcome(connection, command)
        if found is not None:
            return found
        time.sleep(0.05)
    return LATE


def done_at(connection: Connection, command: int) -> datetime | None:
    """When a command was done, by the database's clock; None if it was not."""
    at: datetime | None = connection.execute(
        select(t.command.c.done_at).where(t.command.c.id == command)
    ).scalar_one_or_none()
    return at


def wiring_of(image: PlantImage, row: int, output: int | None) -> tuple[int, dict[str, Any]]:
    """(rack, target) of the command "inject" that leads an output to a landed input of a stand-in; None takes it off.

    output: the row of a landed point, on this rack or another.
    """
    module = image.layout.modules[int(image.module[row])]
    led = None
    if output is not None:
        there = image.layout.modules[int(image.module[output])]
        led = [there.rack, there.place, int(image.channel[output])]
    return module.rack, {
        "do": "wire",
        "rack": module.rack,
        "place": module.place,
        "channel": int(image.channel[row]),
        "output": led,
    }


def injection_of(image: PlantImage, row: int, put: Injection) -> tuple[int, dict[str, Any]]:
    """(rack, target) of the command "inject" that puts something on the terminals of a landed point."""
    module = image.layout.modules[int(image.module[row])]
    return module.rack, {
        "rack": module.rack,
        "place": module.place,
        "channel": int(image.channel[row]),
        "value": put.level,
        "unit": loop_unit(image, row),
        "form": put.form,
        "high": put.high,
        "period_s": put.period_s,
        "faults": list(put.faults),
    }
