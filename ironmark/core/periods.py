"""The periods a reading is taken for: days, ISO weeks, months, quarters, years, and several of them together."""

from __future__ import annotations

import calendar
import datetime as dt
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Literal, get_args

Grain = Literal["day", "week", "month", "quarter", "year"]
GRAINS: tuple[Grain, ...] = get_args(Grain)
# How fine the periods of rows are: rows by halves are read by years alone.
RowGrain = Literal["day", "week", "month", "quarter", "half", "year"]
ROW_GRAINS: tuple[RowGrain, ...] = get_args(RowGrain)
_MONTHS_OF_ROWS: dict[RowGrain, int] = {"month": 1, "quarter": 3, "half": 6, "year": 12}
MONTHS = tuple(calendar.month_name)[1:]
SPAN = ".."
AND = ","
_MONTHS_IN = {"month": 1, "quarter": 3, "year": 12}
_WRITTEN = re.compile(r"^(\d{4})(?:-(?:Q(?P<q>[1-4])|W(?P<w>\d{1,2})|(?P<m>\d{1,2})(?:-(?P<d>\d{1,2}))?))?$", re.I)
_HOW = "write 2026, 2026-Q3, 2026-10, 2026-W43 or 2026-10-07, a span such as 2026-04..2026-09, or several such as 2023,2025"
MOST_IN_A_SPAN = 4000
MOST_TOGETHER = 60  # periods that are no neighbours
FIRST_YEAR, LAST_YEAR = 1000, 9000  # what is typed; so that periods before and after them can be counted too
_DAYS = dt.date.min.toordinal(), dt.date.max.toordinal()


def finer(grain: Grain | RowGrain, rows: RowGrain) -> bool:
    """Whether a grain asks for more than rows tell: a month of rows by quarters. What is not told is never split."""
    return ROW_GRAINS.index(grain) < ROW_GRAINS.index(rows)


