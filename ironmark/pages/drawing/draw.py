"""A page as it is drawn: every sheet, the tally of its states, and what changed. Needs nothing but the page."""

from __future__ import annotations

from collections.abc import Sequence, Set

from ironmark.core.marks import owner_of
from ironmark.core.numbers import NumberStyle, show
from ironmark.core.periods import GRAINS, finer
from ironmark.pages.drawing.draw_sheet import Pen
from ironmark.pages.drawing.draw_texts import TextPen
from ironmark.pages.drawing.tally import changed, partial_of, section_words, tally
from ironmark.pages.model.note_words import asked, label_of, listed
from ironmark.pages.model.page import Assumed, Page
from ironmark.pages.model.pictures import (
    AssumptionPicture,
    InstrumentPicture,
    MarkOwner,
    PeriodChoice,
    ScorecardPicture,
    SectionNote,
    SegmentChoice,
    StatePicture,
    Wanted,
)


def draw_page(page: Page, style: NumberStyle) -> ScorecardPicture:
    period = page.when(page.period) if page.period else None
    known = page.known
    pen = Pen(known, page.year_start, style)
    figures = {handle: pen.draw(sheet) for handle, sheet in page.figures.items()}
    texts = TextPen(figures, known, page.when, style)
    notes = [texts.note(note) for note in listed(page)]
    noted = {note.about for note in notes}
    needed = asked(page)
    wanted = [reading for reading in needed if reading.about not in noted]
    instruments = [pen.draw(sheet) for sheet in page.sheets]
    _tell(instruments, noted, {reading.about for reading in wanted})
    by_id = {sheet.id: sheet for sheet in page.sheets}
    partial = partial_of(page.sheets, page.period)
    return ScorecardPicture(
        books=page.rests_on.marks,
        version=next(iter(page.rests_on.documents.get("scorecard", {}).values()), 0),
        period=page.period,
        period_label=period.label if period else "",
        previous_label=period.shift(-1).label if period and not period.without else "",
        partial=partial.words if partial else "",
        grain=page.grain,
        periods=[PeriodChoice(key=p.key, label=p.label, short=p.short) for p in map(page.when, page.periods)],
        grains=[grain for grain in GRAINS if not finer(grain, page.rows_by)],
        year_start=page.year_start,
        segments=[SegmentChoice(name=s.name, label=s.label, members=list(s.members)) for s in page.segments],
        states=[StatePicture(key=s.key, name=s.name, rank=s.rank, sign=s.sign) for s in page.states],
        tally=tally(page),
        changed=changed(page.counted(), period),
        waiting=any(sheet.waiting for sheet in (*page.sheets, *page.figures.values())),
        assumptions=[_assumption(one, style) for one in page.assumptions],
        sections=[
            SectionNote(id=part.id, words=section_words([by_id[key] for key in part.sheets], period))
            for part in page.sections
        ],
        instruments=instruments,
        texts=[texts.text(text, notes) for text in page.texts],
        notes=notes,
        asked=len(needed),
        wanted=[Wanted(reading.about, label_of(page, reading), reading.state) for reading in wanted],
        mark_owner=MarkOwner(owner.whose, dict(owner.of)) if (owner := owner_of(page.members)) else None,
    )


def _tell(instruments: Sequence[InstrumentPicture], noted: Set[str], wanted: Set[str]) -> None:
    """Have readings say whether they have a note or need one."""
    if not noted and not wanted:
        return
    for picture in instruments:
        for reading in picture.readings:
            if reading.about in noted:
                reading.word = "noted"
            elif reading.about in wanted:
                reading.word = "wanted"


def _assumption(one: Assumed, style: NumberStyle) -> AssumptionPicture:
    value, kept, least, most = (show(number, one.unit, style) for number in (one.value, one.kept, one.least, one.most))
    return AssumptionPicture(
        key=one.key, handle=one.handle, name=one.name, value=one.value, kept=one.kept, least=one.least, most=one.most,
        step=one.step, shown=value, kept_shown=kept, least_shown=least, most_shown=most, tried=one.tried,
        version=one.version,
    )  # fmt: skip
