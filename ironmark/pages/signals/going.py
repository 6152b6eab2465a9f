"""Where the period under way is going, in words, and what its mark still takes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ironmark.core import outlook as core
from ironmark.core import takes
from ironmark.core.numbers import NumberStyle, Unit, show
from ironmark.core.periods import Period
from ironmark.core.readings import Readings
from ironmark.core.words import show_mark
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.reading.outlooks import UnderWay
from ironmark.pages.reading.plain_readings import PlainReadings

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


def going(context: ReadingContext, block: PlainReadings, p: int) -> GoingPicture | None:
    """Where row ``p`` of some readings of all rows together is going; None where it is over, has not begun, or nothing of it can
    be told."""
    readings, way = block.readings, block.outlooks.under_way(p)
    if way is None:
        return None
    part, found = readings.partial_periods[p], block.outlooks.at(p, 0)
    unit, style = readings.kpi.unit, context.style
    said, such = _takes(readings, way, p, style)
    if part is None or (found is None and not said):
        return None
    known = readings.yardstick.known if readings.yardstick else {}
    return GoingPicture(
        period=way.period.key, label=way.period.label, day=f"day {part.days} of {part.of}",
        shown=show(found.end, unit, style) if found else "",
        range=f"{show(found.low, unit, style)} to {show(found.high, unit, style)}" if found else "",
        chances=[Chance(state, known[state].name, of_ten) for state, of_ten in found.states] if found else [],
        tried=found.tried if found else 0, held=found.held if found else 0, takes=said, such=such,
        value=found.end if found else None, low=found.low if found else None, high=found.high if found else None,
    )  # fmt: skip


def _takes(readings: Readings, way: UnderWay, p: int, style: NumberStyle) -> tuple[str, str]:
    """What the mark of a whole period still takes, and what such days bring."""
    name, mark = readings.whole_mark(p, 0)
    if not np.isfinite(mark) or readings.kpi.direction not in ("higher", "lower"):
        return "", ""
    return _of_sum(readings, way, name, mark, style) if way.below is None else _of_share(readings, way, mark, style)


def _of_sum(readings: Readings, way: UnderWay, name: str, mark: float, style: NumberStyle) -> tuple[str, str]:
    one, unit, lower = way.stretch, readings.kpi.unit, readings.kpi.direction == "lower"
    so_far = float(way.above[one.first : one.first + way.gone].sum())
    left = one.days - way.gone
    to_come = float(core.coming(way.above, one, way.gone)[0])
    found = takes.of_sum(so_far, mark, left, to_come / left if left else float("nan"))
    if found is None:
        return "", ""
    told = f"{name} {show_mark(mark, unit, style)}"
    if found.needed <= 0:
        return f"{told} is passed already", ""
    such = f"Such days bring {show(found.usual, unit, style)}." if np.isfinite(found.usual) else ""
    if lower:
        return f"{show(found.needed, unit, style)} in the {left} days to come, to stay within {told}", such
    return f"{show(found.each, unit, style)} a day for {left} days, to reach {told}", such


def _of_share(readings: Readings, way: UnderWay, mark: float, style: NumberStyle) -> tuple[str, str]:
    one, unit, ratio, below = way.stretch, readings.kpi.unit, way.rows.ratio, way.below
    assert below is not None
    to_come, all_to_come = (float(core.coming(line, one, way.gone)[0]) for line in (way.above, below))
    if ratio is None or not np.isfinite(all_to_come) or all_to_come < 1:
        return "", ""
    so_far, all_so_far = (float(line[one.first : one.first + way.gone].sum()) for line in (way.above, below))
    if not all(side.is_integer() for side in (so_far, all_so_far)) or so_far > all_so_far:
        return "", ""  # it counts nothing that could fail
    counts_bad = (readings.kpi.direction == "lower") == (ratio.scale > 0)
    share = (mark - ratio.offset) / ratio.scale
    told = takes.of_share(so_far, all_so_far, share, all_to_come, to_come / all_to_come, counts_bad)
    if told.may_fail < 0:
        return f"{show_mark(mark, unit, style)} cannot be reached any more{_since(way, share, counts_bad)}", ""
    many = f"{show(told.may_fail, _COUNT, style)} of the next {show(told.coming, _COUNT, style)}"
    may = "may be counted" if counts_bad else "may fail"
    return f"{many} {may}, to reach {show_mark(mark, unit, style)}", f"Such days had {show(told.such, _COUNT, style)}."


def _since(way: UnderWay, share: float, counts_bad: bool) -> str:
    """Since which day a share's mark cannot be reached any more."""
    one, below = way.stretch, way.below
    assert below is not None
    good = np.cumsum(way.above[one.first : one.first + way.gone, 0])
    every = np.cumsum(below[one.first : one.first + way.gone, 0])
    coming = np.array([float(core.coming(below, one, day)[0]) for day in range(1, way.gone + 1)])
    day = takes.out_of_reach_since(good, every, share, np.nan_to_num(coming), counts_bad)
    return f", since {Period(way.period.start.toordinal() + day, 'day').label}" if day is not None else ""


def under_way(readings: Readings) -> int | None:
    """The row of the period under way; None where all are over or none has begun."""
    rows = [p for p, part in enumerate(readings.partial_periods) if part is not None and part.days > 0]
    return rows[-1] if rows else None
