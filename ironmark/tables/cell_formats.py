"""What the number formats of a workbook say of its cells: percents, money, units, dates that are months or years."""

from __future__ import annotations

import datetime as dt
import io
import re
import zipfile
from typing import Any
from xml.etree.ElementTree import ParseError

import openpyxl

from ironmark.core.currencies import sign_in
from ironmark.tables.formats import as_text
from ironmark.tables.quantities import measure_of

MOST_READ = 4_000_000  # bytes of a workbook; larger ones come from machines
MOST_LINES = 400  # below these a column goes on as it was

Formats = list[list[str]]  # by line and column; "" for none


def formats_of(body: bytes) -> dict[str, Formats]:
    """The number formats of the sheets of an XLSX, by the name of the sheet; none of what is no such workbook."""
    if len(body) > MOST_READ or body[:2] != b"PK":
        return {}
    try:
        book = openpyxl.load_workbook(io.BytesIO(body), read_only=True)
        return {
            sheet.title: [
                [_kept(getattr(cell, "number_format", "")) for cell in row]
                for row in sheet.iter_rows(min_row=1, max_row=MOST_LINES, min_col=1)
            ]
            for sheet in book.worksheets
        }
    except (ValueError, KeyError, TypeError, AttributeError, IndexError, OSError, ParseError, zipfile.BadZipFile):
        return {}  # formats are a help: the cells themselves are read without them


def _kept(form: str | None) -> str:
    return "" if not form or form == "General" else form


def as_formatted(cell: Any, form: str) -> str:
    """A cell as text, with what its format adds: 12% of 0.12, €5 of 5, 2026-01 of the first of January by month."""
    plain = as_text(cell)
    if not form or isinstance(cell, bool) or not isinstance(cell, int | float | dt.datetime | dt.date):
        return plain
    quoted = " ".join(re.findall(r'"([^"]*)"', form))
    bare = re.sub(r'"[^"]*"|\\.|\[[^\]]*\]', "", form).split(";")[0]
    if isinstance(cell, dt.datetime | dt.date):
        letters = set(re.findall(r"[a-z]", bare.lower()))
        if letters & {"d", "h", "s"} or not letters:
            return plain
        return f"{cell:%Y-%m}" if "m" in letters else f"{cell:%Y}"
    if "%" in bare:
        return f"{as_text(round(float(cell) * 100, 10))}%"
    money = re.search(r"\[\$([^\]-]+)", form)
    sign = sign_in(money[1] if money else form)
    if sign:
        return f"{sign}{plain}" if not plain.startswith("-") else f"-{sign}{plain[1:]}"
    beside = (money[1] if money else quoted).strip()
    if beside and (found := measure_of(beside)) is not None and found.scale == 1 and found:
        return f"{plain} {beside}"
    return plain
