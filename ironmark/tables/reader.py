"""Delimited text to typed columns, with everything that looked wrong on the way."""

from __future__ import annotations

import csv
import datetime as dt
import io
import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Any, Literal

import numpy as np
import polars as pl

from ironmark.core.formula import AGGREGATES, RESERVED, ColumnType

Role = Literal["period", "segment", "measure", "flag", "text"]
ROLES: dict[Role, tuple[ColumnType, ...]] = {
    "period": ("date",),
    "segment": ("text", "number", "flag", "date"),
    "measure": ("number",),
    "flag": ("flag",),
    "text": ("text", "number", "flag", "date"),
}
MAX_COLUMNS = 500
SEPARATORS = (",", ";", "\t", "|")
BLANKS = ("", "na", "n/a", "#n/a", "null", "none", "nan", "-", "–", "—")
_WRITTEN_BLANKS = ["", *(form for word in BLANKS if word for form in dict.fromkeys((word, word.upper(), word.title())))]
YES = ("yes", "y", "true", "ja", "oui", "si", "sí")
NO = ("no", "n", "false", "nein", "non")
_NEARLY = 0.9  # a column this much of one type is of that type, its other cells are problems
_MONEY = r"[£$€¥\s\u00a0\u202f']"
_POINT = r"^[+\-−]?(\d+|\d{1,3}(,\d{3})+)?(\.\d+)?(e[+-]?\d+)?%?$"
_COMMA = r"^[+\-−]?(\d+|\d{1,3}(\.\d{3})+)?(,\d+)?%?$"
_PLAIN = r"^-?\d+(\.\d+)?$"
Decimal = Literal["point", "comma"]
# What only one of the two ways to write numbers allows; 1.234 and 1,234 are either.
_SURELY: dict[Decimal, str] = {
    "point": r"^[+\-−]?(\d{1,3}(,\d{3})+\.\d+|\d{1,3}(,\d{3}){2,}|0?\.\d+|0+\.\d+|\d{4,}\.\d+|\d+\.(\d{1,2}|\d{4,}))%?$",
    "comma": r"^[+\-−]?(\d{1,3}(\.\d{3})+,\d+|\d{1,3}(\.\d{3}){2,}|0?,\d+|0+,\d+|\d{4,},\d+|\d+,(\d{1,2}|\d{4,}))%?$",
}
_EITHER = r"^[+\-−]?[1-9]\d{0,2}[.,]\d{3}%?$"
_BRACKETED = r"^\(\s*(.*?)\s*\)$"  # accountants write −5.25 as (5.25)
_ISO_DAY = r"^\d{4}-\d{2}-\d{2}$"
_LARGE, _SAMPLE = 2_000_000, 80_000  # bytes: what is read by columns, and how much of it is looked at first
_CLOCK = r"^\d{1,2}:\d{2}(:\d{2})?$"
_DATES = (
    ("ISO", r"^\d{4}-\d{1,2}-\d{1,2}([T ].*)?$", "%Y-%m-%d"),
    ("year first", r"^\d{4}[/.]\d{1,2}[/.]\d{1,2}$", "%Y-%m-%d"),
    ("day first", r"^\d{1,2}[/.\-]\d{1,2}[/.\-]\d{4}([T ].*)?$", "%d-%m-%Y"),
    ("month first", r"^\d{1,2}[/.\-]\d{1,2}[/.\-]\d{4}([T ].*)?$", "%m-%d-%Y"),
    ("month", r"^\d{4}-\d{1,2}$", "%Y-%m"),
)


class Unreadable(ValueError):
    """A file that cannot be read as a table; the message says why and what to do."""


@dataclass(frozen=True)
class Column:
    name: str  # as formulas write it
    label: str  # as the file's header has it
    type: ColumnType
    role: Role


@dataclass(frozen=True)
class Problem:
    """Something in the file worth a look. ``rows`` are the first few file lines it is about."""

    message: str
    column: str | None = None
    rows: tuple[int, ...] = ()


