"""A page as a workbook: a summary, a sheet an instrument, every reading in one table, marks, yardsticks and notes."""

from __future__ import annotations

import datetime as dt
import io
import re
from functools import cached_property
from typing import Any

import xlsxwriter

from ironmark.core import palette as palettes
from ironmark.core import words
from ironmark.core.numbers import Unit, unit_words
from ironmark.pages.drawing.draw_texts import as_text
from ironmark.pages.model.page import Reading, Sheet, Subject
from ironmark.pages.model.pictures import InstrumentPicture
from ironmark.publish.export_page import ExportPage, Row
from ironmark.publish.sheets import number_form
from ironmark.publish.tidy import about

PERCENT = "0.0%"
MADE = dt.datetime(2000, 1, 1)  # of a page that is no edition: the same page makes the same bytes
READINGS = {  # and how wide each is
    "section": 18, "instrument": 28, "kpi": 26, "member": 24, "period": 12, "period_name": 16, "value": 14, "unit": 10,
    "mark_name": 10, "mark": 14, "gap": 14, "attainment": 11, "state": 14, "rank": 7, "partial": 18, "usual_low": 12,
    "usual_high": 12, "signal": 36, "few_rows": 24, "outlook": 12, "outlook_low": 12, "outlook_high": 12, "reason": 24,
    "note": 40, "remarks": 24,
}  # fmt: skip
HEADS = {
    "usual_low": "Usual from",
    "usual_high": "Usual to",
    "few_rows": "Few rows",
    "outlook_low": "Outlook from",
    "outlook_high": "Outlook to",
    "period_name": "Period in words",
    "mark_name": "Which mark",
    "kpi": "KPI",
}
INSTRUMENT = ("what", "period", "value", "unit", "mark", "gap", "reached", "state", "partial")
_NUMBERS = ("value", "mark", "gap", "usual_low", "usual_high", "outlook", "outlook_low", "outlook_high")
FIGURES = (
    "Value",
    "Mark",
    "Gap",
    "Reached",
    "Attainment",
    "Rank",
    "Line",
    "Upper cut",
    "Times the mark",
    "Usual from",
    "Usual to",
    "Outlook",
    "Outlook from",
    "Outlook to",
)  # heads that stand over figures


def as_workbook(leaf: ExportPage) -> bytes:
    buffer = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(buffer, options) as book:
        made = dt.datetime.fromisoformat(leaf.about.made_at).replace(tzinfo=None) if leaf.about else MADE
        book.set_properties({"title": leaf.name, "comments": "Made by Iron Mark", "created": made})
        _Writer(book, leaf).write()
    return buffer.getvalue()


