"""Aggregates by period and member, put together from cells: the finest parts a scope can ask for."""

from __future__ import annotations

import datetime as dt
import threading
from abc import ABC, abstractmethod
from collections.abc import Collection, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period, RowGrain
from ironmark.core.readings import Members, Totals

_MOST_WORKED_OUT = 500
MOST_PART_BYTES = 32 << 20  # of parts kept for one combination of segments
BLANK_MEMBER = "(blank)"
Unit = Literal["day", "week", "month"]
# Which rows somebody may read: those of some members of each of these segments, in the order of their names.
Within = tuple[tuple[str, tuple[str, ...]], ...]
Wanted = tuple[Unit, tuple[str, ...], tuple[formula_nodes.Aggregate, ...]]  # what is asked by a unit and some segments
PartKey = tuple[str, formula_nodes.Node | None, formula_nodes.Node | None]


NOT_OPENED = "None of the rows that are opened to you is of a day that is read."


class NoPeriod(ValueError):
    """A dataset without a usable period column cannot be read."""


class NoSegment(KeyError):
    """A segment that the dataset does not have."""


@dataclass(frozen=True)
class Cells:
    """Every combination of day, week or month and members that has rows, with its parts of aggregates."""

    unit: Ints  # counted from that of the first row
    member: Mapping[str, Ints]
    rows: Ints
    parts: dict[PartKey, Floats]


