"""Aggregates by period and member, put together from cells: the finest parts a scope can ask for."""

from __future__ import annotations

import datetime as dt
import threading
from abc import ABC, abstractmethod
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ironmark.core import formula as f
from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.core.reading import Members, Totals

_MOST_WORKED_OUT = 500
BLANK_MEMBER = "(blank)"
Unit = Literal["day", "week", "month"]
PartKey = tuple[str, f.Node | None, f.Node | None]


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

    def __init__(self, first_day: int, last_day: int, members: Mapping[str, tuple[str, ...]], through: dt.date) -> None:
        """first_day, last_day: counted from the first of January of year 1, as ``datetime.date`` does."""
        self._first_day, self._last_day = first_day, last_day
        self._members, self._through = members, through
        self._worked_out: dict[Hashable, Floats] = {}
        self._lock = threading.RLock()

    @abstractmethod
    def _cells_by(self, unit: Unit, segments: tuple[str, ...]) -> Cells: ...

    @abstractmethod
    def _work_out(self, unit: Unit, segments: tuple[str, ...], missing: Sequence[PartKey]) -> None:
        """Add parts that the cells do not have yet, in one pass over the rows."""

    @abstractmethod
    def _see_rows(self, a: f.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        """An aggregate over the rows of every period and of every member of ``by``, (P, M)."""

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
        self, wanted: Sequence[f.Aggregate], by: str | None, where: Members, periods: Sequence[Period]
    ) -> Totals:
        """See ``Source.aggregate``. Raises NoSegment."""
        segments = tuple(sorted({*where, *([by] if by else [])}))
        for segment in segments:
            if segment not in self.members:
                raise NoSegment(segment)
        members: tuple[str | None, ...] = self.members[by] if by else (None,)
        if by and by in where:
            members = tuple(name for name in self.members[by] if name in set(where[by]))
        count = len(members)
        line = Line(periods, self._first_day, self._last_day)
        with self._lock:
            cells = self._cells_by(line.unit, segments)
            missing = list(dict.fromkeys(k for a in wanted for k in parts_of(a) if k not in cells.parts))
            if missing:
                self._work_out(line.unit, segments, missing)
        keep = np.ones(len(cells.unit), dtype=bool)
        for segment, names in where.items():
            codes = [self.members[segment].index(name) for name in names if name in self.members[segment]]
            keep &= np.isin(cells.member[segment], codes)
        member = np.zeros(1, dtype=np.int64)
        if by:
            place = np.full(len(self.members[by]), -1)
            place[[self.members[by].index(name) for name in members if name is not None]] = np.arange(count)
            member = place[cells.member[by]]
        adder = Adder(keep, cells.unit, np.broadcast_to(member, cells.unit.shape), count, line)
        rows = adder.total(cells.rows)
        parts: dict[f.Aggregate, Floats] = {}
        for a in wanted:
            if a.whole:
                parts[a] = self._of_whole(a, by, where, count, periods)
            elif a.name in f.UNADDED:
                parts[a] = self._over_rows(a, by, where, members, line)
            else:
                parts[a] = self._combine(a, cells, adder)
        return Totals(tuple(periods), members, rows.astype(np.int64), parts)

    def _of_whole(
        self, a: f.Aggregate, by: str | None, where: Members, count: int, periods: Sequence[Period]
    ) -> Floats:
        """The aggregate over all members of what is read, the same for each."""
        rest = {segment: names for segment, names in where.items() if by is not None and segment != by}
        one = replace(a, whole=False)
        return np.repeat(self.aggregate([one], None, rest, periods).parts[one], count, axis=1)

    def _over_rows(
        self, a: f.Aggregate, by: str | None, where: Members, members: Sequence[str | None], line: Line
    ) -> Floats:
        """An aggregate that has to see its rows together: worked out for just this scope, and kept."""
        every: tuple[str | None, ...] = self.members[by] if by else (None,)
        scope = tuple(sorted((segment, tuple(sorted(names))) for segment, names in where.items()))
        key = (a.name, a.of, a.where, a.window, by, scope, line.periods)
        with self._lock:
            held = self._worked_out.get(key)
        if held is None:
            held = self._see_rows(a, by, where, line)
            with self._lock:
                if len(self._worked_out) >= _MOST_WORKED_OUT:
                    self._worked_out.pop(next(iter(self._worked_out)))
                self._worked_out[key] = held
        return held[:, [every.index(name) for name in members]]

    def _combine(self, a: f.Aggregate, cells: Cells, adder: Adder) -> Floats:
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


