"""Scorecards: their documents, all of them at a glance, and how they read for a scope."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from fastapi import APIRouter, Depends, Header, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.asked_page import ReadAsk, have_tried
from ironmark.api.answers.saved import Scorecard
from ironmark.api.records import add_routes, saved
from ironmark.core.nearest import did_you_mean
from ironmark.core.periods import Grain
from ironmark.pages.authoring.assumption_rules import bring_cases_back, drop_cases
from ironmark.pages.authoring.new_instrument import FaceOffer, new_instrument, offers
from ironmark.pages.authoring.scorecard_merging import merged
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.field_types import MOST_OF_A_PERIOD, Key, Model
from ironmark.pages.model.page import Ask, Page
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody, ScorecardBody
from ironmark.pages.reading.read import read_page
from ironmark.pages.reading.workings import Workings, asked_of, workings
from ironmark.store import eyes, links, presence, records

router = APIRouter(prefix="/api/scorecards", tags=["scorecards"])
_PICTURES: TypeAdapter[ScorecardPicture] = TypeAdapter(ScorecardPicture)


class FacesAsk(Model):
    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()


class BeginAsk(Model):
    id: Key
    kpi: Key
    yardstick: Key | None = None


class WorkingsAsk(Model):
    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()
    member: str | None = Field(None, max_length=200)
    ask: Ask | None = None  # the reading's own, where it has one


@router.post("/{key}/back", operation_id="take_back_scorecard")
def take_back(key: str, who: Reader = Depends(reader)) -> Scorecard:
    """Have a scorecard that was deleted stand again, with its cases."""
    with who.write() as session, eyes.of_all_rows(session):  # what was deleted is nobody's to see
        document = records.restore(session, "scorecard", key)
        bring_cases_back(session, key)
    made: Scorecard = saved(document, Scorecard)
    return made


class Here(Model):
    changing: bool = False


class OtherHere(BaseModel):
    """Somebody else who has it open. changing: they are at its bench."""

    name: str
    changing: bool


@router.post("/{key}/here")
def say_here(key: str, body: Here, who: Reader = Depends(reader)) -> list[OtherHere]:
    """That one has it open, told again every while; and who else has."""
    with who.write() as session:
        records.get(session, "scorecard", key)
        if not who.person.id:
            return []
        presence.here(session, key, who.person.id, body.changing)
        return [OtherHere(name=name, changing=at) for name, at in presence.others(session, key, who.person.id)]


def _nothing_to_check(session: Session, body: Any, key: str | None) -> None:
    """A scorecard may hold an instrument whose KPI is gone: it then says so."""


@router.get("/{key}/page", responses={304: {"description": "Nothing that it rests on has changed."}})
def read_page_of(
    key: str,
    request: Request,
    period: str | None = Query(None, max_length=MOST_OF_A_PERIOD),
    grain: Grain | None = None,
    data: bool = False,
    assume: list[str] = Query([], max_length=50),
    if_none_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> ScorecardPicture:
    """A saved scorecard as it reads, for its own scope or another one.

    Members are named by their segment, as in ``?period=2026-10&route=Northway&route=Eastway``. data: the page itself, with nothing drawn, instead of its
    pictures. assume: an assumption, by its key or its handle, and the value it is tried with, as in ``assume=fuel_price:1.1``.
    What is named and is not there is refused.
    """
    asked = [
        (name, value)
        for name, value in request.query_params.multi_items()
        if name not in ("period", "grain", "data", "assume")
    ]
    place = (key, period, grain, tuple(sorted(asked)), tuple(sorted(assume)), data, who.cache_key)
    held = who.sources.kept.get(who.sources.engine, place)
    if held is None:

        def read(context: ReadingContext) -> tuple[Page, bytes, bool]:
            body = context.scorecard(key)
            page = read_page(context, body, _scope(body, period, grain, asked, _tried(context, assume)))
            refuse_unknown(page, asked)
            text = page.to_json() if data else _PICTURES.dump_json(draw_page(page, context.style))
            return page, text, context.is_cacheable and page.settled

        page, text, may_be_kept = who.look(read)
        if not may_be_kept:
            return Response(text, media_type="application/json")  # type: ignore[return-value]
        held = who.sources.kept.put(place, page, text)
    head = {"ETag": f'"{held.etag}"', "Cache-Control": "private, no-cache"}
    if held.etag in (if_none_match or ""):
        return Response(status_code=304, headers=head)  # type: ignore[return-value]
    return Response(held.body, headers=head, media_type="application/json")  # type: ignore[return-value]


def _scope(
    body: ScorecardBody, period: str | None, grain: str | None, asked: Sequence[tuple[str, str]],
    tried: Mapping[str, str],
) -> ScopeBody:  # fmt: skip
    """What is asked for; the scorecard's own scope where nothing is."""
    if period is None and grain is None and not asked and not tried:
        return body.scope
    members: dict[str, list[str]] = {}
    for segment, member in asked:
        members.setdefault(segment, []).append(member)
    own = body.scope
    if period is None and grain is None and not asked:
        members = own.members
    wanted = {
        "period": period or own.period, "grain": grain or own.grain, "members": members, "assume": tried,
    }  # fmt: skip
    try:
        return ScopeBody.model_validate(wanted)
    except ValidationError as error:
        raise RequestValidationError(error.errors()) from None


