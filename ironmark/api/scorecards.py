"""Scorecards: their documents, the shelf, and how they read for a scope."""

from __future__ import annotations

from typing import Any, get_args

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from ironmark.api.desk import Book, Desk, desk
from ironmark.api.documents import (
    Face,
    InstrumentBody,
    Key,
    MarkName,
    Model,
    Number,
    ScopeBody,
    Scorecard,
    ScorecardBody,
    YardstickBody,
)
from ironmark.api.instruments import picture
from ironmark.api.marks import OwnedBody, owner_of, since_of
from ironmark.api.pictures import scorecard_picture
from ironmark.api.reads import period_of
from ironmark.api.records import add_routes
from ironmark.api.shapes import InstrumentPicture, Rehearsed, ScorecardPicture, TallyPart
from ironmark.api.workings import Workings, workings
from ironmark.core.marks import MarkEntry
from ironmark.store import records

router = APIRouter(prefix="/api/scorecards", tags=["scorecards"])
FACES = get_args(Face)
ENOUGH = 8  # readings of a small picture of a face


class ShelfEntry(BaseModel):
    id: str
    version: int
    title: str
    instruments: int
    period_label: str
    tally: list[TallyPart]
    updated_at: str


class TriedMark(OwnedBody):
    """An entry of the mark book that is tried."""

    kpi: Key
    name: MarkName
    since: str = Field(max_length=24)
    value: Number


class ReadAsk(Model):
    """Read a scorecard as it stands in the client, saved or not.

    ``rehearse`` gives values by instrument, ``yardsticks`` forms that are being tried instead of the kept ones.
    """

    body: ScorecardBody
    scope: ScopeBody | None = None
    rehearse: dict[Key, Rehearsed] = Field(default={}, max_length=50)
    yardsticks: dict[Key, YardstickBody] = Field(default={}, max_length=50)
    marks: list[TriedMark] = Field(default=[], max_length=20)


class FacesAsk(Model):
    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()


class WorkingsAsk(Model):
    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()
    member: str | None = Field(None, max_length=200)


def _nothing_to_check(session: Session, body: Any, key: str | None) -> None:
    """A scorecard may hold an instrument whose KPI is gone: it then says so."""


@router.get("/shelf")
def shelf(at: Desk = Depends(desk)) -> list[ShelfEntry]:
    """Every scorecard with its tally for its own scope, the one changed last first."""
    with at.read() as session:
        book = Book(at, session)
        entries = []
        for card in records.every(session, "scorecard"):
            body = ScorecardBody.model_validate(card.body)
            read = scorecard_picture(book, body, body.scope)
            entries.append(
                ShelfEntry(
                    id=card.id,
                    version=card.version,
                    title=body.title,
                    instruments=sum(len(section.instruments) for section in body.sections),
                    period_label=read.period_label,
                    tally=read.tally,
                    updated_at=card.updated_at.isoformat() + "Z",
                )
            )
    return sorted(entries, key=lambda entry: entry.updated_at, reverse=True)


@router.post("/read")
def read_scorecard(ask: ReadAsk, at: Desk = Depends(desk)) -> ScorecardPicture:
    with at.read() as session:
        book = Book(at, session)
        book.yardsticks |= ask.yardsticks
        for n, tried in enumerate(ask.marks):
            owner = owner_of(book, book.kpi(tried.kpi), tried, f"marks.{n}", value=tried.value)
            since = since_of(tried.since, book.year_start, f"marks.{n}.since")
            book.try_mark(tried.kpi, MarkEntry(tried.name, owner, since, tried.value))
        return scorecard_picture(book, ask.body, ask.scope or ask.body.scope, ask.rehearse)


@router.post("/faces")
def draw_faces(ask: FacesAsk, at: Desk = Depends(desk)) -> list[InstrumentPicture]:
    """One instrument's reading as every face would draw it, each with the axis that face would choose."""
    with at.read() as session:
        book = Book(at, session)
        kpi = book.kpi(ask.instrument.kpi)
        source = book.source(kpi)
        period = period_of(ask.scope, [source], book.year_start)
        book.fetch([], [ask.instrument.yardstick] if ask.instrument.yardstick else [])
        drawn = []
        for face in FACES:
            instrument = ask.instrument.model_copy(update={"face": face, "id": face})
            drawn.append(picture(book, instrument, ask.scope, period, most=ENOUGH))
    return drawn


@router.post("/workings")
def read_workings(ask: WorkingsAsk, at: Desk = Depends(desk)) -> Workings:
    with at.read() as session:
        return workings(Book(at, session), ask.instrument, ask.scope, ask.member)


add_routes(
    router,
    "scorecard",
    ScorecardBody,
    Scorecard,
    name="title",
    check=_nothing_to_check,
    may_delete=_nothing_to_check,
)
