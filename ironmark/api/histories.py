"""A KPI over its periods, on its bands: what the face of that name draws, and a glance of it for lists."""

from __future__ import annotations

import math

import numpy as np
from pydantic import BaseModel

from ironmark.api.pictures import axis_picture, bands_on, cut_lines
from ironmark.api.shapes import AxisPicture, Band, CutLine
from ironmark.core import axis as axes
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Grain
from ironmark.core.reading import Readings
from ironmark.core.words import show_cut
from ironmark.core.yardstick import STATES

MOST: dict[Grain, int] = {"day": 62, "week": 53, "month": 24, "quarter": 12, "year": 12}


class HistoryPoint(BaseModel):
    """One period: where its value and its mark lie on the axis, and the bands it is graded on."""

    key: str
    label: str
    short: str
    shown: str
    fraction: float | None
    past: int
    state: str | None
    partial: str
    bands: list[Band]
    mark: float | None
    mark_shown: str


class HistoryPicture(BaseModel):
    axis: AxisPicture
    points: list[HistoryPoint]
    cuts: list[CutLine]  # of the last period


def history(readings: Readings, m: int = 0, mark: str = "target") -> HistoryPicture:
    """The last periods of one member. Needs at least one period."""
    unit, grain = readings.kpi.unit, readings.periods[0].grain
    first = max(0, len(readings.periods) - MOST[grain])
    axis = _axis(readings, first, m, mark, unit)
    line = readings.marks.get(mark)
    points = []
    for p in range(first, len(readings.periods)):
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
                fraction=axis.place(value) if math.isfinite(value) else None,
                past=axis.past(value) if math.isfinite(value) else 0,
                state=readings.state(p, m),
                partial=part.words if part else "",
                bands=bands_on(axis, readings.yardstick, cuts) if fine and readings.yardstick else [],
                mark=axis.place(target) if math.isfinite(target) else None,
                mark_shown=show_cut(target, unit) if math.isfinite(target) else "",
            )
        )
    last = readings.cuts[:, -1, m].tolist() if readings.yardstick else []
    return HistoryPicture(axis=axis_picture(axis, unit), points=points, cuts=cut_lines(axis, last, unit))


def _axis(readings: Readings, first: int, m: int, mark: str, unit: Unit) -> Axis:
    line = readings.marks.get(mark)
    fit = [readings.value[first:, m], readings.cuts[:, first:, m].ravel() if readings.yardstick else np.array([])]
    if line is not None:
        fit.append(line[first:, m])
    values = np.concatenate(fit)
    return axes.choose(values, ceiling=axes.whole_of(values, unit.kind == "percent"))


def told(readings: Readings, name: str, m: int = 0, most: int = 12) -> str:
    """How often it was in the worst state of late: ``graded by Punctuality · 2 of 12 months short``."""
    yardstick, grain = readings.yardstick, readings.periods[0].grain
    if yardstick is None:
        return "no yardstick yet"
    whole = [p for p in range(len(readings.periods)) if readings.parts[p] is None][-most:]
    states = [state for p in whole if (state := readings.state(p, m))]
    worst = min((STATES[key] for key in yardstick.bands), key=lambda state: state.rank)
    if not states:
        return f"graded by {name}"
    count = states.count(worst.key)
    often = f"{count} of {len(states)}" if count else f"none of {len(states)}"
    return f"graded by {name} · {often} {grain}s {worst.name.lower()}"