class _Writer:
    def __init__(self, book: Any, leaf: ExportPage) -> None:
        self.book, self.leaf, self.locale = book, leaf, leaf.frozen.style
        self._styles: dict[tuple[Any, ...], Any] = {}
        self._names = {"Summary", "Readings", "Marks", "Yardsticks", "Notes"}
        self.units = {
            (sheet.title, subject.name): subject.unit for _, sheet, _ in leaf.sheets() for subject in sheet.subjects
        }

    def write(self) -> None:
        sheets = list(self.leaf.sheets())
        summary = self._sheet("Summary")
        pages = [(section, sheet, picture, self._named(sheet.title)) for section, sheet, picture in sheets]
        self._summary(summary, pages)
        for section, sheet, picture, name in pages:
            self._instrument(self.book.add_worksheet(name), section, sheet, picture)
        self._readings(self._sheet("Readings"))
        self._marks(self._sheet("Marks"), [sheet for _, sheet, _ in sheets])
        self._yardsticks(self._sheet("Yardsticks"), [sheet for _, sheet, _ in sheets])
        self._notes(self._sheet("Notes"))

    def _sheet(self, name: str) -> Any:
        return self.book.add_worksheet(name)

    def _named(self, title: str) -> str:
        """A name for a sheet that no other one has, of at most 31 characters of those that may be in one."""
        plain = re.sub(r"[\[\]:*?/\\']", " ", title).strip()[:31].strip() or "Sheet"
        name, n = plain, 1
        taken = {held.casefold() for held in self._names} | {"history"}
        while name.casefold() in taken:
            n += 1
            name = f"{plain[: 31 - len(str(n)) - 1]} {n}"
        self._names.add(name)
        return name

    def style(self, form: str = "General", **looks: Any) -> Any:
        key = (form, tuple(sorted(looks.items())))
        if key not in self._styles:
            self._styles[key] = self.book.add_format({"num_format": form, "valign": "top", **looks})
        return self._styles[key]

    def put(self, page: Any, y: int, x: int, cell: object, style: Any = None) -> None:
        if isinstance(cell, str):
            page.write_string(y, x, cell, style or self.style())  # a typed text, whatever it begins with
        elif cell is not None:
            page.write_number(y, x, cell, style or self.style())
        elif style is not None:
            page.write_blank(y, x, None, style)

    def head(self, page: Any, y: int, labels: list[str], widths: list[int], rows: int) -> None:
        """A head of columns that stays in sight and is printed on every page, with what is needed to print."""
        page.set_row(y, 30)
        for x, label in enumerate(labels):
            side = "right" if label in FIGURES else "left"
            self.put(page, y, x, label, self.style(bold=True, bottom=1, text_wrap=True, valign="bottom", align=side))
            page.set_column(x, x, widths[x])
        page.freeze_panes(y + 1, 1)
        page.repeat_rows(y)
        page.autofilter(y, 0, y + max(1, rows), len(labels) - 1)
        self.printed(page)

    def printed(self, page: Any) -> None:
        page.set_landscape()
        page.set_paper(9)
        page.fit_to_pages(1, 0)
        page.set_footer(f"&L{_plain(self.leaf.name)}&R&P / &N")

    @cached_property
    def fills(self) -> dict[str, Any]:
        """The look of a cell that tells a state, by the state's name."""
        found = {}
        for state in self.leaf.frozen.page.states:
            shades = palettes.shades(state, dark=False)
            found[state.name] = self.style(bg_color=shades.full, font_color=shades.on, bold=True, indent=1)
        return found

    def state(self, page: Any, y: int, x: int, row: Row) -> None:
        word = row.state or row.status.replace("_", " ")
        self.put(page, y, x, word, self.fills.get(row.state))

    def _summary(self, page: Any, pages: list[tuple[str, Sheet, InstrumentPicture, str]]) -> None:
        y = 0
        page.set_row(0, 24)
        self.put(page, y, 0, self.leaf.title, self.style(bold=True, font_size=16))
        for label, text in about(self.leaf)[1:]:
            y += 1
            self.put(page, y, 0, label, self.style(font_color="#5c6870"))
            self.put(page, y, 1, text, self.style(text_wrap=label == "Note"))
        y += 2
        self.put(page, y, 0, "Readings by state", self.style(bold=True))
        for part in self.leaf.picture.tally:
            y += 1
            self.put(page, y, 0, part.name, self.fills.get(part.name))
            self.put(page, y, 1, part.count, self.style("0", align="left"))
        y += 2
        for x, label in enumerate(("Instrument", "Section", "Period", "Reading", "Unit", "Mark", "State")):
            side = "right" if label in ("Reading", "Mark") else "left"
            self.put(page, y, x, label, self.style(bold=True, bottom=1, align=side))
        for section, sheet, picture, name in pages:
            y += 1
            page.write_url(y, 0, f"internal:'{name}'!A1", self.style(font_color="#5a3d8a"), sheet.title)
            self.put(page, y, 1, section)
            if sheet.problem:
                self.put(page, y, 2, sheet.problem)
                continue
            first = next(zip(sheet.readings, picture.readings, strict=False), None)
            if first is None or len(sheet.readings) > 1:
                self.put(page, y, 2, f"{len(sheet.readings)} readings")
                continue
            row = self.leaf.row(section, sheet, *first)
            unit = sheet.subjects[first[0].subject].unit
            self.put(page, y, 2, row.period)
            self.put(page, y, 3, row.value, self.style(number_form(unit, self.locale)))
            self.put(page, y, 4, row.unit)
            self.put(page, y, 5, row.mark, self.style(number_form(unit, self.locale)))
            self.state(page, y, 6, row)
        for x, width in enumerate((34, 44, 18, 14, 10, 14, 14)):
            page.set_column(x, x, width)
        self.printed(page)

    def _instrument(self, page: Any, section: str, sheet: Sheet, picture: InstrumentPicture) -> None:
        self.put(page, 0, 0, sheet.title, self.style(bold=True, font_size=13))
        told = " · ".join(part for part in (section, sheet.reach, *sheet.notes) if part)
        self.put(page, 1, 0, sheet.problem or told, self.style(font_color="#5c6870"))
        labels = [label.capitalize() for label in INSTRUMENT]
        self.head(page, 3, labels, [34, 12, 14, 10, 14, 14, 10, 16, 18], len(sheet.readings))
        for y, (reading, drawn) in enumerate(zip(sheet.readings, picture.readings, strict=False), start=4):
            row = self.leaf.row(section, sheet, reading, drawn)
            form = self.style(number_form(sheet.subjects[reading.subject].unit, self.locale))
            self.put(page, y, 0, reading.label or sheet.title, self.style(bold=reading.role == "group"))
            self.put(page, y, 1, row.period)
            self.put(page, y, 3, row.unit)
            for x, figure in zip((2, 4, 5), (row.value, row.mark, row.gap), strict=True):
                self.put(page, y, x, figure, form)
            self.put(page, y, 6, row.attainment, self.style(PERCENT))
            self.state(page, y, 7, row)
            self.put(page, y, 8, row.partial)

    def _readings(self, page: Any) -> None:
        labels = [HEADS.get(name, name.replace("_", " ").capitalize()) for name in READINGS]
        self.head(
            page,
            0,
            labels,
            list(READINGS.values()),
            len(self.leaf.rows),
        )
        for y, row in enumerate(self.leaf.rows, start=1):
            unit = self.units.get((row.instrument, row.kpi), Unit())
            for x, name in enumerate(READINGS):
                if name == "state":
                    self.state(page, y, x, row)
                    continue
                form = (
                    number_form(unit, self.locale)
                    if name in _NUMBERS
                    else PERCENT
                    if name == "attainment"
                    else "General"
                )
                self.put(page, y, x, getattr(row, name), self.style(form))

    def _marks(self, page: Any, sheets: list[Sheet]) -> None:
        from_where = {"entry": "mark book", "members": "its members’ marks", "computed": "computed"}
        found: dict[tuple[str, str], tuple[Subject, Reading, int]] = {}
        for sheet in sheets:
            for reading in sheet.readings:
                for n, mark in enumerate(reading.marks):
                    found.setdefault((reading.of, mark.name), (sheet.subjects[reading.subject], reading, n))
        labels = ["KPI", "Member", "Period", "Mark", "Line", "Unit", "Where from"]
        self.head(page, 0, labels, [28, 26, 12, 12, 14, 10, 20], len(found))
        for y, (subject, reading, n) in enumerate(found.values(), start=1):
            mark = reading.marks[n]
            for x, text in enumerate((subject.name, reading.member or "", reading.period, mark.name)):
                self.put(page, y, x, text)
            self.put(page, y, 4, mark.value, self.style(number_form(subject.unit, self.locale)))
            self.put(page, y, 5, unit_words(subject.unit))
            self.put(page, y, 6, from_where[mark.source])

    def _yardsticks(self, page: Any, sheets: list[Sheet]) -> None:
        held = {s.yardstick.key: s for sheet in sheets for s in sheet.subjects if s.yardstick}
        labels = ["Yardstick", "Band from the lowest values up", "State", "Upper cut", "Unit", "Times the mark", "Of which mark", "In words", "The cut belongs to the band"]  # fmt: skip
        self.head(page, 0, labels, [28, 18, 16, 14, 10, 12, 14, 24, 18], sum(len(s.yardstick.bands) for s in held.values() if s.yardstick))  # fmt: skip
        y = 0
        for subject in held.values():
            graded = subject.yardstick
            assert graded is not None
            for at, band in enumerate(graded.bands):
                y += 1
                state = self.leaf.states[band]
                self.put(page, y, 0, graded.name)
                self.put(page, y, 1, at + 1, self.style("0", align="left"))
                self.put(page, y, 2, state.name, self.fills.get(state.name))
                if at < len(graded.cuts):
                    cut = graded.cuts[at]
                    self.put(page, y, 3, cut.offset, self.style(number_form(subject.unit, self.locale)))
                    self.put(page, y, 4, unit_words(subject.unit))
                    if cut.mark is not None:
                        self.put(page, y, 5, cut.factor, self.style())
                        self.put(page, y, 6, cut.mark)
                    self.put(page, y, 7, words.cut_words(cut, subject.unit, self.locale))
                    self.put(page, y, 8, cut.belongs)

    def _notes(self, page: Any) -> None:
        found = [("Edition", self.leaf.about.note)] if self.leaf.about and self.leaf.about.note else []
        found += [(note.heading, self.leaf.notes[note.about]) for note in self.leaf.picture.notes]
        for text in self.leaf.picture.texts:
            written = as_text(text.blocks)
            found.append(("Text", written))
        found += [(sheet.title, " · ".join(sheet.notes)) for _, sheet, _ in self.leaf.sheets() if sheet.notes]
        found += [(sheet.title, sheet.problem) for _, sheet, _ in self.leaf.sheets() if sheet.problem]
        self.head(page, 0, ["Where", "What is said"], [34, 100], len(found))
        for y, (where, said) in enumerate(found, start=1):
            self.put(page, y, 0, where)
            self.put(page, y, 1, said, self.style(text_wrap=True))


def _plain(text: str) -> str:
    """A text in a footer, where & begins a code."""
    return text.replace("&", "&&")[:200]
