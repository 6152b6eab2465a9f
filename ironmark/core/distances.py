"""How far a value is from what it is held against: gap, attainment, headroom, and how good it is."""

from __future__ import annotations

import numpy as np

from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats
from ironmark.core.marks import LIMIT, TARGET
from ironmark.core.numbers import Unit, rounded
from ironmark.core.readings import EDGES, Readings


def shown_values(values: Floats, unit: Unit) -> Floats:
    """Values (...) as they are shown, rounded, KPI unit; NaN stays NaN."""
    found = [rounded(value, unit) if np.isfinite(value) else np.nan for value in values.ravel().tolist()]
    return np.array(found).reshape(values.shape)


def _line(readings: Readings, name: str) -> Floats:
    """A mark of readings, (P, M) KPI unit; NaN where there is none."""
    line = readings.marks.get(name, readings.edges.get(name))
    return np.full_like(readings.value, np.nan) if line is None else line


def gap_and_attainment(readings: Readings, mark: str = TARGET) -> tuple[Floats, Floats]:
    """Gap (value − mark, KPI unit) and attainment (a share of the mark), (P, M) each; NaN where there is no mark.

    Attainment is value ÷ mark where higher is better and 2 − value ÷ mark where lower is, so that on the mark is 1
    either way; there is none where the mark is not above zero. For inside a range the gap is that to the nearer
    edge, to the mark where it has no edge, and nothing is attained; nor is it where nobody said which way is better.
    """
    line = _line(readings, mark)
    if readings.kpi.direction == "inside":
        edge, _ = nearer_edge(readings)
        nothing = np.full_like(readings.value, np.nan)
        return readings.value - np.where(np.isfinite(edge), edge, line), nothing
    with np.errstate(all="ignore"):
        share = np.where(line > 0, readings.value / line, np.nan)
    if readings.kpi.direction == "lower":
        share = 2 - share
    elif readings.kpi.direction == "open":
        share = np.full_like(readings.value, np.nan)
    return readings.value - line, np.where(np.isfinite(share), share, np.nan)


def nearer_edge(readings: Readings) -> tuple[Floats, Floats]:
    """For a KPI that is best inside a range: the nearer edge of it and how far inside of it the value lies, negative
    outside; (P, M) each, KPI unit.

    The range is that of the yardstick's best bands; where these do not lie between two cuts, from the mark floor to
    the mark limit, of which one alone is an edge too. NaN where there is none.
    """
    yardstick = readings.yardstick
    top = grading.best(yardstick) if yardstick else []
    if top and top[0] > 0 and top[-1] < len(readings.cuts):
        low, high = readings.cuts[top[0] - 1], readings.cuts[top[-1]]
    else:
        low, high = (_line(readings, name) for name in EDGES)
    over, under = readings.value - low, high - readings.value  # how far inside, by either edge
    below = np.isnan(high) | (np.abs(over) <= np.abs(under))
    return np.where(np.isnan(readings.value), np.nan, np.where(below, low, high)), np.where(below, over, under)


def headroom(readings: Readings, mark: str = TARGET) -> Floats:
    """How far there is still to go before the limit, ``mark`` where there is none, as a share of it, (P, M); negative
    once past. For inside a range how far inside it is, as a share of the nearer edge. None of a line at zero."""
    limit = _line(readings, LIMIT)
    line = np.where(np.isfinite(limit), limit, _line(readings, mark))
    room = line - readings.value
    if readings.kpi.direction == "inside":
        edge, inside = nearer_edge(readings)
        line, room = np.where(np.isfinite(edge), edge, line), np.where(np.isfinite(edge), inside, room)
    with np.errstate(all="ignore"):
        share = room / np.abs(line)
    return np.where(np.isfinite(share), share, np.nan)


def goodness(readings: Readings, mark: str) -> Floats:
    """How far each reading is on the good side of its mark, (P, M) KPI unit, larger is better; inside a range every
    reading inside it comes before all outside. NaN where there is nothing to go by."""
    if readings.kpi.direction == "inside":
        return nearer_edge(readings)[1]
    gap = readings.value - _line(readings, mark)
    return -gap if readings.kpi.direction == "lower" else gap


def pro_rates(readings: Readings, p: int) -> bool:
    """Whether the marks of period row ``p`` were pro-rated."""
    return readings.partial_periods[p] is not None and readings.kpi.nature == "flow"
