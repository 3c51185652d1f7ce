"""Commands to racks: who asked for what, until when it is worth starting, and what became of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, func, insert, or_, select, text, update

from canaleta.plant import tables as t
from canaleta.plant.database import notify

__all__ = ["DONE", "Command", "ask", "finish", "outcome", "start_waiting"]


DONE = "done"


@dataclass(frozen=True)
class Command:
    """A command to one rack. target is what its kind needs."""

    id: int
    who: str
    rack: int
    kind: str
    target: dict[str, Any]


def ask(connection: Connection, who: str, rack: int, kind: str, target: dict[str, Any], seconds: float = 5.0) -> int:
    """Record a command and wake the agents; not started within `seconds`, it is void. Returns its id."""
    number = connection.execute(
        insert(t.command)
        .values(
            who=who,
            rack=rack,
            kind=kind,
            target=target,
            expires=func.clock_timestamp() + text("make_interval(secs => :seconds)").bindparams(seconds=seconds),
        )
        .returning(t.command.c.id)
    ).scalar_one()
    notify(connection, "canaleta_command", rack)
    return int(number)


def start_waiting(connection: Connection, rack: int, epoch: int) -> list[Command]:
    """The commands of a rack that wait and are still worth starting, now marked as started by this epoch."""
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


def finish(connection: Connection, command: int, result: str) -> None:
    """Record the result of a command: "done", or what went wrong in words."""
    connection.execute(
        update(t.command).where(t.command.c.id == command).values(result=result, done_at=func.clock_timestamp())
    )
    notify(connection, "canaleta_done", command)


def outcome(connection: Connection, command: int) -> str | None:
    """The result of a command; None while it may still come; "void" if it was never started in time."""
    row = connection.execute(
        select(
            t.command.c.result,
            or_(t.command.c.epoch.is_not(None), t.command.c.expires > func.clock_timestamp()).label("alive"),
        ).where(t.command.c.id == command)
    ).one()
    return row.result or (None if row.alive else "void")
