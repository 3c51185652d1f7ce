"""Doors: who may come in, from where, and what each route may do. A route without a declared right is shut."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, g, request
from sqlalchemy.exc import SQLAlchemyError

from canaleta.plant.database.connection import lightly
from canaleta.plant.database.room import Room
from canaleta.plant.people.accounts import ROLES, Session, note_seen, valid_session
from canaleta.web.kit.json import DEEPEST, too_deep
from canaleta.web.kit.problems import ProblemError, no_room

__all__ = ["CSRF_HEADER", "RIGHTS", "cookie_name", "install", "is_known", "needs", "right_of", "session_now"]

CSRF_HEADER = "X-Canaleta-Csrf"
SEEN_EVERY_S = 60.0
"""How often it is noted that a session is in use."""
RIGHTS: dict[str, str | None] = {
    "public": None,
    "read": "reader",
    "look": "reader",
    "self": "reader",
    "edit": "technician",
    "inject": "technician",
    "engineer": "engineer",
    "administer": "administrator",
}
"""Each right and the least role that has it; None for anybody, signed in or not. "look" reads by POST, "self" is
one's own account."""
_SAFE = ("GET", "HEAD", "OPTIONS")
_POLICY = (
    "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "connect-src 'self'; worker-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
View = TypeVar("View", bound=Callable[..., Any])


def needs(right: str) -> Callable[[View], View]:
    """Declare the right a route needs. Raises KeyError for a right that does not exist."""
    RIGHTS[right]

    def declare(view: View) -> View:
        view.needs_right = right  # type: ignore[attr-defined]
        return view

    return declare


def right_of(app: Flask, endpoint: str) -> str | None:
    """The right that an endpoint declares, None if it declares none."""
    view: Any = app.view_functions[endpoint]
    while view is not None:
        right = getattr(view, "needs_right", None)
        if right is not None:
            return str(right)
        view = getattr(view, "__wrapped__", None)
    return None


def cookie_name() -> str:
    """The session cookie's name; it carries the port, for cookies do not tell ports apart."""
    return f"canaleta-{request.host.partition(':')[2] or '80'}"


def session_now() -> Session:
    """The session of this request. Raises ProblemError 401 if there is none."""
    found: Session | None = g.get("session")
    if found is None:
        raise ProblemError(401, "you are not signed in", remedy="sign in; what you typed is kept")
    return found


def is_known() -> bool:
    """Whether this request comes from somebody who is signed in; False where the database cannot say."""
    token = request.cookies.get(cookie_name(), "")
    if not token:
        return False
    try:
        with current_app.extensions["canaleta"].engine.connect() as connection:
            return valid_session(connection, token) is not None
    except SQLAlchemyError:
        return False


def install(app: Flask, hosts: frozenset[str]) -> None:
    """Guard every request of the app. hosts: the host names it answers to, without ports, lower case."""
    room = Room.of_environment()

    @app.before_request
    def _guard() -> None:
        name = urlsplit(f"//{request.host}").hostname or ""
        if name.lower() not in hosts:
            raise ProblemError(
                421,
                "this server does not go by that name",
                f"asked for {name!r}",
                "start with --host NAME, or list the name in CANALETA_HOSTS",
            )
        if request.endpoint is None:
            return
        _no_nul()
        right = right_of(app, request.endpoint)
        if right is None:
            raise ProblemError(403, "this door is shut", "the route declares no right")
        if right == "public":
            if request.method not in _SAFE:
                _same_origin()
            return
        _admit(right)

    def _admit(right: str) -> None:
        token = request.cookies.get(cookie_name(), "")
        with current_app.extensions["canaleta"].engine.connect() as connection:
            g.session = valid_session(connection, token) if token else None
        session = session_now()
        short = room.is_short()
        if session.unseen_s > SEEN_EVERY_S and not short:
            with current_app.extensions["canaleta"].engine.begin() as connection:
                lightly(connection)
                note_seen(connection, session.token_hash)
        least = RIGHTS[right]
        if least and ROLES.index(session.role) < ROLES.index(least):
            raise ProblemError(
                403,
                f"a {session.role} may not do this",
                f"it takes {'an' if least[0] in 'ae' else 'a'} {least}",
                "ask an administrator for the role",
            )
        if request.method not in _SAFE:
            _same_origin()
            if request.headers.get(CSRF_HEADER) != session.csrf:
                raise ProblemError(403, "the request does not come from this application", remedy="reload the page")
            if short and right not in ("look", "self"):
                raise ProblemError.of(no_room(room))

    def _no_nul() -> None:
        """No text here can hold the character zero: the database keeps none, and no name or value has one."""
        if request.is_json and too_deep(request.get_data()):
            raise ProblemError(
                400,
                "the request nests too deep",
                f"nothing here nests deeper than {DEEPEST}",
                "see /api/openapi.json",
            )
        told = request.is_json and b"\\u0000" in request.get_data()
        if told or "\x00" in request.path or "%00" in request.query_string.decode("latin-1"):
            raise ProblemError(
                422, "a text holds the character zero, which none can", "nothing was changed", "leave it out"
            )

    def _same_origin() -> None:
        origin = request.headers.get("Origin")
        if origin is not None and urlsplit(origin).netloc != request.host:
            raise ProblemError(403, "the request comes from another site", "nothing was changed")

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("X-Frame-Options", "DENY")
        if request.path.startswith("/api"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response
