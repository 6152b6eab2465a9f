"""Notes on readings: what there is to say about one, writing it, taking it back, and how it read before."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field, StringConstraints

from ironmark.api.access import Reader, reader
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.core.numbers import show
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import MOST_OF_A_PERIOD, Key, Member, Model
from ironmark.pages.model.pictures import NotePicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing.note_alone import note_alone
from ironmark.pages.reading.notes import MOST_OF_A_NOTE, Subject, before, subject_of
from ironmark.store import database, notes, records
from ironmark.store.notes import StoredNote

router = APIRouter(prefix="/api/notes", tags=["notes"])


class About(Model):
    """Which reading: a KPI, its members by segment (none for all rows together), and the period."""

    kpi: Key
    members: dict[Annotated[str, StringConstraints(max_length=80)], list[Member]] = Field(default={}, max_length=50)
    period: str = Field(max_length=MOST_OF_A_PERIOD)


class NoteBody(About):
    """text: Markdown with live figures; without words the note is taken back."""

    text: Annotated[str, StringConstraints(strip_whitespace=True, max_length=MOST_OF_A_NOTE)] = ""


class NoteSheet(BaseModel):
    """Everything there is to say about one reading. version: what writing its note names, 0 before the first one.
    offered: the note of the period before, which a first one can start from; of: that period."""

    id: str
    shown: str
    version: int
    note: NotePicture | None
    offered: str = ""
    of: str = ""


class NoteRevision(BaseModel):
    """A form of a note, the newest the one that holds now. text: "" where it was taken back; shown: what the reading
    was then."""

    version: int
    text: str
    shown: str
    saved_at: str
    saved_by: str


@router.get("")
def list_notes(kpi: str = Query(max_length=80), who: Reader = Depends(reader)) -> list[NotePicture]:
    """The notes about a KPI, the newest period first."""

    def look(context: ReadingContext) -> list[NotePicture]:
        context.kpi(kpi)
        return [note_alone(context, note) for note in notes.about(context.session, [kpi])]

    return who.look(look)


@router.post("/about")
def read_note(ask: About, who: Reader = Depends(reader)) -> NoteSheet:
    """The note about a reading, or what one could start from."""
    return who.look(lambda context: _sheet(context, subject_of(context, ask.kpi, ask.members, ask.period)))


@router.put("")
def write_note(
    body: NoteBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> NoteSheet:
    """Write, change or take back the note about a reading; If-Match names the version that was seen, 0 for none."""
    saw = seen_version(if_match)
    about = who.look(lambda context: subject_of(context, body.kpi, body.members, body.period))
    with who.write() as session:
        records.get(session, "kpi", body.kpi)
        if not who.may(session, "notes", "kpi", body.kpi):
            raise Refused(
                403, "not-yours", "Notes are written by others", "Ask whoever keeps the scorecard to open them."
            )
        if not who.sees.sees_reading(about.kpi, about.members):
            detail = "This reading is made of the rows that are opened to you. A note would stand beside that of all rows, which is another one: write it about a member."
            raise Refused(403, "some-rows", "This reading is yours alone", detail)
        kept = notes.save(session, about.kpi, about.narrow, about.members, about.period, body.text, about.value, saw)
    response.headers["ETag"] = f'"{kept.version}"'
    return who.look(lambda context: _sheet(context, about))


@router.get("/{key}/revisions")
def list_note_revisions(key: str, who: Reader = Depends(reader)) -> list[NoteRevision]:
    """The forms of a note, the newest first."""

    def look(context: ReadingContext) -> list[NoteRevision]:
        now = notes.get_many(context.session, [key]).get(key)
        if now is None:
            raise database.Missing("note", key)
        context.fetch([now.kpi])
        kpi = context.kpis.get(now.kpi)
        unit = kpi.unit.as_unit() if kpi else None

        def shown(value: float | None) -> str:
            return show(value, unit, context.style) if value is not None and unit else ""

        found = [NoteRevision(**_saved(now), text=now.text, shown=shown(now.value))]
        for r in records.revisions(context.session, "note", key):
            text, value = r.body.get("text", ""), r.body.get("value")
            found.append(
                NoteRevision(
                    version=r.version,
                    text=text,
                    shown=shown(value),
                    saved_at=moment(r.saved_at) or "",
                    saved_by=r.saved_by,
                )
            )
        return found

    return who.look(look)


def _saved(note: StoredNote) -> dict[str, object]:
    return {"version": note.version, "saved_at": moment(note.saved_at), "saved_by": note.saved_by}


def _sheet(context: ReadingContext, about: Subject) -> NoteSheet:
    held = notes.get_many(context.session, [about.key]).get(about.key)
    shown = show(about.value, about.unit, context.style) if about.value is not None else "no reading"
    made = NoteSheet(id=about.key, shown=shown, version=held.version if held else 0, note=None)
    if held and held.text:
        made.note = note_alone(context, held)
    elif (earlier := before(context, about)) is not None:
        made.offered, made.of = earlier.text, note_alone(context, earlier).period_label
    return made
