"""The organisation's ways: the month in which its financial year begins, and how it writes numbers."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Header, Response
from pydantic import BaseModel, Field, field_validator

from ironmark import clock
from ironmark.api.access import Reader, reader
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.core import numbers
from ironmark.pages.model.field_types import Model
from ironmark.store import calendar

router = APIRouter(prefix="/api/calendar", tags=["calendar"])


class CalendarBody(Model):
    year_start: int = Field(ge=1, le=12)
    locale: str = Field(numbers.DEFAULT_LOCALE, max_length=20)

    @field_validator("locale")
    @classmethod
    def known(cls, name: str) -> str:
        numbers.style_of(name)
        return name


class Calendar(BaseModel):
    """now: what time it is by the server's clock."""

    version: int
    year_start: int
    locale: str
    now: str


@router.get("")
def get_calendar(response: Response, who: Reader = Depends(reader)) -> Calendar:
    with who.read() as session:
        found = calendar.get(session)
    response.headers["ETag"] = f'"{found.version}"'
    return Calendar(version=found.version, now=moment(clock.now()) or "", **found.body)


@router.put("")
def put_calendar(
    body: CalendarBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> Calendar:
    saw = seen_version(if_match)
    with who.write() as session:
        found = calendar.save(session, body.model_dump(), saw)
    response.headers["ETag"] = f'"{found.version}"'
    return Calendar(version=found.version, now=moment(clock.now()) or "", **found.body)
