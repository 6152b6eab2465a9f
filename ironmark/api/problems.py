"""Errors as problem documents (RFC 9457): what happened, why, and what to do."""

from __future__ import annotations

import errno
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DBAPIError, IntegrityError, InterfaceError, OperationalError, TimeoutError
from starlette.exceptions import HTTPException

from ironmark.core.formula_nodes import FormulaError
from ironmark.pages.model.problems import Problem, Refused
from ironmark.store.database import Missing, StaleVersion
from ironmark.store.eyes import Narrowed
from ironmark.store.sealed import NoKey
from ironmark.tables.cells import NoPeriod, NoSegment
from ironmark.tables.connections import LiveProblem
from ironmark.tables.table import Unreadable

log = structlog.get_logger()
# What MariaDB says where there is no room: its disk, a table, a write to a file or a temporary one that was cut short.
_FULL = (1021, 1114)
_CONFLICT = 1213  # of two changes at once, in one server or at the commit of a cluster, the second is taken back
MEDIA = "application/problem+json"
MAX_JSON = 4 * 1024 * 1024
MAX_FILE = 260 * 1024 * 1024  # a file may have 256 MB; what wraps it takes a little more
FILES = ("/api/datasets", "/api/uploads", "/api/bundle", "/api/editions/check", "/api/slide-template")


def _answer(status: int, type_: str, title: str, detail: str, where: dict[str, Any] | None = None) -> JSONResponse:
    body = Problem(type=type_, title=title, status=status, detail=detail, where=where)
    return JSONResponse(body.model_dump(), status, media_type=MEDIA)


def most_of(path: str) -> int:
    """How many bytes may be sent to a path."""
    return MAX_FILE if path.startswith(FILES) else MAX_JSON


def too_large(path: str) -> JSONResponse:
    detail = f"Send less at once; at most {most_of(path) // (1024 * 1024)} MB."
    return _answer(413, "too-large", "The request is too large", detail)


def problem_of(error: Exception) -> Problem | None:
    """What a failure that has words of its own is answered with; None for one that was not foreseen."""
    match error:
        case Refused():
            return error.problem
        case StaleVersion():
            detail = (
                "Somebody else, or another tab, has saved a newer version since you opened this. "
                "Take the newer one, or keep yours as a copy."
            )
            where = {"saw": error.saw, "current": error.current}
            return Problem(type="stale-version", title="Changed elsewhere", status=412, detail=detail, where=where)
        case Narrowed():
            detail = "This takes all rows of a dataset, and some are not opened to you. Ask an owner to do it."
            return Problem(type="some-rows", title="Not all rows are opened to you", status=403, detail=detail)
        case NoKey():
            return Problem(type="no-key", title="A secret cannot be read", status=409, detail=str(error))
        case Missing():
            return Problem(type="not-found", title="Not found", status=404, detail=str(error))
        case Unreadable():
            return Problem(type="unreadable-file", title="The table cannot be read", status=422, detail=str(error))
        case NoPeriod():
            return Problem(type="no-period", title="There is nothing to read yet", status=422, detail=str(error))
        case LiveProblem():
            return Problem(type="live-source", title="The live source", status=error.status, detail=str(error))
        case _ if no_room(error):
            return Problem(
                type="disk-full", title="The disk is full", status=507,
                detail="The disk that the server or its database writes to is full. Nothing was saved by this request. Free "
                "some space there and try again; what is kept is read as before.",
            )  # fmt: skip
        case OperationalError() if (getattr(error.orig, "args", None) or [None])[0] == _CONFLICT:
            detail = (
                "Somebody else, or another tab, saved at the very same moment, and theirs was first. Nothing of this was "
                "saved: take the newer one, and make your change again."
            )
            return Problem(type="stale-version", title="Changed elsewhere", status=412, detail=detail)
        case TimeoutError() | InterfaceError() | OperationalError():
            return Problem(
                type="database-away",
                title="The database does not answer",
                status=503,
                detail="Nothing was saved by this request. Wait a moment and try again; what you typed is still here.",
            )
    return None


