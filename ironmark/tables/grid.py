"""A table as it came: every cell as it is read, before anybody says what is what."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import lxml.html
import python_calamine as calamine

from ironmark.tables.formats import as_text, opened
from ironmark.tables.quantities import quantity
from ironmark.tables.reader import MAX_COLUMNS, SEPARATORS, decoded
from ironmark.tables.table import Unreadable

OLD_WORKBOOK = b"\xd0\xcf\x11\xe0"  # how the file of an XLS begins
WORKBOOKS = (b"PK\x03\x04", OLD_WORKBOOK)


@dataclass(frozen=True)
class Grid:
    """Cells as texts, (lines, columns), every line of one width. sheet: the one of a workbook; sheets: the names of all."""

    rows: tuple[tuple[str, ...], ...]
    sheet: str = ""
    sheets: tuple[str, ...] = ()

    @property
    def width(self) -> int:
        return len(self.rows[0]) if self.rows else 0


def grid_of(body: bytes, sheet: str | None = None) -> Grid:
    """The cells of a workbook's sheet, of delimited text, or of a table that a spreadsheet puts on the clipboard.

    sheet: None takes the one with most figures. Raises Unreadable.
    """
    if body[:4] in WORKBOOKS:
        return _of_workbook(body, sheet)
    text, _ = decoded(body)
    start = text[:4000].lower()
    if "<table" in start or start.lstrip().startswith(("<html", "<!doctype", "<meta")):
        return _even(_of_html(text))
    return _even([*csv.reader(io.StringIO(text, newline=""), delimiter=_separator(text))])


def _separator(text: str) -> str:
    """The separator that cuts most lines into the same number of cells; titles and notes have others."""
    sample = text.splitlines()[:200]
    best, score = ",", (0.0, 0)
    for separator in SEPARATORS:
        try:
            widths = Counter(len(row) for row in csv.reader(sample, delimiter=separator) if any(row))
        except csv.Error:
            continue
        width, count = max(widths.items(), key=lambda one: (one[1] * (one[0] > 1), one[0]), default=(0, 0))
        if width > 1 and (count / max(1, sum(widths.values())), width) > score:
            best, score = separator, (count / sum(widths.values()), width)
    return best


def _even(rows: Sequence[Sequence[str]], sheet: str = "", sheets: Sequence[str] = ()) -> Grid:
    """Lines of one width, without blank ones at the end and blank columns at the right."""
    plain = [[" ".join(cell.replace("\u00a0", " ").split()) for cell in row] for row in rows]
    while plain and not any(plain[-1]):
        plain.pop()
    width = max((max((at + 1 for at, cell in enumerate(row) if cell), default=0) for row in plain), default=0)
    if not plain or not width:
        raise Unreadable("There are no cells in it. Choose a table with heads and figures.")
    if width > MAX_COLUMNS:
        raise Unreadable(f"The table has {width} columns; at most {MAX_COLUMNS} can be read. Remove some.")
    return Grid(tuple(tuple((row + [""] * width)[:width]) for row in plain), sheet, tuple(sheets))


def _of_workbook(body: bytes, wanted: str | None) -> Grid:
    with opened(body) as book:
        names = book.sheet_names
        if wanted is not None and wanted not in names:
            raise Unreadable(f"There is no sheet “{wanted}”; the workbook has {', '.join(names[:10])}.")
        found = {name: _sheet(book.get_sheet_by_name(name)) for name in ([wanted] if wanted else names)}
    filled = {name: rows for name, rows in found.items() if any(any(row) for row in rows)}
    if not filled:
        raise Unreadable("The workbook has no cells. Choose one with heads and figures.")
    best = max(filled, key=lambda name: _figures(filled[name]))
    return _even(filled[best], best, [name for name in names if wanted or name in filled])


def _figures(rows: Sequence[Sequence[str]]) -> int:
    return sum(1 for row in rows[:2000] for cell in row if cell and quantity(cell) is not None)


def _sheet(sheet: calamine.CalamineSheet) -> list[list[str]]:
    rows = [[as_text(cell) for cell in row] for row in sheet.to_python(skip_empty_area=False)]
    for (top, left), (bottom, right) in sheet.merged_cell_ranges or ():
        if top >= len(rows) or left >= len(rows[top]) or right - left > len(rows[top]) * 0.7:
            continue  # a title over the whole table
        for row in rows[top : bottom + 1]:
            for at in range(left, min(right + 1, len(row))):
                row[at] = rows[top][left]
    return rows


def _of_html(text: str) -> list[list[str]]:
    """The largest table of a page, cells over several lines or columns carried along."""
    try:
        tables = lxml.html.fromstring(text).xpath("//table")
    except (lxml.etree.LxmlError, ValueError):
        tables = []
    if not tables:
        raise Unreadable("There is no table in it. Copy cells in a spreadsheet and paste them here.")
    largest: Any = max(tables, key=lambda table: len(table.xpath(".//td|.//th")))
    rows: list[list[str]] = []
    carried: dict[tuple[int, int], str] = {}
    for at, line in enumerate(largest.xpath(".//tr")[:20_000]):
        row: list[str] = []
        for cell in line.xpath("./td|./th"):
            while (at, len(row)) in carried:
                row.append(carried[at, len(row)])
            said = cell.text_content()
            across = min(int(cell.get("colspan") or 1), MAX_COLUMNS)
            for _ in range(across):
                for below in range(1, min(int(cell.get("rowspan") or 1), 1000)):
                    carried[at + below, len(row)] = said
                row.append(said)
        while (at, len(row)) in carried:
            row.append(carried[at, len(row)])
        rows.append(row)
    return rows
