"""The demo's watches, and what they told within a year: worked out from the demo's rows, as they would have been told then."""

from __future__ import annotations

import datetime as dt
from typing import Any

from ironmark import clock
from ironmark.core.told_once import Event, Memory, news_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.watch import WatchBody
from ironmark.pages.watches.answering import answer, changes_words, told
from ironmark.pages.watches.looking import as_json
from ironmark.store import eyes, outbox, watches
from ironmark.store.watch_models import Delivery

OPERATIONS = "operations@hollin.example"
WATCHES: dict[str, dict[str, Any]] = {
    "routes-that-slip": {
        "name": "Routes that slip", "kpi": "on-time", "by": "route", "asks": "falls", "state": "short", "back": 0.01,
        "mails": [OPERATIONS], "quiet_from": "22:00", "quiet_to": "06:00",
    },
    "booked-online-stands-out": {"name": "Booked online stands out", "kpi": "booked-online", "asks": "signal"},
    "fuel-past-its-limit": {
        "name": "Fuel past its limit", "kpi": "fuel-per-mile", "by": "vessel", "asks": "above", "mark": "limit",
    },
    "network-edition-is-out": {
        "name": "The network edition is out", "scorecard": "network-performance", "asks": "edition", "mails": [OPERATIONS],
        "forms": ["pdf"],
    },
}  # fmt: skip
TOLD_AFTER = dt.timedelta(days=2, hours=7, minutes=2)
A_YEAR = dt.timedelta(days=365)


def watch(sources: Sources) -> None:
    """Make them, each with a year of what it told; what was told is not told again."""
    for key, slots in WATCHES.items():
        body = WatchBody.model_validate(slots)
        with sources.readings() as session:
            context = ReadingContext(sources, session)
            found = answer(context, body)
            since = (clock.now() - A_YEAR).date().isoformat()
            events = sorted((one for one in found.events if one.ends >= since), key=lambda one: (one.ends, one.series))
            by: dict[str, list[Event]] = {}
            for event in events:
                by.setdefault(event.ends, []).append(event)
            items = {ends: told(context, body, found, some, "") for ends, some in by.items()}
            memory = news_of(Memory(), found.events, found.series, found.newest, found.oldest, clock.now()).memory
        with sources.changes() as session:
            watches.create(session, None, body.name, body.model_dump(), key=key)
            watches.remember(session, key, outbox.HERE, memory, eyes.ALL)
            for mail in body.mails:
                watches.remember(session, key, f"mail:{mail}", memory, eyes.ALL)
            for ends, some in items.items():
                at = dt.datetime.combine(dt.date.fromisoformat(ends), dt.time()) + TOLD_AFTER
                said = {"watch": body.name, "items": [as_json(one) for one in some], "files": []}
                about = some[0].about if len(some) == 1 else ""
                message = outbox.add(session, key, outbox.HERE, None, changes_words(some), said, at, about)
                message.read_at = at + dt.timedelta(hours=2)
                for mail in body.mails:
                    copy = outbox.add(session, key, f"mail:{mail}", None, changes_words(some), said, at, about)
                    session.add(_sent(copy.id, key, mail, at))


def _sent(message: str, key: str, mail: str, at: dt.datetime) -> Delivery:
    """On its way once, and there."""
    return Delivery(
        id=outbox.new_id(), messages=[message], watch=key, channel="mail", to=mail, digest="", state=outbox.SENT, tries=1, said="",
        made_at=at, due_at=at, sent_at=at + dt.timedelta(seconds=1), bundle=None,
    )  # fmt: skip
