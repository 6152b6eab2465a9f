"""Tokens with which machines ask: made, listed, taken back."""

from __future__ import annotations

import datetime as dt
from typing import Literal

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ironmark import clock
from ironmark.api.access import AT_HOME, Reader, reader
from ironmark.api.timestamps import last_day, moment
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.store import datasets, records, tokens, trail
from ironmark.store.people_models import MachineToken

router = APIRouter(prefix="/api/tokens", tags=["people"])
MachineVerb = Literal["read", "note", "mark", "upload", "make"]
LONGEST = dt.timedelta(days=732)


class TokenAsk(Model):
    """verbs: what it may do of what its maker may. scorecards, datasets: those alone; none for all. until: the last day."""

    name: Name
    verbs: list[MachineVerb] = Field(min_length=1, max_length=5)
    scorecards: list[Key] = Field(default=[], max_length=200)
    datasets: list[Key] = Field(default=[], max_length=200)
    until: dt.date


class TokenOut(BaseModel):
    id: str
    name: str
    verbs: list[str]
    scorecards: list[str]
    datasets: list[str]
    made_at: str
    made_by: str
    until: str | None
    used_at: str | None
    over: bool


class NewToken(TokenOut):
    """token: told this once."""

    token: str


def _out(row: MachineToken) -> TokenOut:
    return TokenOut(
        id=row.id, name=row.name, verbs=row.verbs, scorecards=row.scorecards, datasets=row.datasets,
        made_at=moment(row.made_at) or "", made_by=row.made_by, until=last_day(row.ends_at), used_at=moment(row.used_at),
        over=row.ends_at is not None and row.ends_at < clock.now(),
    )  # fmt: skip


@router.get("")
def list_tokens(who: Reader = Depends(reader)) -> list[TokenOut]:
    """One's own; an owner's are all."""
    with who.read() as session:
        return [_out(row) for row in tokens.list_all(session, None if "own" in who.verbs else who.person.id)]


@router.post("", status_code=201)
def make_token(ask: TokenAsk, who: Reader = Depends(reader)) -> NewToken:
    ends = dt.datetime.combine(ask.until, dt.time()) + dt.timedelta(days=1)
    if not clock.now() < ends <= clock.now() + LONGEST:
        detail = "Name a day to come, at most two years on; then make another one."
        raise Refused(422, "too-long", "It has to end", detail, {"field": "until"})
    if beyond := [verb for verb in ask.verbs if verb not in who.verbs]:
        raise Refused(403, "not-yours", "You may not do that yourself", f"Leave out {', '.join(beyond)}.")
    with who.write() as session:
        for key in ask.scorecards:
            records.get(session, "scorecard", key)
        for key in ask.datasets:
            datasets.get(session, key)
        row, word = tokens.make(
            session, name=ask.name, account=None if who.person is AT_HOME else who.person.id, verbs=ask.verbs,
            scorecards=ask.scorecards, datasets=ask.datasets, ends_at=ends,
        )  # fmt: skip
        trail.note(session, "made", "token", row.id, f"{ask.name}: {', '.join(ask.verbs)}")
        return NewToken(**_out(row).model_dump(), token=word)


@router.delete("/{key}", status_code=204)
def end_token(key: str, who: Reader = Depends(reader)) -> None:
    with who.write() as session:
        row = tokens.get(session, key)
        if "own" not in who.verbs and row.account != who.person.id:
            raise Refused(403, "not-yours", "It is another's", "Ask them, or an owner, to take it back.")
        tokens.end(session, key)
        trail.note(session, "took back", "token", key, row.name)
