"""The organisation's ways: the month in which its financial year begins, and how it writes numbers."""

from __future__ import annotations

from babel import Locale, UnknownLocaleError
from fastapi import APIRouter, Depends, Header, Response
from pydantic import BaseModel, Field, field_validator

from ironmark.api.desk import Desk, desk, seen_version
from ironmark.api.documents import Model
from ironmark.core import numbers
from ironmark.store import calendar

router = APIRouter(prefix="/api/calendar", tags=["calendar"])


class CalendarBody(Model):
    year_start: int = Field(ge=1, le=12)
    locale: str = Field(numbers.DEFAULT_LOCALE, max_length=20)

    @field_validator("locale")
    @classmethod
    def known(cls, name: str) -> str:
        try:
            Locale.parse(name)
        except (UnknownLocaleError, ValueError):
            raise ValueError(f"“{name}” is no locale; use one such as en_GB or de_DE") from None
        return name


class Calendar(BaseModel):
    version: int
    year_start: int
    locale: str


@router.get("")
def get_calendar(response: Response, at: Desk = Depends(desk)) -> Calendar:
    with at.read() as session:
        found = calendar.get(session)
    response.headers["ETag"] = f'"{found.version}"'
    return Calendar(version=found.version, **found.body)


@router.put("")
def put_calendar(
    body: CalendarBody, response: Response, if_match: str | None = Header(None), at: Desk = Depends(desk)
) -> Calendar:
    saw = seen_version(if_match)
    with at.write() as session:
        found = calendar.save(session, body.model_dump(), saw)
    numbers.write_as(body.locale)
    response.headers["ETag"] = f'"{found.version}"'
    return Calendar(version=found.version, **found.body)
