"""Working days: Monday to Friday without the holidays of a list."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection

SATURDAY = 5


def is_working_day(day: dt.date, holidays: Collection[dt.date]) -> bool:
    return day.weekday() < SATURDAY and day not in holidays


def nth_day(first: dt.date, last: dt.date, n: int, *, working: bool, holidays: Collection[dt.date] = ()) -> dt.date:
    """The n-th day from ``first`` to ``last`` (1 for the first; −1 for the last one), of all days or of working ones.

    The last one there is where there are fewer; ``last`` itself where none of them is a working day.
    """
    if not working:
        return min(last, first + dt.timedelta(days=n - 1)) if n > 0 else last
    days = [first + dt.timedelta(days=at) for at in range((last - first).days + 1)]
    found = [day for day in days if is_working_day(day, holidays)] or [last]
    return found[min(n, len(found)) - 1] if n > 0 else found[-1]


def later_day(first: dt.date, n: int, *, working: bool, holidays: Collection[dt.date] = ()) -> dt.date:
    """The n-th day from ``first`` on (1 for the first), of all days or of working ones; at most a year is looked through."""
    found = [first + dt.timedelta(days=at) for at in range(366)]
    days = [day for day in found if not working or is_working_day(day, holidays)] or found
    return days[min(n, len(days)) - 1]