@dataclass(frozen=True)
class Table:
    frame: pl.DataFrame
    columns: tuple[Column, ...]
    problems: tuple[Problem, ...] = field(default=())


def read_delimited(body: bytes, decimal: Decimal | None = None) -> Table:
    """Read delimited text. Raises Unreadable.

    The separator, the encoding (UTF-8 with or without BOM, UTF-16 with one, else Windows-1252), the order of
    dates and, unless it is said, the decimal sign are found from the contents; the first line is the header.
    """
    return _plain(body, decimal) or _careful(body, decimal)


def _careful(body: bytes, decimal: Decimal | None = None) -> Table:
    """Every cell looked at as a text."""
    text, problems = _decode(body)
    separator = _separator(text)
    labels, width_problems, raw = _cells(text, separator)
    return typed_table(labels, raw, problems + width_problems, decimal)


def _plain(body: bytes, decimal: Decimal | None = None) -> Table | None:
    """A large file without anything odd in it, its plain numbers parsed as such; None for any other.

    Large files come from machines. The first rows say which columns hold plain numbers; one cell that is none, a
    quote, or a row of another width, and the file is read with care instead.
    """
    if len(body) < _LARGE or decimal == "comma" or b'"' in body or not body[:64].isascii():
        return None
    end = body.find(b"\n", _SAMPLE)
    head = body[: end + 1] if end > 0 else body
    try:
        sample = _careful(head)
        separator = _separator(head.decode())
    except (Unreadable, UnicodeDecodeError):
        return None
    first = body.find(b"\n") + 1
    if sample.problems:
        return None
    labels = next(csv.reader([body[:first].decode()], delimiter=separator))
    numbers = {c.name for c in sample.columns if c.type == "number" and sample.frame[c.name].is_finite().all()}
    raw = _texts(head, separator, [c.name for c in sample.columns])
    way = _way_of([_digits(raw[name].str.strip_chars()) for name in raw.columns])
    plain = {name for name in numbers if bool(raw[name].str.contains(_PLAIN).fill_null(True).all())}
    days = {c.name for c in sample.columns if c.type == "date" and bool(raw[c.name].str.contains(_ISO_DAY).all())}
    schema = {
        c.name: pl.Float64 if c.name in plain else pl.Date if c.name in days else pl.String for c in sample.columns
    }
    frame = _parsed(body, schema, separator)
    # Polars refuses a row with a cell too many, so that with this many separators none has one too few.
    if frame is None or _count(body, separator) - len(labels) + 1 != frame.height * (len(labels) - 1):
        return None
    cells = frame.get_columns()
    del frame
    made, problems = [], []
    for column in sample.columns:
        typed = _by_members(cells.pop(0), column.label, way)
        if typed is None or typed[1] != column.type:
            return None
        made.append(typed[0].alias(column.name))
        problems += [replace(problem, column=column.name) for problem in typed[2]]
    return _with_roles(pl.DataFrame(made), labels, [column.type for column in sample.columns], problems)


def _parsed(body: bytes, schema: dict[str, Any], separator: str) -> pl.DataFrame | None:
    """The cells by the schema; None where one does not fit it."""
    # Looking for written blanks, such as n/a, takes longer than all the rest and is seldom needed.
    for blanks in (None, _WRITTEN_BLANKS):
        try:
            return pl.read_csv(
                body, schema=schema, separator=separator, null_values=blanks, has_header=False, skip_rows=1
            )
        except pl.exceptions.PolarsError:
            continue
    return None


def _count(body: bytes, sign: str) -> int:
    """How often a sign stands in a text; counting bytes, which is quicker than looking for each."""
    every, step = np.frombuffer(body, dtype=np.uint8), 1 << 20
    return sum(int(np.count_nonzero(every[at : at + step] == ord(sign))) for at in range(0, len(every), step))


