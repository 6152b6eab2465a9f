"""Editions and pages taken out: at once, or as something that is drawn meanwhile, told of and stopped."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.asked_page import ReadAsk, have_tried
from ironmark.api.answers.edition import WHOLE_S, export_page_of
from ironmark.api.answers.export import FILE, ExportOut, asked, export_out, file_answer, stopped, taken
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import Key, Model
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.publish import document
from ironmark.publish.export_page import ExportPage
from ironmark.publish.exporting import EXPLAINED, Kind, Options
from ironmark.publish.page import Paper, as_html, policy
from ironmark.store import exports
from ironmark.work.printing import pictures_of

router = APIRouter(prefix="/api", tags=["exports"])


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


def _read(who: Reader, scorecard: str, scope: ScopeBody | None, kind: Kind) -> ExportPage:
    def read(context: ReadingContext) -> Frozen:
        body = context.scorecard(scorecard)
        return freeze(context, body, scope or body.scope, explained=kind in EXPLAINED)

    return ExportPage(who.look(read, WHOLE_S))


@router.get("/editions/{key}/export/{kind}", response_class=Response, responses=FILE)
async def export_edition(
    key: str, kind: Kind, request: Request, paper: Paper = "a4", instrument: str | None = Query(None, max_length=80),
    scale: int = Query(2, ge=1, le=3), section: list[str] = Query([], max_length=50), charts: bool = False, template: bool = False, who: Reader = Depends(reader),
) -> Response:  # fmt: skip
    """An edition as PDF, slides, a workbook, a zip of CSV, JSON, one HTML file, PNG or SVG."""
    return await taken(
        who,
        request,
        lambda: export_page_of(who, key),
        kind,
        Options(paper, instrument, scale, tuple(section), charts, template),
    )


@router.get("/editions/{key}/leaf", response_class=Response, responses={200: {"content": {"text/html": {}}}})
def show_edition(key: str, who: Reader = Depends(reader)) -> Response:
    """An edition as the page that leaves, to be looked at here."""
    leaf = export_page_of(who, key)
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

    def read(context: ReadingContext) -> Frozen:
        have_tried(context, ask)
        explained = kind in EXPLAINED
        return freeze(context, ask.body, ask.scope or ask.body.scope, explained=explained, rehearsals=ask.rehearse)

    options = Options(paper, instrument, scale, tuple(section), charts, template)
    return await taken(who, request, lambda: ExportPage(who.look(read, WHOLE_S)), kind, options)


@router.post("/exports", status_code=202)
def ask_for_export(ask: ExportAsk, request: Request, who: Reader = Depends(reader)) -> ExportOut:
    """Have something taken out, be told how far it is, and fetch it once it is there."""
    if (ask.edition is None) == (ask.scorecard is None):
        detail = "Name an edition, or a scorecard with the scope to read it for."
        raise Refused(422, "which-page", "Of what?", detail, {"field": "edition"})
    leaf = export_page_of(who, ask.edition) if ask.edition else _read(who, ask.scorecard or "", ask.scope, ask.kind)
    key = asked(
        who,
        request,
        leaf,
        ask.kind,
        Options(ask.paper, ask.instrument, ask.scale, tuple(ask.sections), ask.charts, ask.template),
    )
    with who.read() as session:
        return export_out(exports.get(session, key))


@router.get("/exports/{key}")
def get_export(key: str, who: Reader = Depends(reader)) -> ExportOut:
    with who.read() as session:
        return export_out(exports.get(session, key))


@router.get("/exports/{key}/file", response_class=Response, responses=FILE)
def get_export_file(key: str, who: Reader = Depends(reader)) -> Response:
    with who.read() as session:
        return file_answer(exports.get(session, key), exports.file(session, key))


@router.delete("/exports/{key}")
def stop_export(key: str, who: Reader = Depends(reader)) -> ExportOut:
    return stopped(who, key)


@router.get("/editions/schema")
def get_edition_schema(who: Reader = Depends(reader)) -> dict[str, Any]:
    """The JSON Schema that every edition taken out as JSON follows."""
    return document.schema()
