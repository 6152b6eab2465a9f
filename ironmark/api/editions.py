"""Editions: made, published, withdrawn, compared, and taken out in every form."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.edition import WHOLE_S, EditionOut, edition_out, rows_read
from ironmark.api.answers.way_out import SentOut, sent_together
from ironmark.api.versions import seen_version
from ironmark.clock import now
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.palette_view import PaletteLook, look
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody, ScorecardBody
from ironmark.pages.publishing import comparison
from ironmark.pages.publishing.comparison import SideBySide
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.pages.publishing.restatement_counter import beside_now
from ironmark.pages.publishing.scorecard_summaries import Stamp, stamps_of
from ironmark.pages.reading.workings import Workings
from ironmark.store import editions, links, outbox
from ironmark.store.database import author
from ironmark.store.editions import DRAFT, PUBLISHED, WITHDRAWN, State
from ironmark.store.models import Edition

router = APIRouter(prefix="/api/editions", tags=["editions"])

MOST_OF_A_NOTE = 20_000


class EditionAsk(Model):
    """scope: what it reads, the scorecard's own where it is left out. restates: an edition whose number it takes, with
    a letter."""

    scorecard: Key
    scope: ScopeBody | None = None
    title: Name | None = None
    note: str = Field("", max_length=MOST_OF_A_NOTE)
    restates: Key | None = None


class EditionChange(Model):
    title: Name
    note: str = Field("", max_length=MOST_OF_A_NOTE)


class Withdrawal(Model):
    why: str = Field(min_length=1, max_length=2_000)


class EditionPage(BaseModel):
    """An edition with its page as it is drawn. body: where each sheet stands; palettes: as they looked then; explained:
    whose workings it holds, by sheet."""

    edition: EditionOut
    body: ScorecardBody
    scope: ScopeBody
    picture: ScorecardPicture
    palettes: list[PaletteLook]
    explained: dict[str, list[str]]


def held(who: Reader, key: str) -> tuple[EditionOut, Frozen]:
    with who.read() as session:
        return edition_out(editions.get(session, key)), Frozen.from_bytes(editions.frozen_bytes(session, key))


@router.get("")
def list_editions(scorecard: Key | None = None, who: Reader = Depends(reader)) -> list[EditionOut]:
    """Every edition, or those of a scorecard, the newest first."""
    with who.read() as session:
        return [edition_out(row) for row in editions.list_all(session, scorecard)]


@router.post("", status_code=201)
def make_edition(ask: EditionAsk, response: Response, who: Reader = Depends(reader)) -> EditionOut:
    """Freeze a scorecard as it reads now, with everything it takes to draw and explain it, as a draft."""

    def read(context: ReadingContext) -> Frozen:
        if ask.restates is not None and editions.get(context.session, ask.restates).scorecard != ask.scorecard:
            raise Refused(
                422, "other-scorecard", "It restates nothing", "The edition it restates is of another scorecard.",
                {"field": "restates"},
            )  # fmt: skip
        body = context.scorecard(ask.scorecard)
        return freeze(context, body, ask.scope or body.scope)

    frozen = who.look(read, WHOLE_S)
    page = frozen.page
    with who.write() as session:
        row = editions.create(
            session, ask.scorecard, title=ask.title or page.title, note=ask.note, period=page.period,
            period_label=page.when(page.period).label if page.period else "", body=frozen.to_bytes(),
            restates=ask.restates, rows=rows_read(who.sees, page.rests_on.datasets),
        )  # fmt: skip
        made = edition_out(row)
    response.headers["ETag"] = f'"{made.version}"'
    return made


@router.get("/{key}/drawing")
def draw_edition(key: str, response: Response, who: Reader = Depends(reader)) -> list[Stamp]:
    """The sheets of an edition as they were, each as small as a stamp, in their places. They never change."""
    _, frozen = held(who, key)
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return list(stamps_of(frozen.body, frozen.draw()))


@router.get("/{key}/sent")
def sent_to(key: str, who: Reader = Depends(reader)) -> list[SentOut]:
    """Who was told of it, and how that went, the newest first."""
    with who.read() as session:
        editions.get(session, key)
        return sent_together(session, outbox.told_about(session, f"edition:{key}"))


@router.get("/{key}")
def get_edition(key: str, response: Response, data: bool = False, who: Reader = Depends(reader)) -> EditionPage:
    """An edition as it is drawn. data: its page itself instead, figures and states with nothing drawn."""
    edition, frozen = held(who, key)
    response.headers["ETag"] = f'"{edition.version}"'
    if data:
        return Response(frozen.page.to_json(), headers=response.headers, media_type="application/json")  # type: ignore[return-value]
    return EditionPage(
        edition=edition, body=frozen.body, scope=frozen.scope, picture=frozen.draw(),
        palettes=[look(palette) for palette in frozen.looks()],
        explained={sheet: list(found) for sheet, found in frozen.workings.items()},
    )  # fmt: skip


@router.put("/{key}")
def change_edition(
    key: str, body: EditionChange, response: Response, if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> EditionOut:  # fmt: skip
    """Change the title or the covering note of a draft."""
    saw = seen_version(if_match)
    with who.write() as session:
        row = editions.locked(session, key, saw)
        _only(row, DRAFT, "changed")
        made = edition_out(editions.put(session, row, title=body.title, note=body.note))
    response.headers["ETag"] = f'"{made.version}"'
    return made


@router.delete("/{key}", status_code=204)
def drop_edition(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    """Throw a draft away. What was published is withdrawn, and stays."""
    saw = seen_version(if_match)
    with who.write() as session:
        row = editions.locked(session, key, saw)
        _only(row, DRAFT, "thrown away")
        session.delete(row)
        links.end_all(session, edition=key)


@router.post("/{key}/publish")
def publish_edition(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> EditionOut:
    """If-Match may name the version that was looked at."""
    saw = seen_version(if_match) if if_match else None
    with who.write() as session:
        row = editions.locked(session, key, saw)
        _only(row, DRAFT, "published")
        return edition_out(editions.put(session, row, state=PUBLISHED, published_at=now(), published_by=author.get()))


@router.post("/{key}/withdraw")
def withdraw_edition(
    key: str, body: Withdrawal, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> EditionOut:
    """Withdraw what was published, and say why. It stays in the list, and says so wherever it is read."""
    saw = seen_version(if_match) if if_match else None
    with who.write() as session:
        row = editions.locked(session, key, saw)
        _only(row, PUBLISHED, "withdrawn")
        return edition_out(editions.put(session, row, state=WITHDRAWN, withdrawn_at=now(), withdrawn_by=author.get(), why=body.why))  # fmt: skip


def _only(row: Edition, state: State, what: str) -> None:
    """Refuse what cannot be done to an edition in the state it is in."""
    if row.state == state:
        return
    ways = {
        DRAFT: "It is a draft: publish it first, or throw it away.",
        PUBLISHED: "It is published and stays as it is: withdraw it, or make another that restates it.",
        WITHDRAWN: "It is withdrawn, and stays so: make another edition.",
    }
    raise Refused(409, f"is-{row.state}", f"It cannot be {what}", ways[row.state])


class EditionOpening(Model):
    """opened: to whoever reads the scorecard, also where they read some of the rows it was made of."""

    opened: bool


@router.put("/{key}/open")
def open_edition(key: str, body: EditionOpening, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> EditionOut:  # fmt: skip
    """Open an edition knowingly to those who read some rows only, or close it to them again."""
    saw = seen_version(if_match) if if_match else None
    with who.write() as session:
        row = editions.locked(session, key, saw)
        rows = (row.eyes or {}).get("rows", {"*": []})
        return edition_out(editions.put(session, row, eyes={"rows": rows, "open": body.opened}))


@router.get("/{key}/workings")
def get_workings(
    key: str, sheet: str = Query(max_length=80), reading: str = Query(max_length=4_000), who: Reader = Depends(reader)
) -> Workings:
    """How a reading of it came to its value, mark and state, as it was when the edition was made."""
    _, frozen = held(who, key)
    found = frozen.workings.get(sheet, {}).get(reading)
    if found is None:
        raise Refused(404, "no-reading", "No such reading", "The edition holds no workings of this reading.")
    return found


@router.get("/{key}/compare")
def compare_edition(
    key: str, beside: str = Query("now", alias="with", max_length=80), who: Reader = Depends(reader)
) -> SideBySide:
    """An edition beside another one, or beside the same page now: which readings differ, and because of what."""
    if beside != "now":
        _, was = held(who, key)
        _, became = held(who, beside)
        with who.read() as session:
            return comparison.compare(session, was, became, now=False, reread=None)
    return who.look(lambda context: beside_now(context, key))