def _texts(body: bytes, separator: str, names: Sequence[str]) -> pl.DataFrame:
    return pl.read_csv(body, schema=dict.fromkeys(names, pl.String), separator=separator, has_header=False, skip_rows=1)


def _by_members(
    cells: pl.Series, label: str, way: Decimal | None
) -> tuple[pl.Series, ColumnType, list[Problem]] | None:
    """A column typed by its different values, each looked at once; None where one of them does not fit."""
    if cells.dtype != pl.String:
        return cells, "number" if cells.dtype == pl.Float64 else "date", []
    distinct = cells.unique(maintain_order=True)
    typed, kind, found = _typed(distinct, label, way)
    blank = distinct.is_null() | distinct.str.strip_chars().str.to_lowercase().is_in(BLANKS)
    if bool((typed.is_null() & ~blank).any()):
        return None
    if kind == "text" and typed.equals(distinct):
        return cells, kind, found
    if kind == "flag":
        words = distinct.filter(typed.fill_null(False))
        said = cells == words[0] if len(words) == 1 else cells.is_in(words)
        blanks = distinct.filter(typed.is_null() & distinct.is_not_null())
        return said.set(cells.is_in(blanks).fill_null(True), None) if len(blanks) else said, kind, found
    if len(distinct) == len(cells):
        return typed, kind, found
    place = pl.DataFrame({"cell": distinct, "value": typed})
    joined = pl.DataFrame({"cell": cells}).join(place, on="cell", how="left", nulls_equal=True, maintain_order="left")
    return joined["value"], kind, found


def read_cells(body: bytes) -> tuple[list[str], pl.DataFrame]:
    """Delimited text as its headings and texts, before any cell is typed. Raises Unreadable."""
    text, _ = _decode(body)
    labels, _, raw = _cells(text, _separator(text))
    return labels, raw


def typed_table(labels: list[str], raw: pl.DataFrame, problems: list[Problem], decimal: Decimal | None = None) -> Table:
    """Columns of texts as typed columns with roles. raw: as many columns of strings as there are labels.

    decimal: how numbers are written; None has it found from all columns together.
    """
    names = identifiers(labels)
    raw.columns = names
    way = decimal or _way_of([_digits(raw[name].str.strip_chars()) for name in names])
    series: list[pl.Series] = []
    columns: list[Column] = []
    for name, label in zip(names, labels, strict=True):
        typed, kind, found = _typed(raw[name], label, way)
        series.append(typed)
        problems += [replace(problem, column=name) for problem in found]
        columns.append(Column(name, label.strip() or name, kind, "text"))
    return _with_roles(pl.DataFrame(series), labels, [column.type for column in columns], problems)


def _with_roles(
    frame: pl.DataFrame, labels: Sequence[str], types: Sequence[ColumnType], problems: list[Problem]
) -> Table:
    columns = [
        Column(name, label.strip() or name, kind, "text")
        for name, label, kind in zip(frame.columns, labels, types, strict=True)
    ]
    with_roles = assign_roles(frame, columns)
    if frame.height and not any(column.role == "period" for column in with_roles):
        problems.append(
            Problem("No column of dates was found. Readings need a period: add a column such as 2026-10-31.")
        )
    return Table(frame, with_roles, tuple(problems))


def _decode(body: bytes) -> tuple[str, list[Problem]]:
    if not body.strip():
        raise Unreadable("The file is empty. Choose a file with a header line and rows below it.")
    if body[:4] in (b"PK\x03\x04", b"\xd0\xcf\x11\xe0") or body[:4] == b"%PDF":
        raise Unreadable("This is not delimited text. Save the sheet as CSV and upload that.")
    for bom, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if body.startswith(bom):
            try:
                return body.decode(encoding), []
            except UnicodeDecodeError:
                break
    if b"\x00" in body[:65536]:
        raise Unreadable("The file holds binary data, not text. Save the table as CSV and upload that.")
    try:
        return body.decode("utf-8"), []
    except UnicodeDecodeError:
        note = Problem("The file is not UTF-8; it was read as Windows-1252. Check that accented letters look right.")
        return body.decode("cp1252", errors="replace"), [note]


