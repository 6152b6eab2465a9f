"""Editions and pages taken out: at once, or as something that is drawn meanwhile, told of and stopped."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import asdict, replace
from typing import Any, Literal

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.downloads import download
from ironmark.api.editions import WHOLE_S, out
from ironmark.api.scorecards import ReadAsk, have_tried
from ironmark.pages.context.library import Library
from ironmark.pages.model.documents import Key, Model, ScopeBody
from ironmark.pages.model.problems import Problem, Refused
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.publish import document, exporting
from ironmark.publish.export_page import About, Leaf
from ironmark.publish.exporting import PRINTED, Kind, Options
from ironmark.publish.page import Paper, as_html, policy
from ironmark.publish.printer import HOW, there
from ironmark.publish.proof import checksum
from ironmark.store import editions, exports
from ironmark.store.exports import ENDED
from ironmark.store.models import Edition, Export
from ironmark.work.printing import pictures_of, seal_of

router = APIRouter(prefix="/api", tags=["exports"])
WAIT_S, ASK_S, MOST_ASK_S = 90.0, 0.03, 0.5


class ExportAsk(Model):
    """Of an edition, or of a scorecard as it reads for a scope. paper: of a PDF; instrument: the only sheet that is drawn,
    scale: 1, 2 or 3 times as sharp, both of pictures. sections: those alone, in every form; none: all of them. charts:
    on slides, bars, columns and lines as charts that can be worked with, and not as pictures; template: made on the
    template that is kept."""

    kind: Kind
    edition: Key | None = None
    scorecard: Key | None = None
    scope: ScopeBody | None = None
    paper: Paper = "a4"
    instrument: Key | None = None
    scale: Literal[1, 2, 3] = 2
    sections: list[Key] = Field(default=[], max_length=50)
    charts: bool = False
    template: bool = False


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


_CHECKSUMS: dict[str, str] = {}  # by edition: what one holds never changes


def about(row: Edition, frozen: Frozen) -> About:
    told = out(row)
    if row.id not in _CHECKSUMS:
        if len(_CHECKSUMS) > 1000:
            _CHECKSUMS.clear()
        _CHECKSUMS[row.id] = checksum(frozen.to_json())
    return About(
        id=told.id, number=told.number, state=told.state, title=told.title, note=told.note, made_at=told.made_at,
        made_by=told.made_by, published_at=told.published_at or "", published_by=told.published_by,
        withdrawn_at=told.withdrawn_at or "", withdrawn_by=told.withdrawn_by, why=told.why,
        sha256=_CHECKSUMS[row.id],
    )  # fmt: skip


def leaf_of(who: Reader, edition: str) -> Leaf:
    with who.read() as session:
        row = editions.get(session, edition)
        frozen = Frozen.from_bytes(editions.held(session, edition))
        return Leaf(frozen, about(row, frozen))


def _read(who: Reader, scorecard: str, scope: ScopeBody | None) -> Leaf:
    def read(library: Library) -> Frozen:
        body = library.scorecard(scorecard)
        return freeze(library, body, scope or body.scope)

    return Leaf(who.look(read, WHOLE_S))


def _out(row: Export) -> ExportOut:
    return ExportOut(
        id=row.id, kind=row.kind, state=row.state, stage=row.stage, share=row.share, name=row.name,  # type: ignore[arg-type]
        problem=Problem.model_validate(row.problem) if row.problem else None,
    )  # fmt: skip


def _asked(who: Reader, request: Request, leaf: Leaf, kind: Kind, options: Options) -> str:
    """Have a page drawn, and return what that goes by."""
    exporting.check(leaf, kind, options)
    source = replace(leaf.frozen, workings={}).to_bytes()
    told = asdict(leaf.about) if leaf.about else None
    return put_in_line(who, request, kind, source, told, asdict(options), exporting.name_of(leaf, kind, options))


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
    who: Reader, request: Request, read: Callable[[], Leaf], kind: Kind, options: Options
) -> Response:  # fmt: skip
    """A page in one of its forms, as the answer itself. However many are waited for, they hold no thread meanwhile."""
    leaf = await run_in_threadpool(read)
    if kind not in PRINTED:
        return await run_in_threadpool(_written, who, leaf, kind, options)
    return await waited(who, request, await run_in_threadpool(_asked, who, request, leaf, kind, options))


async def waited(who: Reader, request: Request, key: str, seconds: float = WAIT_S) -> Response:
    """What was asked for, once it is there."""
    until, pause = time.monotonic() + seconds, ASK_S
    while time.monotonic() < until:
        if (found := await run_in_threadpool(_ended, who, key)) is not None:
            return found
        await asyncio.sleep(pause)
        pause = min(pause * 1.3, MOST_ASK_S)
    await run_in_threadpool(_stopped, who, key)
    raise Refused(503, "slow", "It takes too long", "The page was not drawn in time. Try again in a minute.")


def _written(who: Reader, leaf: Leaf, kind: Kind, options: Options) -> Response:
    exporting.check(leaf, kind, options)
    name = exporting.name_of(leaf, kind, options)
    with who.read() as session:
        pictures = pictures_of(session, leaf.frozen) if kind == "html" else {}
    with who.write() as session:
        seal = seal_of(session)
    made = exporting.made(leaf, kind, options, pictures, None, lambda *_: False, seal)
    return download(made, name, exporting.MEDIA[kind])


def _ended(who: Reader, key: str) -> Response | None:
    with who.read() as session:
        row = exports.get(session, key)
        return _file(row, exports.file(session, key)) if row.state in ENDED else None


def _stopped(who: Reader, key: str) -> ExportOut:
    with who.write() as session:
        return _out(exports.stop(session, key))


def _file(row: Export, file: bytes | None) -> Response:
    if row.problem:
        problem = Problem.model_validate(row.problem)
        raise Refused(problem.status, problem.type, problem.title, problem.detail)
    if row.state == "stopped" or file is None:
        raise Refused(409, "stopped", "There is no file", "It was stopped, or is not drawn yet. Ask for it again.")
    return download(file, row.name, exporting.MEDIA[row.kind])  # type: ignore[index]


FILE: dict[int | str, dict[str, Any]] = {200: {"content": {media: {} for media in exporting.MEDIA.values()}}}


@router.get("/editions/{key}/export/{kind}", response_class=Response, responses=FILE)
async def export_edition(
    key: str, kind: Kind, request: Request, paper: Paper = "a4", instrument: str | None = Query(None, max_length=80),
    scale: int = Query(2, ge=1, le=3), section: list[str] = Query([], max_length=50), charts: bool = False, template: bool = False, who: Reader = Depends(reader),
) -> Response:  # fmt: skip
    """An edition as PDF, slides, a workbook, a zip of CSV, JSON, one HTML file, PNG or SVG."""
    return await taken(
        who,
        request,
        lambda: leaf_of(who, key),
        kind,
        Options(paper, instrument, scale, tuple(section), charts, template),
    )


@router.get("/editions/{key}/leaf", response_class=Response, responses={200: {"content": {"text/html": {}}}})
def show_edition(key: str, who: Reader = Depends(reader)) -> Response:
    """An edition as the page that leaves, to be looked at here."""
    leaf = leaf_of(who, key)
    with who.read() as session:
        pictures = pictures_of(session, leaf.frozen)
    return Response(
        as_html(leaf, pictures, served=True), media_type="text/html; charset=utf-8",
        headers={"Content-Security-Policy": policy(("'self'",))},
    )  # fmt: skip


@router.post("/scorecards/export/{kind}", response_class=Response, responses=FILE)
async def export_page(
    ask: ReadAsk, kind: Kind, request: Request, paper: Paper = "a4",
    instrument: str | None = Query(None, max_length=80), scale: int = Query(2, ge=1, le=3),
    section: list[str] = Query([], max_length=50), charts: bool = False, template: bool = False, who: Reader = Depends(reader),
) -> Response:  # fmt: skip
    """A scorecard as it reads now, saved or not, in the same forms."""

    def read(library: Library) -> Frozen:
        have_tried(library, ask)
        return freeze(library, ask.body, ask.scope or ask.body.scope, rehearsals=ask.rehearse)

    options = Options(paper, instrument, scale, tuple(section), charts, template)
    return await taken(who, request, lambda: Leaf(who.look(read, WHOLE_S)), kind, options)


@router.post("/exports", status_code=202)
def ask_for_export(ask: ExportAsk, request: Request, who: Reader = Depends(reader)) -> ExportOut:
    """Have something taken out, be told how far it is, and fetch it once it is there."""
    if (ask.edition is None) == (ask.scorecard is None):
        detail = "Name an edition, or a scorecard with the scope to read it for."
        raise Refused(422, "which-page", "Of what?", detail, {"field": "edition"})
    leaf = leaf_of(who, ask.edition) if ask.edition else _read(who, ask.scorecard or "", ask.scope)
    key = _asked(
        who,
        request,
        leaf,
        ask.kind,
        Options(ask.paper, ask.instrument, ask.scale, tuple(ask.sections), ask.charts, ask.template),
    )
    with who.read() as session:
        return _out(exports.get(session, key))


@router.get("/exports/{key}")
def get_export(key: str, who: Reader = Depends(reader)) -> ExportOut:
    with who.read() as session:
        return _out(exports.get(session, key))


@router.get("/exports/{key}/file", response_class=Response, responses=FILE)
def get_export_file(key: str, who: Reader = Depends(reader)) -> Response:
    with who.read() as session:
        return _file(exports.get(session, key), exports.file(session, key))


@router.delete("/exports/{key}")
def stop_export(key: str, who: Reader = Depends(reader)) -> ExportOut:
    return _stopped(who, key)


@router.get("/editions/schema")
def get_edition_schema(who: Reader = Depends(reader)) -> dict[str, Any]:
    """The JSON Schema that every edition taken out as JSON follows."""
    return document.schema()
