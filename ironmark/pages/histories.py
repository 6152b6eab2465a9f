"""A KPI over its periods, on its bands: what the face of that name draws, and a glance of it for lists."""

from __future__ import annotations

import math

import numpy as np

from ironmark.core import axis as axes
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Grain
from ironmark.core.reading import Readings
from ironmark.core.words import show_cut
from ironmark.pages.scales import axis_picture, bands_on, cut_lines
from ironmark.pages.shapes import HistoryPicture, HistoryPoint, Moment

MOST: dict[Grain, int] = {"day": 62, "week": 53, "month": 24, "quarter": 12, "year": 12}


def history(
    readings: Readings,
    m: int = 0,
    mark: str = "target",
    *,
    upto: int | None = None,
    most: int | None = None,
    axis: tuple[float | None, float | None] = (None, None),
    unit: Unit | None = None,
) -> HistoryPicture:
    """The last periods of one member, up to the row ``upto``. Needs at least one period.

    axis: its ends where they are given.
    """
    unit = unit or readings.kpi.unit
    last = len(readings.periods) - 1 if upto is None else upto
    first = max(0, last + 1 - (most or MOST[readings.periods[0].grain]))
    straight = _axis(readings, slice(first, last + 1), m, mark, unit, axis)
    line = readings.marks.get(mark)
    points = []
    for p in range(first, last + 1):
        value, period, part = float(readings.value[p, m]), readings.periods[p], readings.parts[p]
        cuts = readings.cuts[:, p, m].tolist() if readings.yardstick else []
        fine = bool(cuts) and bool(grading.ordered(readings.yardstick, np.asarray(cuts)[:, None])[0])  # type: ignore[arg-type]
        target = float(line[p, m]) if line is not None else math.nan
        points.append(
            HistoryPoint(
                key=period.key,
                label=period.label,
                short=period.short,
                shown=show(value, unit) or "no reading",
                fraction=straight.place(value) if math.isfinite(value) else None,
                past=straight.past(value) if math.isfinite(value) else 0,
                state=readings.state(p, m),
                partial=part.words if part else "",
                bands=bands_on(straight, readings.yardstick, cuts) if fine and readings.yardstick else [],
                mark=straight.place(target) if math.isfinite(target) else None,
                mark_shown=show_cut(target, unit) if math.isfinite(target) else "",
            )
        )
    cuts = readings.cuts[:, last, m].tolist() if readings.yardstick else []
    return HistoryPicture(axis=axis_picture(straight, unit), points=points, cuts=cut_lines(straight, cuts, unit))


def _axis(
    readings: Readings, rows: slice, m: int, mark: str, unit: Unit, given: tuple[float | None, float | None]
) -> Axis:
    line = readings.marks.get(mark)
    fit = [readings.value[rows, m], readings.cuts[:, rows, m].ravel() if readings.yardstick else np.array([])]
    if line is not None:
        fit.append(line[rows, m])
    values = np.concatenate(fit)
    chosen = axes.choose(values, ceiling=axes.whole_of(values, unit.kind == "percent"))
    low = chosen.low if given[0] is None else given[0]
    high = chosen.high if given[1] is None else given[1]
    return Axis(low, high) if low < high else chosen


def moments(readings: Readings, m: int, mark: str, upto: int, most: int, unit: Unit) -> list[Moment]:
    """The last periods of one member up to the row ``upto``, on a height of their own."""
    rows = slice(max(0, upto + 1 - most), upto + 1)
    value, line = readings.value[rows, m], readings.marks.get(mark)
    target = line[rows, m] if line is not None else np.full(len(value), np.nan)
    both = np.concatenate([value, target])
    both = both[np.isfinite(both)]
    low, high = (float(both.min()), float(both.max())) if both.size else (0.0, 1.0)

    def place(number: float) -> float | None:
        if not math.isfinite(number):
            return None
        return (number - low) / (high - low) if high > low else 0.5

    return [
        Moment(
            label=readings.periods[p].label, short=readings.periods[p].short,
            shown=show(float(value[i]), unit) or "no reading", state=readings.state(p, m), at=place(float(value[i])),
            mark=place(float(target[i])), partial=readings.parts[p] is not None,
        )
        for i, p in enumerate(range(rows.start, rows.stop))
    ]  # fmt: skip


def told(readings: Readings, name: str, m: int = 0, most: int = 12) -> str:
    """How often it was in the worst state of late: ``graded by Punctuality · 2 of 12 months short``."""
    yardstick, grain = readings.yardstick, readings.periods[0].grain
    if yardstick is None:
        return "no yardstick yet"
    whole = [p for p in range(len(readings.periods)) if readings.parts[p] is None][-most:]
    states = [state for p in whole if (state := readings.state(p, m))]
    worst = min(yardstick.states, key=lambda state: state.rank)
    if not states:
        return f"graded by {name}"
    count = states.count(worst.key)
    often = f"{count} of {len(states)}" if count else f"none of {len(states)}"
    return f"graded by {name} · {often} {grain}s {worst.name.lower()}"