class Line:
    """Periods over the days, weeks or months that have rows, these counted from the first one."""

    def __init__(self, periods: Sequence[Period], first_day: int, last_day: int) -> None:
        self.periods = tuple(periods)
        self.unit: Unit = periods[0].unit
        first, last = (Period.of(dt.date.fromordinal(day), self.unit).ordinal for day in (first_day, last_day))
        self.first, self.count = first, last - first + 1
        starts, ends = np.array([period.units for period in periods], dtype=np.int64).T
        units = np.arange(first, last + 1)
        at = np.searchsorted(starts, units, side="right") - 1
        self.bucket: Ints = np.where((at >= 0) & (units < ends[np.maximum(at, 0)]), at, -1)

    def windows(self, window: f.Window) -> list[tuple[int, int]]:
        """The units that each period's window covers; none where it would begin before the first row."""
        found = []
        for period in self.periods:
            end = min(period.units[1] - self.first, self.count)
            if window.periods is None:
                year = Period.of(period.end, "year", period.year_start).start
                start = max(0, Period.of(year, self.unit).ordinal - self.first)
            else:
                start = period.shift(1 - window.periods).units[0] - self.first
            found.append((start, end) if 0 <= start < end else (0, 0))
        return found


class Adder:
    """Adds cells up into (P, M) arrays."""

    def __init__(self, keep: np.ndarray, unit: Ints, member: Ints, count: int, line: Line) -> None:
        self.line, self.members = line, count
        bucket = line.bucket[unit]
        self.every, self.kept = keep, keep & (bucket >= 0)
        self.of_unit = unit[keep] * count + member[keep]
        self.of_period = bucket[self.kept] * count + member[self.kept]

    def total(self, part: np.ndarray, window: f.Window | None = None) -> Floats:
        if window is not None:
            flat = np.bincount(self.of_unit, weights=part[self.every], minlength=self.line.count * self.members)
            units = flat.reshape(self.line.count, self.members)
            return np.array([units[start:end].sum(axis=0) for start, end in self.line.windows(window)])
        size = len(self.line.periods) * self.members
        total = np.bincount(self.of_period, weights=part[self.kept], minlength=size)
        return total.astype(float, copy=False).reshape(len(self.line.periods), self.members)

    def extreme(self, part: Floats, name: str, window: f.Window | None = None) -> Floats:
        pick = np.fmin if name == "min" else np.fmax
        if window is not None:
            flat = np.full(self.line.count * self.members, np.nan)
            pick.at(flat, self.of_unit, part[self.every])
            units = flat.reshape(self.line.count, self.members)
            nothing = np.full(self.members, np.nan)
            spans = self.line.windows(window)
            return np.array([pick.reduce(units[start:end], axis=0) if end > start else nothing for start, end in spans])
        out = np.full(len(self.line.periods) * self.members, np.nan)
        pick.at(out, self.of_period, part[self.kept])
        return out.reshape(len(self.line.periods), self.members)


def parts_of(a: f.Aggregate) -> list[tuple[str, f.Node | None, f.Node | None]]:
    """What has to be kept per cell for an aggregate to be put together for any scope."""
    names = {"min": ["min"], "max": ["max"], "count": ["matching", "filled"]}.get(a.name, ["matching", "filled", "sum"])
    if a.name in f.UNADDED or a.whole:
        return []
    return [(name, None if name == "matching" else a.of, a.where) for name in names if a.of or name == "matching"]
