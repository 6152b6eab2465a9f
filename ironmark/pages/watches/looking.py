"""A watch is looked at: answered for each receiver, and what is news is kept and put on its way in one transaction."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.sending_times import sent_at
from ironmark.core.told_once import Event, Memory, News, news_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.watch import Told, WatchBody
from ironmark.pages.watches.answering import answer, changes_words, told
from ironmark.pages.watches.histories import FORESEEN, Answer
from ironmark.pages.watches.receivers import Receiver, receivers_of, times_of
from ironmark.pages.watches.shown import Shown, shown_with
from ironmark.pages.watches.way_out import OFF
from ironmark.store import calendar, change_log, exports, eyes, keys, outbox, watches
from ironmark.store.watch_models import Message, Watch
from ironmark.tables.live_waiting import patiently

LIVE = dt.timedelta(seconds=60)  # how often what rests on a live source is looked at: it has no versions
BY_CLOCK = dt.timedelta(minutes=15)  # how often what depends on the time is
AGAIN = dt.timedelta(minutes=5)  # after what could not be read
WAIT_S = 30.0
_OF_THE_CLOCK = frozenset({"late", "unmarked", "outlook"})


@dataclass
class _Look:
    """What one look has found. news: by receiver, with what is told of it. request: the id of the one that made the newest change."""

    version: int
    stamp: str
    body: WatchBody
    name: str
    found: list[tuple[Receiver, News, list[Told], list[Shown]]] = field(default_factory=list)
    unread: list[str] = field(default_factory=list)
    request: str = ""
    live: bool = False


def stamp_of(session: Session) -> str:
    return json.dumps(change_log.stamp(session))


def due(session: Session, moment: dt.datetime) -> list[str]:
    return watches.due(session, stamp_of(session), moment)


def carry_out(sources: Sources, key: str, insist: Callable[[Session], None]) -> None:
    """Look at a watch. insist: raises where another process does this by now. Raises Missing."""

    def attempt() -> _Look:
        with sources.reading_behind() as session:
            session.info["calendar"] = calendar.get(session)
            return _look(sources, session, key)

    look = patiently(attempt, WAIT_S)
    with sources.changes() as session:
        row = watches.get(session, key, locked=True)
        if row.version != look.version:
            return  # it asks something else by now, and is due again
        moment = clock.now()
        for receiver, news, items, shown in look.found:
            watches.remember(session, key, receiver.whose, news.memory, receiver.sees)
            if items:
                _put_out(session, key, look, receiver, items, shown, moment)
        row.stamp, row.said = look.stamp, " ".join(dict.fromkeys(look.unread))[:2000]
        row.look_at = _again_at(look, moment)
        insist(session)


def note_failure(session: Session, key: str, said: str) -> None:
    """A watch could not be answered; it is looked at again in a while, and as soon as something changes."""
    row = watches.get(session, key, locked=True)
    row.said, row.stamp, row.look_at = said[:2000], stamp_of(session), clock.now() + AGAIN


def _again_at(look: _Look, moment: dt.datetime) -> dt.datetime | None:
    times = [news.again_at for _, news, _, _ in look.found if news.again_at is not None]
    if look.live:
        times.append(moment + LIVE)
    if look.body.asks in _OF_THE_CLOCK:
        times.append(moment + BY_CLOCK)
    if look.unread:
        times.append(moment + AGAIN)
    return min(times, default=None)


def _look(sources: Sources, session: Session, key: str) -> _Look:
    row = watches.get(session, key)
    body = WatchBody.model_validate(row.body)
    look = _Look(row.version, stamp_of(session), body, row.name, request=change_log.newest_request(session))
    if body.paused:
        return look
    answers: dict[object, tuple[ReadingContext, Answer] | str] = {}
    for receiver in receivers_of(session, sources, row, body):
        eyes.lend(session, receiver.sees)
        held = answers.get(receiver.sees.key)
        if held is None:
            held = answers[receiver.sees.key] = _answer(sources, session, body)
        if isinstance(held, str):
            look.unread.append(held)
            continue
        context, found = held
        look.live = look.live or not context.is_cacheable
        memory = watches.memory(session, key, receiver.whose, receiver.sees)
        news = _news(memory, found, body)
        items = [
            *told(context, body, found, news.news, ""),
            *told(context, body, found, news.restated, "restated"),
            *told(context, body, found, news.taken_back, "taken back"),
        ]
        goes_out = receiver.way is not None and body.when == "at once" and receiver.way[0] == "mail"
        shown = _shown(context, body, found, news.news) if items and goes_out else []
        look.found.append((receiver, news, items, shown))
    eyes.lend(session, eyes.ALL)
    if look.found:
        look.unread = []  # it is not opened to some of those who are told, and is no failure
    return look


def _shown(context: ReadingContext, body: WatchBody, found: Answer, events: Sequence[Event]) -> list[Shown]:
    """What is drawn for a message; what cannot be is told without."""
    try:
        return shown_with(context, body, found, events)
    except (ValueError, *FORESEEN):
        return []


def _answer(sources: Sources, session: Session, body: WatchBody) -> tuple[ReadingContext, Answer] | str:
    """What is found with the eyes that are lent, or why it cannot be read."""
    context = ReadingContext(sources, session)
    try:
        return context, answer(context, body)
    except Refused as error:
        return error.problem.detail
    except FORESEEN as error:
        return str(error)


def _news(memory: Memory, found: Answer, body: WatchBody) -> News:
    lasts = dt.timedelta(minutes=body.minutes)
    return news_of(memory, found.events, found.series, found.newest, found.oldest, clock.now(), lasts)


def _put_out(
    session: Session,
    key: str,
    look: _Look,
    receiver: Receiver,
    items: list[Told],
    shown: list[Shown],
    moment: dt.datetime,
) -> None:
    """Tell one receiver: of each edition by itself, of all else together."""
    files: list[dict[str, Any]] = []
    for one in shown:
        try:
            made = exports.ask(session, one.kind, one.source, one.about, one.options, one.name)
        except exports.TooMany:
            break  # it is told without
        files.append({"export": made, "kind": one.kind, "within": True})
    parts = [[one] for one in items] if look.body.asks == "edition" else [items]
    for part in parts:
        about = part[0].about if len(part) == 1 else ""
        along = files
        if about.startswith("edition:") and not part[0].gone and look.body.when == "at once":
            along = [{"edition": about.removeprefix("edition:"), "kind": form} for form in look.body.forms]
        body: dict[str, Any] = {
            "watch": look.name,
            "items": [as_json(one) for one in part],
            "files": along,
            "request": look.request,
        }
        message = outbox.add(
            session, key, receiver.whose, receiver.account, changes_words(part), body, moment, about
        )  # fmt: skip
        if receiver.way is not None:
            channel, to = receiver.way
            keys.get(session, OFF)  # made, if it is not yet, before mail rests on it
            digest = "" if look.body.when == "at once" else look.body.when
            outbox.put_out(session, [message], channel, to, sent_at(moment, times_of(look.body, receiver)), digest)


def trial_items(context: ReadingContext, body: WatchBody) -> list[Told]:
    """What a watch would have told last."""
    found = answer(context, body)
    newest = sorted(found.events, key=lambda one: one.ends)[-1:]
    if newest:
        return told(context, body, found, newest, "")
    return [Told("", "", body.name, "Nothing so far; this is how it would be told")]


def put_out_trial(
    sources: Sources, session: Session, row: Watch, body: WatchBody, items: list[Told]
) -> list[Message]:  # fmt: skip
    """Put something out to all who are told, at once and said to be a trial. It is what the one who tries it sees."""
    said = {"watch": f"{row.name} (a trial)", "items": [as_json(one) for one in items], "files": []}
    moment, made = clock.now(), []
    for receiver in receivers_of(session, sources, row, body):
        title = f"A trial: {changes_words(items)}"
        message = outbox.add(session, row.id, receiver.whose, receiver.account, title, said, moment)
        made.append(message)
        if receiver.way is not None:
            keys.get(session, OFF)
            outbox.put_out(session, [message], *receiver.way, moment)
    return made


def as_json(one: Told) -> Mapping[str, Any]:
    return asdict(one)
