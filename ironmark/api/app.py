"""The application: routes, errors, logs, and the built front end."""

from __future__ import annotations

import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import structlog
from fastapi import Depends, FastAPI, Request
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel
from sqlalchemy import Engine

from ironmark import __version__
from ironmark.api import (
    calendar,
    datasets,
    documentation,
    faces,
    hands,
    impacts,
    kpis,
    many_marks,
    mark_names,
    marks,
    notices,
    palettes,
    previews,
    problems,
    rows,
    scorecards,
    specimens,
    takeouts,
    typed,
    uploads,
    yardsticks,
)
from ironmark.api.who import Reader, reader
from ironmark.pages.problems import Problem
from ironmark.pages.sources import Sources
from ironmark.store import database

WEB = Path(__file__).parents[2] / "web" / "dist"
MAX_DRAINED = 64 * 1024 * 1024
HOSTS = {"127.0.0.1", "localhost", "[::1]"}
log = structlog.get_logger()
# In the order in which their addresses are matched: fixed ones before those with a key.
ROUTERS = (
    hands,
    takeouts,
    scorecards,
    previews,
    kpis,
    many_marks,
    mark_names,
    marks,
    notices,
    yardsticks,
    impacts,
    palettes,
    specimens,
    faces,
    typed,
    datasets,
    rows,
    uploads,
    calendar,
)


class Health(BaseModel):
    status: str
    database: str
    version: str


def create_app(engine: Engine, *, hosts: frozenset[str] = frozenset()) -> FastAPI:
    """hosts: names besides loopback's under which the server may be asked."""
    app = FastAPI(
        title="Iron Mark",
        version=__version__,
        responses={"default": {"model": Problem, "description": "A problem document (RFC 9457)"}},
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.sources = Sources(engine)
    app.state.uploads = uploads.Uploads(app.state.sources)
    problems.install(app)
    for module in ROUTERS:
        app.include_router(module.router, max_body_size=problems.most_of(module.router.prefix))
    app.include_router(palettes.states_router)

    @app.get("/api/health", tags=["health"], responses={503: {"model": Health}})
    def health(who: Reader = Depends(reader)) -> Health:
        """Whether the server and its database answer."""
        database.alive(who.sources.engine)
        return Health(status="ok", database="ok", version=__version__)

    @app.middleware("http")
    async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
        started = time.perf_counter()
        refused = _refuse(request, HOSTS | hosts)
        if refused is not None and _length(request) <= MAX_DRAINED:
            # Answered before its body is read, a sender may see a broken connection instead of the answer.
            async for _ in request.stream():
                pass
        response = refused or await call_next(request)
        if request.url.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
            took = round((time.perf_counter() - started) * 1000, 1)
            log.info("request", method=request.method, path=request.url.path, status=response.status_code, ms=took)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; frame-ancestors 'none'"
        )
        return response

    documentation.add_to(app)
    app.openapi = lambda: described(app)  # type: ignore[method-assign]

    if (WEB / "assets").is_dir():
        app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

        @app.get("/", include_in_schema=False)
        def page() -> FileResponse:
            return FileResponse(WEB / "index.html", headers={"Cache-Control": "no-cache"})

    return app


def described(app: FastAPI) -> dict[str, Any]:
    """The API's description: whatever goes wrong is answered with a problem document."""
    if app.openapi_schema is None:
        made = get_openapi(title=app.title, version=app.version, routes=app.routes)
        for operation in (one for path in made["paths"].values() for one in path.values()):
            for status, answer in operation["responses"].items():
                if status == "default" or (status[0] in "45" and "Health" not in str(answer)):
                    answer["description"] = "A problem document (RFC 9457)"
                    answer["content"] = {problems.MEDIA: {"schema": {"$ref": "#/components/schemas/Problem"}}}
        for unused in ("HTTPValidationError", "ValidationError"):
            made["components"]["schemas"].pop(unused, None)
        app.openapi_schema = made
    return app.openapi_schema


def _refuse(request: Request, hosts: set[str] | frozenset[str]) -> JSONResponse | None:
    """Keep other sites' pages from writing here through a visitor's browser, and bodies to a sane size."""
    host = request.headers.get("host", "")
    name = host if host.endswith("]") else host.rsplit(":", 1)[0]
    origin = request.headers.get("origin")
    problem = None
    if "*" not in hosts and name not in hosts:
        problem = (
            421,
            "unknown-host",
            "This address is not served here",
            "Open the address that the start printed.",
        )
    elif origin is not None and request.method not in ("GET", "HEAD") and origin.split("//")[-1] != host:
        problem = (
            403,
            "other-site",
            "The request came from another site",
            "Use Iron Mark from its own address.",
        )
    elif _length(request) > problems.most_of(request.url.path):
        return problems.too_large(request.url.path)
    if problem is None:
        return None
    status, type_, title, detail = problem
    body = Problem(type=type_, title=title, status=status, detail=detail)
    return JSONResponse(body.model_dump(), status, media_type=problems.MEDIA)


def _length(request: Request) -> int:
    text = request.headers.get("content-length", "0")
    return int(text) if text.isdecimal() else 0
