"""The rows behind one reading, day by day and member by member: what its sums, or the two sides of its ratio, come to."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ironmark.core.evaluate import Floats, evaluate
from ironmark.core.formula_nodes import Node, adds_up, aggregates
from ironmark.core.outlook import Stretch
from ironmark.core.periods import Period, timeline
from ironmark.core.ratio import Ratio, ratio_of
from ironmark.core.reading import Rows, grain_of
from ironmark.core.readings import Kpi, Readings, Source
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody

MOST_DAYS = 1200


@dataclass(frozen=True)
class RowsOf:
    """A KPI's rows of chosen members. by: the segment they are told apart by."""

    kpi: Kpi
    source: Source
    rows: Rows
    year_start: int

    @classmethod
    def behind(cls, context: ReadingContext, body: KpiBody, readings: Readings) -> RowsOf | None:
        """Those of some readings, told apart as they are; None for a composite, whose parts have rows of their own."""
        if body.composite is not None:
            return None
        kpi, source = readings.kpi, context.source(body)
        rows = Rows(kpi, source, context.sources_of(kpi.formula), readings.segment, readings.where)
        return cls(kpi, source, rows, context.year_start)

    def told_apart(self, by: str | None) -> RowsOf:
        return replace(self, rows=replace(self.rows, by=by))

    def of_member(self, segment: str, member: str) -> RowsOf:
        return replace(self, rows=replace(self.rows, chosen={**self.rows.chosen, segment: (member,)}))

    @cached_property
    def ratio(self) -> Ratio | None:
        """Its two sides, where both are sums."""
        if self.kpi.nature == "flow":
            return None
        found = ratio_of(self.kpi.formula)
        return found if found and adds_up(found.above) and adds_up(found.below) else None

    @property
    def segments(self) -> dict[str, tuple[str, ...]]:
        """The members of those segments that all its rows are split by."""
        others = self.rows.others.values()
        return {s: names for s, names in self.source.members.items() if all(s in other.members for other in others)}

    @cached_property
    def adds(self) -> bool:
        return self.kpi.nature == "flow" and adds_up(self.kpi.formula)

    def sums(self, node: Node, periods: Sequence[Period]) -> tuple[tuple[str | None, ...], Floats]:
        """What a sum comes to (P, M), 0 without rows, and of which members."""
        totals = self.rows.totals(node, periods)
        value = np.broadcast_to(evaluate(node, totals.parts), totals.rows.shape)
        return totals.members, np.nan_to_num(np.asarray(value, dtype=float))

    def together(self, node: Node, periods: Sequence[Period]) -> list[float]:
        """What a part of its formula comes to in each period, of all rows together."""
        totals = self.rows.totals(node, periods)
        return [float(value) for value in np.broadcast_to(evaluate(node, totals.parts), totals.rows.shape)[:, 0]]

    def sides(self, periods: Sequence[Period]) -> tuple[tuple[str | None, ...], Floats, Floats | None] | None:
        """What adds up, over what (None for a sum), each (P, M); None where nothing of it adds up."""
        if self.ratio is not None:
            members, above = self.sums(self.ratio.above, periods)
            return members, above, self.sums(self.ratio.below, periods)[1]
        if self.adds and aggregates(self.kpi.formula):
            members, value = self.sums(self.kpi.formula, periods)
            return members, value, None
        return None

    @cached_property
    def by_days(self) -> bool:
        return grain_of(self.kpi, self.source, self.rows.others) == "day"

    @cached_property
    def first_day(self) -> dt.date:
        return max(self.source.first, self.rows.through - dt.timedelta(days=MOST_DAYS))

    @cached_property
    def days(self) -> tuple[Period, ...]:
        """Every day up to the last that is complete."""
        through = self.rows.through
        return timeline(Period.of(through, "day", self.year_start), self.first_day, through)

    def stretch(self, period: Period) -> Stretch:
        return Stretch((period.start - self.first_day).days, period.days)
