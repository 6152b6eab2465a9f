"""Delimited text to typed columns, with everything that looked wrong on the way."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from typing import Any

import numpy as np
import polars as pl
from charset_normalizer import from_bytes

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import (
    BLANKS,
    PLAIN_NUMBER,
    Decimal,
    all_like,
    day_first_in,
    likely_way,
    plain_numbers,
    typed_cells,
    way_of,
)
from ironmark.tables.column_typing import by_members
from ironmark.tables.moments import may_be_times, with_spans
from ironmark.tables.notations import says_week
from ironmark.tables.numerals import has_others, in_plain_digits
from ironmark.tables.parted import parted
from ironmark.tables.table import Problem, Table, Unreadable, identifiers, with_roles

MAX_COLUMNS = 500
SEPARATORS = (",", ";", "\t", "|")
_WRITTEN_BLANKS = ["", *(form for word in BLANKS if word for form in dict.fromkeys((word, word.upper(), word.title())))]
_ISO_DAY = r"^\d{4}-\d{2}-\d{2}$"
_LARGE, _SAMPLE = 2_000_000, 64_000  # bytes: what is read by columns, and how much of it is looked at first


def read_delimited(body: bytes, decimal: Decimal | None = None) -> Table:
    """Read delimited text. Raises Unreadable.

    The separator, the encoding (UTF-8 with or without BOM, UTF-16 with one, else the one its letters make sense in), the order of
    dates and, unless it is said, the decimal sign are found from the contents; the first line is the header.
    """
    return _plain(body, decimal) or _careful(body, decimal)


def _careful(body: bytes, decimal: Decimal | None = None) -> Table:
    """Every cell looked at as a text."""
    text, problems = decoded(body)
    separator = separator_of(text)
    labels, width_problems, raw = _cells(text, separator)
    way = decimal or way_of(raw) or likely_way(raw, separator)
    return typed_in_parts(labels, raw, problems + width_problems, way)


@dataclass(frozen=True)
class Plan:
    """How a large file is read by columns, as its first rows tell. schema: of every column, in the order of ``labels``; kinds:
    what their cells are; way: how numbers are written."""

    labels: list[str]
    separator: str
    schema: dict[str, Any]
    kinds: dict[str, ColumnType]
    way: Decimal | None
    grains: Mapping[str, RowGrain]
    blank: frozenset[str] = frozenset()  # columns without a cell so far


class TooWide(Unreadable):
    """It has more columns than can be read."""


def planned(head: bytes, *, strictly: bool = True) -> Plan | None:
    """head: whole lines, the header first; None where something is odd in them, if not strictly in the header only. Raises
    TooWide, if not strictly."""
    try:
        separator = separator_of(text := head.decode())
        named, problems, raw = _cells(text, separator)
        if strictly and parted(named, raw)[2]:
            return None
        way = way_of(raw) or likely_way(raw, separator)
        sample = typed_table(named, raw, problems, way)
    except TooWide:
        if strictly:
            return None
        raise
    except (Unreadable, UnicodeDecodeError):
        return None
    first = head.find(b"\n") + 1
    # What is said of a column alone is said once all of it is looked at.
    odd = any(problem.column is None for problem in sample.problems) or _outside_quotes(head, separator) is None
    if not first or (strictly and odd) or head.count(b'"', 0, first) % 2:
        return None
    labels = next(csv.reader(io.StringIO(head[:first].decode(), newline=""), delimiter=separator))
    numbers = [c.name for c in sample.columns if c.type == "number"]
    finite = sample.frame.select(pl.col(numbers).is_finite().all())
    written = all_like(raw.select(numbers), PLAIN_NUMBER)
    plain = {name for name in numbers if finite[name][0] and name in written}
    days = {c.name for c in sample.columns if c.type == "date" and bool(raw[c.name].str.contains(_ISO_DAY).all())}
    blank = {c.name for c in sample.columns if sample.frame[c.name].null_count() == sample.frame.height}
    schema = {
        c.name: pl.Float64 if c.name in plain else pl.Date if c.name in days else pl.String for c in sample.columns
    }
    grains = {column.name: column.grain for column in sample.columns if column.grain and column.grain != "month"}
    return Plan(labels, separator, schema, {c.name: c.type for c in sample.columns}, way, grains, frozenset(blank))


def is_marked(body: bytes) -> bool:
    """Whether it is text of another kind than bytes that are letters, and digits as they are read."""
    marked = body.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)) or b"\0" in body[:64]
    return marked or has_others(body[:_SAMPLE].decode(errors="ignore"))


def head_of(body: bytes) -> bytes:
    """Enough of its first lines to tell how it is read."""
    end = body.find(b"\n", _SAMPLE)
    while end > 0 and body.count(b'"', 0, end) % 2:  # within a cell
        end = body.find(b"\n", end + 1)
    return body[: end + 1] if end > 0 else body


def _plain(body: bytes, decimal: Decimal | None = None) -> Table | None:
    """A large file without anything odd in it, its plain numbers parsed as such; None for any other.

    Large files come from machines. The first rows say which columns hold plain numbers; one cell that is none, a
    quote that is not the edge of a cell, or a row of another width, and the file is read with care instead.
    """
    body = body.removeprefix(codecs.BOM_UTF8)
    if len(body) < _LARGE or decimal == "comma" or is_marked(body) or (plan := planned(head_of(body))) is None:
        return None
    frame = parsed(body, plan, header=True)
    if frame is None:
        return None
    cells = frame.get_columns()
    del frame
    made, problems = [], []
    of_days: dict[str, pl.Series] = {}
    for (name, kind), label in zip(plan.kinds.items(), plan.labels, strict=True):
        written = cells.pop(0)
        typed = by_members(written, label, plan.way)
        if typed is None or typed.kind != kind:
            return None
        made.append(typed.cells.alias(name))
        problems += [replace(problem, column=name) for problem in typed.found]
        if written.dtype == pl.String and (kind == "date" or may_be_times(written)):
            of_days[name] = written
    table = with_roles(pl.DataFrame(made), plan.labels, list(plan.kinds.values()), problems, plan.grains)
    return with_spans(table, of_days)


def parsed(lines: bytes, plan: Plan, *, header: bool) -> pl.DataFrame | None:
    """The cells of whole lines; None where something in them is odd. header: whether the first of them is it."""
    separators = _outside_quotes(lines, plan.separator)
    frame = None if separators is None else _parsed(lines, plan.schema, plan.separator, int(header))
    # Polars refuses a row with a cell too many, so that with this many separators none has one too few.
    wide = len(plan.labels) - 1
    return frame if frame is not None and separators == wide * (frame.height + header) else None


def carefully(lines: bytes, plan: Plan, *, header: bool) -> tuple[pl.DataFrame, int]:
    """The cells of whole lines as texts, whatever is odd in these; and how many have another number of cells than the header.
    Raises Unreadable where quotes are such that a part of a file cannot tell what they hold."""
    text = lines.decode("utf-8", "replace")
    if _outside_quotes(lines, plan.separator) is None:
        return _line_by_line(text, plan, header), 0
    if not header:
        told = io.StringIO()
        csv.writer(told, delimiter=plan.separator, lineterminator="\n").writerow(plan.labels)
        text = told.getvalue() + text
    _, problems, raw = _cells(text, plan.separator)
    raw.columns = list(plan.schema)
    return raw, len(_ragged(text, plan.separator, len(plan.labels))) if problems else 0


def _line_by_line(text: str, plan: Plan, header: bool) -> pl.DataFrame:
    """The cells of lines with quotes within cells, as those of inches, each of them read by itself."""
    lines = text.replace("\r\n", "\n").split("\n")[int(header) :]
    try:
        cells = [next(csv.reader([line], delimiter=plan.separator, strict=True)) for line in lines if line]
        if any(len(row) != len(plan.labels) for row in cells):
            raise csv.Error
    except csv.Error:
        raise Unreadable("Quotes do not end where cells do.") from None
    schema = dict.fromkeys(plan.schema, pl.String)
    return pl.DataFrame([[cell or None for cell in row] for row in cells], schema=schema, orient="row")


def _parsed(body: bytes, schema: dict[str, Any], separator: str, skip: int) -> pl.DataFrame | None:
    """The cells by the schema; None where one does not fit it."""
    # Looking for written blanks, such as n/a, takes longer than all the rest and is seldom needed.
    for blanks in (None, _WRITTEN_BLANKS):
        try:
            return pl.read_csv(
                body, schema=schema, separator=separator, null_values=blanks, has_header=False, skip_rows=skip
            )
        except pl.exceptions.PolarsError:
            continue
    return None


def _outside_quotes(body: bytes, sign: str) -> int | None:
    """How often a sign stands outside of quotes; None where a quote is anything but the edge of a cell, or its double
    within one. Counting bytes, which is quicker than looking for each."""
    every, step, found, inside = np.frombuffer(body, dtype=np.uint8), 1 << 20, 0, 0
    before_a_cell, after_a_cell = (np.zeros(256, dtype=bool) for _ in range(2))
    before_a_cell[[ord(sign), 10, 34]] = after_a_cell[[ord(sign), 10, 13, 34]] = True
    for at in range(0, len(every), step):
        piece = every[at : at + step]
        if body.find(b'"', at, at + step) < 0:
            found += 0 if inside else int(np.count_nonzero(piece == ord(sign)))
            continue
        quotes = piece == 34
        within = (np.cumsum(quotes, dtype=np.uint8) + inside) & 1  # after each byte
        found += int(np.count_nonzero((piece == ord(sign)) & (within == 0)))
        places = np.flatnonzero(quotes)
        opening = within[places] == 1
        opens, closes = places[opening] + at, places[~opening] + at
        opens, closes = opens[opens > 0], closes[closes < len(every) - 1]
        if not (before_a_cell[every[opens - 1]].all() and after_a_cell[every[closes + 1]].all()):
            return None
        inside = int(within[-1])
    return None if inside else found


def read_cells(body: bytes) -> tuple[list[str], pl.DataFrame]:
    """Delimited text as its headings and texts, before any cell is typed. Raises Unreadable."""
    text, _ = decoded(body)
    labels, _, raw = _cells(text, separator_of(text))
    return labels, raw


def typed_in_parts(
    labels: list[str], raw: pl.DataFrame, problems: list[Problem], way: Decimal | None, year_start: int = 1
) -> Table:
    """The same, cells that say how many of how many as two columns, and how long it was from one moment to another."""
    found, columns, told = parted(labels, raw)
    names = identifiers(found)
    said = [replace(problem, column=names[found.index(label)]) for label, problem in told]
    table = typed_table(found, columns, [*problems, *said], way, year_start)
    return with_spans(table, {name: columns[name] for name in names})


def typed_table(
    labels: list[str], raw: pl.DataFrame, problems: list[Problem], way: Decimal | None, year_start: int = 1
) -> Table:
    """Columns of texts as typed columns with roles. raw: as many columns of strings as there are labels.

    way: how numbers are written, as all columns together tell, see ``way_of``.
    """
    names = identifiers(labels)
    raw.columns = names
    numbers = plain_numbers(raw, way)
    day_first = day_first_in(raw.select(name for name in names if name not in numbers))
    series, kinds = list[pl.Series](), list[ColumnType]()
    grains: dict[str, RowGrain] = {}
    for name, label in zip(names, labels, strict=True):
        plain = None if says_week(label) else numbers.get(name)  # 202636
        typed, kind, found, grain = (
            (plain, "number", [], None)
            if plain is not None
            else typed_cells(raw[name], label, way, year_start, day_first)
        )
        series.append(typed.alias(name))
        kinds.append(kind)
        problems += [replace(problem, column=name) for problem in found]
        if grain:
            grains[name] = grain
    return with_roles(pl.DataFrame(series), labels, kinds, problems, grains)


def decoded(body: bytes) -> tuple[str, list[Problem]]:
    """A text whose lines end in line feeds, and what is to be said of its letters. Raises Unreadable."""
    text, problems = _decoded(body)
    text = in_plain_digits(text)
    return (text if "\n" in text else text.replace("\r", "\n")), problems


def _decoded(body: bytes) -> tuple[str, list[Problem]]:
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
        encoding, called = encoding_of(body)
        return body.decode(encoding, errors="replace"), [not_utf8(called)]


def not_utf8(called: str) -> Problem:
    return Problem(f"The file is not UTF-8; it was read as {called}. Check that accented letters look right.")


_CALLED = {
    "cp1250": "Windows-1250", "cp1251": "Windows-1251", "cp1252": "Windows-1252", "cp1253": "Windows-1253",
    "iso8859_15": "ISO 8859-15", "shift_jis": "Shift JIS", "gb18030": "GB 18030", "big5": "Big5", "euc_kr": "EUC-KR",
}  # fmt: skip
TELLING = 200_000  # bytes of the lines that do
_WORD = re.compile(rb"[A-Za-z\x80-\xff]+")
_OTHER_SCRIPT = 0.45  # of the bytes of words that are not ASCII alone, those beyond it; of Latin words far fewer are
# What Polish letters look like in Windows-1252: signs that stand in no word of it. One as in m³ does not count.
_POLISH = re.compile(r"[¹³][a-zà-ÿ]|[a-zà-ÿ]{3}[¹³]|[¯£][a-zà-ÿ]|[a-zà-ÿ]¿")


# Those of its neighbours: a ì that ends no word, č and ř beside š and ž, ő where no vowel follows and there is no ã.
_CZECH, _CARONS, _OF_THEM = re.compile(r"ì(?=[a-zà-ÿ])"), re.compile(r"[šžŠŽ]"), re.compile(r"[èøìÈØ]")
_HUNGARIAN, _ACUTE, _PORTUGUESE = re.compile(r"[a-zà-ÿ]õ(?!e)|[a-zà-ÿ]û"), re.compile(r"[áéíóú]"), re.compile(r"[ãç]")


def _is_central(text: str) -> bool:
    """Whether letters of Windows-1252 are those of a language of Central Europe, misread."""
    if _POLISH.search(text) or len(_CZECH.findall(text)) > 1 or (_CARONS.search(text) and _OF_THEM.search(text)):
        return True
    return bool(_HUNGARIAN.search(text) and "õ" in text and _ACUTE.search(text) and not _PORTUGUESE.search(text))


def encoding_of(body: bytes) -> tuple[str, str]:
    """The encoding that letters beyond ASCII make sense in, and what it is called. Of those for Latin letters the western
    one is taken but for Polish, Czech, Slovak, Slovenian, Croatian and Hungarian, since few letters tell them apart."""
    telling = b"\n".join(line for line in body.splitlines() if not line.isascii())[:TELLING]
    words = b"".join(word for word in _WORD.findall(telling) if not word.isascii())
    found = "cp1252"
    if sum(byte > 127 for byte in words) > _OTHER_SCRIPT * len(words):
        best = from_bytes(telling, cp_isolation=[*_CALLED.keys() - {"iso8859_15"}]).best()
        found = best.encoding if best and best.encoding in _CALLED and best.encoding != "cp1250" else found
    elif _is_central(telling.decode("cp1252", "replace")):
        found = "cp1250"
    elif b"\xa4" in telling and b"\x80" not in telling:
        found = "iso8859_15"  # the euro stands where Windows has a sign that nobody writes
    return found, _CALLED[found]


def separator_of(text: str) -> str:
    """The separator that cuts the first lines into the same number of cells, the most cells first."""
    sample = list(islice(io.StringIO(text, newline=""), 50))  # a line may end in a carriage return alone
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
        raise TooWide(f"The file has {len(header)} columns; at most {MAX_COLUMNS} can be read. Remove some.")
    names = [f"c{i}" for i in range(len(header))]
    schema = dict.fromkeys(names, pl.String)
    problems: list[Problem] = []
    try:
        ragged = _ragged(text, separator, len(header))
        rest = stream.read()  # the reader has taken the header's lines
        frame = pl.DataFrame(schema=schema) if not rest.strip() else _as_texts(rest, schema, separator)
    except (pl.exceptions.PolarsError, csv.Error) as error:
        raise Unreadable(f"The rows could not be read: {str(error).splitlines()[0]}. Check the quotes.") from None
    if ragged:
        problems.append(of_another_width(len(ragged), len(header), ragged[:5]))
    frame = frame.filter(~pl.all_horizontal(pl.all().is_null() | (pl.all().str.strip_chars() == "")))
    frame = without_heads(frame, header)
    if not frame.height:
        problems.append(Problem("The file has a header but no rows. The columns are kept; add rows and upload again."))
    return header, problems, frame


def of_another_width(rows: int, width: int, first: Sequence[int] = ()) -> Problem:
    return Problem(
        f"{rows:,} {'row has' if rows == 1 else 'rows have'} another number of cells than the header's {width}; cells beyond it "
        "were dropped and missing ones left blank.",
        rows=tuple(first),
    )


def without_heads(frame: pl.DataFrame, labels: Sequence[str]) -> pl.DataFrame:
    """Without lines that say the heads once more, as files do that were put one behind the other."""
    if any(kind != pl.String for kind in frame.dtypes) or not (frame.to_series(0) == labels[0]).any():
        return frame
    again = pl.all_horizontal(pl.col(name) == label for name, label in zip(frame.columns, labels, strict=True))
    return frame.filter(~again.fill_null(False))


def _as_texts(rows: str, schema: Mapping[str, Any], separator: str) -> pl.DataFrame:
    try:
        return pl.read_csv(
            io.BytesIO(rows.encode()), schema=schema, separator=separator, has_header=False, truncate_ragged_lines=True,
            extra_columns="ignore", missing_columns="insert",
        )  # fmt: skip
    except pl.exceptions.PolarsError:
        # Quotes that stand within cells, as those of inches do.
        wide = len(schema)
        cells = csv.reader(io.StringIO(rows, newline=""), delimiter=separator, strict=True)
        even = [[*row[:wide], *[None] * (wide - len(row))] for row in cells if row]
        return pl.DataFrame(even, schema=schema, orient="row")


def _ragged(text: str, separator: str, width: int) -> list[int]:
    """The lines with another number of cells than the header. Cheap where no line has an odd count."""
    if '"' not in text:
        wanted = width - 1
        return [at for at, line in enumerate(text.splitlines(), 1) if line and line.count(separator) != wanted]
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator)
    return [reader.line_num for row in reader if row and len(row) != width]
