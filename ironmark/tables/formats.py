"""Files of every kind that is read: workbooks, records, columns; what is none of these is delimited text."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from itertools import chain, dropwhile, islice
from pathlib import Path
from typing import Any

import polars as pl
import python_calamine as calamine

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal, TypedCells, typed_cells, way_of
from ironmark.tables.column_typing import by_members
from ironmark.tables.reader import (
    MAX_COLUMNS,
    read_cells,
    read_delimited,
    typed_in_parts,
)
from ironmark.tables.spans import A_MINUTE, IN_MINUTES
from ironmark.tables.table import Problem, Table, Unreadable, identifiers, with_roles

MAX_UNPACKED = 1024 * 1024 * 1024
_HEADER_WITHIN = 30  # rows in which the header of a sheet is looked for


def is_records(body: bytes) -> bool:
    """Whether a file begins as JSON does."""
    return body.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] in (b"[", b"{")


def read_file(body: bytes, sheet: str | None = None, decimal: Decimal | None = None) -> Table:
    """Read a file by what it holds, whatever it is called. Raises Unreadable.

    decimal: how texts write numbers; None has it found.

    XLSX and ODS workbooks (``sheet`` names one, else the first with cells), Parquet, JSON records, or delimited
    text. Formula cells and merged cells are read as their values.
    """
    if body[:4] == b"PK\x03\x04":
        return _workbook(body, sheet, decimal)
    if body[:4] == b"PAR1":
        return _parquet(body)
    if is_records(body):
        return _records(body)
    return read_delimited(body, decimal)


def raw_rows(body: bytes, sheet: str | None = None) -> tuple[list[str], list[list[str]]]:
    """The headings and cells of a workbook's sheet or of delimited text, all as texts. Raises Unreadable."""
    if body[:4] == b"PK\x03\x04":
        labels, rows, _ = _sheet_of(body, sheet)
        return labels, [row + [""] * (len(labels) - len(row)) for row in rows if any(row)]
    labels, frame = read_cells(body)
    return labels, [["" if cell is None else cell for cell in row] for row in frame.rows()]


def sheet_names(body: bytes) -> list[str]:
    """The sheets of a workbook that have cells; none for a file that is no workbook. Raises Unreadable."""
    if body[:4] != b"PK\x03\x04":
        return []
    with opened(body) as book:
        return [
            name for name in book.sheet_names if any(_filled([row]) for row in book.get_sheet_by_name(name).iter_rows())
        ]


def unpacked_size(body: bytes | Path) -> int:
    """Bytes that a workbook unpacks to; of an old one, which is not packed, its own. Raises Unreadable."""
    try:
        with zipfile.ZipFile(io.BytesIO(body) if isinstance(body, bytes) else body) as packed:
            found = sum(info.file_size for info in packed.infolist())
    except zipfile.BadZipFile:
        return len(body) if isinstance(body, bytes) else body.stat().st_size
    if found > MAX_UNPACKED:
        raise Unreadable("The workbook unpacks to more than 1 GB. Save the sheet you need as CSV and upload that.")
    return found


@contextmanager
def opened(body: bytes | Path) -> Iterator[calamine.CalamineWorkbook]:
    try:
        unpacked_size(body)
        with calamine.load_workbook(io.BytesIO(body) if isinstance(body, bytes) else body) as book:
            yield book
    except Unreadable:
        raise
    except calamine.PasswordError:
        raise Unreadable("The workbook has a password. Save it without one and upload that.") from None
    except (zipfile.BadZipFile, calamine.CalamineError, OSError, ValueError):
        raise Unreadable(
            "This is neither an XLSX nor an ODS workbook, or it is damaged. Save the sheet as CSV and upload that."
        ) from None


def _filled(rows: Sequence[Sequence[Any]]) -> bool:
    return any(any(as_text(cell) for cell in row) for row in rows)


def _workbook(body: bytes, wanted: str | None, decimal: Decimal | None) -> Table:
    return _from_rows(*_sheet_of(body, wanted), decimal)


def _sheet_of(body: bytes, wanted: str | None) -> tuple[list[str], list[list[str]], list[Problem]]:
    with opened(body) as book:
        names = book.sheet_names
        if wanted is not None and wanted not in names:
            raise Unreadable(f"There is no sheet “{wanted}”; the workbook has {', '.join(names[:10])}.")
        for name in [wanted] if wanted is not None else names:
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=True)
            if _filled(rows):
                return _sheet(rows, name, [other for other in names if other != name])
    raise Unreadable("The workbook has no cells. Choose one with a header line and rows below it.")


