"""A page as slides: a section a slide, its sheets as pictures in their places, ledgers as tables, notes beside it."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from typing import Any

from pptx import Presentation
from pptx.dml.color import RGBColor
from pptx.enum.text import MSO_ANCHOR, PP_ALIGN
from pptx.util import Emu, Inches, Pt

from ironmark.core import palette as palettes
from ironmark.core.palette import State
from ironmark.pages.page import Sheet
from ironmark.pages.shapes import InstrumentPicture, ReadingPicture, TextPicture
from ironmark.publish.leaf import Leaf
from ironmark.publish.printer import Piece

MEDIA = "application/vnd.openxmlformats-officedocument.presentationml.presentation"
WIDE, HIGH = 13.333, 7.5  # inches
LEFT, TOP, RIGHT, FOOT = 0.45, 1.05, 0.45, 0.5
ROWS = 17  # of a table that fills a slide
LEAST_ROW = 0.24  # inches
INK, SOFT, SHEET = "1E282E", "5C6870", "FCFBF8"
FONT = "Arial"
_HEADS = {"value": "Value", "mark": "Mark", "gap": "Gap", "attainment": "Reached", "headroom": "Headroom", "state": "State"}  # fmt: skip


def as_slides(leaf: Leaf, pieces: Sequence[Piece]) -> bytes:
    """pieces: the sheets of the page as pictures, with their places on it."""
    deck = Presentation()
    deck.slide_width, deck.slide_height = Inches(WIDE), Inches(HIGH)
    deck.core_properties.title = in_xml(leaf.name)
    _Deck(deck, leaf, {piece.sheet: piece for piece in pieces}).write()
    buffer = io.BytesIO()
    deck.save(buffer)
    return buffer.getvalue()


_NOT_IN_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def in_xml(text: str) -> str:
    """A text without the signs that no XML can hold: rows and titles may come with some."""
    return _NOT_IN_XML.sub("", text)


def as_tables(leaf: Leaf) -> frozenset[str]:
    """The sheets that are put on slides as tables or as text, so that nobody needs a picture of them."""
    ledgers = (sheet.id for _, sheet, _ in leaf.sheets() if sheet.instrument.face == "ledger" and not sheet.problem)
    return frozenset([*ledgers, *(text.id for text in leaf.picture.texts)])


class _Deck:
    def __init__(self, deck: Any, leaf: Leaf, pieces: dict[str, Piece]) -> None:
        self.deck, self.leaf, self.pieces = deck, leaf, pieces
        self.sheets = {sheet.id: (sheet, picture) for _, sheet, picture in leaf.sheets()}
        self.texts = {text.id: text for text in leaf.picture.texts}
        self.number = 0

    def write(self) -> None:
        self._cover()
        for section in self.leaf.frozen.body.sections:
            placed: list[Any] = [*section.instruments, *section.texts, *section.pictures]
            ids = [item.id for item in placed if item.id in self.pieces]
            if ids:
                words = next((note.words for note in self.leaf.picture.sections if note.id == section.id), "")
                self._section(section.title, words, ids)

    def _slide(self, title: str, words: str = "") -> Any:
        slide = self.deck.slides.add_slide(self.deck.slide_layouts[5])  # a title alone
        self.number += 1
        head = slide.shapes.title
        head.left, head.top, head.width, head.height = Inches(LEFT), Inches(0.28), Inches(WIDE - 4), Inches(0.5)
        head.text_frame.text = in_xml(title or self.leaf.title)
        _write(head.text_frame, 20, bold=True)
        self._say(slide, WIDE - 4.45, 0.32, 4.0, f"{self.leaf.title}, {self.leaf.heading}", 10, SOFT, PP_ALIGN.RIGHT)
        if words:
            self._say(slide, LEFT, 0.7, WIDE - 1, words, 10.5, SOFT)
        told = f"Data through {self.leaf.through_words}" if self.leaf.through else ""
        self._say(slide, LEFT, HIGH - 0.4, 8, told, 9, SOFT)
        self._say(slide, WIDE - 2.45, HIGH - 0.4, 2, str(self.number), 9, SOFT, PP_ALIGN.RIGHT)
        return slide

    def _say(
        self, slide: Any, x: float, y: float, width: float, text: str, size: float, colour: str = INK,
        align: Any = PP_ALIGN.LEFT, height: float = 0.3,
    ) -> Any:  # fmt: skip
        frame = slide.shapes.add_textbox(Inches(x), Inches(y), Inches(width), Inches(height)).text_frame
        frame.word_wrap = True
        frame.text = in_xml(text)
        _write(frame, size, colour=colour, align=align)
        return frame

    def _cover(self) -> None:
        slide = self._slide(self.leaf.title)
        head = slide.shapes.title
        head.top, head.height = Inches(1.7), Inches(0.8)
        _write(head.text_frame, 36, bold=True)
        self._say(slide, LEFT, 2.5, WIDE - 1, f"{self.leaf.heading}. {self.leaf.published_words}".strip(". "), 16, SOFT)
        about = self.leaf.about
        if about and about.state == "withdrawn":
            self._say(slide, LEFT, 2.95, WIDE - 1, f"Withdrawn: {about.why}", 14)
        if about and about.note:
            self._say(slide, LEFT, 3.4, WIDE - 3, about.note, 14, height=1.6)
        tally = self.leaf.picture.tally
        if tally:
            table = slide.shapes.add_table(1, len(tally), Inches(LEFT), Inches(5.4), Inches(WIDE - 0.9), Inches(0.45))
            _plain(table, "Readings by state")
            for x, part in enumerate(tally):
                _cell(table.table.cell(0, x), f"{part.count} {part.name}", 13, state=self.leaf.states.get(part.state))
        if self.leaf.picture.changed:
            self._say(slide, LEFT, 5.95, WIDE - 1, self.leaf.picture.changed, 12, SOFT)
        slide.notes_slide.notes_text_frame.text = in_xml(
            about.note if about and about.note else self.leaf.picture.changed
        )

    def _section(self, title: str, words: str, ids: Sequence[str]) -> None:
        slide = self._slide(title, words)
        boxes = [self.pieces[key] for key in ids]
        x0, y0 = min(box.x for box in boxes), min(box.y for box in boxes)
        across = max(box.x + box.width for box in boxes) - x0
        along = max(box.y + box.height for box in boxes) - y0
        scale = min((WIDE - LEFT - RIGHT) / across, (HIGH - TOP - FOOT) / along)
        later: list[tuple[Sheet, InstrumentPicture]] = []
        for key in ids:
            box = self.pieces[key]
            place = LEFT + (box.x - x0) * scale, TOP + (box.y - y0) * scale, box.width * scale, box.height * scale
            sheet, picture = self.sheets.get(key, (None, None))
            if sheet is not None and picture is not None and sheet.instrument.face == "ledger" and not sheet.problem:
                if len(picture.readings) + 2 <= place[3] / LEAST_ROW:
                    self._table(slide, picture, sheet, picture.readings, place)
                else:
                    later.append((sheet, picture))
                    self._say(slide, *place[:3], f"{picture.title}: on the next slide", 11, SOFT)
                continue
            if key in self.texts:
                self._text(slide, self.texts[key], place)
                continue
            shape = slide.shapes.add_picture(io.BytesIO(box.png), *map(Inches, place))
            shape._element._nvXxPr.cNvPr.set("descr", in_xml(self._alternative(key)))
        slide.notes_slide.notes_text_frame.text = in_xml(self._notes(ids))
        for sheet, picture in later:
            self._on_its_own(title, sheet, picture)

    def _on_its_own(self, title: str, sheet: Sheet, picture: InstrumentPicture) -> None:
        """A ledger that does not fit its place, on slides of its own."""
        readings = picture.readings
        for at in range(0, len(readings), ROWS):
            some = readings[at : at + ROWS]
            more = f", {at + 1} to {at + len(some)} of {len(readings)}" if len(readings) > ROWS else ""
            slide = self._slide(title, "")
            place = LEFT, TOP - 0.1, WIDE - LEFT - RIGHT, (len(some) + 1) * 0.32
            self._table(slide, picture, sheet, some, place, more)

    def _table(
        self, slide: Any, picture: InstrumentPicture, sheet: Sheet, readings: Sequence[ReadingPicture],
        place: tuple[float, float, float, float], more: str = "",
    ) -> None:  # fmt: skip
        x, y, width, height = place
        self._say(slide, x, y - 0.02, width, f"{picture.title}{more}", 11).paragraphs[0].runs[0].font.bold = True
        columns = [c for c in dict.fromkeys(sheet.instrument.look.ledger.columns) if c in _HEADS]
        mark = next((r.marks[0].name for r in readings if r.marks), "mark")
        shape = slide.shapes.add_table(
            len(readings) + 1, len(columns) + 1, Inches(x), Inches(y + 0.3), Inches(width), Inches(height - 0.3)
        )
        _plain(shape, picture.title)
        table = shape.table
        shares = [2.2, *(1.25 if column in ("state", "headroom") else 1.0 for column in columns)]
        for at, share in enumerate(shares):
            table.columns[at].width = Emu(int(Inches(width) * share / sum(shares)))
        heads = [mark.capitalize() if column == "mark" else _HEADS[column] for column in columns]
        size = 10.5 if height / (len(readings) + 1) > 0.27 else 9
        for at, text in enumerate(["", *heads]):
            _cell(table.cell(0, at), text, size - 1, colour=SOFT, bold=True, right=0 < at < len(columns))
        for down, reading in enumerate(readings, start=1):
            _cell(table.cell(down, 0), reading.label or picture.title, size, bold=reading.role == "group")
            for at, column in enumerate(columns, start=1):
                cell = table.cell(down, at)
                if column == "state":
                    state = self.leaf.states.get(reading.state or "")
                    _cell(cell, state.name if state else reading.status.replace("_", " "), size, state=state)
                else:
                    _cell(cell, _figure(reading, column), size, bold=column == "value", right=True)

    def _text(self, slide: Any, text: TextPicture, place: tuple[float, float, float, float]) -> None:
        x, y, width, height = place
        frame = slide.shapes.add_textbox(*map(Inches, (x, y, width, height))).text_frame
        frame.word_wrap = True
        for at, block in enumerate(text.blocks):
            paragraph = frame.paragraphs[0] if at == 0 else frame.add_paragraph()
            sign = {"item": "– ", "numbered": f"{block.number}. "}.get(block.kind, "")
            for span in block.spans:
                run = paragraph.add_run()
                run.text, sign = in_xml(sign + span.text), ""
                run.font.size, run.font.name = Pt(15 if block.kind == "heading" else 12), FONT
                run.font.bold = span.bold or span.figure or block.kind == "heading"
                run.font.italic = span.italic
                run.font.color.rgb = _rgb(INK)

    def _alternative(self, key: str) -> str:
        """What a picture shows, in words."""
        if key not in self.sheets:
            placed = [item for section in self.leaf.frozen.body.sections for item in section.pictures]
            return next((item.alt for item in placed if item.id == key), "")
        sheet, picture = self.sheets[key]
        return alternative(sheet, picture)

    def _notes(self, ids: Sequence[str]) -> str:
        lines = []
        said = {note.about: f"{note.heading}: {self.leaf.notes[note.about]}" for note in self.leaf.picture.notes}
        for key in ids:
            if key in self.sheets:
                sheet, picture = self.sheets[key]
                lines.append(alternative(sheet, picture))
                lines += sheet.notes
                lines += [said[reading.about] for reading in picture.readings if reading.about in said]
        return "\n".join(lines)


def alternative(sheet: Sheet, picture: InstrumentPicture) -> str:
    """What a sheet says, in words: each of its readings."""
    if sheet.problem:
        return f"{sheet.title}: {sheet.problem}"
    said = [reading.spoken for reading in picture.readings[:40]]
    more = len(picture.readings) - len(said)
    return f"{sheet.title}: " + "; ".join(said) + (f"; and {more} more" if more > 0 else "")


def _rgb(colour: str) -> RGBColor:
    """A colour of six digits, with or without the sign before it."""
    digits = colour.lstrip("#")
    return RGBColor(  # type: ignore[no-untyped-call]
        *(int(digits[at : at + 2], 16) for at in (0, 2, 4))
    )


def _figure(reading: ReadingPicture, column: str) -> str:
    if column == "value":
        return reading.shown or "no reading"
    if column == "mark":
        return reading.marks[0].shown if reading.marks else ""
    return {"gap": reading.gap_shown, "attainment": reading.attainment_shown, "headroom": reading.headroom_shown}[column]  # fmt: skip


def _write(frame: Any, size: float, *, bold: bool = False, colour: str = INK, align: Any = PP_ALIGN.LEFT) -> None:
    frame.margin_left = frame.margin_right = frame.margin_top = frame.margin_bottom = 0
    for paragraph in frame.paragraphs:
        paragraph.alignment = align
        for run in paragraph.runs:
            run.font.size, run.font.bold, run.font.name = Pt(size), bold, FONT
            run.font.color.rgb = _rgb(colour)


def _cell(
    cell: Any, text: str, size: float, *, bold: bool = False, colour: str = INK, right: bool = False,
    state: State | None = None,
) -> None:  # fmt: skip
    cell.text = in_xml(text)
    cell.vertical_anchor = MSO_ANCHOR.MIDDLE
    cell.margin_top = cell.margin_bottom = Inches(0.02)
    shades = palettes.shades(state, dark=False) if state else None
    cell.fill.solid()
    cell.fill.fore_color.rgb = _rgb(shades.full if shades else SHEET)
    for paragraph in cell.text_frame.paragraphs:
        paragraph.alignment = PP_ALIGN.RIGHT if right else PP_ALIGN.LEFT
        for run in paragraph.runs:
            run.font.size, run.font.bold, run.font.name = Pt(size), bold or state is not None, FONT
            run.font.color.rgb = _rgb(shades.on if shades else colour)


def _plain(shape: Any, name: str) -> None:
    """A table in our own looks, with its head told as one."""
    shape._element._nvXxPr.cNvPr.set("descr", in_xml(name))
    shape.table.first_row, shape.table.horz_banding = True, False
