"""The reach of an instrument: the period it reads where that is not the page's own."""

from __future__ import annotations

from typing import Literal, get_args

from ironmark.core.periods import Period

Reach = Literal["page", "before", "year_earlier", "to_date", "last", "year", "fixed"]
REACHES: tuple[Reach, ...] = get_args(Reach)


def reached(page: Period, reach: Reach, last: int = 2, fixed: str = "") -> Period:
    """The period that is read where the page reads ``page``.

    to_date: from the beginning of the financial year to the end of the page's period, in periods of its grain. last:
    so many periods of the page's grain together, up to and with its last one. year: the whole financial year the page's period ends
    in, of which there may be a part so far. fixed: this one, whatever the page reads. Raises ValueError for a fixed
    one that is no period.
    """
    start = page.year_start
    if reach == "before":
        return page.shift(-1)
    if reach == "year_earlier":
        return page.years_back(1)
    if reach == "last":
        return Period(page.last_unit.ordinal - last + 1, page.grain, last, start)
    if reach == "year":
        return page.year
    if reach == "to_date":
        first = page.first_of_year.ordinal
        return Period(first, page.grain, page.ordinal + page.length - first, start)
    return Period.parse(fixed, start) if reach == "fixed" else page


def shift_words(page: Period, read: Period, reach: Reach, last: int = 2) -> str:
    """The reach in words, as a sheet says it: ``a year earlier: October 2025``; nothing for the page's own period."""
    how = {
        "before": "the period before",
        "year_earlier": "a year earlier",
        "to_date": "year to date",
        "last": f"the last {last} {page.grain}s together",
        "year": "the financial year so far" if page.year_start != 1 else "the year so far",
        "fixed": "always",
    }
    return f"{how[reach]}: {read.label}" if reach in how else ""
