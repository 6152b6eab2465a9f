"""Who reads something, and why; and what somebody reads of a scorecard beside what all rows say."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.note_words import label_of
from ironmark.pages.model.page import Page
from ironmark.pages.model.pictures import ReadingPicture, ScorecardPicture, TallyPart
from ironmark.pages.people.openings import Kind, Person
from ironmark.pages.people.rights import NOBODY, House, worked_out
from ironmark.pages.reading.read import read_page
from ironmark.store import datasets, eyes
from ironmark.store.accounts import Role
from ironmark.store.eyes import Eyes

ROLE_WORDS: dict[Role, str] = {"reader": "reader", "keeper": "keeper of marks", "analyst": "analyst", "owner": "owner"}


class ReaderRow(BaseModel):
    """Somebody who reads something. because: their role and what opens it to them; rows: which of its rows, in words; may:
    what they may do with it. id: of the account."""

    id: str
    name: str
    because: str
    rows: str
    may: str


def readers_of(session: Session, now: House, kind: Kind, key: str, people: Sequence[Person]) -> list[ReaderRow]:
    """Whoever reads something, the most powerful first."""
    order = ("owner", "analyst", "keeper", "reader")
    every = datasets.list_all(session)
    names = {one.id: one.name for one in every}
    labels = {one.id: {c.name: c.label for c in one.columns} for one in every}
    found = []
    for person in sorted(people, key=lambda one: (order.index(one.role), one.name)):
        sees = Eyes() if person.role == "owner" else worked_out(now, person)
        if kind in ("scorecard", "kpi") and not sees.sees(kind, key):
            continue
        if kind == "dataset" and key in sees.closed:
            continue
        if kind == "folder" and person.role != "owner" and not person.is_among(now.opening(kind, key).read):
            continue
        found.append(
            ReaderRow(
                id=person.id, name=person.name, because=_because(now, person, kind, key),
                rows=_rows(now, sees, kind, key, names, labels), may=_may(now, person, kind, key),
            )
        )  # fmt: skip
    return found


def _because(now: House, person: Person, kind: Kind, key: str) -> str:
    words = [ROLE_WORDS[person.role], *sorted(now.teams[team] for team in person.teams if team in now.teams)]
    if person.role != "owner":
        subjects = now.readers_of_card(key) if kind == "scorecard" else now.opening(kind, key).read
        if any(one.startswith("person:") for one in person.because(subjects)):
            words.append("named alone")
    return ", ".join(word for word in words if word)


def _rows(
    now: House, sees: Eyes, kind: Kind, key: str, names: dict[str, str], labels: dict[str, dict[str, str]]
) -> str:
    """Which rows somebody reads of all that something rests on."""
    parts = []
    for one in sorted({key} if kind == "dataset" else now.rests_on(kind, key)):
        if one in sees.closed:
            parts.append(f"nothing of {names.get(one, one)}")
        for segment, members in sees.within(one):
            label = labels.get(one, {}).get(segment, segment).lower()
            few = ", ".join(members[:3]) + (f" and {len(members) - 3} more" if len(members) > 3 else "")
            parts.append(f"{len(members)} of {names.get(one, one)} by {label}: {few}" if members != (NOBODY,) else f"nothing of {names.get(one, one)}")  # fmt: skip
    return "; ".join(parts) or "all rows"


def _may(now: House, person: Person, kind: Kind, key: str) -> str:
    if person.role == "owner":
        return "may change everything"
    if "make" in person.verbs and now.may(person, "change", kind, key):
        return "may change it"
    if kind == "kpi" and "mark" in person.verbs and now.may(person, "marks", "kpi", key):
        return "keeps its marks"
    return "reads it"


class AsRow(BaseModel):
    """A reading as somebody reads it. all_rows: as whoever reads all rows does, "" where that is the same."""

    name: str
    about: str
    shown: str
    against: str
    state: str | None
    all_rows: str


class AsRead(BaseModel):
    """A scorecard with somebody's eyes, in words, beside what all rows say. notes: how many of how many."""

    person: str
    rows: str
    period_label: str
    tally: list[TallyPart]
    readings: list[AsRow]
    gone: int
    notes: int
    of_notes: int


@dataclass(frozen=True)
class _Read:
    page: Page
    picture: ScorecardPicture


def as_read(sources: Sources, session: Session, key: str, person: Person, sees: Eyes, rows: str) -> AsRead:
    """Read a scorecard twice: with somebody's eyes, and with all rows. Raises Missing where it is not opened to them."""
    theirs, every = (_read(sources, session, key, one) for one in (sees, eyes.ALL))
    all_rows = {about: shown for about, _, shown, _, _ in _told(every)}
    found = _told(theirs)
    return AsRead(
        person=person.name, rows=rows, period_label=theirs.picture.period_label, tally=list(theirs.picture.tally),
        readings=[
            AsRow(
                name=name, about=about, shown=shown, against=against, state=state,
                all_rows="" if all_rows.get(about) == shown else all_rows.get(about, ""),
            )
            for about, name, shown, against, state in found
        ],
        gone=len(all_rows.keys() - {about for about, *_ in found}),
        notes=len(theirs.page.notes), of_notes=len(every.page.notes),
    )  # fmt: skip


def _read(sources: Sources, session: Session, key: str, sees: Eyes) -> _Read:
    before = eyes.of(session)
    eyes.lend(session, sees)
    try:
        context = ReadingContext(sources, session)
        body = context.scorecard(key)
        page = read_page(context, body, body.scope)
        return _Read(page, draw_page(page, context.style))
    finally:
        eyes.lend(session, before)


def _told(read: _Read) -> list[tuple[str, str, str, str, str | None]]:
    """The readings of a page, each once: what it is of, its name, value, gap and state."""
    drawn: dict[str, ReadingPicture] = {}
    for instrument in read.picture.instruments:
        for one in instrument.readings:
            if one.about:
                drawn.setdefault(one.about, one)
    found = {}
    for reading in read.page.counted():
        if reading.about in drawn and reading.about not in found:
            shown = drawn[reading.about]
            against = shown.gap_words or shown.band_words
            found[reading.about] = (reading.about, label_of(read.page, reading), shown.shown, against, reading.state)
    return list(found.values())
