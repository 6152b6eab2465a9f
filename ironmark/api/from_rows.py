"""A scorecard from rows: what is proposed, and making it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field, StringConstraints

from ironmark.api.records import saved
from ironmark.api.who import Reader, reader
from ironmark.pages.documents import Key, Model, Scorecard
from ironmark.pages.from_rows import Kind, make, propose
from ironmark.store import records

router = APIRouter(prefix="/api/from-rows", tags=["scorecards"])


class FromRowsAsk(Model):
    dataset: Key


class MakeAsk(FromRowsAsk):
    """dropped: the items that are not kept."""

    title: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""
    dropped: list[Annotated[str, StringConstraints(max_length=120)]] = Field(default=[], max_length=200)


class ItemOut(BaseModel):
    """Something that is proposed; needs: those it falls with."""

    id: str
    kind: Kind
    name: str
    says: str
    reason: str
    needs: list[str]


class LeftOut(BaseModel):
    name: str
    reason: str


class ProposalOut(BaseModel):
    title: str
    grain: str
    items: list[ItemOut]
    left_out: list[LeftOut]


@router.post("")
def propose_scorecard(ask: FromRowsAsk, who: Reader = Depends(reader)) -> ProposalOut:
    """KPIs, marks, yardsticks and sheets for the rows of a dataset, each with its reason. Nothing is kept."""
    found = who.look(lambda library: propose(library, library.dataset(ask.dataset)))
    return ProposalOut(
        title=found.title, grain=found.grain,
        items=[
            ItemOut(id=i.id, kind=i.kind, name=i.name, says=i.says, reason=i.reason, needs=list(i.needs))
            for i in found.items
        ],
        left_out=[LeftOut(name=name, reason=reason) for name, reason in found.left_out],
    )  # fmt: skip


@router.post("/make", status_code=201)
def make_scorecard(ask: MakeAsk, who: Reader = Depends(reader)) -> Scorecard:
    """Keep what is proposed, but for what was dropped: all of it or nothing."""
    with who.write() as session:
        library = who.library(session)
        key = make(session, library, library.dataset(ask.dataset), ask.title, ask.dropped)
        made: Scorecard = saved(records.get(session, "scorecard", key), Scorecard)
    return made
