"""The database: engines, migrations, the two roles, and the notices that tell processes of news.

The owner's address migrates; the runtime's address serves. In the private cluster they are two roles, and
the runtime role cannot change history. With a database of the user's own they may be one; the trigger on
the append-only tables holds there too.
"""

from __future__ import annotations

from importlib import resources
from typing import TYPE_CHECKING, Any
from weakref import WeakKeyDictionary

import psycopg
from psycopg.conninfo import conninfo_to_dict
from sqlalchemy import URL, Connection, Engine, create_engine, event, make_url, text
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.notation.text import short
from canaleta.plant.database.patience import patient
from canaleta.plant.database.servers import Servers, servers_of

if TYPE_CHECKING:
    from alembic.config import Config

__all__ = [
    "PLANT_LOCK",
    "RUNTIME_ROLE",
    "STOPPING_CHANNEL",
    "ShapeError",
    "confirmed",
    "engine_for",
    "grant_runtime",
    "is_known",
    "is_newest",
    "leading",
    "lightly",
    "migrate",
    "notify",
    "servers_behind",
    "shape_of",
    "take_plant_lock",
]

PLANT_LOCK = 0x63616E61
STOPPING_CHANNEL = "canaleta_stopping"
"""Told by `start` before it stops: streams end at once."""
RUNTIME_ROLE = "canaleta_runtime"


def engine_for(url: str, pool_size: int = 6, *, pre_ping: bool = True, unconfirmed: bool = False) -> Engine:
    """An engine for a PostgreSQL address. Raises ValueError for anything else; the message says what is wrong.

    pre_ping: whether a connection is tried before it is used; who writes every second and tries again anyway need
    not. unconfirmed: for who writes readings and leases, which are renewed anyway: no commit waits for a standby, so that
    they go on while it is gone; what must outlive the server asks for it (`confirmed`).

    The password is never shown: SQLAlchemy hides it in messages. The address may name several hosts, as
    postgresql://user:password@/name?host=a&host=b&target_session_attrs=read-write, or as libpq writes it,
    postgresql://user:password@a:5432,b:5432/name: the one that takes writes is found (servers.py).
    """
    parsed = _address(url)
    if parsed.get_backend_name() != "postgresql":
        raise ValueError("the database address must begin with postgresql://")
    engine = create_engine(
        parsed.set(drivername="postgresql+psycopg"),
        pool_size=pool_size,
        max_overflow=4,
        pool_pre_ping=pre_ping,
        pool_timeout=patient(10),
        connect_args=_settings(unconfirmed=unconfirmed),
    )
    _UNCONFIRMED[engine] = unconfirmed
    event.listen(engine, "do_connect", lambda dialect, record, args, params: servers_of(params).connect())
    return engine


def _address(url: str) -> URL:
    """An address in either way of writing several hosts."""
    scheme, _, rest = url.partition("://")
    if "," not in rest.partition("/")[0]:
        return make_url(url)
    try:
        parts = conninfo_to_dict(url)
    except psycopg.Error as error:
        raise ValueError(f"the database address cannot be read: {short(error)}") from error
    hosts, ports = (str(parts.pop(name, "") or "").split(",") for name in ("host", "port"))
    ports = ports * len(hosts) if len(ports) == 1 else ports
    if len(ports) != len(hosts):
        raise ValueError(f"the database address names {len(hosts)} hosts and {len(ports)} ports")
    own = {name: str(parts.pop(name)) if name in parts else None for name in ("user", "password", "dbname")}
    where = tuple(f"{host}:{port}" if port else host for host, port in zip(hosts, ports, strict=True))
    return URL.create(
        scheme, own["user"], own["password"], database=own["dbname"],
        query={"host": where, **{name: str(value) for name, value in parts.items()}},
    )  # fmt: skip


_UNCONFIRMED: WeakKeyDictionary[Engine, bool] = WeakKeyDictionary()


def servers_behind(engine: Engine) -> Servers:
    """The servers of an engine's address: for who listens beside the pool, or looks at each of them."""
    settings = _settings(unconfirmed=_UNCONFIRMED.get(engine, False))
    return servers_of({**engine.dialect.create_connect_args(engine.url)[1], **settings})


