"""The organisation's calendar: the month in which its financial year begins."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Header, Response
from pydantic import BaseModel, Field

from ironmark.api.desk import Desk, desk, seen_version
from ironmark.api.documents import Model
from ironmark.store import calendar

router = APIRouter(prefix="/api/calendar", tags=["calendar"])


class CalendarBody(Model):
    year_start: int = Field(ge=1, le=12)


class Calendar(BaseModel):
    version: int
    year_start: int


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
    response.headers["ETag"] = f'"{found.version}"'
    return Calendar(version=found.version, **found.body)
