"""Watches: made, changed, tried over what was, and what each has sent."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter, Depends, Header, Query, Request, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api.access import AT_HOME, Reader, reader
from ironmark.api.answers.way_out import SentOut, WayOut, sent_out, sent_together, way_out
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.watch import WatchBody
from ironmark.pages.watches.answering import answer
from ironmark.pages.watches.choices import WatchChoices, choices_for
from ironmark.pages.watches.looking import put_out_trial, trial_items
from ironmark.pages.watches.receivers import check_receivers
from ironmark.pages.watches.trying import TriedWatch, try_watch
from ironmark.store import accounts, hooks, outbox, trail, watches
from ironmark.store.database import Missing
from ironmark.store.watch_models import Watch

router = APIRouter(prefix="/api/watches", tags=["watches"])
deliveries_router = APIRouter(prefix="/api/deliveries", tags=["watches"])
A_YEAR = dt.timedelta(days=365)


class WatchOut(BaseModel):
    """whose: the name of whoever made it. said: why it cannot be answered. sent: how many times it told something within a year;
    last: when it did; unsent: what could not be sent so far, in words."""

    id: str
    version: int
    body: WatchBody
    whose: str
    mine: bool
    said: str
    sent: int
    last: str | None
    unsent: str


def _whose(who: Reader) -> str | None:
    return None if who.person is AT_HOME else who.person.id


def _is_mine(who: Reader, row: Watch) -> bool:
    return row.account == _whose(who)


def _seen(who: Reader, session: Session, key: str) -> Watch:
    """One's own; an owner's are all. Raises Missing."""
    row = watches.get(session, key)
    if not _is_mine(who, row) and "own" not in who.verbs:
        raise Missing("watch", key)
    return row


def _out(session: Session, who: Reader, row: Watch, names: dict[str, str] | None = None) -> WatchOut:
    """names: of all accounts, where several are answered at once."""
    names = accounts.names(session) if names is None else names
    sent, last = outbox.times_told(session, row.id, clock.now() - A_YEAR)
    return WatchOut(
        id=row.id, version=row.version, body=WatchBody.model_validate(row.body), whose=names.get(row.account or "", "") or who.name_in(session),
        mine=_is_mine(who, row), said=row.said, sent=sent, last=moment(last), unsent=_unsent(session, row.id),
    )  # fmt: skip


def _unsent(session: Session, watch: str) -> str:
    for one in outbox.unsent(session, watch, 1):
        then = "given up" if one.state == outbox.FAILED else f"tried again at {one.due_at:%H:%M} UTC"
        return f"{one.said.rstrip('.')}; {then}"
    return ""


@router.get("")
def list_watches(who: Reader = Depends(reader)) -> list[WatchOut]:
    with who.read() as session:
        names = accounts.names(session)
        rows = watches.list_all(session)
        return [_out(session, who, row, names) for row in rows if _is_mine(who, row) or "own" in who.verbs]


@router.get("/choices")
def watch_choices(
    kpi: str | None = Query(None, max_length=80), scorecard: str | None = Query(None, max_length=80),
    who: Reader = Depends(reader),
) -> WatchChoices:  # fmt: skip
    """What can be asked about a KPI or a scorecard, and who can be told."""
    return who.look(lambda context: choices_for(context, who.person, kpi, scorecard))


@router.post("/try")
def try_out_watch(body: WatchBody, who: Reader = Depends(reader)) -> TriedWatch:
    """What it would have sent, and with other settings; nothing is kept."""
    return who.look(lambda context: try_watch(context, body))


@router.post("", status_code=201)
def make_watch(body: WatchBody, request: Request, who: Reader = Depends(reader)) -> WatchOut:
    _check(who, body)
    with who.write() as session:
        check_receivers(session, body, who.person)
        row = watches.create(session, _whose(who), body.name, body.model_dump())
        trail.note(session, "made", "watch", row.id, row.name)
        out = _out(session, who, row)
    request.app.state.worker.wake()
    return out


def _check(who: Reader, body: WatchBody) -> None:
    """Refuse what cannot be answered with the eyes of whoever makes it."""
    if body.paused:
        return
    who.look(lambda context: answer(context, body))


@router.get("/{key}")
def get_watch(key: str, response: Response, who: Reader = Depends(reader)) -> WatchOut:
    with who.read() as session:
        out = _out(session, who, _seen(who, session, key))
    response.headers["ETag"] = f'"{out.version}"'
    return out


@router.put("/{key}")
def change_watch(
    key: str, body: WatchBody, request: Request, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> WatchOut:
    """Another question, or one that was paused, begins anew: what is there already is no news then."""
    saw = seen_version(if_match)
    with who.read() as session:
        row = _seen(who, session, key)
        before = WatchBody.model_validate(row.body)
    if before.question != body.question:
        _check(who, body)
    with who.write() as session:
        row = _seen(who, session, key)
        check_receivers(session, body, who.person)
        forget = before.question != body.question or (before.paused and not body.paused)
        row = watches.save(session, key, saw, body.name, body.model_dump(), forget=forget)
        trail.note(session, "changed", "watch", row.id, row.name)
        out = _out(session, who, row)
    request.app.state.worker.wake()
    return out


@router.delete("/{key}", status_code=204)
def delete_watch(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    saw = seen_version(if_match)
    with who.write() as session:
        row = _seen(who, session, key)
        watches.remove(session, key, saw)
        trail.note(session, "deleted", "watch", key, row.name)


@router.get("/{key}/sent")
def sent_by(key: str, who: Reader = Depends(reader)) -> list[SentOut]:
    """What it has told, the newest first, and how that went."""
    with who.read() as session:
        _seen(who, session, key)
        mine = {outbox.HERE, f"person:{who.person.id}"}
        told = outbox.told_by(session, key)
        # Those to others tell of rows that are theirs.
        own = [one for one in told if who.sees.read_all_rows or one.account is None or one.whose in mine]
        return sent_together(session, own)


@router.post("/{key}/trial", status_code=201)
def send_trial(key: str, request: Request, who: Reader = Depends(reader)) -> SentOut:
    """Send what it last told, or would have, to all who are told; said to be a trial."""
    with who.read() as session:
        body = WatchBody.model_validate(_seen(who, session, key).body)
    items = who.look(lambda context: trial_items(context, body))
    with who.write() as session:
        row = _seen(who, session, key)
        messages = put_out_trial(who.sources, session, row, body, items)
        ways = outbox.deliveries_with(session, messages)
        if not messages:
            raise Refused(409, "nobody", "Nobody is told", "Choose somebody to tell first.", {"field": "tell"})
        out = sent_out(messages, ways, hooks.names(session))
    request.app.state.worker.wake()
    return out


@deliveries_router.post("/{key}/again")
def send_again(key: str, request: Request, who: Reader = Depends(reader)) -> WayOut:
    """Try what could not be sent once more, at once and under the same id."""
    with who.write() as session:
        row = outbox.get(session, key)
        if row.watch is None and "own" not in who.verbs:
            raise Missing("message", key)
        if row.watch is not None:
            _seen(who, session, row.watch)
        out = way_out(outbox.again(session, key), hooks.names(session))
    request.app.state.worker.wake()
    return out