def leading(url: URL) -> URL:
    """The address of the one server that takes writes, of an address that may name several: for programs of PostgreSQL. Raises
    psycopg.OperationalError if none does."""
    engine = engine_for(url.render_as_string(hide_password=False), pool_size=1)
    servers = servers_behind(engine)
    if not servers.several:
        return url
    server = servers.leads()
    query = {
        name: value
        for name, value in engine.url.query.items()
        if name not in ("host", "port", "target_session_attrs")
    }
    return engine.url.set(host=server.host, port=int(server.port) if server.port else None, query=query)


def confirmed(connection: Connection) -> None:
    """This transaction is kept for good once it is committed: a standby has it too, if there is one that is waited for."""
    connection.execute(text("set local synchronous_commit = on"))


def lightly(connection: Connection) -> None:
    """This transaction waits for no standby: what would be lost with this server does not matter, such as who looked when."""
    connection.execute(text("set local synchronous_commit = local"))


def _settings(*, unconfirmed: bool = False) -> dict[str, Any]:
    alone = " -c synchronous_commit=local" if unconfirmed else ""
    return {"connect_timeout": int(min(patient(10), 30)), "options": f"-c timezone=UTC{alone}"}


class ShapeError(RuntimeError):
    """The database cannot be brought to the shape of this version. The message says why, for people."""


def is_newest(engine: Engine) -> bool:
    """Whether the database has the shape of this version."""
    return shape_of(engine) == newest_shape()


def shape_of(engine: Engine) -> str:
    """The shape that the database has, as its newest migration is called; '' if it has none."""
    with engine.connect() as connection:
        return _recorded_shape(connection)


def is_known(shape: str) -> bool:
    """Whether this version knows a shape: its own, or one that it can bring to its own."""
    from alembic.script import ScriptDirectory

    return any(revision.revision == shape for revision in ScriptDirectory.from_config(_config()).walk_revisions())


def _config() -> Config:
    # Loaded by those who migrate: the workers and agents do not, and it is a fifth of a second.
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(resources.files("canaleta.plant") / "migrations"))
    return config


def newest_shape() -> str:
    """The shape of this version, as its newest migration is called."""
    files = (resources.files("canaleta.plant") / "migrations" / "versions").iterdir()
    return max(file.name[:4] for file in files if file.name[:4].isdigit())


def _recorded_shape(connection: Connection) -> str:
    """The shape on record, read without the migration library, which takes a third of a second to load."""
    if connection.execute(text("select to_regclass('alembic_version')")).scalar_one() is None:
        return ""
    return str(connection.execute(text("select version_num from alembic_version")).scalar_one_or_none() or "")


def migrate(engine: Engine) -> None:
    """Bring the database to the newest shape, or leave it as it is. Safe to call at every start. Raises
    ShapeError."""
    if is_newest(engine):
        return
    from alembic import command
    from alembic.util import CommandError

    config = _config()
    with engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": PLANT_LOCK})
        config.attributes["connection"] = connection
        try:
            command.upgrade(config, "head")
        except CommandError as error:
            raise ShapeError("a newer version of Canaleta made it") from error
        except SQLAlchemyError as error:
            raise ShapeError(short(error)) from error


def grant_runtime(connection: Connection, role: str = RUNTIME_ROLE) -> None:
    """Give the runtime role what it needs and nothing on history beyond reading and adding."""
    from canaleta.plant.database.tables import APPEND_ONLY, metadata

    growing = {table.name for table in APPEND_ONLY}
    connection.execute(text(f"grant usage on schema public to {role}"))
    for table in metadata.sorted_tables:
        rights = "select, insert" if table.name in growing else "select, insert, update, delete"
        connection.execute(text(f"grant {rights} on {table.name} to {role}"))
    connection.execute(text(f"grant select on alembic_version to {role}"))
    for function in ("canaleta_months(int)", "canaleta_forget_trends(timestamptz)"):
        connection.execute(text(f"grant execute on function {function} to {role}"))
    connection.execute(text(f"grant usage on all sequences in schema public to {role}"))


def take_plant_lock(connection: Connection) -> None:
    """Become the one writer until the transaction ends; waits five seconds at most, on a busy machine more.

    Raises sqlalchemy.exc.OperationalError (lock_not_available) if somebody else writes for longer.
    """
    connection.execute(text(f"set local lock_timeout = '{int(patient(5_000))}ms'"))
    connection.execute(text("select pg_advisory_xact_lock(:key)"), {"key": PLANT_LOCK})


def notify(connection: Connection, channel: str, message: Any) -> None:
    """Tell listeners at commit. Messages are ids only, never contents."""
    connection.execute(text("select pg_notify(:channel, :message)"), {"channel": channel, "message": str(message)})
