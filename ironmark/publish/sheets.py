"""Tables as files for spreadsheets: numbers as numbers, and nothing in them that a spreadsheet would run."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re
from collections.abc import Collection, Mapping, Sequence
from functools import cache
from typing import Any

import xlsxwriter

from ironmark.core.numbers import NumberStyle, Unit, symbol

Cell = str | float | None
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_RUN = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet takes for a formula at the start of a cell


def safe(text: str) -> str:
    """A text that a spreadsheet shows as it is."""
    return f"'{text}" if text.startswith(_RUN) else text


def as_csv(head: Sequence[str], rows: Sequence[Sequence[Cell]]) -> bytes:
    """UTF-8 with its mark, so that accents are read right."""
    text = io.StringIO()
    writer = csv.writer(text)
    writer.writerow([safe(label) for label in head])
    for row in rows:
        writer.writerow(
            [safe(cell) if isinstance(cell, str) else "" if cell is None else _digits(cell) for cell in row]
        )
    return b"\xef\xbb\xbf" + text.getvalue().encode()


def _digits(value: float) -> str:
    return str(int(value)) if float(value).is_integer() and abs(value) < 1e15 else repr(float(value))


def as_xlsx(
    head: Sequence[str],
    rows: Sequence[Sequence[Cell]],
    *,
    sheet: str,
    form: str = "General",
    bold: Collection[tuple[int, int]] = (),
    forms: Mapping[tuple[int, int], str] | None = None,
    fills: Mapping[tuple[int, int], tuple[str, str]] | None = None,
) -> bytes:
    """form: how numbers are shown, and how single cells (row, column) are by ``forms``. bold: cells that stand out.
    fills: cells with a ground and the colour of their text, ``#rrggbb``."""
    buffer = io.BytesIO()
    with xlsxwriter.Workbook(
        buffer, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    ) as book:
        book.set_properties({"created": dt.datetime(2000, 1, 1)})
        page = book.add_worksheet(re.sub(r"[\[\]:*?/\\']", " ", sheet)[:31].strip() or "Sheet")
        strong = book.add_format({"bold": True, "bottom": 1})

        @cache
        def style(number: str, loud: bool, fill: tuple[str, str] | None) -> Any:
            ground = {"bg_color": fill[0], "font_color": fill[1]} if fill else {}
            return book.add_format({"num_format": number, "bold": loud, **ground})

        for x, label in enumerate(head):
            page.write_string(0, x, label, strong)
        for y, row in enumerate(rows):
            for x, cell in enumerate(row):
                at = (y, x)
                looks = style((forms or {}).get(at, form), at in bold, (fills or {}).get(at))
                if isinstance(cell, str):
                    page.write_string(y + 1, x, cell, looks)  # a typed text, whatever it begins with
                elif cell is not None:
                    page.write_number(y + 1, x, cell, looks)
        page.freeze_panes(1, 1)
        page.set_column(0, 0, 28)
        page.set_column(1, max(1, len(head) - 1), 12)
    return buffer.getvalue()


def number_form(unit: Unit, style: NumberStyle) -> str:
    """A unit as a spreadsheet's number format."""
    digits = "0." + "0" * unit.decimals if unit.decimals else "0"
    if unit.kind == "percent":
        return f"{digits}%"
    body = f"#,##{digits}"
    return f'"{symbol(unit.currency, style)}"{body}' if unit.kind == "currency" else body
