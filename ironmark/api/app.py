"""The application: routes, errors, logs, and the built front end."""

from __future__ import annotations

import signal
import threading
from collections.abc import AsyncIterator, Callable, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from types import FrameType
from typing import Any

from anyio import to_thread
from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from sqlalchemy import Engine

from ironmark import __version__
from ironmark.api import (
    assumptions,
    background_uploads,
    books,
    built,
    bundles,
    calendar,
    changes,
    datasets,
    demo,
    documentation,
    editions,
    exports,
    faces,
    find,
    folders,
    from_rows,
    front,
    identity,
    images,
    impacts,
    inbox,
    kpis,
    ledger_export,
    links,
    manual_entry,
    many_marks,
    mark_names,
    marks,
    me,
    notes,
    notices,
    opened,
    palettes,
    people,
    previews,
    problems,
    proofs,
    refreshing,
    rows,
    scorecards,
    sending,
    sign_in,
    signals,
    specimens,
    standing,
    tokens,
    trail,
    typed_tables,
    upkeep,
    uploads,
    watches,
    widening,
    yardsticks,
)
from ironmark.api.guard import Guard
from ironmark.api.signing import Signing
from ironmark.pages.authoring.kpi_glances import KpiGlances
from ironmark.pages.context.source_registry import MEMORY, Sources
from ironmark.pages.model.problems import Problem
from ironmark.work.worker import Worker

WEB = Path(__file__).parents[2] / "web" / "dist"
# In the order in which their addresses are matched: fixed ones before those with a key.
ROUTERS = (
    upkeep,
    manual_entry,
    ledger_export,
    books,
    bundles,
    proofs,
    exports,
    links,
    standing,
    scorecards,
    editions,
    previews,
    kpis,
    signals,
    many_marks,
    mark_names,
    assumptions,
    marks,
    notes,
    notices,
    yardsticks,
    impacts,
    palettes,
    specimens,
    images,
    faces,
    typed_tables,
    folders,
    refreshing,
    datasets,
    rows,
    uploads,
    widening,
    calendar,
    front,
    find,
    from_rows,
    changes,
    demo,
    identity,
    sign_in,
    me,
    people,
    opened,
    tokens,
    trail,
    watches,
    inbox,
    sending,
)


def create_app(
    engine: Engine, *, hosts: frozenset[str] = frozenset(), folders: Sequence[Path] = (),
    fetch_from: Sequence[str] = (), memory: int = MEMORY, packed: Path | None = None, signing: Signing = Signing(),
    send_to: Sequence[str] = (), metrics_to: Sequence[str] = (),
) -> FastAPI:  # fmt: skip
    """hosts: names besides loopback's under which the server may be asked. folders: those whose files may be read.
    fetch_from: hosts whose addresses may be asked for rows. memory: bytes that this process may take.
    packed: where CSV files of folders are kept once more as Parquet, if they are. signing: how people sign in.
    send_to: hosts that messages may be sent to. metrics_to: addresses besides this machine's that may read its figures."""
    sources = Sources(engine, tuple(folders), frozenset(fetch_from), memory, packed, frozenset(send_to))
    worker = Worker(sources)

    listened = changes.Changes(sources)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        worker.start()
        _when_told_to_end(listened.end)
        yield
        listened.end()
        await to_thread.run_sync(worker.stop)

    app = FastAPI(
        lifespan=lifespan,
        title="Iron Mark",
        version=__version__,
        responses={"default": {"model": Problem, "description": "A problem document (RFC 9457)"}},
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    app.state.sources = sources
    app.state.signing = signing
    app.state.provider = identity.Provider(signing.identity) if signing.identity else None
    app.state.worker = worker
    app.state.metrics_to = frozenset(metrics_to)
    app.state.changes = listened
    app.state.kpi_glances = KpiGlances(sources)
    app.state.uploads = background_uploads.Uploads(sources)
    problems.install(app)
    app.add_middleware(Guard, hosts=hosts, signing=signing)
    _include(app)

    documentation.add_to(app)
    app.openapi = lambda: described(app)  # type: ignore[method-assign]

    built.serve(app, WEB)
    return app


def _include(app: FastAPI) -> None:
    for module in ROUTERS:
        app.include_router(module.router, max_body_size=problems.most_of(module.router.prefix))
    app.include_router(palettes.states_router)
    app.include_router(proofs.template_router, max_body_size=problems.MAX_FILE)
    app.include_router(assumptions.cases_router)
    app.include_router(links.public)
    app.include_router(watches.deliveries_router)
    app.include_router(inbox.way_out_router)
    app.include_router(sending.hooks_router)
    app.include_router(standing.holidays_router)


def _when_told_to_end(end: Callable[[], None]) -> None:
    """Have streams end as soon as the process is told to: a server waits for what is being answered."""
    if threading.current_thread() is not threading.main_thread():
        return
    for number in (signal.SIGINT, signal.SIGTERM):
        before = signal.getsignal(number)

        def told(caught: int, frame: FrameType | None, before: Any = before) -> None:
            end()
            if callable(before):
                before(caught, frame)

        if callable(before):
            signal.signal(number, told)


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
