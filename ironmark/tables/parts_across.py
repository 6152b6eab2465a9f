"""Parts of a day or a week across the top, whose day or week each row says: 00:00 to 23:00, Monday to Sunday."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from ironmark.tables.notations import Periods
from ironmark.tables.period_words import weekdays_of

FEWEST_HOURS, FEWEST_DAYS = 8, 5
HOUR = "Hour"  # the column that hours of a day come to
_HOUR = re.compile(
    r"^(?P<h>[01]?\d|2[0-4])(?P<sign>[:h]?)(?P<m>[0-5]\d)?\s*(?P<word>h|uhr|u)?(?P<to>\s*[-–]\s*\d{1,2}(?:[:.h]?\d{2})?\s*(?:h|uhr|u)?)?$",
    re.I,
)


@dataclass(frozen=True)
class PartsAcross:
    """names: of the columns, as they are written in rows; days: after the first one of their week; () for hours."""

    names: tuple[str, ...]
    days: tuple[int, ...] = ()

    def of_weeks(self, period: Periods) -> tuple[int, ...]:
        """How many days after the first one of its row each column is; () where rows are of single days, or of longer."""
        firsts = {day.weekday() for day in period.days if day}
        weeks = period.grain == "week" or (period.grain == "day" and firsts == set(self.days[:1]))
        return tuple((day - self.days[0]) % 7 if period.grain == "day" else day for day in self.days) if weeks else ()


def parts_across(labels: Sequence[str]) -> PartsAcross | None:
    """What all heads of figures are; None of any others."""
    if len(labels) >= FEWEST_DAYS and (days := weekdays_of(labels)):
        return PartsAcross(tuple(labels), tuple(days))
    if len(labels) < FEWEST_HOURS:
        return None
    found = [_HOUR.match(label.strip()) for label in labels]
    minutes = [int(one["h"]) * 60 + int(one["m"] or 0) for one in found if one]
    if len(minutes) < len(labels) or any(later <= sooner for sooner, later in pairwise(minutes)):
        return None
    told = all(one and (one["m"] or one["word"] or one["to"] or one["sign"]) for one in found)
    if not told and [minute // 60 for minute in minutes] not in (list(range(24)), list(range(1, 25))):
        return None
    whole = not any(minute % 60 for minute in minutes)
    return PartsAcross(tuple(f"{m // 60:02} h" if whole else f"{m // 60:02} h {m % 60:02}" for m in minutes))
