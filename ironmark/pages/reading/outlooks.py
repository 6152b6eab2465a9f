"""Where the periods under way of one block of readings are going."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ironmark.core import outlook as core
from ironmark.core.chance import states_of
from ironmark.core.evaluate import Floats
from ironmark.core.periods import Period
from ironmark.core.reading import whole_cuts
from ironmark.core.readings import Readings
from ironmark.pages.model.standing import Going
from ironmark.pages.reading.rows_of import RowsOf


@dataclass(frozen=True)
class UnderWay:
    """A period under way, day by day: what each brought above and below (D, M), and how many days are over."""

    rows: RowsOf
    period: Period
    above: Floats
    below: Floats | None
    gone: int
    found: core.Outlook

    @property
    def stretch(self) -> core.Stretch:
        return self.rows.stretch(self.period)

    def value_of(self, line: Floats) -> Floats:
        """What one side over the other comes to, KPI unit."""
        ratio = self.rows.ratio
        return line if ratio is None else ratio.offset + ratio.scale * line


class Outlooks:
    """Worked out when the first of them is asked for. rows: told apart as the readings are; None where they have none."""

    def __init__(self, readings: Readings, rows: RowsOf | None) -> None:
        self.readings, self._rows = readings, rows
        self._held: dict[int, UnderWay | None] = {}
        self._cuts: Floats | None = None

    def under_way(self, p: int) -> UnderWay | None:
        """None where the period is over, has not begun, or nothing of it can be told."""
        if p not in self._held:
            self._held[p] = self._told(p)
        return self._held[p]

    def _told(self, p: int) -> UnderWay | None:
        readings, rows = self.readings, self._rows
        period, part = readings.periods[p], readings.partial_periods[p]
        if (
            rows is None
            or part is None
            or part.days < 1
            or period.grain == "day"
            or period.length > 1
            or not rows.by_days
        ):
            return None
        told = rows.sides(rows.days)
        if told is None or told[0] != readings.members:
            return None
        _, above, below = told
        past = _past(period, rows)
        years = [one.years_back(1) for one in (*past, period)]
        before = [rows.stretch(one) if one.start >= rows.first_day else None for one in years]
        stretches = [rows.stretch(one) for one in past]
        found = core.outlook(above, below, rows.stretch(period), stretches, part.days, before)
        return UnderWay(rows, period, above, below, part.days, found)

    def at(self, p: int, m: int) -> Going | None:
        way = self.under_way(p)
        if way is None or not np.isfinite(way.found.end[m]):
            return None
        ends = way.value_of(way.found.ends[:, m])
        low, high = sorted(float(way.value_of(line)[m]) for line in (way.found.low, way.found.high))
        return Going(
            end=float(way.value_of(way.found.end)[m]), low=low, high=high, states=self._states(p, m, ends[np.isfinite(ends)]),
            tried=int(way.found.tried[m]), held=int(way.found.held[m]),
        )  # fmt: skip

    def _states(self, p: int, m: int, ends: Floats) -> tuple[tuple[str, int], ...]:
        """The states it may end in and in how many of ten, the likeliest first."""
        yardstick = self.readings.yardstick
        if yardstick is None or self._rows is None or not len(ends):
            return ()
        if self._cuts is None:
            self._cuts = whole_cuts(self.readings, self._rows.rows)
        found = states_of(yardstick, ends, self._cuts[:, p, m])
        counted = {state: round(10 * share) for state, share in found.items()}
        return tuple(sorted(((s, n) for s, n in counted.items() if n), key=lambda one: -one[1]))


def _past(period: Period, rows: RowsOf) -> Sequence[Period]:
    """The whole periods before one, as far back as days are told and as many as are asked for."""
    found: list[Period] = []
    one = period.shift(-1)
    while len(found) < core.MOST_PERIODS and one.start >= rows.first_day:
        found.append(one)
        one = one.shift(-1)
    return found[::-1]
