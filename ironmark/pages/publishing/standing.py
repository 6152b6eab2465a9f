"""Editions by the calendar: when each is due and of what, made only once the data is complete, and once."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Callable, Collection, Sequence
from typing import Literal

from pydantic import Field, field_validator
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.periods import Grain, Period
from ironmark.core.words import days_words
from ironmark.core.workdays import later_day, nth_day
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.refreshing import PAUSES, ClockBody
from ironmark.pages.model.field_types import Key, Member, Model, Zone
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import BookBody
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.store import calendar, editions, records, standing
from ironmark.store.models import Edition, Standing
from ironmark.tables.live_waiting import patiently

BY_CALENDAR = "by the calendar"
AGAIN = dt.timedelta(hours=1)  # after which data that was not complete is looked at again
WAIT_S = 60.0


class StandingBody(Model):
    """every: the period that each edition is of. nth: on which day after it is over it is made, −1 for the last one of the
    next; of working days, without the holidays of a list, or of all. complete: only once the data is complete through the
    period. missed: of times that went by, whether every one is caught up in order or the newest alone. publish: at once, or
    left as a draft."""

    scorecard: Key
    every: Grain = "month"
    nth: int = Field(3, ge=-1, le=31)
    days: Literal["working", "all"] = "working"
    at: str = ClockBody.model_fields["at"].default
    zone: Zone = "UTC"
    holidays: Key | None = None
    complete: bool = True
    missed: Literal["every", "newest"] = "every"
    publish: bool = False
    members: dict[str, list[Member]] = Field(default={}, max_length=50)
    note: str = Field("", max_length=20_000)
    more: list[Key] = Field(default=[], max_length=30)
    book: str = Field("", max_length=120)

    @field_validator("nth")
    @classmethod
    def some_day(cls, nth: int) -> int:
        if nth == 0:
            raise ValueError("days are counted from 1; −1 is the last one")
        return nth

    @field_validator("at")
    @classmethod
    def known_time(cls, at: str) -> str:
        return ClockBody(at=at).at


def due_for(body: StandingBody, period: Period, holidays: Collection[dt.date]) -> dt.datetime:
    """When the edition of a period is due, UTC without a zone."""
    after = period.shift(1)
    working = body.days == "working"
    if body.every == "day":  # the period after has but one day to count
        day = later_day(after.start, max(1, body.nth), working=working, holidays=holidays)
    else:
        day = nth_day(after.start, after.end, body.nth, working=working, holidays=holidays)
    hour, minute = map(int, body.at.split(":"))
    local = dt.datetime.combine(day, dt.time(hour, minute), zoneinfo.ZoneInfo(body.zone))
    return local.astimezone(dt.UTC).replace(tzinfo=None)


def next_due(
    body: StandingBody, moment: dt.datetime, holidays: Collection[dt.date], year_start: int
) -> tuple[dt.datetime, Period]:
    """The first time after a moment, and the period its edition is of."""
    period = Period.of(moment.date(), body.every, year_start).shift(-2)
    while (due := due_for(body, period, holidays)) <= moment:
        period = period.shift(1)
    return due, period


def newest_due(body: StandingBody, moment: dt.datetime, holidays: Collection[dt.date], first: Period) -> Period:
    """The last period, from ``first`` on, whose time has come."""
    period = first
    while due_for(body, period.shift(1), holidays) <= moment:
        period = period.shift(1)
    return period


def carry_out(sources: Sources, key: str, insist: Callable[[Session], None], *, anyway: bool = False) -> None:
    """Make the edition of a standing order that is due, the oldest one first, unless the data is not complete. insist:
    raises where another process does this by now; anyway: whether the data is complete or not. Raises what reading raises."""
    moment = clock.now()
    with sources.readings() as session:
        row = standing.get(session, key)
        body, saw = StandingBody.model_validate(row.body), (row.version, row.standing_for)
        year_start = calendar.year_start_of(calendar.get(session))
        holidays = standing.holidays(session, body.holidays)
        period = Period.parse(row.standing_for, year_start)
        if body.missed == "newest":
            period = newest_due(body, moment, holidays, period)
        there = editions.made_for(session, key, period.key)
    cards = [] if there else list(dict.fromkeys([body.scorecard, *body.more]))
    pages = [(card, *_read(sources, body, card, period)) for card in cards]
    late = _late([(frozen, dated) for _, frozen, dated in pages], period) if body.complete and not anyway else ""
    with sources.changes() as session:
        row = standing.locked(session, key)
        if (row.version, row.standing_for) != saw:
            return  # it was changed or went on meanwhile, and its time with it
        if late:
            row.state, row.said, row.due_at, row.standing_for = "held", late, moment + AGAIN, period.key
        else:
            made = [_made(session, row, body, card, frozen, period, n) for n, (card, frozen, _) in enumerate(pages)]
            if made:
                row.made = made[0].id
            if len(made) > 1:
                kept = BookBody(title=body.book or made[0].title, note=body.note, editions=[one.id for one in made])
                records.create(session, "book", kept.model_dump(), name=kept.title)
            go_on(row, body, period, holidays)
        insist(session)


def go_on(row: Standing, body: StandingBody, period: Period, holidays: Collection[dt.date]) -> None:
    """Have the edition of the period after one be the next, which may be due by now."""
    following = period.shift(1)
    row.state, row.said, row.tries = "waiting", "", 0
    row.due_at, row.standing_for = due_for(body, following, holidays), following.key


def _read(sources: Sources, body: StandingBody, key: str, period: Period) -> tuple[Frozen, frozenset[str]]:
    """The page of a period, and the datasets it rests on that have a period, so that they can be complete."""

    def read() -> tuple[Frozen, frozenset[str]]:
        with sources.reading_behind() as session:
            session.info["calendar"] = calendar.get(session)
            context = ReadingContext(sources, session)
            card = context.scorecard(key)
            members = body.members or card.scope.members
            scope = card.scope.model_copy(update={"period": period.key, "grain": body.every, "members": members})
            frozen = freeze(context, card, scope)
            return frozen, frozenset(key for key in frozen.datasets if context.dataset(key).period)

    return patiently(read, WAIT_S)


def _late(pages: Sequence[tuple[Frozen, Collection[str]]], period: Period) -> str:
    """Which data is not complete through a period, in words, and what can be done."""
    held = list({key: frozen.datasets[key] for frozen, dated in pages for key in sorted(dated)}.values())
    short = [one for one in held if one.through < period.end.isoformat()]
    if not short:
        return ""
    told = [f"{one.name} {f'through {_day_of(one.through)}' if one.through else 'has no day yet'}" for one in short]
    return (
        f"{period.label} is not complete: {', '.join(told)}. It is looked at again every hour. Bring the rows in, say "
        "under Data through which day they are complete, or make it as it is."
    )


def _day_of(day: str) -> str:
    return days_words([dt.date.fromisoformat(day)])


def _made(
    session: Session, row: Standing, body: StandingBody, card: str, frozen: Frozen, period: Period, n: int
) -> Edition:  # fmt: skip
    """n: which of its pages it is, from 0: of the further ones too there is one for each period."""
    made = editions.create(
        session, card, title=frozen.page.title, note=body.note, period=frozen.page.period,
        period_label=period.label, body=frozen.to_bytes(), standing=(row.id, f"{period.key}.{n}" if n else period.key),
    )  # fmt: skip
    made.made_by = BY_CALENDAR
    if body.publish:
        editions.put(
            session, made, state=editions.PUBLISHED, published_at=clock.now(), published_by=BY_CALENDAR
        )  # fmt: skip
    return made


def skip(session: Session, key: str, period_key: str) -> Standing:
    """Go on without the edition of a period that is held or failed. Raises Missing, Refused."""
    row = standing.locked(session, key)
    insist_held(row, period_key)
    body = StandingBody.model_validate(row.body)
    period = Period.parse(row.standing_for, calendar.year_start_of(calendar.get(session)))
    go_on(row, body, period, standing.holidays(session, body.holidays))
    return row


def insist_held(row: Standing, period: str) -> None:
    """Refuse what is said of an edition that is not held any more."""
    if row.state == "waiting" or row.standing_for != period:
        raise Refused(
            409, "went-on", "It went on meanwhile", "The edition of that period is not held. Look at the order again."
        )


def using(session: Session, holidays: str) -> list[str]:
    """The scorecards whose standing orders go by a list of holidays, by their titles."""
    keys = [row.body["scorecard"] for row in standing.list_all(session) if row.body.get("holidays") == holidays]
    known = records.get_many(session, "scorecard", keys)
    return sorted({known[key].body["title"] if key in known else key for key in keys})


def note_failure(session: Session, key: str, said: str) -> None:
    """Have it tried again, with growing pauses."""
    row = standing.locked(session, key)
    row.tries += 1
    row.state, row.said = "failed", said
    row.due_at = clock.now() + PAUSES[min(row.tries, len(PAUSES)) - 1]