def no_room(error: Exception) -> bool:
    """Whether something could not be written since the disk is full."""
    if isinstance(error, OSError):
        return error.errno == errno.ENOSPC
    orig = error.orig if isinstance(error, DBAPIError) else None
    said = (getattr(orig, "args", None) or [None])[0]
    return orig is not None and (said in _FULL or "Errcode: 28" in str(orig) or "No space left" in str(orig))


def install(app: FastAPI) -> None:
    """Answer every kind of failure with a problem document."""

    @app.exception_handler(Refused)
    @app.exception_handler(StaleVersion)
    @app.exception_handler(Missing)
    @app.exception_handler(Narrowed)
    @app.exception_handler(NoKey)
    @app.exception_handler(Unreadable)
    @app.exception_handler(NoPeriod)
    @app.exception_handler(LiveProblem)
    def known(_: Request, error: Exception) -> JSONResponse:
        problem = problem_of(error)
        assert problem is not None
        return JSONResponse(problem.model_dump(), problem.status, media_type=MEDIA)

    @app.exception_handler(FormulaError)
    def formula(_: Request, error: FormulaError) -> JSONResponse:
        where = {"field": "formula", "start": error.start, "end": error.end}
        return _answer(422, "formula", "The formula cannot be read", error.message, where)

    @app.exception_handler(NoSegment)
    def no_segment(_: Request, error: NoSegment) -> JSONResponse:
        detail = f"A dataset that is read has no segment “{error.args[0]}”. Choose one of its own."
        return _answer(422, "no-segment", "No such segment", detail)

    @app.exception_handler(RequestValidationError)
    def invalid(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        field = ".".join(str(part) for part in first["loc"] if part not in ("body", "query", "path"))
        field = field or str(next(iter(first["loc"]), "body"))  # what is wrong with the whole is wrong with the body
        message = str(first["msg"]).removeprefix("Value error, ")
        detail = f"{field}: {message}" if field else message
        return _answer(422, "invalid-request", "Something in the request does not fit", detail, {"field": field})

    @app.exception_handler(HTTPException)
    def http(request: Request, error: HTTPException) -> JSONResponse:
        detail = str(error.detail)
        if error.status_code == 413:  # found while it was read, since it did not say how long it is
            return too_large(request.url.path)
        if error.status_code == 404:
            detail = "There is nothing at this address. Go back to the scorecards and start from there."
        return _answer(error.status_code, "http", "The request was refused", detail)

    @app.exception_handler(IntegrityError)
    def conflict(_: Request, error: IntegrityError) -> JSONResponse:
        log.warning("integrity", error=str(error.orig))
        if "one_handle" in str(error.orig):
            detail = "Another KPI or assumption has just been given this handle. Choose another."
            return _answer(409, "handle-taken", "The handle is taken", detail, {"field": "handle"})
        return _answer(409, "conflict", "This is already there", "Another change came first. Reload and try again.")

    @app.exception_handler(TimeoutError)
    @app.exception_handler(InterfaceError)
    @app.exception_handler(OperationalError)
    def database(_: Request, error: Exception) -> JSONResponse:
        log.error("database", error=str(error)[:500])
        return known(_, error)

    @app.exception_handler(DBAPIError)
    def other_database(request: Request, error: DBAPIError) -> JSONResponse:
        if error.connection_invalidated:
            return database(request, OperationalError(error.statement, error.params, error.orig or error))
        if no_room(error):
            return known(request, error)
        log.warning("database-refused", error=str(error.orig)[:500])
        return _answer(
            422,
            "not-storable",
            "This cannot be stored",
            "A value is too long or of a form that cannot be kept.",
        )

    @app.exception_handler(Exception)
    def unexpected(request: Request, error: Exception) -> JSONResponse:
        if no_room(error):
            return known(request, error)
        log.error("unexpected", path=request.url.path, exc_info=error)
        return _answer(500, "unexpected", "Something went wrong here", "The fault is ours and was logged. Try again.")
