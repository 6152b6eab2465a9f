"""A page as slides: a section a slide, its sheets as pictures in their places, ledgers as tables, notes beside it."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from typing import Any

from lxml.etree import XMLSyntaxError
from pptx import Presentation
from pptx.chart.data import CategoryChartData
from pptx.enum.chart import XL_CHART_TYPE
from pptx.enum.shapes import PP_PLACEHOLDER
from pptx.enum.text import PP_ALIGN
from pptx.exc import PackageNotFoundError
from pptx.util import Emu, Inches, Pt

from ironmark.core import palette as palettes
from ironmark.pages.model.page import Sheet
from ironmark.pages.model.pictures import InstrumentPicture, ReadingPicture, TextPicture
from ironmark.publish.export_page import ExportPage
from ironmark.publish.printer import Piece
from ironmark.publish.sheets import number_form
from ironmark.publish.slide_cells import (
    FONT,
    INK,
    SOFT,
    figure_of,
    in_xml,
    plain_shape,
    rgb_of,
    write_cell,
    write_text,
)

MEDIA = "application/vnd.openxmlformats-officedocument.presentationml.presentation"
WIDE, HIGH = 13.333, 7.5  # inches
LEFT, TOP, RIGHT, FOOT = 0.45, 1.05, 0.45, 0.5
ROWS = 17  # of a table that fills a slide
LEAST_ROW = 0.24  # inches
_HEADS = {"value": "Value", "mark": "Mark", "gap": "Gap", "attainment": "Reached", "headroom": "Headroom", "state": "State"}  # fmt: skip


def as_slides(
    leaf: ExportPage, pieces: Sequence[Piece], *, charts: bool = False, template: bytes | None = None
) -> bytes:
    """pieces: the sheets of the page as pictures, with their places on it. charts: bars, columns and lines as charts of the
    slides' own, with their figures, so that they can be worked with; the rest stay pictures. template: a
    presentation of one's own, whose size, masters, fonts and colours are taken."""
    deck = opened(template)
    deck.core_properties.title = in_xml(leaf.name)
    _Deck(deck, leaf, pieces, charts, themed=template is not None).write()
    buffer = io.BytesIO()
    deck.save(buffer)
    return buffer.getvalue()


def opened(template: bytes | None) -> Any:
    """A deck without slides: a plain one, or one's own. Raises ValueError for what is none."""
    if template is None:
        deck = Presentation()
        deck.slide_width, deck.slide_height = Inches(WIDE), Inches(HIGH)
        return deck
    try:
        with zipfile.ZipFile(io.BytesIO(template)) as packed:
            if sum(info.file_size for info in packed.infolist()) > MOST_TEMPLATE:
                raise ValueError("It holds more than 200 MB.")
        deck = Presentation(io.BytesIO(template))
        listed = deck.slides._sldIdLst
        for one in list(listed):
            deck.part.drop_rel(one.rId)
            listed.remove(one)
        layout_of(deck)
    except (KeyError, AttributeError, OSError, zipfile.BadZipFile, PackageNotFoundError, XMLSyntaxError) as error:
        raise ValueError(f"It is no presentation (.pptx), or it is damaged ({error}).") from None
    return deck


def layout_of(deck: Any) -> Any:
    """The layout with a title and the least besides. Raises ValueError where none has a title."""
    titled = [one for one in deck.slide_layouts if any(p.placeholder_format.type in _TITLES for p in one.placeholders)]
    if not titled:
        raise ValueError("None of its layouts has a place for a title.")
    return min(titled, key=lambda one: sum(p.placeholder_format.type not in _FOOTS for p in one.placeholders))


_TITLES = (PP_PLACEHOLDER.TITLE, PP_PLACEHOLDER.CENTER_TITLE)
_FOOTS = (PP_PLACEHOLDER.DATE, PP_PLACEHOLDER.FOOTER, PP_PLACEHOLDER.SLIDE_NUMBER)
MOST_TEMPLATE = 200 << 20