def _separator(text: str) -> str:
    """The separator that cuts the first lines into the same number of cells, the most cells first."""
    sample = list(islice(io.StringIO(text), 50))
    best, score = ",", (0.0, 0)
    for separator in SEPARATORS:
        widths = [len(row) for row in csv.reader(sample, delimiter=separator) if row]
        if not widths or widths[0] < 2:
            continue
        same = sum(width == widths[0] for width in widths) / len(widths)
        if (same, widths[0]) > score:
            best, score = separator, (same, widths[0])
    return best


def _cells(text: str, separator: str) -> tuple[list[str], list[Problem], pl.DataFrame]:
    stream = io.StringIO(text, newline="")
    try:
        header = next(row for row in csv.reader(stream, delimiter=separator) if any(row))
    except (StopIteration, csv.Error):
        raise Unreadable("No header line was found. The first line must name the columns.") from None
    if len(header) > MAX_COLUMNS:
        raise Unreadable(f"The file has {len(header)} columns; at most {MAX_COLUMNS} can be read. Remove some.")
    names = [f"c{i}" for i in range(len(header))]
    schema = dict.fromkeys(names, pl.String)
    problems: list[Problem] = []
    try:
        ragged = _ragged(text, separator, len(header))
        rest = stream.read()  # the reader has taken the header's lines
        frame = (
            pl.DataFrame(schema=schema)
            if not rest.strip()
            else pl.read_csv(
                io.BytesIO(rest.encode()),
                schema=schema,
                separator=separator,
                has_header=False,
                truncate_ragged_lines=True,
                extra_columns="ignore",
                missing_columns="insert",
            )
        )
    except (pl.exceptions.PolarsError, csv.Error) as error:
        raise Unreadable(f"The rows could not be read: {str(error).splitlines()[0]}. Check the quotes.") from None
    if ragged:
        problems.append(
            Problem(
                f"{len(ragged)} {'row has' if len(ragged) == 1 else 'rows have'} another number of cells than the "
                f"header's {len(header)}; cells beyond it were dropped and missing ones left blank.",
                rows=tuple(ragged[:5]),
            )
        )
    frame = frame.filter(~pl.all_horizontal(pl.all().is_null() | (pl.all().str.strip_chars() == "")))
    if not frame.height:
        problems.append(Problem("The file has a header but no rows. The columns are kept; add rows and upload again."))
    return header, problems, frame


def _ragged(text: str, separator: str, width: int) -> list[int]:
    """The lines with another number of cells than the header. Cheap where no line has an odd count."""
    if '"' not in text:
        wanted = width - 1
        return [at for at, line in enumerate(text.splitlines(), 1) if line and line.count(separator) != wanted]
    reader = csv.reader(io.StringIO(text), delimiter=separator)
    return [reader.line_num for row in reader if row and len(row) != width]


def identifiers(labels: Iterable[str]) -> list[str]:
    """Headers as names a formula can hold: letters, digits and underscores, none twice, none a word of it."""
    names: list[str] = []
    for at, label in enumerate(labels, start=1):
        plain = unicodedata.normalize("NFKC", label).strip().lower()
        name = re.sub(r"\W+", "_", plain).strip("_")[:60] or f"column_{at}"
        if name[0].isdigit() or name in RESERVED or name in AGGREGATES:
            name = f"c_{name}" if name[0].isdigit() else f"{name}_"
        unique, count = name, 2
        while unique in names:
            unique, count = f"{name}_{count}", count + 1
        names.append(unique)
    return names


