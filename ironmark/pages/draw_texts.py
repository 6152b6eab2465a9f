"""Sheets of words as they are drawn: every figure in them written."""

from __future__ import annotations

from collections.abc import Mapping

from ironmark.core.palette import State
from ironmark.pages.page import Span, TextSheet
from ironmark.pages.shapes import BlockPicture, InstrumentPicture, SpanPicture, TextPicture
from ironmark.pages.texts import PARTS

NONE = "no reading"


def draw_text(
    sheet: TextSheet, figures: Mapping[str, InstrumentPicture], states: Mapping[str, State], period: str
) -> TextPicture:
    """figures: those that texts name, drawn, by handle. period: the one the page reads, in words."""
    blocks = [
        BlockPicture(
            block.kind, block.level, block.number, [_span(span, figures, states, period) for span in block.spans]
        )
        for block in sheet.blocks
    ]
    return TextPicture(sheet.id, blocks, list(sheet.problems))


def _span(
    span: Span, figures: Mapping[str, InstrumentPicture], states: Mapping[str, State], period: str
) -> SpanPicture:
    plain = SpanPicture(span.text, span.bold, span.italic, span.href, False, None, "", "")
    if not span.handle:
        return plain
    drawn = figures.get(span.handle)
    if drawn is None or span.part not in PARTS:
        plain.problem, plain.text = f"There is no figure {span.text}.", span.text.strip("{} ")
        return plain
    plain.figure = True
    reading = drawn.readings[0] if drawn.readings else None
    if drawn.problem or reading is None:
        plain.text, plain.problem = NONE, drawn.problem or ""
        return plain
    plain.state, plain.spoken = reading.state, reading.spoken
    if span.part == "period":
        plain.text, plain.state = period, None
    elif span.part == "mark":
        plain.text, plain.state = reading.marks[0].shown if reading.marks else "no mark", None
    elif reading.value is None:
        plain.text = NONE
    elif span.part == "gap":
        plain.text = reading.gap_words or reading.band_words or "no gap"
    elif span.part == "reached":
        plain.text = reading.attainment_shown or "no mark"
    elif span.part == "state":
        plain.text = states[reading.state].name if reading.state else "not graded"
    else:
        plain.text = reading.shown
    return plain
