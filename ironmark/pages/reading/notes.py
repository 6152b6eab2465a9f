"""Notes on readings: those a page shows, which of its readings need one, and what one is offered as it is begun."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.markdown import blocks_of
from ironmark.pages.model.note_words import where_words
from ironmark.pages.model.page import PageNote, Reading, Sheet, members_in
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.live_figures import LiveFigures
from ironmark.pages.reading.sheets import read_sheet
from ironmark.store import notes as kept
from ironmark.store.database import Missing
from ironmark.store.notes import StoredNote

MOST_OF_A_NOTE = 4000  # characters


def notes_on(
    context: ReadingContext, sheets: Sequence[Sheet], figured: LiveFigures, figures: dict[str, Sheet]
) -> tuple[PageNote, ...]:
    """The notes about the readings of some sheets, as they stand in their order. Figures that they name are added to
    ``figures``, each as the note's own reading is read: its members, its period."""
    noted = [key for key, version in context.notebooks.items() if version]
    if not noted:
        return ()
    shown: dict[str, tuple[Reading, Unit]] = {}
    for sheet in sheets:
        for reading in (*sheet.readings, *sheet.folded):
            if about := reading.about:
                shown.setdefault(about, (reading, sheet.subjects[reading.subject].unit))
    periods = {reading.period for reading, _ in shown.values()}
    found = {f"{n.kpi}|{n.narrow}|{n.period}": n for n in kept.about(context.session, noted, periods)}
    return tuple(
        page_note(context, found[about], reading, unit, figured, figures)
        for about, (reading, unit) in shown.items()
        if about in found
    )


def page_note(
    context: ReadingContext,
    note: StoredNote,
    reading: Reading | None,
    unit: Unit,
    figured: LiveFigures,
    figures: dict[str, Sheet],
) -> PageNote:
    """A note as it reads beside its reading of now."""
    under = f"{note.id}/"
    period = Period.parse(note.period, context.year_start)
    scope = ScopeBody(period=note.period, grain=period.grain, members=note.members)
    for key in figured.add(note.text, under):
        figures[key] = read_sheet(context, figured.bodies.pop(key), scope, period)
    kpi = context.kpis.get(note.kpi)
    return PageNote(
        id=note.id, about=f"{note.kpi}|{note.narrow}|{note.period}", kpi=kpi.name if kpi else "A deleted KPI",
        where=where_words(note.members), period=note.period, version=note.version, text=note.text,
        blocks=blocks_of(note.text), problems=figured.problems(note.text, figures, under), unit=unit, value=note.value,
        now=reading.value if reading else None, state=reading.state if reading else None,
        saved_at=note.saved_at.isoformat() + "Z", saved_by=note.saved_by, again=note.saved_at != note.made_at,
    )  # fmt: skip


# What is asked for


# Writing


@dataclass(frozen=True)
class Subject:
    """What a note can be about: a reading, by its KPI, its members as they are told apart from all others, and its
    period."""

    kpi: str
    narrow: str
    members: dict[str, list[str]]
    period: str
    value: float | None
    unit: Unit

    @property
    def key(self) -> str:
        return kept.key_of(self.kpi, self.narrow, self.period)


def subject_of(context: ReadingContext, kpi: str, members: Mapping[str, Sequence[str]], period: str) -> Subject:
    """The reading of a KPI for some members and a period. Refuses one there cannot be; raises Missing."""
    body = context.kpi(kpi)
    try:
        when = Period.parse(period, context.year_start)
    except ValueError as error:
        raise Refused(422, "invalid", "No such period", f"{error}", {"field": "period"}) from None
    scope = ScopeBody(period=when.key, grain=when.grain, members={s: list(names) for s, names in members.items()})
    sheet = read_sheet(context, InstrumentBody(id="note", kpi=kpi, face="figure", marks=[]), scope, when)
    reading = sheet.readings[0] if sheet.readings else None
    if sheet.problem or reading is None or not reading.about:
        said = sheet.problem or f"{body.name} is not read in {when.label}: its rows end long before."
        raise Refused(422, "no-reading", "There is no such reading", said)
    known = context.source(body).members
    for segment, names in members.items():
        gone = [name for name in names if name not in known.get(segment, ())]
        if gone:
            raise Refused(422, "no-member", "No such member", f"{body.name} has no member “{gone[0]}” by {segment}.")
    return Subject(kpi, reading.narrow, members_in(reading.narrow), when.key, reading.value, body.unit.as_unit())


def before(context: ReadingContext, about: Subject) -> StoredNote | None:
    """The note about the same reading a period earlier, which a new one can start from."""
    when = Period.parse(about.period, context.year_start)
    if when.without:
        return None
    key = kept.key_of(about.kpi, about.narrow, when.shift(-1).key)
    found = kept.get_many(context.session, [key]).get(key)
    return found if found and found.text else None


def alone(context: ReadingContext, note: StoredNote) -> tuple[PageNote, dict[str, Sheet]]:
    """A note by itself, beside its reading of now, with the figures it names."""
    figures: dict[str, Sheet] = {}
    try:
        about = subject_of(context, note.kpi, note.members, note.period)
        value, unit = about.value, about.unit
    except (Refused, Missing, FormulaError):
        value, unit = None, Unit()
    return replace(page_note(context, note, None, unit, LiveFigures(context, []), figures), now=value), figures
