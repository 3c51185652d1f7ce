"""Sign-in, by password or one-time link, and one's own session."""

from __future__ import annotations

from flask import Response, jsonify, make_response, request
from pydantic import Field
from sqlalchemy import Connection

from canaleta.plant.database.connection import lightly
from canaleta.plant.people import accounts
from canaleta.plant.people.accounts import ROLES
from canaleta.web.kit.access import RIGHTS, cookie_name, needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("session", __name__, url_prefix="/api/session", abp_responses=PROBLEMS)
TRIES, TRIES_FROM_ONE_ADDRESS, WINDOW_S = 8, 60, 60


class SignIn(Shape):
    """A name and its password."""

    name: str = Field(max_length=40)
    password: str = Field(max_length=200)


class Link(Shape):
    """The token of a one-time link."""

    token: str = Field(max_length=100)


class NewPassword(Shape):
    """A new password for one's own account. old: the one that holds now; not asked for where there is none, or where
    a one-time link let one in."""

    password: str = Field(max_length=400)
    old: str = Field("", max_length=400)


class SessionNow(Shape):
    """Who is signed in, with what rights, and what changes must carry. asks_old: a new password takes the old one."""

    account: str
    role: str
    rights: list[str]
    csrf: str
    asks_old: bool


class Done(Shape):
    """It is done."""

    done: bool = True


@api.get("", responses={200: SessionNow})
@needs("read")
def who_am_i() -> Response:
    """The session of this browser."""
    session = session_now()
    with shared().engine.connect() as connection:
        asks_old = not session.by_link and accounts.has_password(connection, session.account)
    return jsonify(_now(session.account, session.role, session.csrf, asks_old).model_dump())


@api.post("", responses={200: SessionNow})
@needs("public")
def sign_in(body: SignIn) -> Response:
    """Sign in with name and password. Tries are counted by name and by address."""
    with shared().engine.begin() as connection:
        lightly(connection)
        # By name and address together: somebody who guesses elsewhere never locks the owner out.
        of_name = f"sign-in:{body.name}:{request.remote_addr}"
        from_there = f"sign-in-from:{request.remote_addr}"
        name_may = accounts.allowed_again(connection, of_name, TRIES, WINDOW_S)
        address_may = accounts.allowed_again(connection, from_there, TRIES_FROM_ONE_ADDRESS, WINDOW_S)
    if not (name_may and address_may):
        raise ProblemError(429, "too many tries", "wait a minute", "then try again, or ask for a one-time link")
    with shared().engine.begin() as connection:
        lightly(connection)
        if not accounts.sign_in(connection, body.name, body.password):
            raise ProblemError(
                401,
                "name and password do not fit",
                "nothing says which of the two",
                "a one-time link lets you in: ./canaleta user link NAME",
            )
        accounts.forgive(connection, of_name)
        return _opened(connection, body.name)


@api.post("/link", responses={200: SessionNow})
@needs("public")
def follow_link(body: Link) -> Response:
    """Sign in with a one-time link; it is used up."""
    with shared().engine.begin() as connection:
        lightly(connection)
        from_there = f"link-from:{request.remote_addr}"
        allowed = accounts.allowed_again(connection, from_there, TRIES_FROM_ONE_ADDRESS, WINDOW_S)
        name = accounts.redeem_link(connection, body.token) if allowed else None
        if name is not None:
            accounts.forgive(connection, from_there)
            return _opened(connection, name, by_link=True)
    if not allowed:
        raise ProblemError(429, "too many tries", remedy="wait a minute, then try again")
    raise ProblemError(
        401, "this link has been used or is too old", remedy="make a new one: ./canaleta user link NAME"
    )


@api.delete("", responses={200: Done})
@needs("self")
def sign_out() -> Response:
    """End this session."""
    with shared().engine.begin() as connection:
        accounts.end_session(connection, session_now().token_hash)
    response = make_response(jsonify(Done().model_dump()))
    response.delete_cookie(cookie_name(), samesite="Strict", httponly=True)
    return response


@api.put("/password", responses={200: Done})
@needs("self")
def change_password(body: NewPassword) -> Response:
    """Set one's own password: whoever only found the screen open cannot. All other sessions of the account end."""
    session = session_now()
    with shared().engine.begin() as connection:
        tries = f"old-password:{session.account}:{request.remote_addr}"
        if not accounts.allowed_again(connection, tries, TRIES, WINDOW_S):
            allowed = False
        else:
            allowed = True
            known = (
                session.by_link
                or not accounts.has_password(connection, session.account)
                or accounts.sign_in(connection, session.account, body.old)
            )
    if not allowed:
        raise ProblemError(429, "too many tries", "the old password still holds", "wait a minute, then try again")
    if not known:
        raise ProblemError(
            403,
            "the old password is another",
            "nothing was changed",
            "type the one that holds now; if it is lost, a one-time link lets you set a new one",
        )
    with shared().engine.begin() as connection:
        accounts.set_password(connection, session.account, body.password)
        accounts.end_other_sessions(connection, session.account, session.token_hash)
        accounts.forgive(connection, tries)
    return jsonify(Done().model_dump())


def _opened(connection: Connection, name: str, *, by_link: bool = False) -> Response:
    token, csrf = accounts.open_session(connection, name, by_link=by_link)
    role = accounts.role_of(connection, name)
    asks_old = not by_link and accounts.has_password(connection, name)
    response = make_response(jsonify(_now(name, role, csrf, asks_old).model_dump()))
    response.set_cookie(cookie_name(), token, httponly=True, samesite="Strict", secure=request.is_secure, path="/")
    return response


def _now(account: str, role: str, csrf: str, asks_old: bool) -> SessionNow:
    rank = ROLES.index(role)
    rights = [right for right, least in RIGHTS.items() if least is not None and rank >= ROLES.index(least)]
    return SessionNow(account=account, role=role, rights=rights, csrf=csrf, asks_old=asks_old)