def _digits(text: pl.Series) -> pl.Series:
    """Texts without the signs of money and blanks in between, and with a minus for brackets."""
    plain = text.str.replace_all(_MONEY, "").str.to_lowercase()
    return plain.str.replace(_BRACKETED, "-$1")


def _way_of(columns: Sequence[pl.Series]) -> Decimal | None:
    """How a file writes numbers, by those of its cells that can be read in one way alone; None where none tells."""
    counts = {way: 0 for way in _SURELY}
    for cells in columns:
        if float(cells.drop_nulls().str.contains(f"{_POINT}|{_COMMA}").mean() or 0) < _NEARLY:  # type: ignore[arg-type]
            continue
        for way, pattern in _SURELY.items():
            counts[way] += int(cells.str.contains(pattern).sum() or 0)
    if not any(counts.values()):
        return None
    return "point" if counts["point"] > counts["comma"] else "comma"


def _typed(cells: pl.Series, label: str, way: Decimal | None = None) -> tuple[pl.Series, ColumnType, list[Problem]]:
    text = cells.str.strip_chars()
    text = text.set(text.str.to_lowercase().is_in(BLANKS).fill_null(False), None)
    filled = text.drop_nulls()
    if not len(filled):
        return text, "text", [Problem("The column is empty.")] if len(text) else []
    for attempt in (_as_flag, _as_date, lambda cells: _as_number(cells, way)):
        typed, kind, found = attempt(text)
        if typed is None:
            continue
        unread = typed.is_null() & text.is_not_null()
        count = int(unread.sum())
        if not count:
            return typed, kind, found
        if 1 - count / len(filled) >= _NEARLY:
            rows = unread.arg_true()[:5].to_list()
            example = text[rows[0]]
            note = Problem(
                f"{count} of {len(filled)} cells are no {kind} and were left blank, such as “{example[:40]}”.",
                rows=tuple(row + 2 for row in rows),
            )
            return typed, kind, [*found, note]
    return text, "text", _spellings(filled)


Attempt = tuple[pl.Series | None, ColumnType, list[Problem]]


def _as_flag(text: pl.Series) -> Attempt:
    lowered = text.str.to_lowercase()
    known = lowered.is_in([*YES, *NO]).fill_null(True).all()
    return (lowered.is_in(YES) if known else None), "flag", []


def _as_date(text: pl.Series) -> Attempt:
    filled = text.drop_nulls()
    best: pl.Series | None = None
    note: list[Problem] = []
    for name, pattern, form in _DATES:
        if filled.str.contains(pattern).mean() < _NEARLY:  # type: ignore[operator]
            continue
        plain = text.str.replace(r"[T ].*$", "").str.replace_all(r"[/.]", "-")
        dates = (
            (plain + "-01").str.to_date("%Y-%m-%d", strict=False)
            if name == "month"
            else plain.str.to_date(form, strict=False)
        )
        if best is None or dates.null_count() < best.null_count():
            best = dates
            parts = plain.drop_nulls().str.split("-")
            first, second = (
                [int(p) for p in parts.list.get(at, null_on_oob=True).unique() if p and p.isdigit()] for at in (0, 1)
            )
            ambiguous = name == "day first" and max(first, default=0) <= 12 and max(second, default=0) <= 12
            note = (
                [Problem("Day and month could not be told apart; the dates were read day first.")] if ambiguous else []
            )
    return best, "date", note


