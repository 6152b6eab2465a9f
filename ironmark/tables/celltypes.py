"""Cells that are texts, typed by what they look like: flags, dates, numbers however they are written."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

import numpy as np
import polars as pl

from ironmark.core.currencies import IN_SMALL_LETTERS, SHARED, WORDS
from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.eras import MAYBE, in_common_era
from ironmark.tables.notations import Settled, day_first_of, notations_of, read_periods, says_week
from ironmark.tables.spans import IN_MINUTES, minutes_of
from ironmark.tables.table import NEARLY, Problem

BLANKS = (
    "", "na", "n/a", "n.a.", "#n/a", "#na", "null", "none", "nan", "-", "–", "—", "--", "…", "...", "..", ":", "?", "tbc", "tba", "k.a.", "k. a.", "n.v.",
    "entf.", "entfällt", "s.o.", "nd", "n/d", "n.d.", "#div/0!", "#value!", "#ref!", "#name?", "#num!", "#null!", "#wert!", "#bezug!", "#nv",
    "#valeur!", "#¡valor!", "#n/d", "n.n.", "n.b.", "b.d.", "brak", "ei tietoa", "puuttuu", "нет данных", "н/д", "нд", "無し", "不明", "missing", "not available", "not applicable", "keine angabe",
)  # fmt: skip
YES = ("yes", "y", "true", "ja", "oui", "si", "sí")
NO = ("no", "n", "false", "nein", "non")
_MONEY = r"(?i:US|R|A|C|HK|NZ|S|NT|MX)?\$|[\p{Sc}\s\u00a0\u202f'’]"
_WRITTEN = "|".join(
    map(re.escape, sorted({*WORDS, *SHARED, *IN_SMALL_LETTERS, "ft", "ron", "try"}, key=len, reverse=True))
)
_MONEY_BEHIND = rf"(?:(?:{_WRITTEN})\.?|元|円|원|บาท)$"
_MONEY_BEFORE = rf"^(?:{_WRITTEN})\.?"
_MONEY_FIRST = rf"(?i){_MONEY_BEFORE}\s*[\d.,+\-−(]|^(?:US|R|A|C|HK|NZ|S|NT|MX)\$"
_POINT = r"^[+\-−]?(\d+|\d{1,3}(,\d{3})+)?(\.\d+)?(e[+-]?\d+)?%?$"
_COMMA = r"^[+\-−]?(\d+|\d{1,3}(\.\d{3})+)?(,\d+)?%?$"
Decimal = Literal["point", "comma"]
# What only one of the two ways to write numbers allows; 1.234 and 1,234 are either.
_SURELY: dict[Decimal, str] = {
    "point": r"^[+\-−]?(\d{1,3}(,\d{3})+\.\d+|\d{1,3}(,\d{3}){2,}|0?\.\d+|0+\.\d+|\d{4,}\.\d+|\d+\.(\d{1,2}|\d{4,}))%?$",
    "comma": r"^[+\-−]?(\d{1,3}(\.\d{3})+,\d+|\d{1,3}(\.\d{3}){2,}|0?,\d+|0+,\d+|\d{4,},\d+|\d+,(\d{1,2}|\d{4,}))%?$",
}
_EITHER = r"^[+\-−]?[1-9]\d{0,2}[.,]\d{3}%?$"
PLAIN_NUMBER = r"^-?\d+(\.\d+)?$"
_NOTHING_BEHIND = r"[,.][-–—]{1,2}$"  # 500,- and 12.–
_BOUND = r"^[<>≤≥]\s*"  # of what is too little, or too much, to be measured
_BRACKETED = r"^\(\s*[-−–]?\s*(.*?)\s*\)$"  # accountants write −5.25 as (5.25), and some as (-5.25)
# A day of figures, whatever stands between these or behind: 2026.01.31., 31. 1. 2026 14:05, 2026年1月31日.
_DAY = r"^(\d{1,4})[/.\-年년]\s?(\d{1,2})[/.\-月월]\s?(\d{1,4})[.日일]?(?:[T\s,].*)?$"
_TIME_BESIDE = r"^\d{1,2}:\d{2}(:\d{2})?\s|[\s,T(]+\d{1,2}[:.h]\d{2}.*$"
_DATES = (
    ("year first", r"^\d{4}-\d{1,2}-\d{1,2}$", "%Y-%m-%d"),
    ("day first", r"^\d{1,2}-\d{1,2}-\d{4}$", "%d-%m-%Y"),
    ("month first", r"^\d{1,2}-\d{1,2}-\d{4}$", "%m-%d-%Y"),
    ("month", r"^\d{4}-\d{1,2}$", "%Y-%m"),
)


def _hyphened(text: pl.Series) -> pl.Series:
    """Days of figures with hyphens between these alone."""
    return text.str.replace(_DAY, "$1-$2-$3")


def digits(text: pl.Expr) -> pl.Expr:
    """Texts without the signs of money and blanks in between, and with a minus for brackets."""
    plain = text.str.replace_all(_MONEY, "").str.to_lowercase()
    plain = plain.str.replace(f"{_MONEY_BEHIND}|{_MONEY_BEFORE}", "")
    return plain.str.replace(_BRACKETED, "-$1").str.replace(_NOTHING_BEHIND, "")


def _digits_of(text: pl.Series) -> pl.Series:
    """The same of a column, whose other cells are left as they are."""
    other = text.str.contains(rf"[^\d.,+\-−%]|{_NOTHING_BEHIND}").fill_null(False).arg_true()
    if not len(other):
        return text
    return text.clone().scatter(other, text.gather(other).to_frame().select(digits(pl.all())).to_series())


_TOGETHER = 1_000_000  # cells that are looked at in one go, so that a pattern is made ready once for all their columns


def _below_each_other(texts: pl.DataFrame, cell: pl.Expr) -> Iterator[tuple[list[str], pl.DataFrame]]:
    """Columns one below the other, some at a time, as the column ``cell``. cell: what is made of each."""
    many = max(1, _TOGETHER // max(1, texts.height))
    for at in range(0, texts.width, many):
        names = texts.columns[at : at + many]
        cells = texts.select(pl.col(names[0]).alias("cell"))
        if len(names) > 1:  # in one piece: every pattern is made ready anew for each of several
            cells = texts.select(names).unpivot(variable_name="", value_name="cell").select("cell").rechunk()
        yield names, cells.select(cell.alias("cell"))


def _in_each(cells: pl.DataFrame, columns: int, *tests: pl.Expr) -> list[np.ndarray]:
    """In how many cells of each column something holds, (columns,)."""
    found = cells.select(test.fill_null(False).alias(str(at)) for at, test in enumerate(tests))
    return [one.to_numpy().reshape(columns, -1).sum(axis=1) for one in found]


def way_of(texts: pl.DataFrame) -> Decimal | None:
    """How a file writes numbers, by those of its cells that can be read in one way alone; None where none tells."""
    counts = dict.fromkeys(_SURELY, 0)
    cell = pl.col("cell")
    for names, written in _below_each_other(texts, cell.str.strip_chars()):
        cells = _digits_of(written.to_series()).to_frame()
        known, numbers = _in_each(cells, len(names), cell.is_not_null(), cell.str.contains(f"{_POINT}|{_COMMA}"))
        mostly = numbers >= NEARLY * np.maximum(known, 1)
        some = cells.filter(pl.Series(np.repeat(mostly, texts.height)))
        for way, pattern in _SURELY.items():
            counts[way] += int(some["cell"].str.contains(pattern).sum())
    if not any(counts.values()):
        return None
    return "point" if counts["point"] > counts["comma"] else "comma"


def likely_way(texts: pl.DataFrame, separator: str) -> Decimal | None:
    """How a file writes numbers where none of them can be read in one way alone: where semicolons stand between cells a comma is what
    decimals have, so that 129.000 and 85.500 are thousands, if most end in 00 or some have no full stop at all."""
    if separator != ";":
        return None
    for cells in texts:
        known = cells.drop_nulls().str.strip_chars()
        known = known.filter(known != "")
        either = known.filter(known.str.contains(_EITHER) & known.str.contains(".", literal=True))
        if len(either) < _FEW_EITHER or not bool(known.str.contains(rf"{_EITHER}|^[+\-−]?\d{{1,3}}$").all()):
            continue
        plain = len(known) - len(either)
        if int(either.str.ends_with("00").sum()) > len(either) / 2 or plain >= 0.1 * len(known):
            return "comma"
    return None


_FEW_EITHER = 3


def plain_numbers(texts: pl.DataFrame, way: Decimal | None) -> dict[str, pl.Series]:
    """The columns with nothing but numbers of digits and a decimal point, as numbers: what ``typed_cells`` would come to.
    Those that may be something else are left out."""
    if way == "comma":
        return {}
    cell, found = pl.col("cell"), dict[str, pl.Series]()
    trimmed = cell.str.strip_chars()
    for names, cells in _below_each_other(texts, pl.when(trimmed != "").then(trimmed)):
        # 1.234 may be thousands, where nothing in the file tells.
        either = cell.str.contains(_EITHER) if way is None else pl.lit(False)
        tests = cell.is_not_null(), cell.str.contains(PLAIN_NUMBER), either
        known, plain, unsure = _in_each(cells, len(names), *tests)
        numbers = cells["cell"].cast(pl.Float64, strict=False)
        for at in np.flatnonzero((known > 0) & (plain == known) & (unsure == 0)).tolist():
            own = cells["cell"].slice(at * texts.height, texts.height)
            first = own.head(20) if known[at] == texts.height else own.drop_nulls().head(20)
            if not any(map(notations_of, first.to_list())):
                found[names[at]] = numbers.slice(at * texts.height, texts.height).alias(names[at])
    return found


def all_like(texts: pl.DataFrame, pattern: str) -> set[str]:
    """The columns whose known cells all hold a pattern."""
    found, cell = set[str](), pl.col("cell")
    for names, cells in _below_each_other(texts, cell):
        (like,) = _in_each(cells, len(names), cell.is_null() | cell.str.contains(pattern))
        found.update(names[at] for at in np.flatnonzero(like == texts.height).tolist())
    return found


def like(texts: pl.Series, kind: ColumnType, label: str) -> pl.Series:
    """Which texts look like days or numbers, however these are written."""
    text = texts.str.strip_chars()
    if kind == "number":
        if (minutes := minutes_of(text, label)) is not None:
            return minutes.is_not_null()
        return _digits_of(text.str.replace(_BOUND, "")).str.contains(f"{_POINT}|{_COMMA}")
    plain = _hyphened(text).str.contains("|".join(pattern for _, pattern, _ in _DATES))
    other = [bool(notations_of(cell)) for cell in text.filter(~plain.fill_null(True))]
    return plain.scatter((~plain.fill_null(True)).arg_true(), other)


class TypedCells(NamedTuple):
    """Cells of one type, what is to be said of them, and how fine they are where they are dates."""

    cells: pl.Series
    kind: ColumnType
    found: list[Problem]
    grain: RowGrain | None = None


def typed_cells(
    cells: pl.Series, label: str, way: Decimal | None = None, year_start: int = 1, day_first: bool | None = None
) -> TypedCells:
    """Texts as what they look like. label: what they stand under; year_start: the first month of the financial year; day_first: as
    other columns tell of days such as 01/02/2026."""
    text = cells.str.strip_chars()
    text = text.set(text.str.to_lowercase().is_in(BLANKS).fill_null(False), None)
    filled = text.drop_nulls()
    if not len(filled):
        return TypedCells(text, "text", [Problem("The column is empty.")] if len(text) else [])
    if (of_another := _of_another_era(text, label, year_start, day_first)) is not None:
        return of_another
    if (periods := as_periods(text, label, year_start, day_first)) is not None:
        return periods
    if bool(filled.str.contains(_STARS).all()):
        counted = text.str.count_matches("[★⭐]").cast(pl.Float64)
        return TypedCells(counted, "number", [Problem(f"“{filled[0][:10]}” was read as the number of its stars.")])
    if (minutes := minutes_of(text, label)) is not None:
        odd = (minutes.is_null() & text.is_not_null()).arg_true().to_list()
        rows = [row + 2 for row in odd[:5]]
        told = [left_blank(len(odd), len(filled), "number", text[odd[0]], rows)] if odd else []
        return TypedCells(minutes, "number", [Problem(IN_MINUTES), *told])
    # Neither days nor numbers begin with a letter, but for an exponent and what says whose money it is.
    lettered = filled.str.contains(r"^[\p{L}--[eE]]")
    words = float(lettered.mean() or 0) > 1 - NEARLY + 1e-9  # type: ignore[arg-type]
    words = words and not bool(filled.head(20).str.contains(_MONEY_FIRST).all())
    numeric = (lambda cells: _as_date(cells, day_first)), (lambda cells: _as_number(cells, way))
    attempts = (_as_flag,) if words else (_as_flag, *numeric)
    for attempt in attempts:
        typed, kind, found = attempt(text)
        if typed is None:
            continue
        unread = typed.is_null() & text.is_not_null()
        count = int(unread.sum())
        if not count:
            return TypedCells(typed, kind, found)
        if 1 - count / len(filled) >= NEARLY:
            rows = unread.arg_true()[:5].to_list()
            example = text[rows[0]]
            note = left_blank(count, len(filled), kind, example, [row + 2 for row in rows])
            return TypedCells(typed, kind, [*found, note])
    return TypedCells(text, "text", _spellings(filled))


def _of_another_era(text: pl.Series, label: str, year_start: int, day_first: bool | None) -> TypedCells | None:
    """Days whose years are not of the common era, in it; None of other texts."""
    head = text.drop_nulls().head(20)
    if not bool(head.str.contains(MAYBE).all()) or not all(in_common_era(cell) != cell for cell in head):
        return None
    different = text.drop_nulls().unique()
    if len(different) > _MOST_PERIODS:
        return None
    own = text.replace_strict(
        different, [in_common_era(cell) for cell in different], default=None, return_dtype=pl.String
    )
    typed = typed_cells(own.alias(text.name), label, None, year_start, day_first)
    if typed.kind != "date":
        return None
    said = f"Years are read in the common era: “{head[0][:40]}” as {in_common_era(head[0])[:40]}."
    return typed._replace(found=[Problem(said), *typed.found])


def left_blank(odd: int, of: int, kind: ColumnType, example: str, lines: Sequence[int]) -> Problem:
    """lines: the first few that hold one."""
    return Problem(
        f"{odd:,} of {of:,} cells are no {kind} and were left blank, such as “{example[:40]}”.", rows=tuple(lines)
    )


_STARS = "^[★☆⭐✩]+$"
_MOST_PERIODS = 20_000  # different texts that are looked at one by one


def as_periods(text: pl.Series, label: str, year_start: int = 1, day_first: bool | None = None) -> TypedCells | None:
    """Texts as periods in whatever way they are written, but for plain days, which are read by columns; None for others."""
    filled = text.drop_nulls()
    head = filled.head(20).to_list()
    if not says_week(label) and (not any(map(notations_of, head)) or all(map(_PLAIN_DAY.match, head))):
        return None
    distinct = filled.unique(maintain_order=True)
    if len(distinct) > _MOST_PERIODS:  # minutes of a day are not told apart
        text = text.str.replace(_TIME_BESIDE, "")
        distinct = text.drop_nulls().unique(maintain_order=True)
    if len(distinct) > _MOST_PERIODS:
        return None
    texts = distinct.to_list()
    read = read_periods(texts, Settled(year_start=year_start, day_first=day_first), label)
    if read is None or read.yearless:
        return None
    days = pl.Series("day", read.days, dtype=pl.Date)
    kept = text.replace_strict(texts, days, default=None, return_dtype=pl.Date)
    problems = [Problem(read.told)] if read.told else []
    if read.unread:
        wrong = text.is_in(list(read.unread)).fill_null(False)
        rows = tuple(row + 2 for row in wrong.arg_true()[:5].to_list())
        problems.append(
            Problem(
                f"{int(wrong.sum())} of {len(filled)} cells are no {read.grain} and were left blank, such as "
                f"“{read.unread[0][:40]}”.", rows=rows,
            )
        )  # fmt: skip
    return TypedCells(kept, "date", problems, read.grain)


_PLAIN_DAY = re.compile(rf"(?=(?:\d{{4}}\D|.*?\D\d{{4}}(?!\d))){_DAY[1:]}")


Attempt = tuple[pl.Series | None, ColumnType, list[Problem]]


def _as_flag(text: pl.Series) -> Attempt:
    for some in (text.drop_nulls().head(100), text):  # the first ones tell, as a rule
        lowered = some.str.to_lowercase()
        if not lowered.is_in([*YES, *NO]).fill_null(True).all():
            return None, "flag", []
    return lowered.is_in(YES), "flag", []


def _as_date(text: pl.Series, said: bool | None = None) -> Attempt:
    plain = _hyphened(text)
    filled = plain.drop_nulls()
    best: pl.Series | None = None
    note: list[Problem] = []
    for name, pattern, form in _DATES:
        if filled.str.contains(pattern).mean() < NEARLY:  # type: ignore[operator]
            continue
        if name == "day first":
            day_first, told = _which_first(text, filled, said)
            note = [Problem(told)] if told else []
            form = form if day_first is not False else "%m-%d-%Y"
        dates = (
            (plain + "-01").str.to_date("%Y-%m-%d", strict=False)
            if name == "month"
            else plain.str.to_date(form, strict=False)
        )
        if best is None or dates.null_count() < best.null_count():
            best = dates
    return best, "date", note


def _which_first(text: pl.Series, hyphened: pl.Series, said: bool | None) -> tuple[bool | None, str]:
    """Whether the day stands first in texts such as 01-02-2026, and what is to be told where nothing tells. With full stops
    it does wherever days are written so; moments are no months that follow one another. said: as other columns tell."""
    if bool(text.drop_nulls().str.contains(r"^\s*\d{1,2}\.").mean() == 1):
        return True, ""
    parts = hyphened.unique().str.extract_groups(_PARTS_OF_DAY).drop_nulls().struct.unnest()
    moments = bool(text.drop_nulls().head(20).str.contains(_TIME_BESIDE).any())
    first, told = day_first_of(parts.drop_nulls().to_dicts(), Settled(), moments=moments)
    return (said, "") if told and said is not None else (first, told)


_PARTS_OF_DAY = r"^(?P<a>\d{1,2})-(?P<b>\d{1,2})-\d{4}$"


def day_first_in(texts: pl.DataFrame) -> bool | None:
    """Whether the day stands first in days such as 13/02/2026, by the columns of a file that tell; None where none does, or they differ."""
    told = set[bool]()
    for cells in texts:
        if not bool(cells.drop_nulls().head(20).str.contains(r"^\s*\d{1,2}[/.-]\d{1,2}[/.-]\d{4}").any()):
            continue
        parts = _hyphened(cells.str.strip_chars()).unique().str.extract_groups(_PARTS_OF_DAY).struct.unnest()
        first, second = (int(parts.to_series(at).cast(pl.Int64).max() or 0) for at in (0, 1))  # type: ignore[arg-type]
        told |= {first > 12} if (first > 12) != (second > 12) else set()
    return told.pop() if len(told) == 1 else None


def _as_number(text: pl.Series, way: Decimal | None = None) -> Attempt:
    """way: how the file writes numbers; a column that contradicts it is read by itself, and told."""
    bounds = text.str.contains(_BOUND).fill_null(False)
    bounded = bool(bounds.any()) and bool(text.filter(~bounds).str.contains(r"^\d").any())
    plain = _digits_of(text.str.replace(_BOUND, "") if bounded else text)
    filled = plain.drop_nulls()
    point, comma = filled.str.contains(_POINT), filled.str.contains(_COMMA)
    if max(float(point.mean() or 0), float(comma.mean() or 0)) < NEARLY:  # type: ignore[arg-type]
        return None, "number", []
    own = way_of(filled.to_frame())
    chosen = own or way or "point"
    notes: list[Problem] = []
    if bounded:
        example, many = text.filter(bounds)[0], int(bounds.sum())
        notes.append(
            Problem(f"{many:,} cells say no more than a bound, such as “{example[:20]}”: it was read as the figure.")
        )
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
