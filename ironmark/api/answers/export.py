"""Pages that are drawn when their turn comes, and waited for."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from typing import Any, Literal

from fastapi import Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel

from ironmark.api.access import Reader
from ironmark.api.downloads import download
from ironmark.pages.model.problems import Problem, Refused
from ironmark.publish import exporting
from ironmark.publish.export_page import ExportPage
from ironmark.publish.exporting import PRINTED, Kind, Options
from ironmark.publish.printer import HOW, there
from ironmark.store import exports
from ironmark.store.exports import ENDED
from ironmark.store.models import Export
from ironmark.work.printing import pictures_of, seal_of

WAIT_S, ASK_S, MOST_ASK_S = 90.0, 0.03, 0.5


class ExportOut(BaseModel):
    """state: waiting, running, done, failed or stopped; stage: what is being done, in words; share: how much is, 0 to 1.
    name: of the file, once it is there."""

    id: str
    kind: Kind
    state: Literal["waiting", "running", "done", "failed", "stopped"]
    stage: str
    share: float
    name: str
    problem: Problem | None


def export_out(row: Export) -> ExportOut:
    return ExportOut(
        id=row.id, kind=row.kind, state=row.state, stage=row.stage, share=row.share, name=row.name,  # type: ignore[arg-type]
        problem=Problem.model_validate(row.problem) if row.problem else None,
    )  # fmt: skip


def asked(who: Reader, request: Request, leaf: ExportPage, kind: Kind, options: Options) -> str:
    """Have a page drawn, and return what that goes by."""
    return put_in_line(who, request, *exporting.to_draw(leaf, kind, options))


def put_in_line(
    who: Reader, request: Request, kind: Kind, source: bytes, told: dict[str, Any] | None, options: dict[str, Any],
    name: str,
) -> str:  # fmt: skip
    """Have something drawn when its turn comes, and return what that goes by."""
    if kind in PRINTED and not there():
        raise Refused(503, "no-printer", "Printing needs Chromium", HOW)
    with who.write() as session:
        try:
            key = exports.ask(session, kind, source, told, options, name)
        except exports.TooMany:
            raise Refused(
                503, "busy", "Too much is being drawn", "Many pages are waiting to be drawn. Try again in a minute."
            ) from None
    request.app.state.worker.wake()
    return key


async def taken(
    who: Reader, request: Request, read: Callable[[], ExportPage], kind: Kind, options: Options
) -> Response:  # fmt: skip
    """A page in one of its forms, as the answer itself. However many are waited for, they hold no thread meanwhile."""
    leaf = await run_in_threadpool(read)
    if kind not in PRINTED:
        return await run_in_threadpool(_written, who, leaf, kind, options)
    return await waited(who, request, await run_in_threadpool(asked, who, request, leaf, kind, options))


async def waited(who: Reader, request: Request, key: str, seconds: float = WAIT_S) -> Response:
    """What was asked for, once it is there."""
    until, pause = time.monotonic() + seconds, ASK_S
    while time.monotonic() < until:
        if (found := await run_in_threadpool(ended, who, key)) is not None:
            return found
        await asyncio.sleep(pause)
        pause = min(pause * 1.3, MOST_ASK_S)
    await run_in_threadpool(stopped, who, key)
    raise Refused(503, "slow", "It takes too long", "The page was not drawn in time. Try again in a minute.")


def _written(who: Reader, leaf: ExportPage, kind: Kind, options: Options) -> Response:
    exporting.check(leaf, kind, options)
    name = exporting.name_of(leaf, kind, options)
    with who.read() as session:
        pictures = pictures_of(session, leaf.frozen) if kind == "html" else {}
    with who.write() as session:
        seal = seal_of(session)
    made = exporting.render(leaf, kind, options, pictures, None, lambda *_: False, seal)
    return download(made, name, exporting.MEDIA[kind])


def ended(who: Reader, key: str) -> Response | None:
    with who.read() as session:
        row = exports.get(session, key)
        return file_answer(row, exports.file(session, key)) if row.state in ENDED else None


def stopped(who: Reader, key: str) -> ExportOut:
    with who.write() as session:
        return export_out(exports.stop(session, key))


def file_answer(row: Export, file: bytes | None) -> Response:
    if row.problem:
        problem = Problem.model_validate(row.problem)
        raise Refused(problem.status, problem.type, problem.title, problem.detail)
    if row.state == "stopped" or file is None:
        raise Refused(409, "stopped", "There is no file", "It was stopped, or is not drawn yet. Ask for it again.")
    return download(file, row.name, exporting.MEDIA[row.kind])  # type: ignore[index]


FILE: dict[int | str, dict[str, Any]] = {200: {"content": {media: {} for media in exporting.MEDIA.values()}}}
