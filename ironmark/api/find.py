"""One search over everything that has a name."""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Query
from pydantic import BaseModel

from ironmark.api.access import Reader, reader
from ironmark.api.answers.summaries import glances_now
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_texts import as_text
from ironmark.pages.model.markdown import blocks_of, figures_of, plain
from ironmark.pages.model.note_words import where_words
from ironmark.pages.publishing.find import Thing, What, documents, found, members
from ironmark.pages.publishing.note_alone import note_alone
from ironmark.pages.publishing.scorecard_summaries import Glance
from ironmark.store import change_log, datasets, editions, notes, records
from ironmark.store.database import Missing
from ironmark.store.notes import StoredNote
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem

router = APIRouter(prefix="/api/find", tags=["find"])


class FoundThing(BaseModel):
    """Something by its name; place: its address in the application, after the #/."""

    what: What
    name: str
    note: str
    place: str


@router.get("")
def find(q: str = Query(min_length=1, max_length=200), who: Reader = Depends(reader)) -> list[FoundThing]:
    """What goes by a name like this, also typed with mistakes or without accents, the most alike first."""

    def look(context: ReadingContext) -> list[Thing]:
        stamp = (
            "find",
            who.cache_key,
            who.verbs,
            change_log.stamp(context.session),
            tuple(sorted(glances_now(who.sources, context)[1].items())),
        )
        held: dict[int, list[Thing]] = who.sources.seen.several({0: stamp}, lambda _: {0: _things(who, context)})
        return found(held[0], q)

    return [FoundThing(what=one.what, name=one.name, note=one.note, place=_address(one)) for one in who.look(look)]


def _address(thing: Thing) -> str:
    if thing.what != "member":
        return thing.place
    card, segment, name = thing.place.split("\n")
    return f"{card}?{urlencode({segment: name})}"


def _things(who: Reader, context: ReadingContext) -> list[Thing]:
    session = context.session
    now, _ = glances_now(who.sources, context)
    cards = records.list_all(session, "scorecard")
    order = [card.id for card in sorted(cards, key=lambda card: card.updated_at, reverse=True) if card.id in now]
    things = documents("scorecard", cards, "scorecards")
    kpis = {document.id: document for document in records.list_all(session, "kpi")}
    things += members(now, order)
    if "make" in who.verbs:
        things += documents("kpi", kpis.values(), "kpis")
        things += documents("yardstick", records.list_all(session, "yardstick"), "yardsticks")
        things += [Thing("dataset", one.name, one.file_name, f"data/{one.id}") for one in datasets.list_all(session)]
    for row in editions.list_all(session):
        number = f"edition {row.number}{row.suffix}"
        things.append(Thing("edition", f"{row.title}, {number}", row.period_label, f"editions/{row.id}", row.note))
    shown = _shown(now, order)
    for note in notes.list_all(session):
        name = kpis[note.kpi].body["name"] if note.kpi in kpis else "A deleted KPI"
        about = " · ".join(part for part in (where_words(note.members), name) if part)
        when = Period.parse(note.period, context.year_start).label
        place = shown.get(f"{note.kpi}|{note.narrow}", f"kpis/{note.kpi}")
        if "-reading" in place:
            place += f"&period={note.period}&grain={Period.parse(note.period, context.year_start).grain}"
        things.append(Thing("note", f"{about}, {when}", _said(context, note)[:160], place, note.saved_by))
    return things


def _said(context: ReadingContext, note: StoredNote) -> str:
    """What a note says in a line, with its figures as they read now; as they are named where they cannot be read."""
    if not figures_of(note.text):
        return " ".join(plain(blocks_of(note.text)).split())
    try:
        return " ".join(as_text(note_alone(context, note).blocks).split())
    except (FormulaError, NoPeriod, Missing, LiveProblem):
        return " ".join(plain(blocks_of(note.text)).split())


def _shown(now: dict[str, Glance], order: list[str]) -> dict[str, str]:
    """Where each reading is shown, by its KPI and members."""
    found: dict[str, str] = {}
    for key in order:
        for reading in now[key].readings:
            query = urlencode({"-reading": f"{reading.sheet}/{reading.key}"})
            found.setdefault(reading.place, f"scorecards/{key}?{query}")
    return found
