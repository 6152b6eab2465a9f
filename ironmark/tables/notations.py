"""Periods as people write them: one table of notations, each with how it is told, its grain and its first day.

A column is one notation, or a mixture that does not contradict itself. What could be two things is settled by the whole
column, else told with what it was taken for.
"""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

from ironmark.core.nearest import folded
from ironmark.core.periods import RowGrain
from ironmark.tables.eras import in_common_era, past_december
from ironmark.tables.period_words import in_words, is_weekday, month_called, months_of

FIRST_YEAR, LAST_YEAR = 1900, 2199
SERIAL_FROM, SERIAL_TO = 32_874, 73_050  # spreadsheet days of 1990 to 2099
_EPOCH = dt.date(1899, 12, 30)  # day 0 of spreadsheets
NEARLY = 0.9  # a column this much of which is periods is one of periods; the others are told


@dataclass(frozen=True, slots=True)
class Settled:
    """What is known besides the cells: ``year`` of months that have none, ``year_start`` the first month (1 to 12) of
    the financial year, ``day_first`` whether 1/2/2026 is the first of February; None where nobody said."""

    year: int | None = None
    year_start: int = 1
    day_first: bool | None = None


@dataclass(frozen=True)
class Notation:
    """One way to write a period. key: what it is called in a recipe; words: as it is told; sure: whether only a period
    is written so, whatever else stands in the column."""

    key: str
    words: str
    grain: RowGrain
    pattern: re.Pattern[str]
    first: Callable[[Mapping[str, str], Settled], dt.date | None]
    sure: bool = True


@dataclass(frozen=True)
class Periods:
    """Cells read as periods: the first day of each (None for a blank or one that is unread), how fine they are, and what
    is to be said: ``unread`` the texts that are none, ``told`` what could be two things and was taken for one,
    ``yearless`` whether a year is still to be said."""

    days: tuple[dt.date | None, ...]
    grain: RowGrain
    notations: tuple[str, ...]
    unread: tuple[str, ...] = ()
    told: str = ""
    yearless: bool = False


def _date(year: int, month: int, day: int = 1) -> dt.date | None:
    try:
        return dt.date(year, month, day) if FIRST_YEAR <= year <= LAST_YEAR else None
    except ValueError:
        return None


def _year(text: str) -> int:
    """Two figures are of this century up to 79, else of the last."""
    number = int(text)
    return number if len(text) > 2 else number + (2000 if number < 80 else 1900)


def _in_year(found: Mapping[str, str], settled: Settled) -> int | None:
    return _year(found["y"]) if found.get("y") else settled.year


