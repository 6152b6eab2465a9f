"""A note by itself, away from any page."""

from __future__ import annotations

from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_sheet import Pen
from ironmark.pages.drawing.draw_texts import TextPen
from ironmark.pages.model.page import parsed
from ironmark.pages.model.pictures import NotePicture
from ironmark.pages.reading.notes import alone
from ironmark.store.notes import StoredNote


def note_alone(context: ReadingContext, kept: StoredNote) -> NotePicture:
    """A note by itself, away from any page."""
    note, figures = alone(context, kept)
    year_start, states = context.year_start, context.states
    pen = Pen(states, year_start, context.style)
    drawn = {key: pen.draw(sheet) for key, sheet in figures.items()}
    return TextPen(drawn, states, lambda key: parsed(key, year_start), context.style).note(note)
