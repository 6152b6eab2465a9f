"""Lists of holidays from small files: dates in a CSV, one a line, or an iCalendar file."""

from __future__ import annotations

import csv
import datetime as dt
import io
from collections.abc import Iterator
from typing import Any

from icalendar import Calendar

from ironmark.tables.table import Unreadable

MOST = 5_000
YEARS = range(2000, 2101)  # that a holiday of every year is taken for


def read_holidays(body: bytes) -> list[dt.date]:
    """The days of a list in their order. Raises Unreadable."""
    text = body.decode("utf-8-sig", errors="replace")
    if "\0" in text:
        raise Unreadable(
            "This is no text. Give a CSV with a date such as 2026-12-25 in each line, or an iCalendar file."
        )
    days = _from_calendar(body) if "BEGIN:VCALENDAR" in text[:2000].upper() else _from_csv(text)
    if not days:
        raise Unreadable(
            "No date was found. Give a CSV with a date such as 2026-12-25 in each line, or an iCalendar file."
        )
    if len(days) > MOST:
        raise Unreadable(f"These are {len(days):,} days; a list of holidays has at most {MOST:,}.")
    return sorted(days)


def _from_csv(text: str) -> set[dt.date]:
    found: set[dt.date] = set()
    for at, line in enumerate(_lines(text), start=1):
        cells = [cell.strip() for cell in line if cell.strip()]
        days = []
        for cell in cells:
            try:
                days.append(dt.date.fromisoformat(cell))
            except ValueError:
                continue
        if cells and not days and at > 1:
            raise Unreadable(f"Line {at} (“{', '.join(cells)[:60]}”) has no date such as 2026-12-25.")
        found.update(days)
    return found


def _lines(text: str) -> Iterator[list[str]]:
    try:
        yield from csv.reader(io.StringIO(text))
    except csv.Error as error:
        raise Unreadable(
            f"The list cannot be read: {error}. Give a CSV with a date such as 2026-12-25 in each line."
        ) from None


def _from_calendar(body: bytes) -> set[dt.date]:
    try:
        return _events_in(body)
    except (ValueError, LookupError, TypeError, AttributeError, OverflowError) as error:
        # The reader of the format lets through what is none, and says so in many ways.
        raise Unreadable(f"The iCalendar file cannot be read: {str(error)[:200]}.") from None


def _events_in(body: bytes) -> set[dt.date]:
    events: list[Any] = list(Calendar.from_ical(body).walk("VEVENT"))
    found: set[dt.date] = set()
    for event in events:
        if "DTSTART" not in event:
            continue
        first = last = _day(event["DTSTART"].dt)
        if "DTEND" in event:
            end = event["DTEND"].dt  # a day is the first that is over
            last = _day(end)
            if not isinstance(end, dt.datetime) or end.time() == dt.time():
                last -= dt.timedelta(days=1)  # what ends at midnight is over with the day before
        days = [first + dt.timedelta(days=n) for n in range(max(1, min(60, (last - first).days + 1)))]
        rule = event.get("RRULE")
        if rule is not None and "YEARLY" in rule.get("FREQ", []) and set(rule) <= {"FREQ", "INTERVAL", "WKST"}:
            days = [day for year in YEARS for day in (_in_year(one, year) for one in days) if day is not None]
        found.update(days)
    return found


def _day(moment: dt.date | dt.datetime) -> dt.date:
    return moment.date() if isinstance(moment, dt.datetime) else moment


def _in_year(day: dt.date, year: int) -> dt.date | None:
    try:
        return day.replace(year=year)
    except ValueError:
        return None  # the 29th of February
