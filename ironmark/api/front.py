"""The front page: what changed since, what is late, what is asked for, and every scorecard at a glance."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import asdict, dataclass

from fastapi import APIRouter, Depends, Query, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api.access import Reader, reader
from ironmark.api.answers.summaries import glances_now
from ironmark.api.timestamps import moment
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.late_data import late_data
from ironmark.pages.model.pictures import TallyPart
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing import scorecard_summaries as pages
from ironmark.pages.publishing.scorecard_summaries import Glance, Glimpse
from ironmark.store import change_log, editions, glances, records, standing

router = APIRouter(prefix="/api/front", tags=["front page"])
MOST_CHANGED = 200


class ChangedRow(BaseModel):
    """A reading whose state is another one than it was. better: whether it rose. signal: why that is one, in words; usual: its
    usual range, "" where none is known; few: whether its rows are too few to tell; partial:
    whether its period is not over."""

    scorecard: str
    title: str
    period_label: str
    sheet: str
    key: str
    about: str
    name: str
    before: str
    state: str | None
    better: bool
    shown: str
    against: str
    note: str
    wanted: bool
    signal: str
    usual: str
    few: bool
    partial: bool


class LateRow(BaseModel):
    dataset: str
    name: str
    said: str
    kpis: int


class WantedRow(BaseModel):
    """A scorecard that asks for words. first: the reading to begin with."""

    scorecard: str
    title: str
    period_label: str
    count: int
    states: list[str]
    sheet: str
    key: str


class DraftRow(BaseModel):
    """An edition that nobody has published yet. restated: how many of its readings read otherwise now."""

    id: str
    title: str
    period_label: str
    number: str
    restated: int


class HeldRow(BaseModel):
    """A standing order whose edition is held, or could not be made, and why."""

    id: str
    title: str
    said: str


class Card(BaseModel):
    """A scorecard at a glance. glance: which one, "" while none is made yet; changed: how many readings changed state
    since the period before."""

    id: str
    version: int
    title: str
    folder: str
    owner: str
    sheets: int
    period_label: str
    partial: str
    tally: list[TallyPart]
    changed: int
    glance: str
    updated_at: str
    saved_by: str


class Front(BaseModel):
    """since: the moment changes are held against, None for the period before; previous: how that is called. of: how many
    readings there are. more: changes that are not listed."""

    since: str | None
    previous: str
    now: str
    changed: list[ChangedRow]
    more: int
    of: int
    late: list[LateRow]
    wanted: list[WantedRow]
    drafts: list[DraftRow]
    held: list[HeldRow]
    cards: list[Card]


@dataclass(frozen=True, slots=True)
class _Own:
    """What a card tells of its scorecard by itself."""

    title: str
    folder: str
    owner: str
    sheets: int


def _own(sources: Sources, session: Session, heads: Sequence[records.Head]) -> dict[str, _Own]:
    def read(missing: list[str]) -> dict[str, _Own]:
        return {
            key: _Own(
                held.body["title"], held.body.get("folder", ""), held.body.get("owner", ""),
                sum(len(section.get("instruments", ())) for section in held.body.get("sections", ())),
            )
            for key, held in records.get_many(session, "scorecard", missing).items()
        }  # fmt: skip

    return sources.seen.several({head.id: ("card", head.id, head.version) for head in heads}, read)


@router.get("", response_model=Front)
def read_front(
    since: dt.datetime | None = None,
    first: list[str] = Query([], max_length=100),
    who: Reader = Depends(reader),
) -> Response:
    """since: a moment, such as one's last look; without it changes are those since the period before. first: scorecards
    that are told first of those that show a reading."""
    if since is not None and since.tzinfo is not None:
        since = since.astimezone(dt.UTC).replace(tzinfo=None)
    if since is not None and since.year < 2000:
        raise Refused(422, "invalid", "Not a moment", "Name a moment since the year 2000.", {"field": "since"})
    with who.read() as session:
        heads = records.heads(session, "scorecard")
        own = _own(who.sources, session, heads)
        now, which = glances_now(who.sources, who.context(session))
        was = pages.held(who.sources, session, glances.at(session, since)) if since is not None else None
        late = [LateRow(**asdict(one)) for one in late_data(session)]
        drafts = _drafts(session) if "make" in who.verbs else []
        held = [
            HeldRow(
                id=row.id, title=own[row.body["scorecard"]].title if row.body["scorecard"] in own else "", said=row.said
            )
            for row in (standing.stuck(session) if "make" in who.verbs else ())
        ]
    known = {head.id: head for head in heads if head.id in own}
    now = {key: glance for key, glance in now.items() if key in known}
    order = [key for key in first if key in now]
    order += sorted(now.keys() - set(order), key=lambda key: known[key].updated_at, reverse=True)
    changed = pages.moved(now, was, order)
    labels = {glance.previous_label for glance in now.values() if glance.previous_label}
    front = Front(
        since=moment(since), previous=labels.pop() if len(labels) == 1 else "the period before",
        now=moment(clock.now()) or "",
        changed=[_changed(one, now[one.scorecard]) for one in changed[:MOST_CHANGED]],
        more=max(0, len(changed) - MOST_CHANGED),
        of=len({reading.about for glance in now.values() for reading in glance.readings}),
        late=late,
        wanted=[row for key in order if (row := _wanted(key, now[key]))],
        drafts=drafts,
        held=held,
        cards=[
            Card(
                id=head.id, version=head.version, title=own[head.id].title, folder=own[head.id].folder,
                owner=own[head.id].owner, sheets=own[head.id].sheets, period_label=glance.period_label if glance else "", partial=glance.partial if glance else "",
                tally=list(glance.tally) if glance else [],
                changed=sum(1 for one in glance.readings if one.step) if glance else 0,
                glance=which.get(head.id, ""), updated_at=moment(head.updated_at) or "", saved_by=head.saved_by,
            )
            for head in sorted(known.values(), key=lambda head: head.updated_at, reverse=True)
            for glance in (now.get(head.id),)
        ],
    )  # fmt: skip
    return Response(front.model_dump_json(), media_type="application/json")  # as it is, not held against itself again


@router.get("/drawings/{key}")
def read_drawing(key: str, who: Reader = Depends(reader)) -> list[pages.Stamp]:
    """The sheets of a scorecard, each as small as a stamp, in their places."""
    with who.read() as session:
        records.get(session, "scorecard", key)
        kept, context = glances.drawing(session, key), who.context(session)
        body = pages.stamps_json(kept.drawing)
        if not pages.reads_as_all(context, kept.body):
            body = pages.own_glance(context, key, change_log.stamp(session))[1]
    return Response(body, media_type="application/json")  # type: ignore[return-value]


def _changed(one: pages.Moved, glance: Glance) -> ChangedRow:
    reading = one.reading
    return ChangedRow(
        scorecard=one.scorecard, title=glance.title, period_label=glance.period_label, sheet=reading.sheet,
        key=reading.key, about=reading.about, name=reading.name, before=one.before, state=reading.state,
        better=one.better, shown=reading.shown, against=reading.against, note=reading.note, wanted=reading.wanted,
        signal=reading.signal, usual=reading.usual, few=reading.few,
        partial=reading.partial,
    )  # fmt: skip


def _wanted(key: str, glance: Glance) -> WantedRow | None:
    wanted = sorted((r for r in glance.readings if r.wanted), key=lambda r: r.rank)
    if not wanted:
        return None
    first: Glimpse = wanted[0]
    states = list(dict.fromkeys(r.state for r in wanted if r.state))
    return WantedRow(
        scorecard=key, title=glance.title, period_label=glance.period_label, count=len(wanted), states=states,
        sheet=first.sheet, key=first.key,
    )  # fmt: skip


def _drafts(session: Session) -> list[DraftRow]:
    return [
        DraftRow(
            id=row.id, title=row.title, period_label=row.period_label, number=f"{row.number}{row.suffix}",
            restated=row.restated or 0,
        )
        for row in editions.list_all(session)
        if row.state == "draft"
    ]  # fmt: skip
