"""What a drafted KPI is held against: a plan in the rows, a mark of its own, or nothing."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ironmark.core.axis import step_for
from ironmark.core.draft_kpis import DraftKpi
from ironmark.core.evaluate import Floats
from ironmark.core.marks import TARGET
from ironmark.core.numbers import NumberStyle, show
from ironmark.core.periods import Grain, Period
from ironmark.core.readings import Direction
from ironmark.core.yardstick import default_bands
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import UnitBody
from ironmark.pages.model.yardstick import CutBody, YardstickBody

# What a KPI is held against: nothing, the plan that its rows hold, the same period a year before, the median of what it
# was, a number that was typed, or the mark that it has already.
Against = Literal["nothing", "plan", "last year", "median", "number", "own"]
LAST_YEAR = "last year"
FEW_PERIODS = 4
A_YEAR: Mapping[str, int] = {"month": 13, "week": 53, "day": 366}  # periods that hold the same one a year before


@dataclass(frozen=True, slots=True)
class KpiChange:
    """What was changed of a proposed KPI; None for what stays as it was proposed. number: what it is held against."""

    name: str | None = None
    formula: str | None = None
    direction: Direction | None = None
    unit: UnitBody | None = None
    against: Against | None = None
    number: float | None = None


@dataclass(frozen=True, slots=True)
class Held:
    """What a proposed KPI is held against, and what else it could be. mark: a mark by its name, "" for none, computed by
    a formula or one number; each: segment, member and value, where a sum has one for each."""

    against: Against = "nothing"
    choices: tuple[Against, ...] = ("nothing",)
    mark: str = ""
    formula: str = ""
    value: float | None = None
    each: tuple[tuple[str, str, float], ...] = ()
    yardstick: str = ""  # the one that the KPI is graded by already
    since: str = ""  # from which period it holds, where it is a number


def held_against(
    context: ReadingContext, kpi: DraftKpi, change: KpiChange, values: Floats, periods: Sequence[Period], grain: Grain,
    graded: Mapping[str, str],
) -> Held:  # fmt: skip
    """What a KPI is held against: the mark or the plan that there is, else nothing until somebody says so."""
    if mark := _own_mark(context, kpi.known):
        return Held("own", ("own",), mark, yardstick=graded.get(kpi.known, ""))
    a_year = A_YEAR.get(grain, 5)
    choices: list[Against] = ["plan"] if kpi.plan else []
    choices += [LAST_YEAR] if len(periods) >= a_year and np.isfinite(values[-a_year]) else []  # type: ignore[list-item]
    choices += ["median"] if np.isfinite(values).sum() >= FEW_PERIODS else []
    choices += ["number", "nothing"]
    against = change.against if change.against in choices else ("plan" if kpi.plan else "nothing")
    since = periods[0].key
    if against == "plan":
        over = "mean" if kpi.formula.startswith("mean(") else "sum"
        return Held("plan", tuple(choices), TARGET, f"{over}({kpi.plan})")
    if against == LAST_YEAR:
        return Held("last year", tuple(choices), LAST_YEAR, f"year_ago({kpi.formula})")
    if against == "median":
        return Held("median", tuple(choices), TARGET, value=middle(values), since=since)
    if against == "number" and change.number is not None:
        return Held("number", tuple(choices), TARGET, value=change.number, since=since)
    return Held("nothing", tuple(choices))


def _own_mark(context: ReadingContext, key: str) -> str:
    """The mark that a KPI which is there already is held against; "" where it has none."""
    names = [*context.computed(key), *(entry.name for entry in context.entries(key))] if key else []
    return TARGET if TARGET in names else next(iter(names), "")


def against_words(kpi: DraftKpi, held: Held, style: NumberStyle) -> str:
    """What a KPI is held against, as its sheet says it."""
    if held.against == "nothing":
        return "nothing"
    if held.against == "median":
        return f"its median so far, {show(held.value or 0.0, kpi.unit, style)}"
    if held.against == "number":
        return f"a target of {show(held.value or 0.0, kpi.unit, style)}"
    return {"plan": "the target in its rows", "last year": "the same period a year before"}.get(
        held.against, f"its {held.mark}"
    )


def middle(values: Floats) -> float:
    """The median of the known values, as round as their spread allows."""
    known = values[np.isfinite(values)]
    median = float(np.median(known))
    step = step_for(float(known.max() - known.min()) or abs(median) or 1.0, 40)
    return float(round(round(median / step) * step, 10))


def kpi_yardstick(kpi: DraftKpi, mark: str) -> YardstickBody:
    percent = kpi.unit.kind == "percent"
    ways: tuple[float, ...]
    if kpi.direction == "inside":
        ways = (-0.04, -0.02, 0.02, 0.04) if percent else (0.9, 0.95, 1.05, 1.1)
    else:
        ways = (-0.02, 0.0, 0.02) if percent else (0.95, 1.0, 1.05)
    cuts = [CutBody(mark=mark, offset=way) if percent else CutBody(mark=mark, factor=way) for way in ways]
    if kpi.direction == "lower":
        for cut in cuts:
            cut.belongs = "below"
    sort = "shares" if percent else "amounts"
    way = "best inside a range" if kpi.direction == "inside" else f"{kpi.direction} is better"
    return YardstickBody(name=f"Against {mark}, {sort}, {way}", bands=list(default_bands(kpi.direction)), cuts=cuts)
