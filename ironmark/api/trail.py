"""Who did what: read, searched, taken out. Nothing here changes it but for how long it is kept."""

from __future__ import annotations

import datetime as dt

from fastapi import APIRouter, Depends, Query, Response
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.downloads import download
from ironmark.api.timestamps import moment
from ironmark.core.differences import Difference
from ironmark.pages.model.field_types import Model
from ironmark.publish.sheets import as_csv
from ironmark.store import openings, trail
from ironmark.store.people_models import TrailEntry
from ironmark.store.trail import Asked

router = APIRouter(prefix="/api/trail", tags=["people"])
PAGE, MOST_OUT = 100, 100_000


class Change(BaseModel):
    what: str
    before: str
    after: str


class TrailRow(BaseModel):
    number: int
    at: str
    who: str
    person: str
    address: str
    verb: str
    kind: str
    record: str
    name: str
    changed: list[Change]


class TrailOut(BaseModel):
    """days: how long it is kept. more: whether there are earlier ones."""

    rows: list[TrailRow]
    more: bool
    days: int


class KeptFor(Model):
    days: int = Field(ge=30, le=3660)


def _asked(
    person: str | None = Query(None, max_length=80), kind: str | None = Query(None, max_length=20),
    record: str | None = Query(None, max_length=200), since: dt.date | None = None, until: dt.date | None = None,
    word: str = Query("", max_length=80), before: int | None = Query(None, ge=1, le=2**62),
) -> Asked:  # fmt: skip
    """until: the last day."""
    midnight = dt.time()
    return Asked(
        person, kind, record, dt.datetime.combine(since, midnight) if since else None,
        dt.datetime.combine(until, midnight) + dt.timedelta(days=1) if until else None, word.strip(), before,
    )  # fmt: skip


def _row(row: TrailEntry) -> TrailRow:
    return TrailRow(
        number=row.number, at=moment(row.at) or "", who=row.who, person=row.person, address=row.address, verb=row.verb,
        kind=row.kind, record=row.record_id, name=row.name,
        changed=[Change(what=what, before=before, after=after) for what, before, after in row.changed],
    )  # fmt: skip


@router.get("")
def read_trail(asked: Asked = Depends(_asked), who: Reader = Depends(reader)) -> TrailOut:
    """The newest first, at most a hundred; ``before`` goes on from the last one's number."""
    with who.read() as session:
        rows = trail.read(session, asked, PAGE + 1)
        days = int(openings.setting(session, trail.SETTING)[1].get("days", trail.KEPT_DAYS))
        return TrailOut(rows=[_row(row) for row in rows[:PAGE]], more=len(rows) > PAGE, days=days)


@router.get("/file", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def take_out(asked: Asked = Depends(_asked), who: Reader = Depends(reader)) -> Response:
    """The same as CSV, a change a line."""
    head = ["when (UTC)", "who", "from", "did", "kind", "name", "id", "what", "before", "after"]
    with who.read() as session:
        rows = [
            [row.at.isoformat(sep=" "), row.who, row.address, row.verb, row.kind, row.name, row.record_id, *change]
            for row in trail.read(session, asked, MOST_OUT)
            for change in row.changed or [["", "", ""]]
        ]
    return download(as_csv(head, rows), "what-was-done.csv", "text/csv; charset=utf-8")


@router.put("/kept", status_code=204)
def keep_for(body: KeptFor, who: Reader = Depends(reader)) -> None:
    """For how many days it is kept."""
    with who.write() as session:
        before = openings.setting(session, trail.SETTING)[1].get("days", trail.KEPT_DAYS)
        openings.set_setting(session, trail.SETTING, {"days": body.days})
        told = [Difference("kept for days", str(before), str(body.days))]
        trail.note(session, "changed", "trail", "", "how long it is kept", told)
