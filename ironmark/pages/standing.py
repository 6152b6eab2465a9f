"""Editions by the calendar: when each is due and of what, made only once the data is complete, and once."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from collections.abc import Callable, Collection
from typing import Literal

from pydantic import Field, field_validator
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.numbers import write_as
from ironmark.core.periods import Grain, Period
from ironmark.core.words import days_words
from ironmark.core.workdays import is_working_day, nth_day
from ironmark.pages.documents import Key, Member, Model
from ironmark.pages.editions import Frozen, freeze
from ironmark.pages.library import Library
from ironmark.pages.refreshing import PAUSES, ClockBody
from ironmark.pages.sources import Sources
from ironmark.store import calendar, editions, standing
from ironmark.store.models import Edition, Standing
from ironmark.tables.patience import patiently

BY_CALENDAR = "by the calendar"
AGAIN = dt.timedelta(hours=1)  # after which data that was not complete is looked at again
WAIT_S = 60.0


class StandingBody(Model):
    """every: the period that each edition is of. nth: on which day after it is over it is made, −1 for the last one of the
    next; of working days, without the holidays of a list, or of all. complete: only once the data is complete through the
    period. publish: at once, or left as a draft."""

    scorecard: Key
    every: Grain = "month"
    nth: int = Field(3, ge=-1, le=31)
    days: Literal["working", "all"] = "working"
    at: str = ClockBody.model_fields["at"].default
    zone: str = "UTC"
    holidays: Key | None = None
    complete: bool = True
    publish: bool = False
    members: dict[str, list[Member]] = Field(default={}, max_length=50)
    note: str = Field("", max_length=20_000)

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

    @field_validator("zone")
    @classmethod
    def known_zone(cls, zone: str) -> str:
        return ClockBody.known(zone)


def due_for(body: StandingBody, period: Period, holidays: Collection[dt.date]) -> dt.datetime:
    """When the edition of a period is due, UTC without a zone."""
    after = period.shift(1)
    working = body.days == "working"
    day = nth_day(after.start, after.end, body.nth, working=working, holidays=holidays)
    while body.every == "day" and working and not is_working_day(day, holidays):
        day += dt.timedelta(days=1)
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
    """The last period, from ``first`` on, whose time has come: times that were missed are caught up once."""
    period = first
    while due_for(body, period.shift(1), holidays) <= moment:
        period = period.shift(1)
    return period


def carry_out(sources: Sources, key: str, insist: Callable[[Session], None]) -> None:
    """Make the edition of a standing order that is due, unless the data is not complete. insist: raises where another
    process does this by now. Raises what reading raises."""
    moment = clock.now()
    with sources.readings() as session:
        row = standing.get(session, key)
        body, saw = StandingBody.model_validate(row.body), row.version
        year_start = calendar.year_start_of(calendar.get(session))
        holidays = standing.holidays(session, body.holidays)
    period = newest_due(body, moment, holidays, Period.parse(row.standing_for, year_start))

    def read() -> Frozen:
        with sources.turns, sources.readings() as session:
            session.info["calendar"] = ways = calendar.get(session)
            write_as(ways.body["locale"])
            library = Library(sources, session)
            card = library.scorecard(body.scorecard)
            members = body.members or card.scope.members
            scope = card.scope.model_copy(update={"period": period.key, "grain": body.every, "members": members})
            return freeze(library, card, scope)

    frozen = patiently(read, WAIT_S)
    late = _late(frozen, period) if body.complete else ""
    with sources.changes() as session:
        row = standing.locked(session, key)
        if row.version != saw:
            return  # it was changed meanwhile, and its time with it
        if late:
            row.state, row.said, row.due_at, row.standing_for = "held", late, moment + AGAIN, period.key
        else:
            made = _made(session, row, body, frozen, period)
            following, its = next_due(body, max(moment, row.due_at), holidays, year_start)
            row.state, row.said, row.tries, row.made = "waiting", "", 0, made.id
            row.due_at, row.standing_for = following, its.key
        insist(session)


def _late(frozen: Frozen, period: Period) -> str:
    """Which data is not complete through a period, in words."""
    short = [f"{held.name} through {_day_of(held.through)}" for held in frozen.datasets.values() if held.through < period.end.isoformat()]  # fmt: skip
    return f"{period.label} is not complete: {', '.join(short)}. It is looked at again every hour." if short else ""


def _day_of(day: str) -> str:
    return days_words([dt.date.fromisoformat(day)]) if day else "no day yet"


def _made(session: Session, row: Standing, body: StandingBody, frozen: Frozen, period: Period) -> Edition:
    made = editions.create(
        session, body.scorecard, title=frozen.page.title, note=body.note, period=frozen.page.period,
        period_label=period.label, body=frozen.to_bytes(), standing=(row.id, period.key),
    )  # fmt: skip
    made.made_by = BY_CALENDAR
    if body.publish:
        editions.put(
            session, made, state=editions.PUBLISHED, published_at=clock.now(), published_by=BY_CALENDAR
        )  # fmt: skip
    return made


def note_failure(session: Session, key: str, said: str) -> None:
    """Have it tried again, with growing pauses."""
    row = standing.locked(session, key)
    row.tries += 1
    row.state, row.said = "failed", said
    row.due_at = clock.now() + PAUSES[min(row.tries, len(PAUSES)) - 1]
