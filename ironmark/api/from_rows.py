"""A scorecard from rows: the draft as it would be drawn, changed where it stands, and making it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field, StringConstraints

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Scorecard
from ironmark.api.records import saved
from ironmark.core.faces import FACES
from ironmark.core.formula import MAX_LENGTH
from ironmark.core.numbers import NumberStyle
from ironmark.pages.authoring.draft_held import Against, KpiChange, against_words
from ironmark.pages.authoring.draft_keeping import make, take_back
from ironmark.pages.authoring.from_rows import Changes, Proposed, Sheet, propose
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.field_types import FaceKey, Handle, Key, Model, Name, Number
from ironmark.pages.model.kpi import UnitBody
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.reading.read import read_page
from ironmark.store import records

router = APIRouter(prefix="/api/from-rows", tags=["scorecards"])
Direction = Literal["higher", "lower", "inside", "open"]


class KpiChangeBody(Model):
    """What is changed of a proposed KPI; left out, it stays as it was proposed. number: what it is held against, in its
    unit, where that is a number."""

    name: Name | None = None
    formula: str | None = Field(None, max_length=MAX_LENGTH)
    direction: Direction | None = None
    unit: UnitBody | None = None
    against: Against | None = None
    number: Number | None = None


class DraftAsk(Model):
    """dropped: sheets, and KPIs as kpi:HANDLE, that are thrown away; taken: handles of KPIs that are taken in; kpis:
    what is changed, by handle; faces: by sheet."""

    dataset: Key
    title: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""
    dropped: list[Annotated[str, StringConstraints(max_length=120)]] = Field(default=[], max_length=200)
    taken: list[Handle] = Field(default=[], max_length=100)
    kpis: dict[Handle, KpiChangeBody] = Field(default={}, max_length=100)
    faces: dict[Key, FaceKey] = Field(default={}, max_length=200)

    def changes(self) -> Changes:
        kpis = {handle: KpiChange(**{name: getattr(body, name) for name in KpiChangeBody.model_fields}) for handle, body in self.kpis.items()}  # fmt: skip
        return Changes(frozenset(self.dropped), tuple(self.taken), kpis, dict(self.faces))


class Named(BaseModel):
    key: str
    name: str


class DraftedKpi(BaseModel):
    """A proposed KPI. against: what it is held against, in words; choices: what else it could be."""

    handle: str
    name: str
    formula: str
    direction: Direction
    unit: UnitBody
    reason: str
    known: bool
    against: Against
    against_words: str
    choices: list[Named]


class WaitingKpi(BaseModel):
    """One that is not on the page; dropped: whether it was thrown away."""

    handle: str
    name: str
    formula: str
    reason: str
    dropped: bool


class DraftedSheet(BaseModel):
    """A sheet by the key of its instrument on the page: of which KPI, why it is there, and which faces it could have."""

    id: str
    kpi: str
    face: str
    why: str
    faces: list[Named]


class LeftOutColumn(BaseModel):
    """A column that no KPI was made of, why, and the handle of the one that could be; "" for none."""

    name: str
    reason: str
    handle: str


class DraftOut(BaseModel):
    """body: the scorecard as it would be kept; picture: as it would read."""

    title: str
    grain: str
    body: Scorecard
    picture: ScorecardPicture
    kpis: list[DraftedKpi]
    sheets: list[DraftedSheet]
    dropped: list[DraftedSheet]
    waiting: list[WaitingKpi]
    left_out: list[LeftOutColumn]


_AGAINST: dict[Against, str] = {
    "plan": "the target in its rows", "last year": "the same period a year before", "median": "its median so far",
    "number": "a target of …", "nothing": "nothing", "own": "its own mark",
}  # fmt: skip


@router.post("")
def draft_scorecard(ask: DraftAsk, who: Reader = Depends(reader)) -> DraftOut:
    """The scorecard that would be made of the rows of a dataset, with what was changed of it so far. Nothing is kept."""
    with who.write() as session:
        context = who.context(session)
        dataset = context.dataset(ask.dataset)
        proposed = propose(context, dataset, ask.changes())
        # It is made as it would be kept, read, and taken back: the draft is the page, to the last figure.
        key = make(session, context, dataset, ask.title, proposed)
        again = who.context(session)
        body: Scorecard = saved(records.get(session, "scorecard", key), Scorecard)
        picture = draw_page(read_page(again, again.scorecard(key), proposed.scope), context.style)
        session.rollback()
    return _out(proposed, body, picture, ask, context.style)


def _out(proposed: Proposed, body: Scorecard, picture: ScorecardPicture, ask: DraftAsk, style: NumberStyle) -> DraftOut:
    def sheets(of: Sequence[Sheet]) -> list[DraftedSheet]:
        return [
            DraftedSheet(
                id=s.id, kpi=s.kpi, face=s.face, why=s.why, faces=[Named(key=f, name=FACES[f].name) for f in s.faces]
            )
            for s in of
        ]

    return DraftOut(
        title=ask.title or proposed.title, grain=proposed.scope.grain, body=body, picture=picture,
        kpis=[
            DraftedKpi(
                handle=kpi.handle, name=kpi.name, formula=kpi.formula, direction=kpi.direction, unit=UnitBody.of(kpi.unit), reason=kpi.reason,
                known=bool(kpi.known), against=proposed.held[kpi.handle].against, against_words=against_words(kpi, proposed.held[kpi.handle], style),
                choices=[Named(key=one, name=_AGAINST[one]) for one in proposed.held[kpi.handle].choices],
            )
            for kpi in proposed.kpis
        ],
        sheets=sheets(proposed.sheets), dropped=sheets(proposed.dropped),
        waiting=[
            WaitingKpi(handle=k.handle, name=k.name, formula=k.formula, reason=k.reason, dropped=f"kpi:{k.handle}" in ask.dropped)
            for k in proposed.waiting
            if k.place != "left"
        ],
        left_out=[LeftOutColumn(name=one.label, reason=one.reason, handle=one.handle) for one in proposed.left_out],
    )  # fmt: skip


class BackAsk(Model):
    scorecard: Key


@router.post("/back")
def take_back_scorecard_and_kpis(ask: BackAsk, who: Reader = Depends(reader)) -> list[str]:
    """Undo a scorecard that was made from rows, with the KPIs, marks and yardsticks made with it. Answers the names of
    those that stay, because something else rests on them."""
    with who.write() as session:
        return take_back(session, ask.scorecard)


@router.post("/make", status_code=201)
def make_scorecard(ask: DraftAsk, who: Reader = Depends(reader)) -> Scorecard:
    """Keep the draft with what was changed of it: all of it or nothing."""
    with who.write() as session:
        context = who.context(session)
        dataset = context.dataset(ask.dataset)
        key = make(session, context, dataset, ask.title, propose(context, dataset, ask.changes()))
        made: Scorecard = saved(records.get(session, "scorecard", key), Scorecard)
    return made
