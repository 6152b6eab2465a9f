"""A table as it came: every cell as it is read, before anybody says what is what."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import lxml.html
import python_calamine as calamine

from ironmark.tables.cell_formats import Formats, as_formatted, formats_of
from ironmark.tables.formats import opened
from ironmark.tables.lines import Lines
from ironmark.tables.notations import is_period
from ironmark.tables.quantities import quantity
from ironmark.tables.reader import MAX_COLUMNS, SEPARATORS, decoded
from ironmark.tables.table import Unreadable

OLD_WORKBOOK = b"\xd0\xcf\x11\xe0"  # how the file of an XLS begins
ALL_ALIKE = "*"  # in place of a sheet's name: all that have the same heads, as one
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
        return even(_of_html(text))
    return even([*csv.reader(io.StringIO(text, newline=""), delimiter=separator_of_lines(text.splitlines()))])


_DECIMAL_COMMA = re.compile(r"\d,\d")


def separator_of_lines(lines: Sequence[str]) -> str:
    """The separator that cuts most lines into the same number of cells; titles and notes have others."""
    sample = lines[:200]
    best, score = ",", (0.0, 0)
    # Commas that stand within numbers cut nothing where something else may.
    others = any(separator in line for line in sample[:20] for separator in SEPARATORS[1:])
    for separator in SEPARATORS[1:] if others and _are_within_numbers(sample) else SEPARATORS:
        try:
            widths = Counter(len(row) for row in csv.reader(sample, delimiter=separator) if any(row))
        except csv.Error:
            continue
        width, count = max(widths.items(), key=lambda one: (one[1] * (one[0] > 1), one[0]), default=(0, 0))
        if width > 1 and (count / max(1, sum(widths.values())), width) > score:
            best, score = separator, (count / sum(widths.values()), width)
    return best


def _are_within_numbers(lines: Sequence[str]) -> bool:
    """Whether commas stand between digits, but for a few."""
    commas = sum(line.count(",") for line in lines)
    return commas > 0 and sum(len(_DECIMAL_COMMA.findall(line)) for line in lines) >= 0.9 * commas


def even(rows: Sequence[Sequence[str]], sheet: str = "", sheets: Sequence[str] = ()) -> Grid:
    """Lines of one width, without blank ones at the end and blank columns at the right."""
    plain = [[_clean(cell) for cell in row] for row in rows]
    while plain and not any(plain[-1]):
        plain.pop()
    width = max((max((at + 1 for at, cell in enumerate(row) if cell), default=0) for row in plain), default=0)
    if not plain or not width:
        raise Unreadable("There are no cells in it. Choose a table with heads and figures.")
    if width > MAX_COLUMNS:
        raise Unreadable(f"The table has {width} columns; at most {MAX_COLUMNS} can be read. Remove some.")
    return Grid(tuple(tuple((row + [""] * width)[:width]) for row in plain), sheet, tuple(sheets))


def _clean(cell: str) -> str:
    plain = " ".join(cell.replace("\u00a0", " ").split())
    # A sign by which a spreadsheet keeps what follows as text.
    return plain[1:] if plain[:1] == "'" and plain[1:2].isalnum() and "'" not in plain[1:] else plain


def _of_workbook(body: bytes, wanted: str | None) -> Grid:
    formats = formats_of(body)
    with opened(body) as book:
        names = book.sheet_names
        if wanted is not None and wanted not in names and wanted != ALL_ALIKE:
            raise Unreadable(f"There is no sheet “{wanted}”; the workbook has {', '.join(names[:10])}.")
        read = [wanted] if wanted in names else names
        found = {name: _sheet(book.get_sheet_by_name(name), formats.get(name, [])) for name in read}
    filled = {name: rows for name, rows in found.items() if any(any(row) for row in rows)}
    if not filled:
        raise Unreadable("The workbook has no cells. Choose one with heads and figures.")
    best = max(filled, key=lambda name: _figures(filled[name]))
    if wanted in names:
        return even(filled[best], best, names)
    sheets = [name for name in names if name in filled]
    alike = _alike(filled, best)
    if len(alike) < 2:
        return even(filled[best], best, sheets)
    return even(_joined(alike), ALL_ALIKE, [ALL_ALIKE, *sheets])


def _alike(filled: dict[str, list[list[str]]], best: str) -> dict[str, tuple[list[list[str]], int]]:
    """The sheets with the same heads as one of them, each with the line of its heads."""
    found: dict[str, tuple[list[list[str]], int]] = {}
    for name, rows in filled.items():
        lines = Lines(even(rows).rows[:200], {}, None)
        if lines.heads and lines.body:
            found[name] = (rows, lines.heads[-1])
    if best not in found:
        return {}
    heads = _cells(found[best][0][found[best][1]])
    return {name: (rows, at) for name, (rows, at) in found.items() if _cells(rows[at]) == heads and len(heads) > 1}


def _cells(row: Sequence[str]) -> list[str]:
    return [_clean(cell) for cell in row if cell]


def _joined(alike: dict[str, tuple[list[list[str]], int]]) -> list[list[str]]:
    """Sheets one below the other, their names in a column of their own: a year, another period or a segment."""
    years = all(re.fullmatch(r"(19|20)\d\d", name) for name in alike)
    called = "Year" if years else "Period" if all(map(is_period, alike)) else "Sheet"
    rows: list[list[str]] = []
    for name, (lines, at) in alike.items():
        if not rows:
            rows += [["", *row] for row in lines[:at]]
            rows.append([called, *lines[at]])
        rows += [[name if any(row) else "", *row] for row in lines[at + 1 :]]
    return rows


def _figures(rows: Sequence[Sequence[str]]) -> int:
    return sum(1 for row in rows[:2000] for cell in row if cell and quantity(cell) is not None)


def _sheet(sheet: calamine.CalamineSheet, formats: Formats) -> list[list[str]]:
    rows: list[list[str]] = []
    last: list[str] = []
    for at, cells in enumerate(sheet.to_python(skip_empty_area=False)):
        last = formats[at] if at < len(formats) else last
        rows.append([as_formatted(cell, last[c] if c < len(last) else "") for c, cell in enumerate(cells)])
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