def _as_number(text: pl.Series, way: Decimal | None = None) -> Attempt:
    """way: how the file writes numbers; a column that contradicts it is read by itself, and told."""
    plain = _digits(text)
    filled = plain.drop_nulls()
    point, comma = filled.str.contains(_POINT), filled.str.contains(_COMMA)
    if max(float(point.mean() or 0), float(comma.mean() or 0)) < _NEARLY:  # type: ignore[arg-type]
        return None, "number", []
    own = _way_of([filled])
    chosen = own or way or "point"
    notes: list[Problem] = []
    either = filled.filter(filled.str.contains(_EITHER))
    if own and way and own != way:
        other = filled.filter(filled.str.contains(_SURELY[own]))[0]
        notes.append(
            Problem(
                f"Numbers such as “{other[:20]}” have a decimal {own}, and the rest of the file has a decimal {way}. "
                f"This column was read with the {own}. Upload the file again and say which it is if that is wrong."
            )
        )
    elif len(either) and not own and (way is None or (chosen == "comma") == ("." in either[0])):
        read = either[0].replace("." if chosen == "comma" else ",", "").replace(",", ".")
        why = f"as the rest of the file has a decimal {way}" if way else "but nothing in the file says so"
        notes.append(
            Problem(
                f"“{either[0][:20]}” could have thousands or three decimals; it was read as {read}, {why}. "
                "Upload the file again and say how it writes numbers if that is wrong."
            )
        )
    if chosen == "comma":
        plain = plain.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    else:
        plain = plain.str.replace_all(",", "", literal=True)
    percent = plain.str.ends_with("%").fill_null(False)
    value = plain.str.replace("−", "-", literal=True).str.strip_chars_end("%").cast(pl.Float64, strict=False)
    value = value.set(~value.is_finite().fill_null(True), None)
    if percent.any():
        value = pl.select(pl.when(percent).then(value / 100).otherwise(value)).to_series().alias(text.name)
        if not bool((percent | text.is_null()).all()):
            notes += [Problem("Some cells have a percent sign and some have none; 88% was read as 0.88.")]
    return value, "number", notes


def _spellings(filled: pl.Series) -> list[Problem]:
    """Members that differ by case or inner spaces alone."""
    distinct = filled.unique()
    if len(distinct) > 2000:
        return []
    folded: dict[str, list[str]] = {}
    for member in distinct.sort().to_list():
        folded.setdefault(" ".join(member.casefold().split()), []).append(member)
    alike = [spellings for spellings in folded.values() if len(spellings) > 1]
    return [
        Problem(f"The same member may be spelt in {len(s)} ways: {', '.join(f'“{m}”' for m in s[:4])}.")
        for s in alike[:5]
    ]


def assign_roles(frame: pl.DataFrame, columns: Sequence[Column]) -> tuple[Column, ...]:
    """Propose what each column is for, by its type and how often its values recur."""
    dates = [c for c in columns if c.type == "date" and frame[c.name].null_count() < max(frame.height, 1)]
    hinted = [c for c in dates if re.search(r"date|day|month|period|datum|tag", c.name)]
    period = (hinted or dates or [None])[0]  # type: ignore[list-item]

    def role(column: Column) -> Role:
        if period is not None and column.name == period.name:
            return "period"
        if column.type == "number":
            return "text" if re.search(r"(^|_)(id|no|nr|number|code)$", column.name) else "measure"
        if column.type == "flag":
            return "flag"
        cells = frame[column.name]
        few_rows = frame.height < _LARGE // 10
        distinct = int(cells.n_unique() if few_rows else cells.approx_n_unique())  # type: ignore[arg-type]
        clock = column.type == "text" and bool(frame[column.name].drop_nulls().head(100).str.contains(_CLOCK).all())
        few = distinct <= max(40, frame.height // 20)
        return "segment" if column.type == "text" and few and not clock else "text"

    return tuple(replace(column, role=role(column)) for column in columns)


def complete_through(frame: pl.DataFrame, columns: Sequence[Column]) -> dt.date | None:
    """The last day the rows reach; the end of that month where all dates are first days of months."""
    period = next((column.name for column in columns if column.role == "period"), None)
    if period is None or frame[period].drop_nulls().is_empty():
        return None
    days = frame[period].drop_nulls()
    last: dt.date = days.max()  # type: ignore[assignment]
    if bool((days.dt.day() == 1).all()):
        return (last.replace(day=28) + dt.timedelta(days=4)).replace(day=1) - dt.timedelta(days=1)
    return last
