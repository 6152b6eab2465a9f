"""Links to one page for people without an account: made, listed, taken back, and read."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import replace
from html import escape
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse
from pydantic import AfterValidator, BaseModel, Field

from ironmark import clock
from ironmark.api.access import Reader, reader
from ironmark.api.answers.edition import WHOLE_S
from ironmark.api.answers.export import taken
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.publish.edition_about import about_of
from ironmark.publish.export_page import ExportPage
from ironmark.publish.exporting import Kind, Options
from ironmark.publish.page import as_html, policy
from ironmark.store import editions, links, records
from ironmark.store.database import Missing
from ironmark.store.models import Link
from ironmark.tables.connections import LiveProblem
from ironmark.work.printing import pictures_of

router = APIRouter(prefix="/api/links", tags=["links"])
public = APIRouter(prefix="/shared", include_in_schema=False)
LIVE_S = 300  # after which a live page reads itself again
MOST_TOKEN = 200
# All but JSON, which holds more than the page shows.
Taken = Literal["pdf", "pptx", "xlsx", "csv", "html", "png", "svg"]


def _site(text: str) -> str:
    if not re.fullmatch(r"https?://[A-Za-z0-9.-]{1,253}(:\d{1,5})?", text):
        raise ValueError(f"“{text}” is no site; write it as https://intranet.example, without a path")
    return text


class LinkAsk(Model):
    """Of an edition, or of a scorecard as it stands, for a scope. until: the last day it can be read. frames: the sites
    that may show it within theirs; none means no site may. workings: with the account of every reading. takes: the forms it
    can be taken out in. readers: each is given an address of their own, so that one can be taken back."""

    name: Name
    edition: Key | None = None
    scorecard: Key | None = None
    scope: ScopeBody | None = None
    until: dt.date
    password: str | None = Field(None, min_length=8, max_length=200)
    frames: list[Annotated[str, AfterValidator(_site)]] = Field(default=[], max_length=20)
    workings: bool = False
    takes: list[Taken] = Field(default=[], max_length=7)
    readers: list[Name] = Field(default=[], max_length=200)


class LinkOut(BaseModel):
    """readings: how often it was read. reader: for whom alone it is, "" for whoever has it."""

    id: str
    name: str
    reader: str
    edition: str | None
    scorecard: str | None
    until: dt.date
    has_password: bool
    frames: list[str]
    workings: bool
    takes: list[Taken]
    readings: int
    made_at: str
    made_by: str
    over: bool


class NewLink(LinkOut):
    """path: its address on this server, told this once."""

    path: str


def _out(row: Link) -> LinkOut:
    return LinkOut(
        id=row.id, name=row.name, reader=row.reader, takes=row.takes or [], edition=row.edition, scorecard=row.scorecard, until=row.until,
        has_password=bool(row.password), frames=row.frames, workings=row.workings, readings=row.readings,
        made_at=row.made_at.isoformat() + "Z", made_by=row.made_by, over=row.until < clock.last_day_under_way(),
    )  # fmt: skip


@router.get("")
def list_links(
    edition: Key | None = None, scorecard: Key | None = None, who: Reader = Depends(reader)
) -> list[LinkOut]:
    """Those that were not taken back; how each is reached is kept nowhere."""
    with who.read() as session:
        return [_out(row) for row in links.list_all(session, edition, scorecard)]


@router.post("", status_code=201)
def make_link(ask: LinkAsk, who: Reader = Depends(reader)) -> NewLink:
    """One address for whoever has it."""
    return _made(ask, who, [""])[0]


@router.post("/each", status_code=201)
def make_links(ask: LinkAsk, who: Reader = Depends(reader)) -> list[NewLink]:
    """An address for each reader."""
    if not ask.readers:
        raise Refused(422, "no-readers", "For whom?", "Name those who shall read it, one a line.", {"field": "readers"})
    return _made(ask, who, list(dict.fromkeys(ask.readers)))


def _made(ask: LinkAsk, who: Reader, readers: list[str]) -> list[NewLink]:
    if (ask.edition is None) == (ask.scorecard is None):
        raise Refused(422, "which-page", "To what?", "Name an edition, or a scorecard.", {"field": "edition"})
    if ask.until < clock.last_day_under_way():
        raise Refused(422, "over", "The day is over", "Choose a day from today on.", {"field": "until"})
    with who.write() as session:
        if ask.edition:
            editions.get(session, ask.edition)
        else:
            records.get(session, "scorecard", ask.scorecard or "")
        scope = ask.scope.model_dump() if ask.scope else None
        found = []
        for one in readers:
            row, token = links.make(
                session, name=ask.name, edition=ask.edition, scorecard=ask.scorecard, scope=scope, until=ask.until,
                password=ask.password, frames=ask.frames, workings=ask.workings, takes=list(dict.fromkeys(ask.takes)),
                reader=one,
            )  # fmt: skip
            found.append(NewLink(**_out(row).model_dump(), path=f"/shared/{token}"))
        return found


@router.delete("/{key}", status_code=204)
def end_link(key: str, who: Reader = Depends(reader)) -> None:
    """Take it back: whoever has it sees nothing any more."""
    with who.write() as session:
        links.end(session, key)


# What it opens

Token = Annotated[str, Path(max_length=MOST_TOKEN)]
_PLAIN = "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors {frames}"
_STYLE = (
    "body{font:16px/1.5 system-ui,sans-serif;background:#f3f1ec;color:#1e282e;margin:0;display:grid;place-items:center;"
    "min-height:100vh}main{max-width:30rem;padding:2rem}h1{font-size:1.4rem}input,button{font:inherit;padding:.4rem .7rem}"
    "button{background:#5a3d8a;color:#fff;border:0;border-radius:4px}input{border:1px solid #b5b3ab;border-radius:4px}"
)


def _plainly(status: int, title: str, text: str, form: str = "", frames: list[str] | None = None) -> HTMLResponse:
    page = (
        f'<!doctype html><html lang="en-GB"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{title}</title><style>{_STYLE}</style></head><body><main><h1>{title}</h1><p>{text}</p>{form}</main></body></html>"
    )
    around = " ".join(frames or []) or "'none'"
    return HTMLResponse(page, status, headers=_heads(_PLAIN.format(frames=around)))


def _heads(security: str) -> dict[str, str]:
    return {
        "Content-Security-Policy": security, "Cache-Control": "no-store", "Referrer-Policy": "no-referrer",
        "X-Robots-Tag": "noindex",
    }  # fmt: skip


def _nothing() -> HTMLResponse:
    """The same for a link that never was, one that has ended, and one that was taken back."""
    return _plainly(
        404, "There is nothing here", "The link is wrong, has ended, or was taken back. Ask whoever sent it to you."
    )


def _form(row: Link, status: int, text: str) -> HTMLResponse:
    form = (
        '<form method="post"><input hidden autocomplete="username" value="reader"><label>Password <input type="password" name="password" autofocus maxlength="200" '
        'autocomplete="current-password"></label> <button>Open</button></form>'
    )
    return _plainly(status, escape(row.name), text, form, row.frames)


@public.get("/{token}")
async def open_link(
    token: Token, request: Request, again: str = Query("", max_length=10), take: str = Query("", max_length=10)
) -> Response:
    """take: the form it is taken out in, where it allows that."""
    who = Reader(request.app.state.sources)
    row = await run_in_threadpool(_row, who, token)
    if row is None or (take and take not in (row.takes or [])):
        return _nothing()
    if row.password:
        return _form(row, 200, "This page asks for a password.")
    return await _shown(who, row, request, take, counts=not again)


def _row(who: Reader, token: str) -> Link | None:
    with who.read() as session:
        return links.found(session, token, clock.last_day_under_way())


async def _shown(who: Reader, row: Link, request: Request, take: str, *, counts: bool) -> Response:
    """The page, or what is taken of it."""
    if not take:
        return await run_in_threadpool(lambda: _page(who, row, counts=counts))
    kind: Kind = take  # type: ignore[assignment]
    try:
        return await taken(who, request, lambda: _leaf(who, row), kind, Options())
    except Missing:
        return _nothing()
    except LiveProblem:
        return _plainly(503, escape(row.name), "The page cannot be read just now. Try again in a minute.")
    except Refused as error:
        return _plainly(error.problem.status, escape(error.problem.title), escape(error.problem.detail))


@public.post("/{token}")
async def try_password(
    token: Token, request: Request, password: Annotated[str, Form(max_length=200)] = "",
    take: str = Query("", max_length=10),
) -> Response:  # fmt: skip
    who = Reader(request.app.state.sources)
    row = await run_in_threadpool(_row, who, token)
    if row is None or (take and take not in (row.takes or [])):
        return _nothing()
    refused = await run_in_threadpool(_tried, who, row, request.client.host if request.client else "", password)
    return refused or await _shown(who, row, request, take, counts=True)


def _tried(who: Reader, row: Link, where: str, password: str) -> Response | None:
    """What is answered to a wrong password, and to one that is tried too often from the same address."""
    with who.write() as session:
        later = links.may_try(session, row.id, where)
    if later:
        answer = _form(row, 429, f"That was tried too often. Wait {later} seconds and try again.")
        answer.headers["Retry-After"] = str(later)
        return answer
    if not links.is_password(row, password):
        return _form(row, 403, "That is not the password.")
    with who.write() as session:
        links.was_right(session, row.id, where)
    return None


def _page(who: Reader, row: Link, *, counts: bool) -> Response:
    try:
        leaf = _leaf(who, row)
    except Missing:
        return _nothing()
    except LiveProblem:
        return _plainly(503, escape(row.name), "The page cannot be read just now. Try again in a minute.")
    with who.write() as session:
        if counts:
            links.count(session, row.id)
        pictures = pictures_of(session, leaf.frozen)
    again_s = LIVE_S if row.scorecard and not row.password else 0
    return Response(
        as_html(leaf, pictures, served=True, again_s=again_s, takes=row.takes or ()), media_type="text/html; charset=utf-8",
        headers=_heads(policy(tuple(row.frames))),
    )  # fmt: skip


def _leaf(who: Reader, row: Link) -> ExportPage:
    if row.edition:
        with who.read() as session:
            edition = editions.get(session, row.edition)
            frozen = Frozen.from_bytes(editions.frozen_bytes(session, row.edition))
            leaf = ExportPage(frozen, about_of(edition, frozen))
    else:

        def read(context: ReadingContext) -> Frozen:
            body = context.scorecard(row.scorecard or "")
            scope = ScopeBody.model_validate(row.scope) if row.scope else body.scope
            return freeze(context, body, scope, explained=row.workings, whole=row.workings)

        leaf = ExportPage(who.look(read, WHOLE_S))
    return leaf if row.workings else ExportPage(replace(leaf.frozen, workings={}), leaf.about)
