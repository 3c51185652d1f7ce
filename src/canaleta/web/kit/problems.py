"""Errors as RFC 9457 problem details that name the field and the remedy; the one place that words them."""

from __future__ import annotations

from collections.abc import Sequence
from http import HTTPStatus
from typing import Any

from flask import Flask, Response, jsonify, request
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.exc import OperationalError, SQLAlchemyError
from werkzeug.exceptions import HTTPException

from canaleta.core.notation.text import short
from canaleta.plant.database.locks import LockedError
from canaleta.plant.database.room import Room
from canaleta.plant.database.servers import UnsureError
from canaleta.plant.people.accounts import AccountError
from canaleta.web.kit.routes import Shape

__all__ = ["PROBLEMS", "CellProblem", "Problem", "ProblemError", "install", "invalid_request", "no_room"]


DISK_FULL, LOCK_NOT_AVAILABLE = "53100", "55P03"
"""SQLSTATE, as PostgreSQL's manual lists them (appendix A)."""
NO_ROOM = "urn:canaleta:no-room"


class CellProblem(Shape):
    """One cell that stands in the way: refused text, or a cell that says something else by now."""

    point: int
    field: str
    typed: str
    says: str
    theirs: str | None = None


class Problem(Shape):
    """A problem: what was wrong (title, detail), and what to do (remedy)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    remedy: str = ""
    cells: list[CellProblem] = Field(default_factory=list)


PROBLEMS: dict[str | int | HTTPStatus, type[BaseModel] | dict[Any, Any] | None] = {"4XX": Problem, "5XX": Problem}
"""What every route may answer besides what it is for, for the OpenAPI document."""


class ProblemError(Exception):
    """Raised by routes; answered as a Problem."""

    def __init__(
        self, status: int, title: str, detail: str = "", remedy: str = "", cells: Sequence[CellProblem] = ()
    ) -> None:
        super().__init__(title)
        self.problem = Problem(status=status, title=title, detail=detail, remedy=remedy, cells=list(cells))

    @classmethod
    def of(cls, problem: Problem) -> ProblemError:
        """One that was worded already."""
        error = cls(problem.status, problem.title)
        error.problem = problem
        return error


UNSURE = "urn:canaleta:unsure"
"""Problem type: the database was lost, or its standby, before it confirmed. Edits that say what stood there may be sent again."""


def no_room(room: Room) -> Problem:
    """Nothing can be saved, for the disk is full."""
    says, remedy = room.says()
    return Problem(type=NO_ROOM, status=503, title="the disk is full: this was not saved", detail=says, remedy=remedy)


def _answer(problem: Problem, headers: Sequence[tuple[str, str]] = ()) -> Response:
    response = jsonify(problem.model_dump())
    response.status_code = problem.status
    response.headers["Content-Type"] = "application/problem+json"
    for name, value in headers:
        if name.lower() not in ("content-type", "content-length"):
            response.headers[name] = value
    return response


def invalid_request(error: ValidationError) -> Response:
    """A request that does not fit the API's description."""
    first = error.errors(include_url=False, include_context=False)[0]
    where = ".".join(str(part) for part in first["loc"])
    return _answer(
        Problem(
            status=422,
            title="the request is not understood",
            detail=f"{where}: {first['msg']}",
            remedy="see /api/openapi.json",
        )
    )


def install(app: Flask) -> None:
    """Answer every error of the app as a problem."""

    @app.errorhandler(ProblemError)
    def _problem(error: ProblemError) -> Response:
        return _answer(error.problem)

    @app.errorhandler(AccountError)
    def _account(error: AccountError) -> Response:
        return _answer(Problem(status=422, title=str(error)))

    @app.errorhandler(LockedError)
    def _locked(error: LockedError) -> Response:
        return _answer(
            Problem(
                status=409, title=str(error), detail="nothing was changed", remedy="ask whoever may lift the lock"
            )
        )

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response | Any:
        if not request.path.startswith("/api"):
            return error
        problem = Problem(status=error.code or 500, title=error.name.lower(), detail=error.description or "")
        return _answer(problem, error.get_headers())

    @app.errorhandler(OperationalError)
    def _busy(error: OperationalError) -> Response:
        if getattr(error.orig, "sqlstate", None) == DISK_FULL:
            return _answer(no_room(Room.of_environment()), [("Retry-After", "5")])
        app.logger.warning("database: %s", short(error.orig or error))
        if isinstance(error.orig, UnsureError):
            return _answer(
                Problem(
                    type=UNSURE, status=503, title="nobody knows yet whether this was saved", detail=short(error.orig),
                    remedy="look whether it is there before you repeat it",
                ),
                [("Retry-After", "1")],
            )  # fmt: skip
        locked = getattr(error.orig, "sqlstate", None) == LOCK_NOT_AVAILABLE
        title = "somebody else is writing" if locked else "the database does not answer"
        return _answer(
            Problem(status=503, title=title, detail="nothing was changed", remedy="try again in a moment"),
            [("Retry-After", "1")],
        )

    @app.errorhandler(SQLAlchemyError)
    def _database(error: SQLAlchemyError) -> Response:
        app.logger.exception("database error")
        return _answer(Problem(status=500, title="the database refused this", detail="nothing was changed"))

    @app.errorhandler(LookupError)
    def _lookup(error: LookupError) -> Response:
        app.logger.exception("look-up failed")
        return _answer(Problem(status=500, title="something is missing on the server", detail="nothing was changed"))
