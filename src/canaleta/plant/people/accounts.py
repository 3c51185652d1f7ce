"""Accounts, sessions and one-time links. Secrets are stored as hashes only."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import Connection, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.core.notation.patterns import compiled
from canaleta.plant.database import tables as t

__all__ = [
    "ROLES",
    "AccountError",
    "Key",
    "Session",
    "add_account",
    "allowed_again",
    "end_session",
    "end_session_by_key",
    "forgive",
    "keys",
    "listed",
    "make_link",
    "note_seen",
    "open_session",
    "open_sessions",
    "redeem_link",
    "role_of",
    "set_active",
    "set_password",
    "set_role",
    "sign_in",
    "valid_session",
]

ROLES = ("reader", "technician", "engineer", "administrator")
"""Roles, each with all the rights of those before it."""
SESSION_HOURS = 14
_hasher = PasswordHasher(time_cost=2, memory_cost=19_456, parallelism=1)
_NAME = compiled(r"[a-zA-Z0-9][a-zA-Z0-9._-]{0,39}")
SHORTEST_PASSWORD = 10


@lru_cache
def _no_account_hash() -> str:
    return _hasher.hash("no such account")


class AccountError(ValueError):
    """What is wrong with an account or a password, in words."""


@dataclass(frozen=True)
class Session:
    """An open session. csrf is what the browser must send back with every change. unseen_s: since it was noted last.
    by_link: a one-time link opened it."""

    account: str
    role: str
    csrf: str
    token_hash: str
    unseen_s: float = 0.0
    by_link: bool = False


@dataclass(frozen=True)
class OpenSession:
    """A session as it is told. key: the beginning of its hash, which lets nobody in."""

    key: str
    account: str
    since: str
    seen: str


def add_account(connection: Connection, name: str, role: str) -> None:
    """Make an account without a password; a link lets it in. Raises AccountError."""
    if not _NAME.fullmatch(name):
        raise AccountError(f"“{name}” cannot be an account: letters, digits, dot, dash, at most forty")
    if role not in ROLES:
        raise AccountError(f"“{role}” is not a role: choose {', '.join(ROLES)}")
    made = connection.execute(
        upsert(t.account).values(name=name, role=role).on_conflict_do_nothing().returning(t.account.c.name)
    ).first()
    if made is None:
        raise AccountError(f"there is an account “{name}” already")


def set_password(connection: Connection, name: str, password: str) -> None:
    """Set a password. Raises AccountError if it is too short or there is no such account."""
    if len(password) < SHORTEST_PASSWORD:
        raise AccountError(f"a password has at least {SHORTEST_PASSWORD} characters; the old one still holds")
    if len(password) > 200:
        raise AccountError("a password has at most 200 characters; the old one still holds")
    _change(connection, name, password_hash=_hasher.hash(password))


def set_active(connection: Connection, name: str, active: bool) -> None:
    """Let an account in, or shut it out and end its sessions."""
    _change(connection, name, active=active)
    if not active:
        connection.execute(delete(t.session).where(t.session.c.account == name))
        connection.execute(delete(t.sign_in_link).where(t.sign_in_link.c.account == name))


@dataclass(frozen=True)
class Key:
    """What opens an account that is let in: for whoever must answer while the database is away."""

    name: str
    role: str
    password_hash: str

    def opens(self, password: str) -> bool:
        """Whether this password opens it."""
        try:
            return bool(_hasher.verify(self.password_hash, password))
        except (VerifyMismatchError, InvalidHashError):
            return False


def keys(connection: Connection) -> dict[str, Key]:
    """{name: its key} of every account that is let in and has a password."""
    rows = connection.execute(
        select(t.account.c.name, t.account.c.role, t.account.c.password_hash).where(
            t.account.c.active, t.account.c.password_hash.is_not(None)
        )
    )
    return {row.name: Key(row.name, row.role, row.password_hash) for row in rows}


def sign_in(connection: Connection, name: str, password: str) -> bool:
    """Whether this password opens this account. Takes the same time whether or not the account exists."""
    row = connection.execute(
        select(t.account.c.password_hash).where(t.account.c.name == name, t.account.c.active)
    ).first()
    known = row.password_hash if row and row.password_hash else None
    try:
        return _hasher.verify(known or _no_account_hash(), password) and known is not None
    except (VerifyMismatchError, InvalidHashError):
        return False


def open_session(connection: Connection, name: str, *, by_link: bool = False) -> tuple[str, str]:
    """(token for the cookie, csrf) of a new session."""
    token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    connection.execute(delete(t.session).where(t.session.c.expires < func.now()))
    connection.execute(
        insert(t.session).values(
            token_hash=_hash(token),
            account=name,
            csrf=csrf,
            by_link=by_link,
            expires=func.now() + text(f"interval '{SESSION_HOURS} hours'"),
        )
    )
    return token, csrf


def valid_session(connection: Connection, token: str) -> Session | None:
    """The session of a cookie, if it has not ended and its account is let in."""
    unseen = func.extract("epoch", func.now() - t.session.c.seen).label("unseen")
    row = connection.execute(
        select(
            t.session.c.token_hash, t.session.c.csrf, t.session.c.by_link, t.account.c.name, t.account.c.role, unseen
        )
        .join(t.account, t.account.c.name == t.session.c.account)
        .where(t.session.c.token_hash == _hash(token), t.session.c.expires > func.now(), t.account.c.active)
    ).first()
    return Session(row.name, row.role, row.csrf, row.token_hash, float(row.unseen), row.by_link) if row else None


def note_seen(connection: Connection, token_hash: str) -> None:
    """Note that a session is in use."""
    connection.execute(update(t.session).where(t.session.c.token_hash == token_hash).values(seen=func.now()))


def end_session(connection: Connection, token_hash: str) -> None:
    """End one session."""
    connection.execute(delete(t.session).where(t.session.c.token_hash == token_hash))


def end_other_sessions(connection: Connection, account: str, token_hash: str) -> None:
    """End every session of an account but one, and its links that were not used."""
    of_account = t.session.c.account == account
    connection.execute(delete(t.session).where(of_account, t.session.c.token_hash != token_hash))
    connection.execute(delete(t.sign_in_link).where(t.sign_in_link.c.account == account))


def has_password(connection: Connection, name: str) -> bool:
    """Whether an account has a password."""
    query = select(t.account.c.password_hash).where(t.account.c.name == name)
    return connection.execute(query).scalar_one_or_none() is not None


def end_session_by_key(connection: Connection, key: str, account: str | None) -> bool:
    """End the session with this key, of one account or of any if None. Returns whether there was one."""
    gone = delete(t.session).where(t.session.c.token_hash.startswith(key, autoescape=True))
    if account is not None:
        gone = gone.where(t.session.c.account == account)
    return connection.execute(gone).rowcount > 0


def open_sessions(connection: Connection, account: str | None) -> list[OpenSession]:
    """Sessions that have not ended, of one account or of all, the newest first."""
    wanted = select(t.session).where(t.session.c.expires > func.now()).order_by(t.session.c.at.desc())
    if account is not None:
        wanted = wanted.where(t.session.c.account == account)
    return [
        OpenSession(row.token_hash[:16], row.account, row.at.isoformat(), row.seen.isoformat())
        for row in connection.execute(wanted)
    ]


def set_role(connection: Connection, name: str, role: str) -> None:
    """Give an account another role. Raises AccountError."""
    if role not in ROLES:
        raise AccountError(f"“{role}” is not a role: choose {', '.join(ROLES)}")
    _change(connection, name, role=role)


def make_link(connection: Connection, name: str, hours: int = 24) -> str:
    """A token that opens one session, once, within some hours. Raises AccountError without such an account."""
    row = connection.execute(select(t.account.c.active).where(t.account.c.name == name)).first()
    if row is None:
        raise AccountError(f"there is no account “{name}”")
    if not row.active:
        raise AccountError(f"the account “{name}” is shut")
    token = secrets.token_urlsafe(24)
    connection.execute(delete(t.sign_in_link).where(t.sign_in_link.c.expires < func.now()))
    connection.execute(
        insert(t.sign_in_link).values(
            token_hash=_hash(token), account=name, expires=func.now() + text(f"interval '{int(hours)} hours'")
        )
    )
    return token


def redeem_link(connection: Connection, token: str) -> str | None:
    """The account that a link lets in; the link is used up. None if it is spent or unknown."""
    row = connection.execute(
        delete(t.sign_in_link)
        .where(t.sign_in_link.c.token_hash == _hash(token), t.sign_in_link.c.expires > func.now())
        .returning(t.sign_in_link.c.account)
    ).first()
    if row is None:
        return None
    active = select(t.account.c.name).where(t.account.c.name == row.account, t.account.c.active)
    return connection.execute(active).scalar_one_or_none()


def allowed_again(connection: Connection, key: str, most: int, seconds: int) -> bool:
    """Count one try under a key; whether it is within `most` tries in a window of `seconds`."""
    window = text("make_interval(secs => :seconds)").bindparams(seconds=seconds)
    fresh = t.rate_limit.c.since > func.now() - window
    statement = upsert(t.rate_limit).values(key=key, since=func.now(), hits=1)
    values: dict[str, Any] = {
        "hits": text(
            "case when rate_limit.since > now() - make_interval(secs => :s) then rate_limit.hits + 1 else 1 end"
        ).bindparams(s=seconds),
        "since": text(
            "case when rate_limit.since > now() - make_interval(secs => :s2) then rate_limit.since else now() end"
        ).bindparams(s2=seconds),
    }
    connection.execute(delete(t.rate_limit).where(~fresh, t.rate_limit.c.key != key))
    hits = connection.execute(
        statement.on_conflict_do_update(index_elements=["key"], set_=values).returning(t.rate_limit.c.hits)
    ).scalar_one()
    return int(hits) <= most


def forgive(connection: Connection, key: str) -> None:
    """Forget the tries under a key, after one that went well."""
    connection.execute(delete(t.rate_limit).where(t.rate_limit.c.key == key))


def _change(connection: Connection, name: str, **values: Any) -> None:
    changed = connection.execute(
        update(t.account).where(t.account.c.name == name).values(**values).returning(t.account.c.name)
    ).first()
    if changed is None:
        raise AccountError(f"there is no account “{name}”")


def _hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def role_of(connection: Connection, name: str) -> str:
    """The role of an account. Raises AccountError without such an account."""
    role = connection.execute(select(t.account.c.role).where(t.account.c.name == name)).scalar_one_or_none()
    if role is None:
        raise AccountError(f"there is no account “{name}”")
    return str(role)


def listed(connection: Connection) -> list[tuple[str, str, bool, bool]]:
    """(name, role, let in, has a password) of every account."""
    rows = connection.execute(select(t.account).order_by(t.account.c.name)).all()
    return [(r.name, r.role, r.active, r.password_hash is not None) for r in rows]