def as_one_deck(
    pages: Sequence[tuple[ExportPage, Sequence[Piece]]], title: str, note: str, said: str
) -> bytes:  # fmt: skip
    """Several pages as one deck: a cover, contents, then each with its own title, in one numbering."""
    deck = Presentation()
    deck.slide_width, deck.slide_height = Inches(WIDE), Inches(HIGH)
    deck.core_properties.title = in_xml(title)
    first = _Deck(deck, pages[0][0], [])
    front = first._slide(title)
    front.shapes.title.top, front.shapes.title.height = Inches(2.2), Inches(0.9)
    write_text(front.shapes.title.text_frame, 38, bold=True)
    first._say(front, LEFT, 3.1, WIDE - 1, said, 15, SOFT)
    first._say(front, LEFT, 3.7, WIDE - 3, note, 14, height=2.0)
    front.notes_slide.notes_text_frame.text = in_xml(note)
    contents = first._slide("Contents")
    shape = contents.shapes.add_table(
        len(pages), 3, Inches(LEFT), Inches(TOP), Inches(WIDE - 0.9), Inches(0.36 * len(pages))
    )
    plain_shape(shape, "Contents")
    number, starts = first.number, []
    for leaf, pieces in pages:
        starts.append(number + 1)
        part = _Deck(deck, leaf, pieces)
        part.number = number
        part.write()
        number = part.number
    for down, ((leaf, _), start) in enumerate(zip(pages, starts, strict=True)):
        write_cell(shape.table.cell(down, 0), leaf.title, 14, bold=True)
        write_cell(shape.table.cell(down, 1), leaf.heading, 12, colour=SOFT)
        write_cell(shape.table.cell(down, 2), str(start), 12, right=True)
    buffer = io.BytesIO()
    deck.save(buffer)
    return buffer.getvalue()


def as_tables(leaf: ExportPage, *, charts: bool = False) -> frozenset[str]:
    """The sheets that are put on slides as tables, charts or text, so that nobody needs a picture of them."""
    ledgers = (sheet.id for _, sheet, _ in leaf.sheets() if sheet.instrument.face == "ledger" and not sheet.problem)
    native = (sheet.id for _, sheet, picture in leaf.sheets() if charts and chart_of(sheet, picture))
    return frozenset([*ledgers, *native, *(text.id for text in leaf.picture.texts)])


def chart_of(sheet: Sheet, picture: InstrumentPicture) -> Any:
    """The kind of chart that says what a sheet does; None where none is its like."""
    if sheet.problem or not picture.readings or all(reading.value is None for reading in picture.readings):
        return None
    if sheet.instrument.face == "history" and len(picture.readings) == 1:
        return XL_CHART_TYPE.LINE_MARKERS if len(sheet.readings[0].earlier) > 1 else None
    if len({reading.subject for reading in sheet.readings}) > 1 or len(picture.readings) < 2:
        return None
    return {
        "ranked": XL_CHART_TYPE.BAR_CLUSTERED, "bar": XL_CHART_TYPE.BAR_CLUSTERED, "bullet": XL_CHART_TYPE.BAR_CLUSTERED,
        "column": XL_CHART_TYPE.COLUMN_CLUSTERED,
    }.get(sheet.instrument.face)  # fmt: skip