def as_lines(workbook: Path, into: Path, wanted: str | None) -> list[Problem]:
    """A sheet too large for all its cells to be held, as delimited text: the one that is wanted, else the one with most
    cells. What is to be said of it. Raises Unreadable."""
    with opened(workbook) as book:
        names = book.sheet_names
        if wanted is not None and wanted not in names:
            raise Unreadable(f"There is no sheet “{wanted}”; the workbook has {', '.join(names[:10])}.")
        sheets = [book.get_sheet_by_name(name) for name in ([wanted] if wanted is not None else names)]
        sheet = max(sheets, key=lambda one: one.height * one.width)
        del sheets
        rows = dropwhile(lambda row: not _filled([row]), sheet.iter_rows())
        first = list(islice(rows, _HEADER_WITHIN))
        if not first:
            raise Unreadable("The workbook has no cells. Choose one with a header line and rows below it.")
        labels, below, problems = _sheet(first, sheet.name, [name for name in names if name != sheet.name])
        with into.open("w", newline="", encoding="utf-8") as file:
            lines = csv.writer(file)
            lines.writerow(labels)
            later = ([as_text(cell) for cell in row[: len(labels)]] for row in rows)
            lines.writerows(row + [""] * (len(labels) - len(row)) for row in chain(below, later) if any(row))
    return problems


def _sheet(
    rows: Sequence[Sequence[Any]], name: str, others: Sequence[str]
) -> tuple[list[str], list[list[str]], list[Problem]]:
    header_at = _header(rows)
    labels = [as_text(cell) for cell in rows[header_at]]
    while labels and not labels[-1]:
        labels.pop()
    if len(labels) > MAX_COLUMNS:
        raise Unreadable(f"The sheet has {len(labels)} columns; at most {MAX_COLUMNS} can be read. Remove some.")
    below = [[as_text(cell) for cell in row[: len(labels)]] for row in rows[header_at + 1 :]]
    problems = []
    if others:
        problems.append(Problem(f"The sheet “{name}” was read. The workbook also has {', '.join(others[:8])}."))
    if header_at:
        problems.append(Problem(f"The header was found in line {header_at + 1}; the lines above it were left out."))
    return labels, below, problems


def _header(rows: Sequence[Sequence[Any]]) -> int:
    """The first row that is filled as widely as any near the top, with texts in most of its cells."""
    near = rows[:_HEADER_WITHIN]
    widths = [sum(bool(as_text(cell)) for cell in row) for row in near]
    widest = max(widths)
    for at, (row, width) in enumerate(zip(near, widths, strict=True)):
        texts = sum(isinstance(cell, str) and bool(cell.strip()) for cell in row)
        if width >= max(1, 0.7 * widest) and texts >= 0.5 * width:
            return at
    return next(at for at, width in enumerate(widths) if width)


def _from_rows(
    labels: list[str], rows: list[list[str]], problems: list[Problem], decimal: Decimal | None = None
) -> Table:
    rows = [row + [""] * (len(labels) - len(row)) for row in rows if any(row)]
    schema = {f"c{i}": pl.String for i in range(len(labels))}
    raw = pl.DataFrame(rows, schema=schema, orient="row")
    return typed_in_parts(labels, raw, problems, decimal or way_of(raw))


def as_text(cell: Any) -> str:
    """A cell as it would stand in delimited text."""
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        if cell.is_integer() and abs(cell) < 1e15:
            return str(int(cell))
        written = repr(cell)
        # A number has a decimal point; a fourth decimal keeps 1.234 from looking like thousands.
        return f"{written}0" if len(written.partition(".")[2]) == 3 and written[-3:].isdigit() else written
    if isinstance(cell, dt.datetime | dt.date):
        return cell.isoformat()
    if isinstance(cell, dt.timedelta):  # how long it took, however many days that was
        seconds = round(cell.total_seconds())
        return f"{'-' * (seconds < 0)}{abs(seconds) // 3600}:{abs(seconds) // 60 % 60:02}:{abs(seconds) % 60:02}"
    if isinstance(cell, dt.time):
        return cell.isoformat("seconds")
    if isinstance(cell, list | dict):
        return json.dumps(cell, ensure_ascii=False)
    return str(cell).strip()


