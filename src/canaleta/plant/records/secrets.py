"""What opens a rack's door, and the key of our own: kept apart from the list, and told to nobody but who connects."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.postgresql import insert

from canaleta.plant.database import tables as t

__all__ = ["has_password", "keep_first", "password_of", "secret_of", "set_password"]


def password_of(connection: Connection, rack: int) -> str:
    """The password of a rack, "" for none."""
    return secret_of(connection, _password(rack)) or ""


def has_password(connection: Connection, rack: int) -> bool:
    """Whether a rack has one."""
    return bool(password_of(connection, rack))


def set_password(connection: Connection, rack: int, password: str) -> None:
    """Keep a password, or none."""
    connection.execute(delete(t.secret).where(t.secret.c.name == _password(rack)))
    if password:
        connection.execute(insert(t.secret).values(name=_password(rack), value=password))


def keep_first(connection: Connection, name: str, value: str) -> str:
    """Keep a value unless there is one; the one that is kept."""
    connection.execute(insert(t.secret).values(name=name, value=value).on_conflict_do_nothing())
    return secret_of(connection, name) or value


def secret_of(connection: Connection, name: str) -> str | None:
    return connection.execute(select(t.secret.c.value).where(t.secret.c.name == name)).scalar()


def _password(rack: int) -> str:
    return f"rack {rack}"
