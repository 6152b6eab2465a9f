"""Calendar months as the periods a reading is taken for, and how much of one has data."""

from __future__ import annotations

import calendar
import datetime as dt
import re
from dataclasses import dataclass

_ISO_MONTH = re.compile(r"^(\d{4})-(\d{1,2})(?:-\d{1,2})?$")
MONTHS = tuple(calendar.month_name)[1:]


@dataclass(frozen=True, order=True)
class Period:
    """One calendar month, counted as ``12 * year + month - 1`` so that arithmetic is plain."""

    ordinal: int

    @classmethod
    def of(cls, day: dt.date) -> Period:
        return cls(day.year * 12 + day.month - 1)

    @classmethod
    def parse(cls, text: str) -> Period:
        """Read ``2026-10`` (a day behind it is ignored). Raises ValueError on anything else."""
        found = _ISO_MONTH.match(text.strip())
        if not found or not 1 <= int(found[2]) <= 12 or not 1 <= int(found[1]) <= 9998:
            raise ValueError(f"“{text}” is not a month; write it as 2026-10")
        return cls(int(found[1]) * 12 + int(found[2]) - 1)

    @property
    def start(self) -> dt.date:
        return dt.date(self.ordinal // 12, self.ordinal % 12 + 1, 1)

    @property
    def end(self) -> dt.date:
        return self.shift(1).start - dt.timedelta(days=1)

    @property
    def days(self) -> int:
        return self.end.day

    @property
    def key(self) -> str:
        return f"{self.start.year:04d}-{self.start.month:02d}"

    @property
    def label(self) -> str:
        return f"{MONTHS[self.ordinal % 12]} {self.start.year}"

    @property
    def short(self) -> str:
        return f"{MONTHS[self.ordinal % 12][:3]} {self.start.year}"

    def shift(self, n: int) -> Period:
        return Period(self.ordinal + n)


@dataclass(frozen=True)
class Part:
    """How much of a period has data: ``days`` of ``of`` days."""

    days: int
    of: int

    @property
    def share(self) -> float:
        return self.days / self.of

    @property
    def words(self) -> str:
        return f"{self.days} of {self.of} days"


def part_of(period: Period, through: dt.date) -> Part | None:
    """The part of ``period`` up to and including ``through``; None when it is complete."""
    if period < Period.of(through) or through >= period.end:
        return None
    return Part(max(0, (through - period.start).days + 1), period.days)


def latest_complete(first: Period, last: Period, through: dt.date) -> Period:
    """The last period not cut short by ``through``; ``first`` when none is complete."""
    while last > first and part_of(last, through) is not None:
        last = last.shift(-1)
    return last
