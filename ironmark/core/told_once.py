"""What of some events is news, each told once, whatever is read anew how often."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

NO_LONGER_AFTER = dt.timedelta(days=1)  # what was told has to be otherwise for so long before that is told
NEVER = "9999"
How = Literal["quiet", "told", "taken back"]


@dataclass(frozen=True, order=True)
class Event:
    """Something that a history says. series: whose; ends: the last day of its period, as 2026-10-31; what: which of the things
    that can be said of a period."""

    series: str
    ends: str
    what: str


@dataclass(frozen=True)
class Memory:
    """What was seen and told. series: those that were looked at; events: each with what was done about it; since: when an event
    that has to last was first seen, or one that was told was first missed."""

    series: frozenset[str] = frozenset()
    events: Mapping[Event, How] = field(default_factory=dict)
    since: Mapping[Event, dt.datetime] = field(default_factory=dict)
    is_new: bool = True


@dataclass(frozen=True)
class News:
    """news: events to be told; restated: those of periods that were over when the last one began, which rows that were changed
    since brought about; taken_back: what was told and is no longer so. again_at: when to look again though nothing changes."""

    news: Sequence[Event]
    restated: Sequence[Event]
    taken_back: Sequence[Event]
    memory: Memory
    again_at: dt.datetime | None


def news_of(
    memory: Memory,
    events: Collection[Event],
    series: Collection[str],
    newest: Mapping[str, str],
    oldest: Mapping[str, str],
    now: dt.datetime,
    lasts: dt.timedelta = dt.timedelta(0),
) -> News:
    """What of some events was not told yet.

    series: all that were looked at, with or without events. newest: the last day of the newest period that is over, by series;
    what is said of an earlier one is a restatement. oldest: that of the oldest that was looked at; of series without one nothing is
    taken back, nor of periods before it. lasts: how long an event has to be there before it is told. What a history
    says when it is looked at for the first time is no news.
    """
    done, since = dict(memory.events), dict[Event, dt.datetime]()
    news, restated, taken_back, later = list[Event](), list[Event](), list[Event](), list[dt.datetime]()
    for event in sorted(events):
        if event in done:
            continue
        old = event.ends < newest.get(event.series, "")
        if memory.is_new or (event.series not in memory.series and old):
            done[event] = "quiet"
            continue
        first = memory.since.get(event, now)
        if now - first < lasts:
            since[event] = first
            later.append(first + lasts)
            continue
        (restated if old else news).append(event)
        done[event] = "told"
    there = set(events)
    for event, how in memory.events.items():
        if how != "told" or event in there or event.ends < oldest.get(event.series, NEVER):
            continue
        first = memory.since.get(event, now)
        if now - first < NO_LONGER_AFTER:
            since[event] = first
            later.append(first + NO_LONGER_AFTER)
            continue
        taken_back.append(event)
        done[event] = "taken back"
    kept = Memory(memory.series | frozenset(series), done, since, is_new=False)
    return News(news, restated, taken_back, kept, min(later, default=None))
