"""Accounts, managed in the application by administrators; and sessions, one's own and anybody's, that can be
ended."""

from __future__ import annotations

from typing import Annotated, Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.plant.people import accounts
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("accounts", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Role = Literal["reader", "technician", "engineer", "administrator"]
Name = Annotated[str, Field(min_length=1, max_length=40)]


class AccountOut(Shape):
    """An account. seen: when one of its sessions was used last, "" if none is open."""

    name: str
    role: str
    active: bool
    has_password: bool
    sessions: int
    seen: str


class AccountsOut(Shape):
    """Every account; link: a one-time sign-in that was just made, for whom it was asked."""

    accounts: list[AccountOut]
    link: str = ""


class NewAccount(Shape):
    """An account to make."""

    model_config = ConfigDict(extra="forbid")

    name: Name
    role: Role = "technician"


class AccountChange(Shape):
    """What shall change; what is left out stays."""

    model_config = ConfigDict(extra="forbid")

    role: Role | None = None
    active: bool | None = None


class AccountPath(Shape):
    """An account."""

    name: Name


class SessionOut(Shape):
    """An open session. key: what ends it; mine: the one that asks."""

    key: str
    account: str
    since: str
    seen: str
    mine: bool


class SessionsOut(Shape):
    """Open sessions: one's own, for administrators everybody's."""

    sessions: list[SessionOut]


class SessionPath(Shape):
    """A session by the key it is told with."""

    key: Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]


@api.get("/accounts", responses={200: AccountsOut})
@needs("administer")
def all_accounts() -> Response:
    """Every account."""
    return _told()


@api.post("/accounts", responses={200: AccountsOut})
@needs("administer")
def add(body: NewAccount) -> Response:
    """Make an account, and a one-time link that lets it in."""
    with shared().engine.begin() as connection:
        accounts.add_account(connection, body.name, body.role)
        token = accounts.make_link(connection, body.name)
    return _told(f"/enter#{token}")


@api.put("/accounts/<string:name>", responses={200: AccountsOut})
@needs("administer")
def change(path: AccountPath, body: AccountChange) -> Response:
    """Give another role, shut out or let in. The last administrator stays one, and nobody shuts himself out."""
    me = session_now().account
    with shared().engine.begin() as connection:
        known = {name: (role, active) for name, role, active, _ in accounts.listed(connection)}
        if path.name not in known:
            raise ProblemError(404, f"there is no account “{path.name}”")
        role, active = known[path.name]
        goes = (body.role or role) != "administrator" or body.active is False
        others = [n for n, (r, a) in known.items() if r == "administrator" and a and n != path.name]
        if role == "administrator" and active and goes and not others:
            raise ProblemError(409, "this is the last administrator", "nothing was changed", "make another one first")
        if path.name == me and body.active is False:
            raise ProblemError(409, "nobody shuts himself out", "nothing was changed", "ask another administrator")
        if body.role is not None:
            accounts.set_role(connection, path.name, body.role)
        if body.active is not None:
            accounts.set_active(connection, path.name, body.active)
    return _told()


@api.post("/accounts/<string:name>/link", responses={200: AccountsOut})
@needs("administer")
def link(path: AccountPath) -> Response:
    """A new one-time link, for a day."""
    with shared().engine.begin() as connection:
        token = accounts.make_link(connection, path.name)
    return _told(f"/enter#{token}")


@api.get("/sessions", responses={200: SessionsOut})
@needs("read")
def sessions() -> Response:
    """Open sessions: one's own; for administrators everybody's."""
    return _sessions()


@api.delete("/sessions/<string:key>", responses={200: SessionsOut})
@needs("self")
def end(path: SessionPath) -> Response:
    """End a session: one's own, or any as administrator. Its screens sign out within half a minute."""
    now = session_now()
    owner = None if now.role == "administrator" else now.account
    with shared().engine.begin() as connection:
        if not accounts.end_session_by_key(connection, path.key, owner):
            raise ProblemError(404, "there is no such session", remedy="it may have ended already")
    return _sessions()


def _sessions() -> Response:
    now = session_now()
    owner = None if now.role == "administrator" else now.account
    with shared().engine.connect() as connection:
        found = accounts.open_sessions(connection, owner)
    mine = now.token_hash[:16]
    return jsonify(
        {
            "sessions": [
                {"key": s.key, "account": s.account, "since": s.since, "seen": s.seen, "mine": s.key == mine}
                for s in found
            ]
        }
    )


def _told(link: str = "") -> Response:
    with shared().engine.connect() as connection:
        known = accounts.listed(connection)
        found = accounts.open_sessions(connection, None)
    out = [
        AccountOut(
            name=name,
            role=role,
            active=active,
            has_password=has_password,
            sessions=sum(s.account == name for s in found),
            seen=max((s.seen for s in found if s.account == name), default=""),
        )
        for name, role, active, has_password in known
    ]
    return jsonify(AccountsOut(accounts=out, link=link).model_dump())
