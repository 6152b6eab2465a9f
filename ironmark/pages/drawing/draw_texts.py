"""Sheets of words as they are drawn: every figure in them written."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import groupby

from ironmark.core.numbers import NumberStyle, show
from ironmark.core.palette import State
from ironmark.core.periods import Period
from ironmark.pages.model.markdown import PARTS
from ironmark.pages.model.note_words import heading, moved
from ironmark.pages.model.page import Block, PageNote, Span, TextSheet
from ironmark.pages.model.pictures import BlockPicture, InstrumentPicture, NotePicture, SpanPicture, TextPicture

NONE = "no reading"


Figures = Mapping[str, InstrumentPicture]


class TextPen:
    """Writes the texts of a page. figures: those that texts and notes name, drawn; when: a period by its key."""

    def __init__(
        self, figures: Figures, states: Mapping[str, State], when: Callable[[str], Period], style: NumberStyle
    ) -> None:
        self._figures, self._states, self._when, self._style = figures, states, when, style

    def text(self, sheet: TextSheet, notes: Sequence[NotePicture]) -> TextPicture:
        """notes: those of the page, in the order they are listed in."""
        blocks = _listed(notes, self._states) if sheet.lists else self.blocks(sheet.blocks)
        return TextPicture(sheet.id, blocks, list(sheet.problems))

    def note(self, note: PageNote) -> NotePicture:
        now, was = (
            show(value, note.unit, self._style) if value is not None else NONE for value in (note.now, note.value)
        )
        return NotePicture(
            id=note.id, about=note.about, heading=heading(note), period=note.period,
            period_label=self._when(note.period).label, version=note.version, text=note.text,
            blocks=self.blocks(note.blocks, note.under), problems=list(note.problems), shown=now,
            was=was if moved(note) else "", state=note.state, saved_at=note.saved_at, saved_by=note.saved_by,
            again=note.again,
        )  # fmt: skip

    def blocks(self, blocks: Sequence[Block], under: str = "") -> list[BlockPicture]:
        return [
            BlockPicture(block.kind, block.level, block.number, [self._span(span, under) for span in block.spans])
            for block in blocks
        ]

    def _span(self, span: Span, under: str) -> SpanPicture:
        plain = _plain(span.text, span.bold, span.italic, span.href)
        if not span.handle:
            return plain
        drawn = self._figures.get(under + span.figure)
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
            plain.text, plain.state = self._when(drawn.period).label if drawn.period else "", None
        elif span.part == "mark":
            plain.text, plain.state = reading.marks[0].shown if reading.marks else "no mark", None
        elif reading.value is None:
            plain.text = NONE
        elif span.part == "gap":
            plain.text = reading.gap_words or reading.band_words or "no gap"
        elif span.part == "reached":
            plain.text = reading.attainment_shown or "no mark"
        elif span.part == "state":
            plain.text = self._states[reading.state].name if reading.state else "not graded"
        else:
            plain.text = reading.shown
        return plain


def _plain(text: str, bold: bool = False, italic: bool = False, href: str = "") -> SpanPicture:
    return SpanPicture(text, bold, italic, href, False, None, "", "")


def as_text(blocks: Sequence[BlockPicture]) -> str:
    """Drawn blocks without their looks, a line each."""
    lines = []
    for block in blocks:
        sign = {"item": "– ", "numbered": f"{block.number}. "}.get(block.kind, "")
        lines.append(sign + "".join(span.text for span in block.spans if not span.problem).strip())
    return "\n".join(line for line in lines if line)


def in_a_line(note: NotePicture) -> str:
    """A note as one line of a table, with what it was written about where that reads otherwise now."""
    said = as_text(note.blocks).replace("\n", " ")
    return f"{said} (written when it was {note.was})" if note.was else said


def _listed(notes: Sequence[NotePicture], states: Mapping[str, State]) -> list[BlockPicture]:
    """The notes of a page as one text, under the states of their readings."""
    found: list[BlockPicture] = []
    for state, some in groupby(notes, lambda note: note.state):
        named = states[state].name if state in states else "Not graded, or no reading"
        found.append(BlockPicture("heading", 3, 0, [_plain(named)]))
        for note in some:
            figure = SpanPicture(note.shown, False, False, "", True, note.state, note.heading, "")
            head = [_plain(f"{note.heading} ", bold=True), figure, _plain(". ")]
            if note.was:
                head.append(_plain(f"Written when it was {note.was}. ", italic=True))
            first, *rest = note.blocks or [BlockPicture("paragraph", 0, 0, [])]
            found.append(BlockPicture("paragraph", 0, 0, [*head, *first.spans]))
            found += rest
    return found or [BlockPicture("paragraph", 0, 0, [_plain("No note on this page.", italic=True)])]
