"""A restore into a database of one's own: what is there steps aside into a schema, and comes back if it is broken
off.

A schema of what stepped aside carries a mark as long as the restore is not ended. A kill leaves the mark; whoever
uses the database next brings everything back, in one transaction.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from sqlalchemy import Connection, Engine, text

from canaleta.host.steps import TroubleError

__all__ = ["restoring", "settle", "step_aside", "step_back"]

MARK = "canaleta: a restore is going on"
LOCK = 0x63616E62


@contextlib.contextmanager
def restoring(engine: Engine) -> Iterator[None]:
    """Hold the database for one restore. Raises TroubleError if another is going on."""
    with engine.connect() as connection:
        if not connection.execute(text("select pg_try_advisory_lock(:key)"), {"key": LOCK}).scalar_one():
            raise TroubleError("a restore into this database is going on", "wait until it has ended")
        connection.commit()
        try:
            yield
        finally:
            connection.execute(text("select pg_advisory_unlock(:key)"), {"key": LOCK})


def step_aside(engine: Engine, kept: str) -> None:
    """Move everything into a schema that is marked, in one step."""
    with engine.begin() as connection:
        connection.execute(text(f'create schema "{kept}"'))
        connection.execute(text(f"comment on schema \"{kept}\" is '{MARK}'"))
        _move(connection, "public", kept)


def settle(engine: Engine, kept: str) -> None:
    """The one step that makes what was restored the current."""
    with engine.begin() as connection:
        connection.execute(text(f"comment on schema \"{kept}\" is 'canaleta: what was there before a restore'"))


def step_back(engine: Engine) -> bool:
    """Bring back what stepped aside for a restore that was broken off, in one step. Returns whether there was one."""
    with engine.begin() as connection:
        kept = _marked(connection)
        if not kept:
            return False
        for kind, names in _things(connection, "public"):
            for name in names:
                connection.execute(text(f'drop {kind} if exists public."{name}" cascade'))
        _move(connection, kept, "public")
        connection.execute(text(f'drop schema "{kept}"'))
    return True


def _marked(connection: Connection) -> str:
    found = connection.execute(
        text("select nspname from pg_namespace where obj_description(oid, 'pg_namespace') = :mark"), {"mark": MARK}
    ).scalars()
    return str(found.first() or "")


def _things(connection: Connection, schema: str) -> list[tuple[str, list[str]]]:
    """What of ours a schema holds: tables (with their indexes and sequences) and functions that no extension
    brought."""
    tables = connection.execute(
        text("select tablename from pg_tables where schemaname = :s"), {"s": schema}
    ).scalars()
    functions = connection.execute(
        text(
            "select proname from pg_proc p join pg_namespace n on n.oid = p.pronamespace where n.nspname = :s "
            "and not exists (select 1 from pg_depend d where d.objid = p.oid and d.deptype = 'e')"
        ),
        {"s": schema},
    ).scalars()
    return [("table", list(tables)), ("function", list(functions))]


def _move(connection: Connection, schema: str, to: str) -> None:
    for kind, names in _things(connection, schema):
        for name in names:
            connection.execute(text(f'alter {kind} "{schema}"."{name}" set schema "{to}"'))
