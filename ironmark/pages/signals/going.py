"""Where the period under way is going, and what its mark still takes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ironmark.core import outlook as core
from ironmark.core import takes
from ironmark.core.chance import states_of
from ironmark.core.evaluate import Floats
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Period
from ironmark.core.reading import whole_cuts
from ironmark.core.readings import Readings
from ironmark.core.words import show_mark
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.signals.rows_of import RowsOf

_COUNT = Unit("number", 0)


@dataclass(slots=True)
class Chance:
    """A state, and in how many of ten."""

    state: str
    name: str
    of_ten: int


@dataclass(slots=True)
class GoingPicture:
    """Where a period is going, written. low, high: in which eight of ten came to lie; day: how far it is; tried: on how many earlier
    ones that was tried, and held: of how many it was so. takes: what its mark takes, and beside it what such days bring."""

    period: str
    label: str
    day: str
    shown: str
    range: str
    chances: list[Chance]
    tried: int
    held: int
    takes: str
    such: str
    value: float | None
    low: float | None
    high: float | None


@dataclass(frozen=True)
class _Way:
    """A period under way, day by day. above, below: what each day brought, of all rows that are read together (D, 1)."""

    rows: RowsOf
    period: Period
    above: Floats
    below: Floats | None
    gone: int

    @property
    def stretch(self) -> core.Stretch:
        return self.rows.stretch(self.period)

    @property
    def past(self) -> list[Period]:
        found: list[Period] = []
        one = self.period.shift(-1)
        while len(found) < core.MOST_PERIODS and one.start >= self.rows.first_day:
            found.append(one)
            one = one.shift(-1)
        return found[::-1]


def going(context: ReadingContext, rows: RowsOf | None, readings: Readings, p: int) -> GoingPicture | None:
    """Where row ``p`` of some readings of all rows together is going; None where it is over, has not begun, or nothing of it can
    be told."""
    period = readings.periods[p]
    part = readings.partial_periods[p]
    if rows is None or part is None or part.days < 1 or not rows.by_days or period.grain == "day" or period.length > 1:
        return None
    told = rows.sides(rows.days)
    if told is None:
        return None
    _, above, below = told
    way = _Way(rows, period, above, below, part.days)
    past = way.past
    years = [period.years_back(1) for period in (*past, period)]
    before = [rows.stretch(one) if one.start >= rows.first_day else None for one in years]
    found = core.outlook(above, below, way.stretch, [rows.stretch(one) for one in past], part.days, before)
    known = bool(np.isfinite(found.end[0]))
    unit, style = readings.kpi.unit, context.style
    turn = _turner(rows)
    ends = turn(found.ends[:, 0])
    end = float(turn(found.end)[0])
    low, high = sorted((float(turn(found.low)[0]), float(turn(found.high)[0])))
    said, such = _takes(readings, way, p, unit, context)
    if not known and not said:
        return None
    return GoingPicture(
        period=period.key, label=period.label, day=f"day {part.days} of {part.of}", shown=show(end, unit, style) if known else "",
        range=f"{show(low, unit, style)} to {show(high, unit, style)}" if known else "",
        chances=_chances(readings, rows, p, ends[np.isfinite(ends)]) if known else [],
        tried=int(found.tried[0]), held=int(found.held[0]), takes=said, such=such,
        value=end if known else None, low=low if known else None, high=high if known else None,
    )  # fmt: skip


def _turner(rows: RowsOf) -> Callable[[Floats], Floats]:
    ratio = rows.ratio
    return lambda line: line if ratio is None else ratio.offset + ratio.scale * line


def _chances(readings: Readings, rows: RowsOf, p: int, ends: Floats) -> list[Chance]:
    yardstick = readings.yardstick
    if yardstick is None or not len(ends):
        return []
    found = states_of(yardstick, ends, whole_cuts(readings, rows.rows)[:, p, 0])
    return [
        Chance(state.key, state.name, round(10 * found[state.key]))
        for state in sorted(yardstick.states, key=lambda one: -found.get(one.key, 0))
        if round(10 * found.get(state.key, 0))
    ]


def _takes(readings: Readings, way: _Way, p: int, unit: Unit, context: ReadingContext) -> tuple[str, str]:
    """What the mark of a whole period still takes, and what such days bring."""
    name = next(iter(readings.marks), None)
    mark = float(readings.lines[name].value[p, 0]) if name else float("nan")
    if not np.isfinite(mark) or readings.kpi.direction not in ("higher", "lower"):
        return "", ""
    style, one, lower = context.style, way.stretch, readings.kpi.direction == "lower"
    left, ratio = one.days - way.gone, way.rows.ratio
    above_to_come = float(core.coming(way.above, one, way.gone)[0])
    so_far = float(way.above[one.first : one.first + way.gone].sum())
    if way.below is None:
        found = takes.of_sum(so_far, mark, left, above_to_come / left if left else float("nan"))
        if found is None:
            return "", ""
        reach = f"to reach {name} {show_mark(mark, unit, style)}"
        if found.needed <= 0:
            over = f"{name} {show_mark(mark, unit, style)} is passed already"
            return over, ""
        such = f"Such days bring {show(found.usual, unit, style)}." if np.isfinite(found.usual) else ""
        if lower:
            return (
                f"{show(found.needed, unit, style)} in the {left} days to come, to stay within {name} {show_mark(mark, unit, style)}",
                such,
            )
        return f"{show(found.each, unit, style)} a day for {left} days, {reach}", such
    below_to_come = float(core.coming(way.below, one, way.gone)[0])
    if ratio is None or not np.isfinite(below_to_come) or below_to_come < 1:
        return "", ""
    all_so_far = float(way.below[one.first : one.first + way.gone].sum())
    if not all(float(v).is_integer() for v in (so_far, all_so_far)) or so_far > all_so_far:
        return "", ""
    counts_bad = lower if ratio.scale > 0 else not lower
    share = (mark - ratio.offset) / ratio.scale
    told = takes.of_share(so_far, all_so_far, share, below_to_come, above_to_come / below_to_come, counts_bad)
    such = f"Such days had {show(told.such, _COUNT, style)}."
    if told.may_fail < 0:
        return f"{show_mark(mark, unit, style)} cannot be reached any more{_since(way, share, counts_bad)}", ""
    may = "may count" if counts_bad else "may fail"
    few = f"{show(told.may_fail, _COUNT, style)} of the next {show(told.coming, _COUNT, style)} {may}"
    return f"{few}, to reach {show_mark(mark, unit, style)}", such


def _since(way: _Way, share: float, counts_bad: bool) -> str:
    """Since which day a share's mark cannot be reached any more."""
    one, below = way.stretch, way.below
    assert below is not None
    days = range(1, way.gone + 1)
    good = np.cumsum(way.above[one.first : one.first + way.gone, 0])
    every = np.cumsum(below[one.first : one.first + way.gone, 0])
    coming = np.array([float(core.coming(below, one, day)[0]) for day in days])
    day = takes.out_of_reach_since(good, every, share, np.nan_to_num(coming), counts_bad)
    if day is None:
        return ""
    when = way.period.start.toordinal() + day
    return f", since {Period(when, 'day').label}"


def under_way(readings: Readings) -> int | None:
    """The row of the period under way; None where all are over or none has begun."""
    rows = [p for p, part in enumerate(readings.partial_periods) if part is not None and part.days > 0]
    return rows[-1] if rows else None