class CellSource(ABC):
    """A source whose aggregates are worked out once per combination of segments and kept as cells.

    Another scope only adds cells up again: sum, count, min and max of the parts give those of the whole. What does
    not add up is worked out over its rows, once per scope.
    """

    def __init__(
        self, first_day: int, last_day: int, members: Mapping[str, tuple[str, ...]], through: dt.date,
        own: Collection[str],
    ) -> None:  # fmt: skip
        """first_day, last_day: counted from the first of January of year 1, as ``datetime.date`` does. own: the segments
        that are the rows' own: a level is kept by these, and never split by what was taken or derived."""
        self._first_day, self._last_day = first_day, last_day
        self._members, self._through = members, through
        self._own = tuple(sorted(set(own) & members.keys()))
        self._worked_out: dict[Hashable, np.ndarray] = {}
        self._within: dict[tuple[str, str], Mapping[str, frozenset[str]]] = {}
        self._lock = threading.RLock()

    @abstractmethod
    def _cells_with(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> Cells:
        """The cells of some segments with what these aggregates are put together from."""

    @abstractmethod
    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        """An aggregate over the rows of every period and of every member of ``by``, (P, M)."""

    grain: RowGrain = "day"  # how fine the periods of its rows are

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self._members

    @property
    def through(self) -> dt.date:
        return self._through

    @property
    def first(self) -> dt.date:
        return dt.date.fromordinal(self._first_day)

    @property
    def last(self) -> dt.date:
        return dt.date.fromordinal(self._last_day)

    def aggregate(
        self,
        wanted: Sequence[formula_nodes.Aggregate],
        by: str | None,
        where: Members,
        periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:
        """See ``Source.aggregate``. Raises NoSegment."""
        segments = tuple(sorted({*where, *([by] if by else [])}))
        for segment in segments:
            if segment not in self.members:
                raise NoSegment(segment)
        members: tuple[str | None, ...] = self.members[by] if by else (None,)
        if by and by in where:
            wanted_members = set(where[by])
            members = tuple(name for name in self.members[by] if name in wanted_members)
        count = len(members)
        line = line_of(tuple(periods), self._first_day, self._last_day, until)
        plain = [a for a in wanted if not a.last]
        cells = self._cells_with(line.unit, segments, plain)
        adder = self._adder(cells, by, where, members, line)
        rows = adder.total(cells.rows)
        parts: dict[formula_nodes.Aggregate, Floats] = {}
        for a in wanted:
            if a.whole:
                parts[a] = self._of_whole(a, count, periods, until)
            elif a.name in formula_nodes.UNADDED:
                parts[a] = self._over_rows(a, by, where, members, line)
            elif not a.last:
                parts[a] = self._combine(a, cells, adder)
        levels = [a for a in wanted if a not in parts]
        if levels:
            parts |= self._levels(levels, by, where, members, line)
        return Totals(tuple(periods), members, rows.astype(np.int64), parts)

    def ahead(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> None:
        """Work out what aggregates are put together from, all in one pass over the rows, so that it is there when
        they are asked for one by one. Segments that there are not are left to who asks for them."""
        known = tuple(sorted(segment for segment in set(segments) if segment in self.members))
        self._cells_with(unit, known, [a for a in wanted if not a.last])

    def within(self, segment: str, other: str) -> Mapping[str, frozenset[str]]:
        """See ``Source.within``. Raises NoSegment."""
        for name in (segment, other):
            if name not in self.members:
                raise NoSegment(name)
        with self._lock:
            held = self._within.get((segment, other))
        if held is None:
            first, second = sorted((segment, other))
            one, two = np.divmod(self._pairs(first, second), len(self.members[second]))
            found = {
                (first, second): _grouped(one, two, self.members[first], self.members[second]),
                (second, first): _grouped(two, one, self.members[second], self.members[first]),
            }
            with self._lock:
                self._within |= found
            held = found[segment, other]
        return held

    def _pairs(self, first: str, second: str) -> Ints:
        """Which members of two segments share rows, each pair once: the place of the first one, times how many the second
        segment has, plus the place of the second."""
        cells = self._cells_with("month", (first, second), ())
        return np.unique(cells.member[first] * len(self.members[second]) + cells.member[second])

    def _adder(
        self, cells: Cells, by: str | None, where: Members, members: Sequence[str | None], line: Line,
        also: np.ndarray | None = None,
    ) -> Adder:  # fmt: skip
        """Adds up the cells of the members in ``where``; ``also``: and only these of them."""
        keep = np.ones(len(cells.unit), dtype=bool) if also is None else also.copy()
        for segment, names in where.items():
            named = set(names)
            keep &= np.array([name in named for name in self.members[segment]], dtype=bool)[cells.member[segment]]
        member = np.zeros(1, dtype=np.int64)
        if by:
            column = {name: m for m, name in enumerate(members)}
            place = np.array([column.get(name, -1) for name in self.members[by]], dtype=np.int64)
            member = place[cells.member[by]]
        return Adder(keep, cells.unit, np.broadcast_to(member, cells.unit.shape), len(members), line)

    def _levels(
        self,
        wanted: Sequence[formula_nodes.Aggregate],
        by: str | None,
        where: Members,
        members: Sequence[str | None],
        line: Line,
    ) -> dict[formula_nodes.Aggregate, Floats]:
        """Aggregates over the rows of the last day of each series within every period.

        A series is one combination of members of the rows' own segments: so the levels of members add up to that of
        all, whichever segment they are read by, and a column that is added changes none.
        """
        segments = tuple(sorted(self.members))
        days = line if line.unit == "day" else Line(line.periods, self._first_day, self._last_day, line.until, "day")
        cells = self._cells_with("day", segments, wanted)
        key = ("levels", days.periods, days.until)
        with self._lock:
            held = self._worked_out.get(key)
        if held is None:
            held = last_days(days.bucket[cells.unit], self.series(cells.member, len(cells.unit)), cells.unit)
            self._keep(key, held)
        adder = self._adder(cells, by, where, members, days, held)
        return {a: self._combine(a, cells, adder) for a in wanted}

    def series(self, member: Mapping[str, Ints], count: int) -> Ints:
        """A number for each combination of members of the rows' own segments, (N,)."""
        code = np.zeros(count, dtype=np.int64)
        for segment in self._own:
            _, code = np.unique(code * len(self.members[segment]) + member[segment], return_inverse=True)
        return code

    def _of_whole(
        self, a: formula_nodes.Aggregate, count: int, periods: Sequence[Period], until: dt.date | None
    ) -> Floats:
        """The aggregate over all rows, whatever is read: a share is one of everything, so it has one answer."""
        one = replace(a, whole=False)
        return np.repeat(self.aggregate([one], None, {}, periods, until).parts[one], count, axis=1)

    def _over_rows(
        self, a: formula_nodes.Aggregate, by: str | None, where: Members, members: Sequence[str | None], line: Line
    ) -> Floats:
        """An aggregate that has to see its rows together: worked out for just this scope, and kept."""
        every: tuple[str | None, ...] = self.members[by] if by else (None,)
        scope = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        key = (a.name, a.of, a.where, a.window, a.last, by, scope, line.periods, line.until)
        with self._lock:
            held = self._worked_out.get(key)
        if held is None:
            held = self._see_rows(a, by, where, line)
            self._keep(key, held)
        place = {name: m for m, name in enumerate(every)}
        return held[:, [place[name] for name in members]]

    def _keep(self, key: Hashable, found: np.ndarray) -> None:
        with self._lock:
            if len(self._worked_out) >= _MOST_WORKED_OUT:
                self._worked_out.pop(next(iter(self._worked_out)))
            self._worked_out[key] = found

    def _combine(self, a: formula_nodes.Aggregate, cells: Cells, adder: Adder) -> Floats:
        parts = {key[0]: cells.parts[key] for key in parts_of(a)}
        if a.name in ("min", "max"):
            return adder.extreme(parts[a.name], a.name, a.window)
        rows = adder.total(cells.rows, a.window)
        matching = adder.total(parts["matching"], a.window)
        if a.of is None:
            return np.where(rows > 0, matching, np.nan)
        filled = adder.total(parts["filled"], a.window)
        if a.name == "count":
            return np.where(rows > 0, filled, np.nan)
        total = adder.total(parts["sum"], a.window)
        if a.name == "mean":
            return np.divide(total, filled, out=np.full_like(total, np.nan), where=filled > 0)
        # No row matches: the sum is 0. Rows match but all are blank: there is nothing to add up.
        return np.where((rows > 0) & ((filled > 0) | (matching == 0)), total, np.nan)


def _grouped(one: Ints, other: Ints, names: Sequence[str], others: Sequence[str]) -> Mapping[str, frozenset[str]]:
    """By the name of each place in ``one`` (N,) the names of what stands beside it in ``other`` (N,)."""
    by_one = np.argsort(one, kind="stable")
    places, starts = np.unique(one[by_one], return_index=True)
    parts = np.split(other[by_one], starts[1:])
    return {
        names[place]: frozenset([others[at] for at in part.tolist()])
        for place, part in zip(places.tolist(), parts, strict=False)
    }


class Line:
    """Periods over the days, weeks or months that have rows, these counted from the first one.

    until: days after it are left out, of every period; then days are counted.
    """

    def __init__(
        self,
        periods: Sequence[Period],
        first_day: int,
        last_day: int,
        until: dt.date | None = None,
        unit: Unit | None = None,
    ) -> None:
        self.periods, self.until = tuple(periods), until
        self.first_day = dt.date.fromordinal(first_day)
        self.unit: Unit = unit or ("day" if until is not None else periods[0].unit)
        first, last = (Period.of(dt.date.fromordinal(day), self.unit).ordinal for day in (first_day, last_day))
        if until is not None:
            last = min(last, until.toordinal())
        self.first, self.count = first, max(last - first + 1, 0)
        self.spans = [self._span(period) for period in periods]  # units as ``core.periods`` counts them
        starts, ends = np.array(self.spans, dtype=np.int64).T
        last_of_rows = Period.of(dt.date.fromordinal(last_day), self.unit).ordinal
        units = np.arange(first, last_of_rows + 1)
        at = np.searchsorted(starts, units, side="right") - 1
        within = (at >= 0) & (units < ends[np.maximum(at, 0)]) & (units <= last)
        self.bucket: Ints = np.where(within, at, -1)
        # What is left out of periods that are no neighbours, by the place of the period.
        self.holes = [[self._span(hole) for hole in period.holes] for period in periods]
        for start, end in (hole for several in self.holes for hole in several):
            self.bucket[max(start - first, 0) : max(end - first, 0)] = -1

    def _span(self, period: Period) -> tuple[int, int]:
        """The units of a period, from the first up to, not including, the last."""
        if self.unit != "day":
            return period.units
        return period.start.toordinal(), period.end.toordinal() + 1

    def windows(self, window: formula_nodes.Window) -> list[tuple[int, int]]:
        """The units that each period's window covers; none where it would begin before the first row."""
        found = []
        for period, span in zip(self.periods, self.spans, strict=True):
            end = min(span[1] - self.first, self.count)
            if window.periods is None:
                start = max(0, self._span(period.first_of_year)[0] - self.first)
            else:  # a level reads the last unit of a span, and those before that one
                begin = period.last_unit.shift(1 - window.periods)
                started = begin.units[0] >= Period.of(self.first_day, begin.unit).ordinal
                start = max(0, self._span(begin)[0] - self.first) if started else -1
            found.append((start, end) if 0 <= start < end else (0, 0))
        return found


@lru_cache(maxsize=256)
def line_of(periods: tuple[Period, ...], first_day: int, last_day: int, until: dt.date | None) -> Line:
    return Line(periods, first_day, last_day, until)


def last_days(bucket: Ints, series: Ints, day: Ints) -> np.ndarray:
    """Which of some rows or cells (N,) lie on the last day of their series within their period (bucket, −1 for none)."""
    held = bucket >= 0
    _, group = np.unique(np.stack([bucket[held], series[held]]), axis=1, return_inverse=True)
    last = np.full(int(group.max(initial=-1)) + 1, -1, dtype=np.int64)
    np.maximum.at(last, group.ravel(), day[held])
    found = np.zeros(len(day), dtype=bool)
    found[held] = day[held] == last[group.ravel()]
    return found


class Adder:
    """Adds cells up into (P, M) arrays."""

    def __init__(self, keep: np.ndarray, unit: Ints, member: Ints, count: int, line: Line) -> None:
        self.line, self.members = line, count
        bucket = line.bucket[unit]
        self.every, self.kept = keep, keep & (bucket >= 0)
        self.of_unit = unit[keep] * count + member[keep]
        self.of_period = bucket[self.kept] * count + member[self.kept]

    def total(self, part: np.ndarray, window: formula_nodes.Window | None = None) -> Floats:
        if window is not None:
            flat = np.bincount(self.of_unit, weights=part[self.every], minlength=len(self.line.bucket) * self.members)
            units = flat.astype(float, copy=False).reshape(
                len(self.line.bucket), self.members
            )  # none counts in whole ones
            return np.array([units[start:end].sum(axis=0) for start, end in self.line.windows(window)])
        size = len(self.line.periods) * self.members
        total = np.bincount(self.of_period, weights=part[self.kept], minlength=size)
        return total.astype(float, copy=False).reshape(len(self.line.periods), self.members)

    def extreme(self, part: Floats, name: str, window: formula_nodes.Window | None = None) -> Floats:
        pick = np.fmin if name == "min" else np.fmax
        if window is not None:
            flat = np.full(len(self.line.bucket) * self.members, np.nan)
            pick.at(flat, self.of_unit, part[self.every])
            units = flat.reshape(len(self.line.bucket), self.members)
            nothing = np.full(self.members, np.nan)
            spans = self.line.windows(window)
            return np.array([pick.reduce(units[start:end], axis=0) if end > start else nothing for start, end in spans])
        out = np.full(len(self.line.periods) * self.members, np.nan)
        pick.at(out, self.of_period, part[self.kept])
        return out.reshape(len(self.line.periods), self.members)


def parts_of(a: formula_nodes.Aggregate) -> list[tuple[str, formula_nodes.Node | None, formula_nodes.Node | None]]:
    """What has to be kept per cell for an aggregate to be put together for any scope."""
    names = {"min": ["min"], "max": ["max"], "count": ["matching", "filled"]}.get(a.name, ["matching", "filled", "sum"])
    if a.name in formula_nodes.UNADDED or a.whole:
        return []
    return [(name, None if name == "matching" else a.of, a.where) for name in names if a.of or name == "matching"]