def _tried(context: ReadingContext, assume: Sequence[str]) -> dict[str, str]:
    """Values by the keys or handles of assumptions. Refuses one that there is not."""
    tried = {name: value for name, _, value in (text.rpartition(":") for text in assume)}
    for name in tried:
        if name not in context.assumed and name not in context.assumptions:
            detail = f"There is no assumption “{name}”{did_you_mean(name, context.assumptions)}. Write its handle and a value, as in assume=fuel_price:1.1."
            raise Refused(422, "no-assumption", "No such assumption", detail, {"field": "assume"})
    return tried


def refuse_unknown(page: Page, asked: Sequence[tuple[str, str]]) -> None:
    """Refuse segments and members that are named and that no rows of a page have, once all of these could be read."""
    if any(sheet.waiting or sheet.problem for sheet in (*page.sheets, *page.figures.values())):
        return
    segments = {segment.name: segment for segment in page.segments}
    for name, member in asked:
        if name not in segments:
            known = (
                f"this page can be narrowed by {', '.join(segments)}" if segments else "nothing here splits its rows"
            )
            detail = f"There is no segment “{name}”{did_you_mean(name, segments)}; {known}. A period is named by period and grain."
            raise Refused(422, "no-segment", "No such segment", detail, {"field": name})
        if member not in segments[name].members:
            label = segments[name].label
            detail = f"{label} has no member “{member}”{did_you_mean(member, segments[name].members)}. Read the whole page, and choose it there."
            raise Refused(422, "no-member", "No such member", detail, {"field": name})


@router.post("/read")
def read_scorecard(ask: ReadAsk, who: Reader = Depends(reader)) -> ScorecardPicture:
    def read(context: ReadingContext) -> bytes:
        have_tried(context, ask)
        page = read_page(context, ask.body, ask.scope or ask.body.scope, ask.rehearse)
        return _PICTURES.dump_json(draw_page(page, context.style))

    return Response(who.look(read), media_type="application/json")  # type: ignore[return-value]


@router.post("/faces")
def draw_faces(ask: FacesAsk, who: Reader = Depends(reader)) -> list[FaceOffer]:
    """One instrument as every face would draw it, with what it would take to be drawn so."""
    return who.look(lambda context: offers(context, ask.instrument, ask.scope))


@router.post("/instrument")
def begin_instrument(ask: BeginAsk, who: Reader = Depends(reader)) -> InstrumentBody:
    """What a new instrument of a KPI begins with. Nothing is kept."""
    return who.look(lambda context: new_instrument(context, ask.id, ask.kpi, ask.yardstick))


@router.post("/workings")
def read_workings(ask: WorkingsAsk, who: Reader = Depends(reader)) -> Workings:
    instrument, scope = asked_of(ask.instrument, ask.scope, ask.ask)
    return who.look(lambda context: workings(context, instrument, scope, ask.member))


def _drop_what_is_its(session: Session, body: Any, key: str | None) -> None:
    """Its cases go with it, and come back with it; links to it end."""
    drop_cases(session, body, key)
    links.end_all(session, scorecard=key)


add_routes(
    router,
    "scorecard",
    ScorecardBody,
    Scorecard,
    name="title",
    check=_nothing_to_check,
    may_delete=_drop_what_is_its,
    merge=merged,
)