class _Deck:
    def __init__(
        self, deck: Any, leaf: ExportPage, pieces: Sequence[Piece], charts: bool = False, themed: bool = False
    ) -> None:  # fmt: skip
        """themed: on a template of one's own, which says how titles stand and look."""
        self.deck, self.leaf, self.pieces, self.charts, self.themed = deck, leaf, pieces, charts, themed
        self.wide, self.high = deck.slide_width / 914_400, deck.slide_height / 914_400
        self.top, self.layout = TOP, deck.slide_layouts[5] if not themed else layout_of(deck)
        self.sheets = {sheet.id: (sheet, picture) for _, sheet, picture in leaf.sheets()}
        self.texts = {text.id: text for text in leaf.picture.texts}
        self.number = 0
        self.told: set[str] = set()  # ledgers that stand on slides

    def write(self) -> None:
        self._cover()
        for section in self.leaf.frozen.body.sections:
            placed: list[Any] = [*section.instruments, *section.texts, *section.pictures]
            ids = {item.id for item in placed}
            mine = [piece for piece in self.pieces if piece.sheet in ids]
            words = next((note.words for note in self.leaf.picture.sections if note.id == section.id), "")
            for of in sorted({piece.of for piece in mine}):  # one that is too full for a slide goes on on the next
                self._section(section.title, words, [piece for piece in mine if piece.of == of])
                words = "continued"

    def _slide(self, title: str, words: str = "") -> Any:
        slide = self.deck.slides.add_slide(self.layout)
        self.number += 1
        head = slide.shapes.title
        head.text_frame.text = in_xml(title or self.leaf.title)
        if self.themed:
            for other in [one for one in slide.placeholders if one.placeholder_format.type not in _TITLES]:
                other._element.getparent().remove(other._element)
            self.top = max(TOP, (head.top + head.height) / 914_400 + 0.25)
        else:
            head.left, head.top, head.width, head.height = Inches(LEFT), Inches(0.28), Inches(WIDE - 4), Inches(0.5)
            write_text(head.text_frame, 20, bold=True)
        about = f"{self.leaf.title}, {self.leaf.heading}"
        self._say(
            slide, self.wide - 4.45, self.top - 0.35 if self.themed else 0.32, 4.0, about, 10, SOFT, PP_ALIGN.RIGHT
        )
        if words:
            self._say(slide, LEFT, self.top - 0.35, self.wide - 5, words, 10.5, SOFT)
        told = f"Data through {self.leaf.through_words}" if self.leaf.through else ""
        self._say(slide, LEFT, self.high - 0.4, 8, told, 9, SOFT)
        self._say(slide, self.wide - 2.45, self.high - 0.4, 2, str(self.number), 9, SOFT, PP_ALIGN.RIGHT)
        return slide

    def _say(
        self, slide: Any, x: float, y: float, width: float, text: str, size: float, colour: str = INK,
        align: Any = PP_ALIGN.LEFT, height: float = 0.3,
    ) -> Any:  # fmt: skip
        frame = slide.shapes.add_textbox(Inches(x), Inches(y), Inches(width), Inches(height)).text_frame
        frame.word_wrap = True
        frame.text = in_xml(text)
        write_text(frame, size, colour=colour, align=align, font=None if self.themed else FONT)
        return frame

    def _cover(self) -> None:
        slide = self._slide(self.leaf.title)
        if not self.themed:
            slide.shapes.title.top, slide.shapes.title.height = Inches(1.7), Inches(0.8)
            write_text(slide.shapes.title.text_frame, 36, bold=True)
        self._say(
            slide, LEFT, 2.5, self.wide - 1, f"{self.leaf.heading}. {self.leaf.published_words}".strip(". "), 16, SOFT
        )
        about = self.leaf.about
        if about and about.state == "withdrawn":
            self._say(slide, LEFT, 2.95, self.wide - 1, f"Withdrawn: {about.why}", 14)
        if about and about.note:
            self._say(slide, LEFT, 3.4, self.wide - 3, about.note, 14, height=1.6)
        tally = self.leaf.picture.tally
        if tally:
            table = slide.shapes.add_table(
                1, len(tally), Inches(LEFT), Inches(5.4), Inches(self.wide - 0.9), Inches(0.45)
            )
            plain_shape(table, "Readings by state")
            for x, part in enumerate(tally):
                write_cell(
                    table.table.cell(0, x), f"{part.count} {part.name}", 13, state=self.leaf.states.get(part.state)
                )
        if self.leaf.picture.changed:
            self._say(slide, LEFT, 5.95, self.wide - 1, self.leaf.picture.changed, 12, SOFT)
        slide.notes_slide.notes_text_frame.text = in_xml(
            about.note if about and about.note else self.leaf.picture.changed
        )

    def _section(self, title: str, words: str, boxes: Sequence[Piece]) -> None:
        slide = self._slide(title, words)
        x0, y0 = min(box.x for box in boxes), min(box.y for box in boxes)
        across = max(box.x + box.width for box in boxes) - x0
        along = max(box.y + box.height for box in boxes) - y0
        scale = min((self.wide - LEFT - RIGHT) / across, (self.high - self.top - FOOT) / along)
        later: list[tuple[Sheet, InstrumentPicture]] = []
        for box in boxes:
            key = box.sheet
            place = LEFT + (box.x - x0) * scale, self.top + (box.y - y0) * scale, box.width * scale, box.height * scale
            sheet, picture = self.sheets.get(key, (None, None))
            if sheet is not None and picture is not None and sheet.instrument.face == "ledger" and not sheet.problem:
                if key in self.told:
                    continue  # all of it stands on slides of its own
                self.told.add(key)
                if len(picture.readings) + 2 <= place[3] / LEAST_ROW:
                    self._table(slide, picture, sheet, picture.readings, place)
                else:
                    later.append((sheet, picture))
                    self._say(slide, *place[:3], f"{picture.title}: on the next slide", 11, SOFT)
                continue
            if key in self.texts:
                self._text(slide, self.texts[key], place)
                continue
            if self.charts and sheet is not None and picture is not None and (kind := chart_of(sheet, picture)):
                self._chart(slide, kind, sheet, picture, place)
                continue
            shape = slide.shapes.add_picture(io.BytesIO(box.png), *map(Inches, place))
            shape._element._nvXxPr.cNvPr.set("descr", in_xml(self._alternative(key)))
        slide.notes_slide.notes_text_frame.text = in_xml(self._notes([box.sheet for box in boxes]))
        for sheet, picture in later:
            self._on_its_own(title, sheet, picture)

    def _chart(
        self, slide: Any, kind: Any, sheet: Sheet, picture: InstrumentPicture, place: tuple[float, float, float, float]
    ) -> None:  # fmt: skip
        """A chart of the slides' own: its figures can be looked up and worked with there."""
        x, y, width, height = place
        self._say(slide, x, y, width, picture.title, 11).paragraphs[0].runs[0].font.bold = True
        form = number_form(sheet.subjects[sheet.readings[0].subject].unit, self.leaf.frozen.style)
        data: Any = CategoryChartData(number_format=form)  # type: ignore[no-untyped-call]
        readings = picture.readings
        if sheet.instrument.face == "history":
            moments = sheet.readings[0].earlier
            data.categories = [self.leaf.frozen.page.when(moment.period).short for moment in moments]
            data.add_series(picture.title, [moment.value for moment in moments])
            if any(moment.mark is not None for moment in moments):
                mark = readings[0].marks[0].name if readings[0].marks else "mark"
                data.add_series(mark, [moment.mark for moment in moments])
            colours: list[str | None] = []
        else:
            # Bars are listed from the bottom up there; a state is told by its word too.
            listed = list(reversed(readings)) if kind == XL_CHART_TYPE.BAR_CLUSTERED else list(readings)
            named = [self.leaf.states.get(reading.state or "") for reading in listed]
            data.categories = [
                f"{r.label} ({state.name})" if state else r.label for r, state in zip(listed, named, strict=True)
            ]
            data.add_series(picture.title, [reading.value for reading in listed])
            colours = [palettes.shades(state, dark=False).full if state else SOFT for state in named]
            if any(reading.marks for reading in listed):
                mark = next(reading.marks[0].name for reading in listed if reading.marks)
                data.add_series(mark, [reading.marks[0].value if reading.marks else None for reading in listed])
        shape = slide.shapes.add_chart(kind, *map(Inches, (x, y + 0.26, width, height - 0.26)), data)
        shape._element._nvXxPr.cNvPr.set("descr", in_xml(alternative(sheet, picture)))
        chart = shape.chart
        chart.has_title, chart.has_legend, chart.font.size, chart.font.name = (
            False,
            len(chart.plots[0].series) > 1,
            Pt(9),
            None if self.themed else FONT,
        )
        if chart.has_legend:
            chart.legend.include_in_layout = False
        chart.plots[0].has_data_labels = sheet.instrument.face != "history"
        if chart.plots[0].has_data_labels:
            chart.plots[0].data_labels.number_format, chart.plots[0].data_labels.number_format_is_linked = form, False
            chart.plots[0].data_labels.font.size = Pt(8)
        for at, colour in enumerate(colours):
            fill = chart.plots[0].series[0].points[at].format.fill
            fill.solid()
            fill.fore_color.rgb = rgb_of(colour or SOFT)
        for series in list(chart.plots[0].series)[1:]:
            looks = series.format.line if sheet.instrument.face == "history" else series.format.fill
            if sheet.instrument.face == "history":
                looks.color.rgb = rgb_of(SOFT)
            else:
                looks.solid()
                looks.fore_color.rgb = rgb_of(INK)

    def _on_its_own(self, title: str, sheet: Sheet, picture: InstrumentPicture) -> None:
        """A ledger that does not fit its place, on slides of its own."""
        readings = picture.readings
        for at in range(0, len(readings), ROWS):
            some = readings[at : at + ROWS]
            more = f", {at + 1} to {at + len(some)} of {len(readings)}" if len(readings) > ROWS else ""
            slide = self._slide(title, "")
            place = LEFT, self.top - 0.1, self.wide - LEFT - RIGHT, (len(some) + 1) * 0.32
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
        plain_shape(shape, picture.title)
        table = shape.table
        shares = [2.2, *(1.25 if column in ("state", "headroom") else 1.0 for column in columns)]
        for at, share in enumerate(shares):
            table.columns[at].width = Emu(int(Inches(width) * share / sum(shares)))
        heads = [mark.capitalize() if column == "mark" else _HEADS[column] for column in columns]
        size = 10.5 if height / (len(readings) + 1) > 0.27 else 9
        for at, text in enumerate(["", *heads]):
            write_cell(table.cell(0, at), text, size - 1, colour=SOFT, bold=True, right=0 < at < len(columns))
        for down, reading in enumerate(readings, start=1):
            write_cell(table.cell(down, 0), reading.label or picture.title, size, bold=reading.role == "group")
            for at, column in enumerate(columns, start=1):
                cell = table.cell(down, at)
                if column == "state":
                    state = self.leaf.states.get(reading.state or "")
                    write_cell(cell, state.name if state else reading.status.replace("_", " "), size, state=state)
                else:
                    write_cell(cell, figure_of(reading, column), size, bold=column == "value", right=True)

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
                run.font.size, run.font.name = Pt(15 if block.kind == "heading" else 12), None if self.themed else FONT
                run.font.bold = span.bold or span.figure or block.kind == "heading"
                run.font.italic = span.italic
                run.font.color.rgb = rgb_of(INK)

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
