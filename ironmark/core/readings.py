"""What readings are: a KPI as it is read, the totals its rows add up to, and the figures that come of them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, Protocol

import numpy as np

from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats, Parts
from ironmark.core.formula_nodes import Aggregate, Node, adds_members
from ironmark.core.mark_lines import Lines, Where
from ironmark.core.marks import FLOOR, LIMIT, Ints, Nature, Within
from ironmark.core.numbers import Unit
from ironmark.core.periods import (
    Grain,
    PartSoFar,
    Period,
    RowGrain,
)
from ironmark.core.yardstick import Bands, Yardstick

Direction = Literal["higher", "lower", "inside", "open"]  # open: nobody has said yet


ProRating = Literal["days", "last_year"]


Members = Mapping[str, Sequence[str]]


EDGES = (FLOOR, LIMIT)  # of a range, where no yardstick gives it


@dataclass(frozen=True)
class Kpi:
    """A KPI with its formula expanded: what is read, how it is shown, and how it is graded."""

    handle: str
    name: str
    formula: Node
    unit: Unit = Unit()
    direction: Direction = "higher"
    nature: Nature = "rate"
    pro_rating: ProRating = "days"
    as_shown: bool = False  # graded on the value as it is shown, rounded

    @cached_property
    def adds(self) -> bool:
        """Whether the figure of several members is the sum of theirs: a flow's, and a stock's that is no ratio."""
        return self.nature == "flow" or (self.nature == "stock" and adds_members(self.formula))


@dataclass(frozen=True)
class Totals:
    """Aggregates by period and member: ``rows`` (P, M) counts rows, each of ``parts`` is (P, M), NaN for none."""

    periods: tuple[Period, ...]
    members: tuple[str | None, ...]
    rows: Ints
    parts: Parts

    @cached_property
    def member_places(self) -> Mapping[str | None, int]:
        """The column of each member."""
        return {member: m for m, member in enumerate(self.members)}


class Source(Protocol):
    """Where rows are: columns in memory, or a SQL engine. ``first`` and ``last`` are the days of its outer rows."""

    @property
    def first(self) -> dt.date: ...

    @property
    def last(self) -> dt.date: ...

    @property
    def through(self) -> dt.date: ...

    @property
    def grain(self) -> RowGrain:
        """How fine the periods of its rows are."""
        ...

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]: ...

    def aggregate(
        self,
        wanted: Sequence[Aggregate],
        by: str | None,
        where: Members,
        periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:
        """Aggregate the rows of the members in ``where``, by period and by the segment ``by`` (None: together).

        periods: rising, none overlapping the next. Windows end with each of them and are empty where they would
        begin before the first row. until: rows after that day are left out.
        """
        ...

    def within(self, segment: str, other: str) -> Mapping[str, frozenset[str]]:
        """For each member of a segment with rows, the members of another one that these are of."""
        ...


@dataclass(frozen=True)
class Readings:
    """A block of readings. All arrays are (P, M), periods by members, values in the KPI's unit."""

    kpi: Kpi
    segment: str | None  # the one they are read by
    totals: Totals
    value: Floats
    marks: Mapping[str, Floats]  # those asked for and those of cuts, of what has data of each period
    lines: Mapping[str, Lines]  # what the mark book says
    partial_periods: tuple[PartSoFar | None, ...]
    yardstick: Yardstick | None = None
    grain_multiplier: Callable[[Grain], Floats] | None = (
        None  # how many of a flow's grain each period holds so far, (P, M)
    )
    where: Where = field(default_factory=dict)  # what is read, narrowed
    row_grain: RowGrain = "day"  # the coarsest of its rows
    edges: Mapping[str, Floats] = field(default_factory=dict)  # floor and limit, also where they were not asked for
    cuts: Floats = field(default_factory=lambda: np.empty((0, 0, 0)))
    band: Bands = field(default_factory=lambda: np.empty((0, 0), dtype=np.int8))

    @property
    def periods(self) -> tuple[Period, ...]:
        return self.totals.periods

    @property
    def members(self) -> tuple[str | None, ...]:
        return self.totals.members

    def period_index(self, period: Period) -> int | None:
        """The row of a period, None when there are no rows that far out."""
        return self.periods.index(period) if period in self.periods else None

    def member_index(self, member: str | None) -> int | None:
        """The column of a member, None when it is not read."""
        return self.totals.member_places.get(member)

    def whole_mark(self, p: int, m: int) -> tuple[str, float]:
        """The first mark that was asked for and its value for a whole period, NaN for none."""
        name = next(iter(self.marks), "")
        return name, float(self.lines[name].value[p, m]) if name else float("nan")

    def state(self, p: int, m: int) -> str | None:
        """The key of the state of one reading; None where it is not graded."""
        band = int(self.band[p, m]) if self.yardstick else grading.NOT_GRADED
        return self.yardstick.bands[band] if self.yardstick and band >= 0 else None


def within_of(source: Source) -> Within:
    """Which members of another segment the rows of a member are of; none for what is no member or no segment."""

    def within(segment: str, member: str, other: str) -> frozenset[str]:
        if segment == other or not {segment, other} <= source.members.keys():
            return frozenset()
        return source.within(segment, other).get(member, frozenset())

    return within