def _records(body: bytes) -> Table:
    """A list of objects, or one object that holds such a list, or one object a line."""
    text = body.decode("utf-8-sig", errors="replace")
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        try:
            found = [json.loads(line) for line in text.splitlines() if line.strip()]
        except (ValueError, RecursionError):
            raise Unreadable("The JSON cannot be read. It must be a list of objects with one object a row.") from None
    if isinstance(found, dict):
        found = _list_within(found) or [found]
    if not isinstance(found, list) or not found or not all(isinstance(row, dict) for row in found):
        raise Unreadable("The JSON must be a list of objects with one object a row, such as [{“day”: …, “fare”: …}].")
    found = [_flat(row) for row in found]
    labels = list(dict.fromkeys(key for row in found for key in row))
    if not 0 < len(labels) <= MAX_COLUMNS:
        raise Unreadable(f"The records have {len(labels)} fields; 1 to {MAX_COLUMNS} can be read.")
    return _from_rows(labels, [[as_text(row.get(label)) for label in labels] for row in found], [])


_DEEPEST = 4  # objects within objects that are looked into


def _list_within(record: dict[str, Any], deep: int = 1) -> list[Any] | None:
    """The first list of objects that an object holds, or one within it; else the first list."""
    lists = [value for value in record.values() if isinstance(value, list)]
    of_objects = next((one for one in lists if one and all(isinstance(row, dict) for row in one)), None)
    if of_objects is None and deep < _DEEPEST:
        within = (_list_within(value, deep + 1) for value in record.values() if isinstance(value, dict))
        of_objects = next((one for one in within if one), None)
    return of_objects or next(iter(lists), None)


def _flat(record: dict[str, Any], above: str = "", deep: int = 1) -> dict[str, Any]:
    """An object with what objects within it hold beside the rest, called by both."""
    flat: dict[str, Any] = {}
    for key, value in record.items():
        label = f"{above} {key}".strip()
        if isinstance(value, dict) and value and deep < _DEEPEST:
            flat |= {name: inner for name, inner in _flat(value, label, deep + 1).items() if name not in record}
        elif isinstance(value, list) and not any(isinstance(one, dict | list) for one in value):
            flat[label] = ", ".join(map(as_text, value))
        else:
            flat[label] = value
    return flat


def _parquet(body: bytes) -> Table:
    try:
        frame = pl.read_parquet(io.BytesIO(body))
    except Exception:  # the reader raises errors of several libraries for a damaged file
        raise Unreadable("The Parquet file is damaged. Write it again and upload that.") from None
    if not 0 < frame.width <= MAX_COLUMNS:
        raise Unreadable(f"The file has {frame.width} columns; 1 to {MAX_COLUMNS} can be read.")
    labels, cells = frame.columns, frame.get_columns()
    names = identifiers(labels)
    del frame
    series, kinds, problems, grains = [], list[ColumnType](), list[Problem](), dict[str, RowGrain]()
    for name, label in zip(names, labels, strict=True):
        typed, kind, found, grain = _typed(cells.pop(0), label)
        series.append(typed.alias(name))
        kinds.append(kind)
        grains |= {name: grain} if grain else {}
        problems += [replace(problem, column=name) for problem in found]
    return with_roles(pl.DataFrame(series), labels, kinds, problems, grains)


def _typed(cells: pl.Series, label: str) -> TypedCells:
    """A column that says of what type it is; texts may still hold numbers, days or flags."""
    kind = cells.dtype
    if kind.is_numeric():
        numbers = cells.cast(pl.Float64)
        return TypedCells(numbers.set(~numbers.is_finite(), None), "number", [])
    if kind == pl.Boolean:
        return TypedCells(cells, "flag", [])
    if kind == pl.Duration:
        return TypedCells(cells.dt.total_microseconds() / A_MINUTE, "number", [Problem(IN_MINUTES)])
    if kind == pl.Date:
        return TypedCells(cells, "date", [])
    if kind.is_nested() or kind in (pl.Binary, pl.Object):
        return TypedCells(pl.Series(cells.name, [None] * len(cells), dtype=pl.String), "text", [])
    texts = cells.cast(pl.String)
    return by_members(texts, label, "point") or typed_cells(texts, label, "point")