def end_of_rows(first: dt.date, rows: RowGrain) -> dt.date:
    """The last day of the period of rows that begins on a day."""
    if rows == "day":
        return first
    if rows == "week":
        return first + dt.timedelta(days=6)
    month = first.year * 12 + first.month - 1 + _MONTHS_OF_ROWS[rows]
    return dt.date(month // 12, month % 12 + 1, 1) - dt.timedelta(days=1)


@dataclass(frozen=True, order=True)
class Period:
    """``length`` units of a grain from the unit ``ordinal`` on; more than one unit is a span. ``without``: those of
    them that are left out, counted from the first one; so periods that are no neighbours are read together.

    Units are counted so that arithmetic is plain: days and weeks from the first of January of year 1, a Monday;
    months as ``12 * year + month - 1``; quarters and years likewise, from the month ``year_start`` (1 to 12) in
    which the financial year begins; it is named after the calendar year it begins in.
    """

    ordinal: int
    grain: Grain = "month"
    length: int = 1
    year_start: int = 1
    without: tuple[int, ...] = ()

    def __hash__(self) -> int:
        """Of what tells most of them apart: histories are looked up by all their periods, again and again."""
        return hash((self.ordinal, self.length))

    @classmethod
    def of(cls, day: dt.date, grain: Grain = "month", year_start: int = 1) -> Period:
        """The period of a grain that ``day`` lies in."""
        if grain == "day":
            ordinal = day.toordinal()
        elif grain == "week":
            ordinal = (day.toordinal() - 1) // 7
        else:
            month = day.year * 12 + day.month - 1
            ordinal = (month - (year_start - 1 if grain != "month" else 0)) // _MONTHS_IN[grain]
        return cls(ordinal, grain, 1, year_start)

    @classmethod
    def parse(cls, text: str, year_start: int = 1) -> Period:
        """Read ``2026``, ``2026-Q3``, ``2026-10``, ``2026-W43``, ``2026-10-07``, two of one kind as a span, or several
        of one kind with commas between.

        Raises ValueError on anything else.
        """
        if AND in text:
            return cls.together([cls.parse(part, year_start) for part in text.split(AND)])
        if SPAN in text:
            first, last = (cls.parse(part, year_start) for part in text.split(SPAN, 1))
            if first.grain != last.grain:
                raise ValueError(f"“{text}” runs from a {first.grain} to a {last.grain}; {_HOW}")
            if last < first:
                raise ValueError(f"“{text}” ends before it begins; swap the two")
            if last.ordinal - first.ordinal >= MOST_IN_A_SPAN:
                raise ValueError(f"“{text}” is longer than {MOST_IN_A_SPAN:,} {first.grain}s; choose a coarser grain")
            return replace(first, length=last.ordinal - first.ordinal + 1)
        found = _WRITTEN.match(text.strip())
        year = int(found[1]) if found else 0
        if found and FIRST_YEAR <= year <= LAST_YEAR:
            quarter, week, month, day = found["q"], found["w"], found["m"], found["d"]
            try:
                if quarter:
                    return cls(year * 4 + int(quarter) - 1, "quarter", 1, year_start)
                if week:
                    return cls.of(dt.date.fromisocalendar(year, int(week), 1), "week", year_start)
                if month:
                    first_day = dt.date(year, int(month), int(day or 1))
                    return cls.of(first_day, "day" if day else "month", year_start)
                return cls(year, "year", 1, year_start)
            except ValueError:
                pass
        raise ValueError(f"“{text}” is no period; {_HOW}")

    @classmethod
    def together(cls, several: Sequence[Period]) -> Period:
        """Several periods of one grain as one. Raises ValueError where they are of several, too many or too far apart."""
        first = min(several)
        if any(one.grain != first.grain for one in several):
            raise ValueError(f"periods that are read together are all of one kind; {_HOW}")
        if len(several) > MOST_TOGETHER:
            raise ValueError(f"at most {MOST_TOGETHER} periods can be chosen; choose spans, or a coarser grain")
        units = {unit for one in several for unit in one._units_in}
        length = max(units) - first.ordinal + 1
        if length > MOST_IN_A_SPAN:
            raise ValueError(f"these lie more than {MOST_IN_A_SPAN:,} {first.grain}s apart; choose a coarser grain")
        without = tuple(n for n in range(length) if first.ordinal + n not in units)
        return replace(first, length=length, without=without)

    @property
    def _units_in(self) -> list[int]:
        left_out = set(self.without)
        return [self.ordinal + n for n in range(self.length) if n not in left_out]

    @property
    def every_unit(self) -> tuple[Period, ...]:
        """Each of the units of its grain that it is made of."""
        return tuple(Period(unit, self.grain, 1, self.year_start) for unit in self._units_in)

    def _spans_of(self, units: Iterable[int]) -> tuple[Period, ...]:
        """Rising units of its grain as spans of neighbours."""
        found: list[tuple[int, int]] = []
        for unit in units:
            if found and sum(found[-1]) == unit:
                found[-1] = found[-1][0], found[-1][1] + 1
            else:
                found.append((unit, 1))
        return tuple(Period(first, self.grain, length, self.year_start) for first, length in found)

    @cached_property
    def runs(self) -> tuple[Period, ...]:
        """The spans it is made of; itself alone where nothing is left out."""
        return self._spans_of(self._units_in) if self.without else (self,)

    @property
    def holes(self) -> tuple[Period, ...]:
        """The spans that are left out."""
        return self._spans_of(self.ordinal + n for n in self.without)

    def days_through(self, day: dt.date) -> int:
        """How many of its days lie on ``day`` or before."""
        return sum(max(0, (min(run.end, day) - run.start).days + 1) for run in self.runs)

    @classmethod
    def guess(cls, text: str, year_start: int = 1) -> Period | None:
        """A period as a heading may have it: ``2026-10``, ``Oct 2026``, ``Q3 2026/27``, a month's first day; else None."""
        try:
            return cls.parse(_as_written(" ".join(text.split())), year_start)
        except ValueError:
            return None

    @cached_property
    def start(self) -> dt.date:
        """The first day."""
        return self._starts(self.ordinal)

    @cached_property
    def end(self) -> dt.date:
        """The last day."""
        return self._starts(self.ordinal + self.length) - dt.timedelta(days=1)

    def _starts(self, ordinal: int) -> dt.date:
        return _first_day(self.grain, ordinal, self.year_start)

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.end - self.start).days + 1 if not self.without else self.days_through(self.end)

    @property
    def unit(self) -> Literal["day", "week", "month"]:
        """The largest unit that every period of this grain is made of whole ones of."""
        return self.grain if self.grain in ("day", "week") else "month"  # type: ignore[return-value]

    @property
    def units(self) -> tuple[int, int]:
        """The units the period runs over, from the first up to, not including, the last."""
        if self.unit != "month" or self.grain == "month":
            return self.ordinal, self.ordinal + self.length
        first = self.ordinal * _MONTHS_IN[self.grain] + self.year_start - 1
        return first, first + _MONTHS_IN[self.grain] * self.length

    @cached_property
    def key(self) -> str:
        """How it is written in documents and addresses; ``parse`` reads it back."""
        if self.without:
            return AND.join(run.key for run in self.runs)
        if self.length > 1:
            return f"{self.first_unit.key}{SPAN}{self.last_unit.key}"
        if self.grain == "day":
            return self.start.isoformat()
        if self.grain == "week":
            year, week, _ = self.start.isocalendar()
            return f"{year:04d}-W{week:02d}"
        if self.grain == "month":
            return f"{self.start.year:04d}-{self.start.month:02d}"
        return f"{self.ordinal:04d}" if self.grain == "year" else f"{self.ordinal // 4:04d}-Q{self.ordinal % 4 + 1}"

    @property
    def label(self) -> str:
        """Its name in full: ``October 2026``."""
        if self.without:
            names = [run.short for run in self.runs]
            return f"{', '.join(names[:-1])} and {names[-1]}"
        if self.length > 1:
            return f"{self.first_unit.short} – {self.last_unit.short}"
        if self.grain == "month":
            return f"{MONTHS[self.ordinal % 12]} {self.start.year}"
        if self.grain == "day":
            return f"{self.start.day} {MONTHS[self.start.month - 1]} {self.start.year}"
        if self.grain == "week":
            year, week, _ = self.start.isocalendar()
            return f"Week {week}, {year}"
        return self.short

    @property
    def short(self) -> str:
        """Its name in a column head: ``Oct 2026``."""
        if self.length > 1:
            return self.label
        start = self.start
        if self.grain == "month":
            return f"{MONTHS[start.month - 1][:3]} {start.year}"
        if self.grain == "day":
            return f"{start.day} {MONTHS[start.month - 1][:3]} {start.year}"
        if self.grain == "week":
            year, week, _ = start.isocalendar()
            return f"W{week} {year}"
        year = self.ordinal if self.grain == "year" else self.ordinal // 4
        named = str(year) if self.year_start == 1 else f"{year}/{(year + 1) % 100:02d}"
        return named if self.grain == "year" else f"Q{self.ordinal % 4 + 1} {named}"

    @property
    def brief(self) -> str:
        """The name within a sentence that already tells the year: ``October``, ``week 43``."""
        if self.length > 1 or self.grain in ("quarter", "year"):
            return self.short
        if self.grain == "month":
            return MONTHS[self.ordinal % 12]
        return self.short.rsplit(" ", 1)[0]

    @property
    def first_unit(self) -> Period:
        """The first of the units of its grain that a span is made of; itself where it is one."""
        return replace(self, length=1, without=())

    @property
    def last_unit(self) -> Period:
        """The last one."""
        return replace(self, ordinal=self.ordinal + self.length - 1, length=1, without=())

    @property
    def year(self) -> Period:
        """The financial year it ends in; a week's is the one that its Thursday is in."""
        day = self.end - dt.timedelta(days=3) if self.grain == "week" else self.end
        return Period.of(day, "year", self.year_start)

    @property
    def first_of_year(self) -> Period:
        """The first period of its grain in the financial year it ends in."""
        start = self.year.start
        if self.grain == "week":  # the week of the first Thursday
            start += dt.timedelta(days=(3 - start.weekday()) % 7)
        return Period.of(start, self.grain, self.year_start)

    def shift(self, n: int) -> Period:
        """The period ``n`` later, by its own length; a span moves on by as many units as it has."""
        return Period(self.ordinal + n * self.length, self.grain, self.length, self.year_start, self.without)

    def years_back(self, n: int) -> Period:
        """The same period ``n`` years earlier: day by its date, week by its number, the last one where none is left."""
        if not n:
            return self
        if self.grain == "day":
            return replace(self, ordinal=day_years_back(self.start, n).toordinal())
        if self.grain == "week":
            year, week, _ = self.start.isocalendar()
            n = min(n, year - 1)
            last = dt.date(year - n, 12, 28).isocalendar()[1]
            monday = dt.date.fromisocalendar(year - n, min(week, last), 1)
            return replace(self, ordinal=(monday.toordinal() - 1) // 7)
        return replace(self, ordinal=self.ordinal - n * 12 // _MONTHS_IN[self.grain])


@lru_cache(maxsize=65_536)
def _as_written(text: str) -> str:
    """How a period that a heading has would be written here; other texts as they are."""
    if found := re.match(r"^([A-Za-z]{3,9})\.?[ -](\d{4})$", text):
        for at, name in enumerate(MONTHS, start=1):
            if name.lower().startswith(found[1].lower()):
                return f"{found[2]}-{at:02d}"
    if found := re.match(r"^(?:(Q[1-4])[ -])?(\d{4})(?:/\d{2,4})?$", text, re.I):
        return f"{found[2]}-{found[1]}" if found[1] else found[2]
    if found := re.match(r"^(\d{4}-\d{2})-01(?:[T ].*)?$", text):
        return found[1]
    return text


def _first_day(grain: Grain, ordinal: int, year_start: int) -> dt.date:
    """The first day of a unit, held within the days that can be counted."""
    if grain in ("day", "week"):
        day = ordinal if grain == "day" else ordinal * 7 + 1
        return dt.date.fromordinal(min(max(day, _DAYS[0]), _DAYS[1]))
    month = ordinal * _MONTHS_IN[grain] + (year_start - 1 if grain != "month" else 0)
    if month < 12:
        return dt.date.min
    return dt.date(month // 12, month % 12 + 1, 1) if month < 120_000 else dt.date.max


@dataclass(frozen=True)
class PartSoFar:
    """How much of a period has data: ``days`` of ``of`` days."""

    days: int
    of: int

    @property
    def share(self) -> float:
        """The part of the period that has data, 0 to 1."""
        return self.days / self.of

    @property
    def words(self) -> str:
        """As it is told: ``21 of 30 days``."""
        return f"{self.days} of {self.of} days"


def part_of(period: Period, through: dt.date) -> PartSoFar | None:
    """The part of ``period`` up to and including ``through``; None when it is complete."""
    if through >= period.end:
        return None
    return PartSoFar(period.days_through(through), period.days)


def day_years_back(day: dt.date, n: int) -> dt.date:
    """The same day ``n`` years earlier, the last one of its month where that is shorter."""
    year = max(1, day.year - n)
    return dt.date(year, day.month, min(day.day, calendar.monthrange(year, day.month)[1]))


def day_months_back(day: dt.date, n: int) -> dt.date:
    """The same day of the month ``n`` months earlier, the last one of that month where it is shorter."""
    month = max(12, day.year * 12 + day.month - 1 - n)
    year, month = month // 12, month % 12 + 1
    return dt.date(year, month, min(day.day, calendar.monthrange(year, month)[1]))


def same_part(period: Period, earlier: Period, through: dt.date) -> dt.date:
    """The last day of the part of ``earlier`` that answers to the part of ``period`` up to ``through``.

    It goes through the same day of the month, so many months earlier as the two are apart, all of it where it is
    shorter; of days and weeks through the same one of them.
    """
    if through >= period.end:
        return earlier.end
    if through < period.start:
        return earlier.start - dt.timedelta(days=1)
    if period.unit == "month":
        return min(day_months_back(through, period.units[0] - earlier.units[0]), earlier.end)
    return min(earlier.start + (through - period.start), earlier.end)


def latest_complete(first: Period, last: Period, through: dt.date) -> Period:
    """The last period not cut short by ``through``; ``first`` when none is complete."""
    while last > first and part_of(last, through) is not None:
        last = last.shift(-1)
    return last


def complete_for_most(first: Period, last: Period, through: Sequence[tuple[dt.date, int]]) -> Period:
    """The last period that is complete for most; ``first`` when none is.

    through: the days some data is complete through, each with its weight. A period counts that is complete for more
    than half of the weight, so that neither a late one nor an early one moves it.
    """
    ends = sorted(((latest_complete(first, last, day), weight) for day, weight in through), reverse=True)
    whole, so_far = sum(weight for _, weight in ends), 0
    for period, weight in ends:
        so_far += weight
        if 2 * so_far > whole:
            return period
    return first


@lru_cache(maxsize=4096)
def timeline(period: Period, first: dt.date, last: dt.date) -> tuple[Period, ...]:
    """Every period of the kind of ``period``, in step with it, from the one ``first`` is in to the one of ``last``."""
    edges = [Period.of(day, period.grain, period.year_start).ordinal - period.ordinal for day in (first, last)]
    low, high = (edge // period.length for edge in edges)
    return tuple(period.shift(n) for n in range(low, high + 1))


def months(first: dt.date, last: dt.date) -> tuple[Period, ...]:
    """Every month from that of ``first`` to that of ``last``."""
    return timeline(Period.of(first), first, last)


def pieces(periods: Sequence[Period], grain: Literal["day", "month"]) -> tuple[tuple[Period, ...], list[int]]:
    """The days or months that periods are made of, and for each which of the periods it belongs to.

    Periods of days and weeks have no months; asked for them they are their own pieces.
    """
    found, of = _pieces(tuple(periods), grain)
    return found, list(of)


@lru_cache(maxsize=512)
def _pieces(periods: tuple[Period, ...], grain: Literal["day", "month"]) -> tuple[tuple[Period, ...], tuple[int, ...]]:
    found: list[Period] = []
    of: list[int] = []
    for at, period in enumerate(periods):
        made = [piece for run in period.runs for piece in _pieces_of(run, grain)]
        found += made
        of += [at] * len(made)
    return tuple(found), tuple(of)


def _pieces_of(run: Period, grain: Literal["day", "month"]) -> Sequence[Period]:
    if grain == "day":
        return timeline(Period.of(run.start, "day"), run.start, run.end)
    return months(run.start, run.end) if run.unit == "month" else (run,)
