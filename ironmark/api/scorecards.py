"""Scorecards: their documents, the shelf, and how they read for a scope."""

from __future__ import annotations

from typing import Any, get_args

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from ironmark.api.marks import OwnedBody, owner_of, since_of
from ironmark.api.records import add_routes
from ironmark.api.who import Reader, reader
from ironmark.core.marks import MarkEntry
from ironmark.pages.documents import (
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
from ironmark.pages.instruments import picture
from ironmark.pages.pictures import scorecard_picture
from ironmark.pages.reads import period_of
from ironmark.pages.shapes import InstrumentPicture, Rehearsed, ScorecardPicture, TallyPart
from ironmark.pages.workings import Workings, workings
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
def shelf(who: Reader = Depends(reader)) -> list[ShelfEntry]:
    """Every scorecard with its tally for its own scope, the one changed last first."""
    with who.read() as session:
        library = who.library(session)
        entries = []
        for card in records.every(session, "scorecard"):
            body = ScorecardBody.model_validate(card.body)
            read = scorecard_picture(library, body, body.scope)
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
def read_scorecard(ask: ReadAsk, who: Reader = Depends(reader)) -> ScorecardPicture:
    with who.read() as session:
        library = who.library(session)
        library.yardsticks |= ask.yardsticks
        for n, tried in enumerate(ask.marks):
            owner = owner_of(library, library.kpi(tried.kpi), tried, f"marks.{n}", value=tried.value)
            since = since_of(tried.since, library.year_start, f"marks.{n}.since")
            library.try_mark(tried.kpi, MarkEntry(tried.name, owner, since, tried.value))
        return scorecard_picture(library, ask.body, ask.scope or ask.body.scope, ask.rehearse)


@router.post("/faces")
def draw_faces(ask: FacesAsk, who: Reader = Depends(reader)) -> list[InstrumentPicture]:
    """One instrument's reading as every face would draw it, each with the axis that face would choose."""
    with who.read() as session:
        library = who.library(session)
        kpi = library.kpi(ask.instrument.kpi)
        source = library.source(kpi)
        period = period_of(ask.scope, [source], library.year_start)
        library.fetch([], [ask.instrument.yardstick] if ask.instrument.yardstick else [])
        drawn = []
        for face in FACES:
            instrument = ask.instrument.model_copy(update={"face": face, "id": face})
            drawn.append(picture(library, instrument, ask.scope, period, most=ENOUGH))
    return drawn


@router.post("/workings")
def read_workings(ask: WorkingsAsk, who: Reader = Depends(reader)) -> Workings:
    with who.read() as session:
        return workings(who.library(session), ask.instrument, ask.scope, ask.member)


add_routes(
    router,
    "scorecard",
    ScorecardBody,
    Scorecard,
    name="title",
    check=_nothing_to_check,
    may_delete=_nothing_to_check,
)
