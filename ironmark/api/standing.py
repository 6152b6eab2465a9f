"""Editions by the calendar: standing orders, when each is due, and lists of holidays."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Form, Header, Query, UploadFile
from pydantic import BaseModel, StringConstraints
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.upload_files import body_of
from ironmark.api.versions import seen_version
from ironmark.clock import now
from ironmark.core.periods import Period
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing.standing import StandingBody, carry_out, due_for, insist_held, next_due, skip, using
from ironmark.store import calendar, records, standing
from ironmark.store.database import Missing
from ironmark.store.models import Holidays, Standing
from ironmark.tables.holidays import read_holidays

router = APIRouter(prefix="/api/standing", tags=["editions"])
holidays_router = APIRouter(prefix="/api/holidays", tags=["editions"])
AHEAD = 3


class Due(BaseModel):
    """at: UTC. of: the period whose edition is made then, in words; period: the same as a key."""

    at: str
    of: str
    period: str


class StandingOut(BaseModel):
    """state: waiting for its time, held until the data is complete, or failed; said: why, in words. next: the times that
    come; made: the last edition it made."""

    id: str
    version: int
    body: StandingBody
    state: Literal["waiting", "held", "failed"]
    said: str
    next: list[Due]
    made: str | None


class HolidaysOut(BaseModel):
    id: str
    name: str
    days: list[dt.date]


def _out(session: Session, row: Standing) -> StandingOut:
    body = StandingBody.model_validate(row.body)
    days = standing.holidays(session, body.holidays)
    year_start = calendar.year_start_of(calendar.get(session))
    period = Period.parse(row.standing_for, year_start)
    coming = [Due(at=row.due_at.isoformat() + "Z", of=period.label, period=period.key)]
    for ahead in range(1, AHEAD):
        its = period.shift(ahead)
        coming.append(Due(at=due_for(body, its, days).isoformat() + "Z", of=its.label, period=its.key))
    return StandingOut(
        id=row.id, version=row.version, body=body, state=row.state, said=row.said, next=coming, made=row.made,  # type: ignore[arg-type]
    )  # fmt: skip


def _first(session: Session, body: StandingBody, was: Standing | None = None) -> tuple[dt.datetime, str]:
    """When the first edition is due, and its period: that which is due by now, where the order goes on being of such."""
    for card in (body.scorecard, *body.more):
        records.get(session, "scorecard", card)
    if body.holidays is not None and body.holidays not in {row.id for row in standing.holiday_lists(session)}:
        raise Missing("list of holidays", body.holidays)
    days = standing.holidays(session, body.holidays)
    if was is not None and was.body.get("every") == body.every and was.body.get("scorecard") == body.scorecard:
        kept = Period.parse(was.standing_for, calendar.year_start_of(calendar.get(session)))
        return due_for(body, kept, days), kept.key
    due, period = next_due(body, now(), days, calendar.year_start_of(calendar.get(session)))
    return due, period.key


@router.get("")
def list_standing(who: Reader = Depends(reader)) -> list[StandingOut]:
    with who.read() as session:
        return [_out(session, row) for row in standing.list_all(session)]


@router.post("", status_code=201)
def make_standing(body: StandingBody, who: Reader = Depends(reader)) -> StandingOut:
    """Have editions of a scorecard made by the calendar."""
    with who.write() as session:
        return _out(session, standing.create(session, body.model_dump(), *_first(session, body)))


@router.put("/{key}")
def change_standing(
    key: str, body: StandingBody, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> StandingOut:
    saw = seen_version(if_match)
    with who.write() as session:
        was = standing.get(session, key)
        return _out(session, standing.save(session, key, saw, body.model_dump(), *_first(session, body, was)))


@router.post("/{key}/make")
def make_held(key: str, period: Annotated[str, Query(max_length=20)], who: Reader = Depends(reader)) -> StandingOut:
    """Make the edition of a period that is held or failed, as its data is."""
    with who.read() as session:
        insist_held(standing.get(session, key), period)
    carry_out(who.sources, key, lambda session: None, anyway=True)
    with who.read() as session:
        return _out(session, standing.get(session, key))


@router.post("/{key}/skip")
def skip_held(key: str, period: Annotated[str, Query(max_length=20)], who: Reader = Depends(reader)) -> StandingOut:
    """Go on without the edition of a period that is held or failed."""
    with who.write() as session:
        return _out(session, skip(session, key, period))


@router.delete("/{key}", status_code=204)
def end_standing(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    """Make no more; those that were made stay."""
    saw = seen_version(if_match)
    with who.write() as session:
        session.delete(standing.locked(session, key, saw))


def _list(row: Holidays) -> HolidaysOut:
    return HolidaysOut(id=row.id, name=row.name, days=[dt.date.fromisoformat(day) for day in row.days])


@holidays_router.get("")
def list_holidays(who: Reader = Depends(reader)) -> list[HolidaysOut]:
    with who.read() as session:
        return [_list(row) for row in standing.holiday_lists(session)]


@holidays_router.post("", status_code=201)
def keep_holidays(
    file: UploadFile,
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), Form()],
    who: Reader = Depends(reader),
) -> HolidaysOut:
    """Take a list of holidays: a CSV with a date in each line, or an iCalendar file."""
    days = read_holidays(body_of(file))
    with who.write() as session:
        return _list(standing.keep_holidays(session, name, days))


@holidays_router.delete("/{key}", status_code=204)
def drop_holidays(key: str, anyway: bool = False, who: Reader = Depends(reader)) -> None:
    """anyway: though standing orders go by it."""
    with who.write() as session:
        used = using(session, key)
        if used and not anyway:
            raise Refused(
                409, "in-use", "It is in use", f"The editions of {', '.join(used)} by the calendar go by this list. "
                "Without it their holidays are working days.",
            )  # fmt: skip
        standing.drop_holidays(session, key)
