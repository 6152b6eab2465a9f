"""What one is told: an inbox, and a way out of the mail of a watch."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Depends, Path, Query
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from ironmark.api.access import AT_HOME, Reader, reader
from ironmark.api.timestamps import moment
from ironmark.pages.model.watch import Told
from ironmark.pages.watches.way_out import leave, read_token
from ironmark.store import outbox, watches
from ironmark.store.database import Missing

router = APIRouter(prefix="/api/inbox", tags=["watches"])
way_out_router = APIRouter(prefix="/api/unfollow", tags=["watches"])
Token = Annotated[str, Path(max_length=1000)]


class MessageOut(BaseModel):
    """watch: which told it, none where that is gone; name: what it was called then."""

    id: str
    watch: str | None
    name: str
    title: str
    at: str
    read: bool
    items: list[Told]


class Inbox(BaseModel):
    unread: int
    messages: list[MessageOut]


def _whose(who: Reader) -> list[str]:
    """Whose messages somebody reads. What was told where nobody signed in is the owners', now that somebody does."""
    if who.person is AT_HOME:
        return [outbox.HERE]
    return [f"person:{who.person.id}", *([outbox.HERE] if "own" in who.verbs else [])]


@router.get("")
def read_inbox(most: int = Query(50, ge=1, le=200), who: Reader = Depends(reader)) -> Inbox:
    """The newest first."""
    with who.read() as session:
        whose = _whose(who)
        found = [
            MessageOut(
                id=one.id, watch=one.watch, name=one.body.get("watch", ""), title=one.title, at=moment(one.at) or "",
                read=one.read_at is not None, items=one.body["items"],
            )
            for one in outbox.inbox(session, whose, most)
        ]  # fmt: skip
        return Inbox(unread=outbox.unread(session, whose), messages=found)


@router.post("/read", status_code=204)
def read_all(who: Reader = Depends(reader)) -> None:
    with who.write() as session:
        outbox.mark_read(session, _whose(who), None)


@router.post("/{key}/read", status_code=204)
def read_one(key: str, read: bool = True, who: Reader = Depends(reader)) -> None:
    """read: false makes it unread again."""
    with who.write() as session:
        outbox.mark_read(session, _whose(who), key, read=read)


@way_out_router.get("/{token}", response_class=HTMLResponse)
def ask_to_leave(token: Token, who: Reader = Depends(reader)) -> HTMLResponse:
    """What a link in a mail leads to: one press, so that a program that follows links ends nothing."""
    with who.sources.readings() as session:
        key, _ = read_token(session, token)
        name = watches.get(session, key).name
    return _page(f"Mail of the watch “{escape(name)}”", "No more of this", "You are told no more by it.")


@way_out_router.post("/{token}", response_class=HTMLResponse)
def leave_watch(token: Token, back: bool = Query(False), who: Reader = Depends(reader)) -> HTMLResponse:
    """End it, or have it again. Mail programs press it by themselves when somebody asks them to (RFC 8058)."""
    try:
        with who.sources.changes() as session:
            name = leave(session, token, back=back)
    except Missing:
        return _page("This watch is gone", "", "Nothing more comes of it.")
    if back:
        return _page(f"You are told again by “{escape(name)}”", "No more of this", "")
    return _page(f"You are told no more by “{escape(name)}”", "Tell me again", "", back=True)


def _page(title: str, press: str, said: str, back: bool = False) -> HTMLResponse:
    button = (
        f'<form method="post" action="?{"back=true" if back else ""}"><button>{press}</button></form>' if press else ""
    )
    style = (
        "body{font:16px/1.5 Archivo,Helvetica,Arial,sans-serif;background:#f2f0eb;color:#1e282e;display:grid;place-items:center;height:90vh}"
        "main{background:#fcfbf8;border:1px solid #d9d5cc;padding:24px 32px;border-radius:4px;max-width:420px}h1{font-size:20px;margin:0 0 8px}"
        "button{font:inherit;font-weight:600;background:#5b3a8c;color:#fff;border:0;padding:8px 16px;border-radius:4px}"
    )
    body = f"<main><h1>{title}</h1><p>{said if not press else ''}</p>{button}</main>"
    head = f'<meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{title}</title><style>{style}</style>'
    return HTMLResponse(f'<!doctype html><html lang="en"><head>{head}</head><body>{body}</body></html>')
