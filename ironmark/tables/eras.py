"""Years as they are not written: of other eras, the Buddhist one (2569), Japan's (令和8年) and that of the Republic (民國115年); and of months
past December."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from itertools import pairwise

_BUDDHIST = 543  # years ahead
# 28/11/2569, 2569-11-28, พ.ย. 2569, 28 พฤศจิกายน 2569: nothing else that is written so has such a year.
_OF_BUDDHA = re.compile(
    r"^(?P<before>\d{1,2}[/.-](?:\d{1,2}[/.-])?|(?:[^\d]*\d{1,2}\s+)?[^\d]*[\u0e00-\u0e7f][^\d]*)?(?P<year>2[456]\d\d)(?P<after>(?(before)(?:[\sT,].*)?|[/.-]\d{1,2}(?:[/.-]\d{1,2}.*)?))$"
)
_NAMED = {"令和": 2018, "平成": 1988, "昭和": 1925, "民國": 1911, "民国": 1911}
_OF_NAME = re.compile(rf"^(?P<name>{'|'.join(_NAMED)})\s?(?P<year>\d{{1,3}}|元)\s?年")
MAYBE = rf"2[456]\d\d|{'|'.join(_NAMED)}"
_ANY = re.compile(MAYBE)


def in_common_era(text: str) -> str:
    """A day, month or year with its year of the common era; any other text as it is."""
    if not _ANY.search(text):
        return text
    if found := _OF_NAME.match(text):
        year = 1 if found["year"] == "元" else int(found["year"])
        return f"{_NAMED[found['name']] + year}年{text[found.end() :].lstrip()}"
    if found := _OF_BUDDHA.match(text):
        return f"{found['before'] or ''}{int(found['year']) - _BUDDHIST}{found['after'] or ''}"
    return text


def past_december(days: Mapping[str, dt.date | None]) -> dict[str, dt.date | None]:
    """Months of one year, those behind December in the next: July to June. days: in their order."""
    months = [day.month for day in days.values() if day]
    steps = [(later - sooner) % 12 for sooner, later in pairwise(months)]
    on = (
        len(months) > 1 and months[-1] < months[0] and all(0 < step <= _MOST_STEP for step in steps) and sum(steps) < 12
    )
    if not on:
        return dict(days)
    return {c: day.replace(year=day.year + 1) if day and day.month < months[0] else day for c, day in days.items()}


_MOST_STEP = 3  # months between two that stand beside each other
