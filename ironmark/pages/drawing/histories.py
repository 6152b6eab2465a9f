"""A KPI over its periods, on its bands: what the face of that name draws, and a glance of it for lists."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ironmark.core import axis as axes
from ironmark.core import yardstick as grading
from ironmark.core.numbers import NumberStyle, Unit, show
from ironmark.core.periods import Grain
from ironmark.core.readings import Readings
from ironmark.core.words import show_mark
from ironmark.core.yardstick import Yardstick
from ironmark.pages.drawing.scales import Ticked, axis_picture, bands_on, cut_lines, with_nan
from ironmark.pages.model.page import Moment, parsed
from ironmark.pages.model.pictures import HistoryPicture, HistoryPoint, TrailPoint

MOST: dict[Grain, int] = {"day": 62, "week": 53, "month": 24, "quarter": 12, "year": 12}


def history(
    moments: Sequence[Moment],
    yardstick: Yardstick | None,
    unit: Unit,
    year_start: int,
    style: NumberStyle,
    low: float | None = None,
    high: float | None = None,
    ticked: Ticked = Ticked(),
    usual: bool = True,
) -> HistoryPicture:
    """Some periods of one member on one axis. low, high: its ends where they are given. usual: with what is usual.
    Needs at least one moment."""
    rows = [with_nan(moment.cuts) for moment in moments]
    fit = [value for moment in moments for value in (moment.value, moment.mark) if value is not None]
    ranges = [moment.usual if usual else None for moment in moments]
    fit += [end for one in ranges if one for end in one]
    values = np.array(fit + [cut for cuts in rows for cut in cuts])
    straight = axes.with_ends(axes.choose(values, ceiling=axes.whole_of(values, unit.kind == "percent")), low, high)
    fine = _ordered(yardstick, rows)
    points = []
    for moment, cuts, drawn, range_ in zip(moments, rows, fine, ranges, strict=True):
        period, value, mark = parsed(moment.period, year_start), moment.value, moment.mark
        points.append(
            HistoryPoint(
                key=period.key, label=period.label, short=period.short, shown="no reading" if value is None else show(value, unit, style),
                fraction=None if value is None else straight.place(value), past=0 if value is None else straight.past(value),
                state=_state(yardstick, moment), partial=moment.partial,
                bands=bands_on(straight, yardstick, cuts) if drawn and yardstick else [],
                mark=None if mark is None else straight.place(mark), mark_shown="" if mark is None else show_mark(mark, unit, style),
                low=straight.place(range_[0]) if range_ else None, middle=straight.place(range_[1]) if range_ else None,
                high=straight.place(range_[2]) if range_ else None, begins=moment.begins if usual else "",
                named=moment.named if usual else "", new_range=moment.new_range,
                signal=usual and moment.signal,
            )
        )  # fmt: skip
    ticked = replace(ticked, cuts=tuple(rows[-1]))
    return HistoryPicture(
        axis=axis_picture(straight, unit, style, ticked), points=points, cuts=cut_lines(straight, rows[-1], unit, style)
    )


def heads_for(picture: HistoryPicture, end: float, low: float, high: float) -> None:
    """Have the last period of a history show where it is going, and between what that may be, KPI unit."""
    axis = axes.Axis(picture.axis.low, picture.axis.high)
    picture.points[-1].going = axis.place(end), axis.place(low), axis.place(high)


def _ordered(yardstick: Yardstick | None, rows: Sequence[Sequence[float]]) -> list[bool]:
    if yardstick is None or not rows or not rows[0]:
        return [False] * len(rows)
    fine: list[bool] = grading.ordered(yardstick, np.array(rows).T).tolist()
    return fine


def _state(yardstick: Yardstick | None, moment: Moment) -> str | None:
    return yardstick.bands[moment.band] if yardstick and moment.band >= 0 else None


def trail(
    moments: Sequence[Moment], yardstick: Yardstick | None, unit: Unit, year_start: int, style: NumberStyle
) -> list[TrailPoint]:
    """Some periods of one member, on a height of their own."""
    both = [number for moment in moments for number in (moment.value, moment.mark) if number is not None]
    low, high = (min(both), max(both)) if both else (0.0, 1.0)

    def place(number: float | None) -> float | None:
        if number is None:
            return None
        return (number - low) / (high - low) if high > low else 0.5

    found = []
    for moment in moments:
        period = parsed(moment.period, year_start)
        found.append(
            TrailPoint(
                label=period.label, short=period.short, shown="no reading" if moment.value is None else show(moment.value, unit, style),
                state=_state(yardstick, moment), at=place(moment.value), mark=place(moment.mark), partial=bool(moment.partial),
            )
        )  # fmt: skip
    return found


def history_words(readings: Readings, name: str, m: int = 0, most: int = 12) -> str:
    """How often it was in the worst state of late: ``graded by Punctuality · 2 of 12 months short``."""
    yardstick, grain = readings.yardstick, readings.periods[0].grain
    if yardstick is None:
        return "no yardstick yet"
    whole = [p for p in range(len(readings.periods)) if readings.partial_periods[p] is None][-most:]
    states = [state for p in whole if (state := readings.state(p, m))]
    worst = min(yardstick.states, key=lambda state: state.rank)
    if not states:
        return f"graded by {name}"
    count = states.count(worst.key)
    often = f"{count} of {len(states)}" if count else f"none of {len(states)}"
    return f"graded by {name} · {often} {grain}s {worst.name.lower()}"