def _of_numbers(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    one, other = int(found["a"]), int(found["b"])
    first = settled.day_first if settled.day_first is not None else True
    if one > 12:
        first = True
    elif other > 12:
        first = False
    day, month = (one, other) if first else (other, one)
    return _date(_year(found["y"]), month, day)


def _named_month(found: Mapping[str, str]) -> int:
    """By what the column calls it, or else by its name."""
    return int(found["month"]) if found.get("month") else month_called(found["m"])


def _month_part(found: Mapping[str, str], settled: Settled, months: int, part: int) -> dt.date | None:
    """The first day of the ``part``-th piece of so many months of a financial year."""
    year = _in_year(found, settled)
    if year is None or not 1 <= part <= 12 // months:
        return None
    month = settled.year_start - 1 + (part - 1) * months
    return _date(year + month // 12, month % 12 + 1)


def _financial_year(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    """FY2025/26 begins in 2025; FY26 is the one that ends in 2026, where years do not begin in January."""
    year = _year(found["y"])
    if found.get("z"):
        if (year + 1) % 100 != int(found["z"]) % 100:
            return None
    elif settled.year_start > 1:
        year -= 1
    return _date(year, settled.year_start)


def _of_financial_year(found: Mapping[str, str], settled: Settled, months: int, part: int) -> dt.date | None:
    """The first day of the ``part``-th piece of so many months of FY26."""
    first = _financial_year(found, settled)
    return _month_part({"y": str(first.year)}, settled, months, part) if first else None


def _week(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    year = _in_year(found, settled)
    try:
        return dt.date.fromisocalendar(year, int(found["w"]), 1) if year else None
    except ValueError:
        return None


def _week_between(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    """The seven days from one to another, which begin on a Monday."""
    days = []
    for key in ("a", "b"):
        parts = re.split(r"[./-]", found[key])
        if len(parts) != 3 or not all(part.isdigit() for part in parts):
            return None
        if len(parts[0]) == 4:
            days.append(_date(int(parts[0]), int(parts[1]), int(parts[2])))
        else:
            days.append(_of_numbers({"a": parts[0], "b": parts[1], "y": parts[2]}, settled))
    first, last = days
    return first if first and last and (last - first).days == 6 and first.weekday() == 0 else None


def _week_of_day(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    """The Monday of a week that is told by its first day or its last; of two ways to read that, the one that is such a day."""
    ends = bool(found.get("e"))
    ways = (
        [settled] if settled.day_first is not None else [replace(settled, day_first=first) for first in (True, False)]
    )
    days = [day for way in ways if (day := _whole_day(found["rest"].strip(), way))]
    day = next((day for day in days if day.weekday() in ((6, 5, 4) if ends else (0,))), days[0] if days else None)
    if day is None:
        return None
    if not ends and day.weekday() == 6:  # a week that begins on a Sunday has its other days in the next one
        day += dt.timedelta(days=1)
    return day - dt.timedelta(days=day.weekday())


def _whole_day(text: str, settled: Settled) -> dt.date | None:
    for key in ("iso", "numeric", "day of a month", "month and day"):
        if (found := _BY_KEY[key].pattern.match(text)) and (day := _BY_KEY[key].first(found.groupdict(), settled)):
            return day
    return None


def _seconds(found: Mapping[str, str], _: Settled) -> dt.date | None:
    number = int(found["n"])
    return dt.datetime.fromtimestamp(number / (1000 if number > 10**11 else 1), dt.UTC).date()


def _in_that_year(found: Mapping[str, str], settled: Settled) -> dt.date | None:
    parts = {"a": found["a"] or found["c"], "b": found["b"] or found["e"], "y": str(settled.year or 0)}
    return _of_numbers(parts, settled) if settled.year else None


_Y, _YY = r"(?P<y>(?:19|20|21)\d\d)", r"(?P<y>(?:19|20|21)\d\d|'?\d\d)"
_YEARS = r"'?(?P<y>(?:19|20)\d\d|\d\d)(?:\s*[-/–]\s*(?P<z>(?:19|20)?\d\d))?"
_FY = rf"(?:FY|GJ|FJ|F)\s*{_YEARS}"
_SPLIT_FY = r"(?:FY|GJ|FJ|F)?\s*(?P<y>(?:19|20)\d\d)\s*[/–]\s*(?P<z>(?:19|20)?\d\d)"
_NAME = r"(?P<m>[^\W\d_]{3,12}\.?)"
_GAP = r"[\s\-/.,’']*"
_TIME = r"(?:[T\s,]+\d{1,2}[:.h]\d{2}.*)?"
_DAYNAME = r"[^\W\d_]{2,12}\.?,?\s+"
_WEEKDAY = r"(?:[^\W\d_]{2,12}\.?,?\s+)?"


_WEEK = r"W|KW|Wk\.?|Week|Woche|Sem\.?|Semaine|Semana|Sett\.?|Settimana|Uge|Uke|Vecka|Vko|Viikko|Tydz\.?|Tydzień|Týden|Týždeň|Нед\.?|Неделя"
_COMMENCING = (
    r"w/?\s*[cb]|(?:week|wk\.?)\s+(?:commencing|beginning|starting|from|of)|woche\s+(?:ab|vom)|semaine\s+du|semana\s+del?|settimana\s+d[ae]l|"
    r"vecka\s+från|uge\s+fra|uke\s+fra|week\s+van|tydzień\s+od|týden\s+od|неделя\s+с"
)
_ENDING = r"w/\s*e|(?:week|wk\.?)\s+end(?:ing|ed)?|woche\s+bis|semaine\s+au|semana\s+hasta|week\s+tot"


def _is(key: str, words: str, grain: RowGrain, pattern: str, first: Callable[..., dt.date | None], sure: bool = True) -> Notation:  # fmt: skip
    return Notation(key, words, grain, re.compile(rf"^(?:{pattern})$", re.I), first, sure)


NOTATIONS: tuple[Notation, ...] = (
    _is("iso", "days as 2026-01-31", "day", rf"{_Y}[-/.](?P<m>\d{{1,2}})[-/.](?P<d>\d{{1,2}}){_TIME}", lambda f, s: _date(int(f["y"]), int(f["m"]), int(f["d"]))),
    _is("compact", "days as 20260131", "day", r"(?P<y>(?:19|20)\d\d)(?P<m>0[1-9]|1[0-2])(?P<d>[0-2]\d|3[01])", lambda f, s: _date(int(f["y"]), int(f["m"]), int(f["d"])), False),
    _is("numeric", "days as 31/01/2026", "day", rf"{_WEEKDAY}(?P<a>\d{{1,2}})[-/.](?P<b>\d{{1,2}})[-/.](?P<y>\d{{4}}|\d{{2}}){_TIME}", _of_numbers),
    _is("day of a month", "days as 31 January 2026", "day", rf"{_WEEKDAY}(?P<d>\d{{1,2}})(?:st|nd|rd|th|\.|er)?[\s\-/.]*(?:de\s+)?{_NAME}[\s\-/.,]*(?:de\s+)?{_YY}{_TIME}", lambda f, s: _date(_year(f["y"].strip("'")), _named_month(f), int(f["d"]))),
    _is("month and day", "days as January 31, 2026", "day", rf"{_WEEKDAY}{_NAME}\s*(?P<d>\d{{1,2}})(?:st|nd|rd|th)?,?\s+{_Y}{_TIME}", lambda f, s: _date(int(f["y"]), _named_month(f), int(f["d"]))),
    _is("year, month and sign", "months as 2026年1月", "month", rf"{_Y}\s*[年년]\s*(?P<m>\d{{1,2}})\s*[月월]", lambda f, s: _date(int(f["y"]), int(f["m"]))),
    _is("year-month", "months as 2026-01", "month", rf"{_Y}\s*[-/.M]\s*(?P<m>\d{{1,2}})", lambda f, s: _date(int(f["y"]), int(f["m"]))),
    _is("month-year", "months as 01/2026", "month", rf"(?P<m>\d{{1,2}})\s*[-/.]\s*{_Y}", lambda f, s: _date(int(f["y"]), int(f["m"]))),
    _is("compact month", "months as 202601", "month", r"(?P<y>(?:19|20)\d\d)(?P<m>0[1-9]|1[0-2])", lambda f, s: _date(int(f["y"]), int(f["m"])), False),
    _is("named month", "months as Jan 2026", "month", rf"{_NAME}{_GAP}(?:de\s+)?{_YY}", lambda f, s: _date(_year(f["y"].strip("'")), _named_month(f))),
    _is("year and month", "months as 2026 Jan", "month", rf"{_Y}{_GAP}{_NAME}", lambda f, s: _date(int(f["y"]), _named_month(f))),
    _is("quarter", "quarters as Q1 2026", "quarter", rf"(?:Q|T|K|Kv\.?|Qtr\.?|Quarter)\s*(?P<q>[1-4]){_GAP}{_YY}", lambda f, s: _month_part({**f, "y": f["y"].strip("'")}, s, 3, int(f["q"]))),
    _is("year and quarter", "quarters as 2026 Q1", "quarter", rf"{_Y}{_GAP}(?:Q|T|Kv\.?|Qtr\.?|Quarter)\s*(?P<q>[1-4])", lambda f, s: _month_part(f, s, 3, int(f["q"]))),
    _is("numbered quarter", "quarters as 1Q26", "quarter", rf"(?P<q>[1-4])[.°ºª]?(?:er|e|o)?\s*(?:Q|T|Quartal|Quarter|trimestre|trim\.?|kwartaal|kvartal|kwartał){_GAP}{_YY}", lambda f, s: _month_part({**f, "y": f["y"].strip("'")}, s, 3, int(f["q"]))),
    _is("half", "halves as H1 2026", "half", rf"(?:H|S|HJ)\s*(?P<h>[12]){_GAP}{_YY}", lambda f, s: _month_part({**f, "y": f["y"].strip("'")}, s, 6, int(f["h"]))),
    _is("year and half", "halves as 2026 H1", "half", rf"{_Y}{_GAP}(?:H|S|HJ)\s*(?P<h>[12])", lambda f, s: _month_part(f, s, 6, int(f["h"]))),
    _is("numbered half", "halves as 1H26", "half", rf"(?P<h>[12])\.?\s*(?:H|HJ|Halbjahr|half|semestre){_GAP}{_YY}", lambda f, s: _month_part({**f, "y": f["y"].strip("'")}, s, 6, int(f["h"]))),
    _is("year and week", "weeks as 2026-W05", "week", rf"{_Y}{_GAP}(?:{_WEEK}|[SUT])\s*(?P<w>\d{{1,2}})", _week),
    _is("week", "weeks as W5 2026", "week", rf"(?:{_WEEK}|[ST](?=\d\d(?!\d)))\s*\.?(?P<w>\d{{1,2}}){_GAP}(?:of\s+)?{_YY}", lambda f, s: _week({**f, "y": f["y"].strip("'")}, s)),
    _is("quarter of a financial year", "quarters as Q1 FY26", "quarter", rf"(?:Q|T|Qtr\.?|Quarter)\s*(?P<q>[1-4]){_GAP}{_FY}", lambda f, s: _of_financial_year(f, s, 3, int(f["q"]))),
    _is("quarter of a split year", "quarters as Q1 2025/26", "quarter", rf"(?:Q|T|Qtr\.?|Quarter)\s*(?P<q>[1-4]){_GAP}{_SPLIT_FY}", lambda f, s: _of_financial_year(f, s, 3, int(f["q"]))),
    _is("financial year and quarter", "quarters as FY26 Q1", "quarter", rf"{_FY}{_GAP}(?:Q|T|Qtr\.?|Quarter)\s*(?P<q>[1-4])", lambda f, s: _of_financial_year(f, s, 3, int(f["q"]))),
    _is("split year and quarter", "quarters as 2025/26 Q1", "quarter", rf"{_SPLIT_FY}{_GAP}(?:Q|T|Qtr\.?|Quarter)\s*(?P<q>[1-4])", lambda f, s: _of_financial_year(f, s, 3, int(f["q"]))),
    _is("half of a financial year", "halves as H1 FY26", "half", rf"(?:H|HJ|S)\s*(?P<h>[12]){_GAP}{_FY}", lambda f, s: _of_financial_year(f, s, 6, int(f["h"]))),
    _is("financial year and half", "halves as FY26 H1", "half", rf"{_FY}{_GAP}(?:H|HJ|S)\s*(?P<h>[12])", lambda f, s: _of_financial_year(f, s, 6, int(f["h"]))),
    _is("month of a financial year", "months as P03 FY26", "month", rf"(?:P|M|Period|Month)\s*(?P<p>\d{{1,2}}){_GAP}{_FY}", lambda f, s: _of_financial_year(f, s, 1, int(f["p"]))),
    _is("financial year and month", "months as FY26 P03", "month", rf"{_FY}{_GAP}(?:P|M|Period|Month)\s*(?P<p>\d{{1,2}})", lambda f, s: _of_financial_year(f, s, 1, int(f["p"]))),
    _is("financial year", "financial years as FY2025/26", "year", rf"(?:FY|GJ|FJ|F|Year)\s*{_YEARS}", _financial_year),
    _is("split year", "financial years as 2025/26", "year", r"(?P<y>(?:19|20)\d\d)\s*[-/–]\s*(?P<z>(?:19|20)?\d\d)", _financial_year),
    _is("year", "years as 2026", "year", _Y, lambda f, s: _date(int(f["y"]), s.year_start), False),
    _is("month alone", "months by their name", "month", _NAME, lambda f, s: _date(s.year, _named_month(f)) if s.year and _named_month(f) else None),
    _is("numbered month alone", "months as 4月", "month", r"(?P<m>\d{1,2})\s*[月월]", lambda f, s: _date(s.year, int(f["m"])) if s.year else None),
    _is("day without a year", "days as 31.01.", "day", rf"(?:{_DAYNAME}(?P<a>\d{{1,2}})[./](?P<b>\d{{1,2}})\.?|(?P<c>\d{{1,2}})\.(?P<e>\d{{1,2}})\.)", _in_that_year),
    _is("day and month alone", "days as 31 January", "day", rf"{_WEEKDAY}(?P<d>\d{{1,2}})(?:st|nd|rd|th|\.)?[\s-]+{_NAME}", lambda f, s: _date(s.year, _named_month(f), int(f["d"])) if s.year else None),
    _is("quarter alone", "quarters without a year", "quarter", r"(?:Q|T|Qtr\.?|Quarter\s)\s*(?P<q>[1-4])|(?P<r>[1-4])[.°ºª]?(?:er|e|o)?\s*(?:Q|Quartal|Quarter|trimestre|trim\.?)", lambda f, s: _month_part({k: v for k, v in f.items() if v}, s, 3, int(f["q"] or f["r"]))),
    _is("half alone", "halves without a year", "half", r"(?:H|HJ)\s*(?P<h>[12])|(?P<r>[12])\.?\s*(?:H|HJ|Halbjahr)", lambda f, s: _month_part({k: v for k, v in f.items() if v}, s, 6, int(f["h"] or f["r"]))),
    _is("week alone", "weeks without a year", "week", rf"(?:{_WEEK})\s*\.?(?P<w>\d{{1,2}})", _week),
    _is("week by a day", "weeks as w/c 05/01/2026", "week", rf"(?:{_COMMENCING}|(?P<e>{_ENDING}))[\s.:]*(?P<rest>[^\s.:].*)", _week_of_day),
    _is("span of days", "weeks and months as 05.01.2026 – 11.01.2026", "week", r"(?P<a>[\d./-]{6,10})\s*(?:-|–|—|to|bis|au|al|tot)\s*(?P<b>[\d./-]{6,10})", _week_between),
    _is("serial", "the day numbers of spreadsheets", "day", r"(?P<n>\d{5})(?:\.\d+)?", lambda f, s: _EPOCH + dt.timedelta(days=int(f["n"])) if SERIAL_FROM <= int(f["n"]) <= SERIAL_TO else None, False),
    _is("seconds", "seconds since 1970", "day", r"(?P<n>\d{10}|\d{13})(?:\.0+)?", _seconds, False),
)  # fmt: skip
YEARLESS = frozenset(
    {
        "month alone",
        "numbered month alone",
        "quarter alone",
        "half alone",
        "week alone",
        "day without a year",
        "day and month alone",
    }
)
_TAKEN_FOR_A_YEAR = Settled(year=2000)  # where only whether it is one is asked


def _plain(text: str) -> str:
    return in_common_era(_FOOT.sub("", " ".join(text.replace("\u00a0", " ").replace("’", "'").split())).strip())


# What is said of a period besides: a footnote, that its figures are preliminary.
_FOOT = re.compile(
    r"(?:\s*[*†‡¹²³⁴⁵⁶⁷⁸⁹]+|\s*\((?:p|e|r|v|prov\.?|est\.?|rev\.?|vorl\.?|prelim\.?|preliminary|vorläufig|provisional)\))+$",
    re.I,
)


@lru_cache(maxsize=1 << 16)
def _matched(text: str) -> tuple[tuple[str, dict[str, str]], ...]:
    """Every notation that a text could be, with its parts."""
    found = []
    # Most cells are plain numbers, and most notations need more than figures.
    if _DECIMAL.match(text):
        return ()
    for notation in _OF_FIGURES if text.isdigit() else NOTATIONS:
        if (match := notation.pattern.match(text)) is None:
            continue
        parts = {name: part or "" for name, part in match.groupdict().items()}
        if "m" in parts and not parts["m"].isdigit() and not _named_month(parts):
            continue
        if (
            notation.key in ("numeric", "day of a month", "day without a year", "day and month alone")
            and text[:1].isalpha()
            and not _starts_with_weekday(text)
        ):
            continue
        if notation.first(parts, _TAKEN_FOR_A_YEAR) is not None:
            found.append((notation.key, parts))
    if not found and (said := in_words(text)) and _BY_KEY[said[0]].first(said[1], _TAKEN_FOR_A_YEAR) is not None:
        return (said,)
    return tuple(found)


def _starts_with_weekday(text: str) -> bool:
    return is_weekday(re.split(r"[\s,.]", text, maxsplit=1)[0])


_DECIMAL = re.compile(r"^-?\d+[.,]\d+$(?<![-/.,](?:19|20|21)\d\d)|^-\d+$")
_OF_FIGURES = tuple(one for one in NOTATIONS if one.key in ("compact", "compact month", "year", "serial", "seconds"))
_BY_KEY = {notation.key: notation for notation in NOTATIONS}


def notations_of(text: str) -> tuple[str, ...]:
    """The notations that a text could be written in."""
    if _DECIMAL.match(text):  # most cells, before anything is made of them
        return ()
    return tuple(key for key, _ in _matched(_plain(text)))


@lru_cache(maxsize=1 << 16)
def is_period(text: str) -> bool:
    """Whether a text is surely a period, whatever stands around it: not 2026, which may be a number."""
    return any(_BY_KEY[key].sure for key in notations_of(text))


@lru_cache(maxsize=1 << 16)
def grain_of(text: str) -> RowGrain | None:
    """How fine the period is that a text is; None of one that is none. 2026 is a year here."""
    return next((_BY_KEY[key].grain for key in notations_of(text) if _BY_KEY[key].sure or key == "year"), None)


def read_periods(texts: Sequence[str | None], settled: Settled = Settled(), head: str = "") -> Periods | None:
    """Texts as periods; None where they are none. head: what they stand under, which tells years and day numbers from
    other numbers.

    The notation that reads most of them is taken for all it reads; what it leaves is read by others of the same grain.
    """
    cells = [_plain(text) if text else "" for text in texts]
    if says_week(head):  # 5/2026 is no month there
        cells = [
            _NUMBERED_WEEK.sub(
                lambda found: f"{found[2] or found[3]}-W{(found[1] or found[4]).zfill(2)}", _LETTERED.sub("W", cell)
            )
            for cell in cells
        ]
    filled = [cell for cell in cells if cell]
    if not filled:
        return None
    distinct = Counter(filled)
    could = {cell: {key: {**parts} for key, parts in _matched(cell)} for cell in distinct}
    by_key = Counter(key for cell, count in distinct.items() for key in could[cell] for _ in range(count))
    if not by_key:
        return None
    keys = [key for key, _ in sorted(by_key.items(), key=lambda one: (-one[1], _ORDER[one[0]]))]
    best = keys[0]
    grain = _BY_KEY[best].grain
    chosen = [best, *(key for key in keys[1:] if _BY_KEY[key].grain == grain and _BY_KEY[key].sure)]
    read = {cell: next((key for key in chosen if key in could[cell]), "") for cell in distinct}
    count = sum(distinct[cell] for cell, key in read.items() if key)
    if count / len(filled) < NEARLY or not _plausible(best, [c for c in distinct if read[c]], head):
        return None
    numeric = [could[c]["numeric"] for c in distinct if read[c] == "numeric"]
    rests = [could[c]["week by a day"]["rest"] for c in distinct if read[c] == "week by a day"]
    of_weeks = [match.groupdict() for rest in rests if (match := _BY_KEY["numeric"].pattern.match(rest))]
    as_written = [cell for cell in distinct if read[cell] == "numeric"]
    dotted = bool(as_written) and not of_weeks and all(map(_DOTTED.match, as_written))
    moments = any(":" in cell for cell in as_written)
    day_first, told = (True, "") if dotted else day_first_of([*numeric, *of_weeks], settled, moments=moments)
    if told and not numeric:  # then the days of the week tell
        day_first, told = None, ""
    told = " ".join(filter(None, (told, _month_numbers([could[c][key] for c, key in read.items() if key]))))
    known = Settled(settled.year, settled.year_start, day_first)
    yearless = any(key in YEARLESS for key in read.values()) and settled.year is None
    days = {c: _BY_KEY[key].first(could[c][key], known) if key else None for c, key in read.items()}
    if set(read.values()) <= {"month alone", "numbered month alone", ""}:
        days = past_december(days)
    used = tuple(dict.fromkeys(key for key in (read[cell] for cell in filled) if key))
    unread = tuple(cell for cell in distinct if not read[cell])
    return Periods(tuple(days.get(cell) for cell in cells), grain, used, unread, told, yearless)


_LETTERED = re.compile(r"^[STV](?=\s?\d{1,2}(?!\d))", re.I)  # S5 2026, which is a half-year elsewhere
_NUMBERED_WEEK = re.compile(r"^(?:(\d{1,2})[/.-](20\d\d)|(20\d\d)[/.-]?(\d{1,2}))$")
_WEEK_HEAD = re.compile(
    r"\b(?:weeks?|wk|kw|kalenderwoche|woche|uge|uke|vecka|vecko\w*|viikko|vko|settimana|semana|semaine|tyden|tydzien|tyzden|het|hafta|неделя|тиждень|week_?no|weeknr)\b|^(?:週|周|주)$"
)


def says_week(head: str) -> bool:
    return bool(head) and _WEEK_HEAD.search(folded(head).replace("_", " ")) is not None


def _month_numbers(parts: Sequence[dict[str, str]]) -> str:
    """Say the numbers of months beside their names, as the language of the column has them; what is to be told."""
    named = [part for part in parts if (month := part.get("m")) and not month.isdigit()]
    numbers, told = months_of({part["m"] for part in named}) if named else ({}, "")
    for part in named:
        if part["m"] in numbers:
            part["month"] = str(numbers[part["m"]])
    return told


_ORDER = {notation.key: at for at, notation in enumerate(NOTATIONS)}
_TIMES = ["date", "datum", "day", "tag", "month", "monat", "year", "jahr", "quarter", "quartal", "week", "woche", "time", "zeit", "period", "periode", "mois", "annee", "an", "jour", "semaine", "trimestre", "fecha", "mes", "ano", "semana", "dia", "data", "giorno", "mese", "anno", "settimana", "trimestre", "maand", "jaar", "kwartaal", "dag", "week", "rok", "miesiac", "tydzien", "kwartal", "dato", "maned", "ar", "uge", "vecka", "fy", "gj", "when", "since", "from", "ts", "timestamp", "epoch", "unix"]  # fmt: skip
_TIME_WORD = re.compile(rf"(?:^|[\W_])(?:{'|'.join(_TIMES)})s?(?:$|[\W_])")


def hinted(head: str) -> bool:
    """Whether a heading speaks of time."""
    return bool(_TIME_WORD.search(folded(head)))


def _plausible(key: str, cells: Sequence[str], head: str) -> bool:
    """Whether bare numbers are periods: years by their range, head and steps; day numbers and seconds by their head."""
    if _BY_KEY[key].sure:
        return True
    if key == "compact" or key == "compact month":
        return len(cells) > 1 or hinted(head)
    if key == "year":
        years = sorted({int(cell) for cell in cells})
        close = years[-1] - years[0] < 120
        stepped = len(years) > 1 and all(b - a == years[1] - years[0] for a, b in pairwise(years))
        return (
            close
            and years[0] >= (1500 if hinted(head) else 1950)
            and years[-1] <= 2100
            and (hinted(head) or (stepped and not head.strip()))
        )
    return hinted(head)


def day_first_of(
    parts: Sequence[Mapping[str, str]], settled: Settled, *, moments: bool = False
) -> tuple[bool | None, str]:
    """Whether the day stands first, by the whole column; what is to be told where nothing tells. moments: whether times stand
    beside them, so that they are no months that follow one another."""
    if not parts or settled.day_first is not None:
        return settled.day_first, ""
    if any(int(part["a"]) > 12 for part in parts):
        return True, ""
    if any(int(part["b"]) > 12 for part in parts):
        return False, ""
    # Months follow one another where the other order has them all on one day.
    firsts, seconds = {part["a"].lstrip("0") for part in parts}, {part["b"].lstrip("0") for part in parts}
    if len(parts) > 2 and firsts == {"1"} != seconds and not moments:
        return True, ""
    if len(parts) > 2 and seconds == {"1"} != firsts and not moments:
        return False, "Nothing but that months follow one another says so: the dates were read month first."
    return True, UNTOLD


_DOTTED = re.compile(r"^\D*\d{1,2}\.\d")  # the day stands first wherever days are written so
UNTOLD = "Day and month could not be told apart; the dates were read day first."
