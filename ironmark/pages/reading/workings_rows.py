"""How a value came from the rows: its aggregates, the rows that were read, those left out, and the file they are from."""

from __future__ import annotations

import datetime as dt
import math

from pydantic import BaseModel

from ironmark.core import words
from ironmark.core.formula_nodes import Aggregate, adds_up, aggregates, columns_used
from ironmark.core.numbers import NumberStyle, show, show_exact
from ironmark.core.periods import Period, pieces
from ironmark.core.readings import Readings, Source
from ironmark.core.why_nothing import why_nothing
from ironmark.core.workings import blank_words, describe, figure, in_numbers
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody


class Line(BaseModel):
    label: str
    text: str
    state: str | None = None


class AggregateFigure(BaseModel):
    """One aggregate of the formula, as written and as a figure."""

    source: str
    figure: str


def aggregate_figures(
    context: ReadingContext, kpi: KpiBody, readings: Readings, p: int, m: int
) -> list[AggregateFigure]:
    """Every aggregate with its figure, and the period where that is an earlier one."""
    found = []
    for a in aggregates(readings.kpi.formula):
        value = float(readings.totals.parts[a][p, m])
        said = figure(value, context.style)
        if not math.isfinite(value) and not a.moved and a.window is None and not a.whole:
            said += _rows_without(context.source_of(a.dataset or kpi.dataset), a, readings, p, m)
        found.append(AggregateFigure(source=describe(a) + _when(readings, a, p), figure=said))
    return found


def _rows_without(source: Source, a: Aggregate, readings: Readings, p: int, m: int) -> str:
    """Why an aggregate has no figure, by its rows: none are there, none are meant, or all are blank."""
    member = readings.members[m]
    if not {*readings.where, *([readings.segment] if readings.segment else [])} <= source.members.keys():
        return ""
    where = dict(readings.where) | ({readings.segment: (member,)} if readings.segment and member is not None else {})
    meant = Aggregate("count", None, a.where)
    totals = source.aggregate([meant], None, where, readings.periods[p : p + 1])
    rows, holds = int(totals.rows[0, 0]), totals.parts[meant][0, 0]
    if not rows:
        return ": there are no rows"
    if not holds >= 1:
        return f": {rows:,} rows are there, in none of them the condition holds"
    some = f"{rows:,}" if a.where is None else f"{int(holds):,} of {rows:,}"
    return f": {some} rows are read, and {blank_words(a)} in {'it' if holds == 1 else 'all of them'}"


def _when(readings: Readings, a: Aggregate, p: int) -> str:
    if not a.moved:
        return ""
    part = readings.partial_periods[p]
    earlier = readings.periods[p].shift(-a.back).years_back(a.years).short
    return f" ({earlier}, through the same day of it)" if part else f" ({earlier})"


def value_line(readings: Readings, value: float, p: int, m: int, style: NumberStyle) -> Line:
    if not math.isfinite(value):
        return Line(label="Reading", text=f"no reading: {why_nothing(readings, p, m)}")
    kpi, unit = readings.kpi, readings.kpi.unit
    if kpi.nature == "flow" and not adds_up(kpi.formula) and len(pieces(readings.periods[p : p + 1], "month")[0]) > 1:
        return Line(
            label="Reading", text=f"{show_exact(value, unit)}, the sum of its months’, shown {show(value, unit, style)}"
        )
    text = in_numbers(kpi.formula, lambda a: float(readings.totals.parts[a][p, m]), style)
    exact = show_exact(value, unit)
    steps = text if text.replace(",", "") == exact else f"{text} = {exact}"
    return Line(label="Reading", text=f"{steps}, shown {show(value, unit, style)}")


def same_days(context: ReadingContext, kpi: KpiBody, readings: Readings, period: Period) -> list[Line]:
    """Over several datasets the same days are read: which, and what some have after them."""
    named = {a.dataset or kpi.dataset for a in aggregates(readings.kpi.formula)}
    through = context.through(kpi)
    later = {
        key: day for key in sorted(named) if (day := context.source_of(key).through) > through and period.end > through
    }
    if len(named) < 2 or not later:
        return []
    first = [context.dataset(key).name for key in sorted(named) if key not in later]
    rest = ", ".join(f"{context.dataset(key).name} through {words.days_words([day])}" for key, day in later.items())
    text = f"all read through {words.days_words([through])}, as far as {' and '.join(first)} goes; {rest} is not read further"
    return [Line(label="Same days", text=text)]


def rows_line(readings: Readings, p: int, m: int, context: ReadingContext, dataset: str, period: Period) -> Line:
    rows = int(readings.totals.rows[p, m])
    part = readings.partial_periods[p]
    last = part.days if part else period.days
    if period.grain == "month" and period.length == 1:
        days = f"1–{last} {period.short}" if last else period.label
    else:
        days = period.label + (f", {part.words}" if part else "")
    text = f"{rows:,} of {context.dataset(dataset).name}, {days}" if rows else f"none in {period.label}"
    others = {a.dataset for a in aggregates(readings.kpi.formula) if a.dataset}
    for key in sorted(others):
        text += f"; {_rows_of(context.source_of(key), readings, p, m):,} of {context.dataset(key).name}"
    return Line(label="Rows used", text=text)


def from_file(context: ReadingContext, readings: Readings, dataset: str, m: int) -> list[Line]:
    """Where the figures stood in the file that they came from, where that was no plain list."""
    stored = context.dataset(dataset)
    recipe = stored.settings.get("recipe")
    if not recipe or stored.kind != "file":
        return []
    places = recipe["seen"].get("places", {})
    labels = {column.name: column.label for column in stored.columns}
    asked = [labels.get(name, name) for name in columns_used(readings.kpi.formula)]
    lines = sorted({places[one] for one in (*asked, readings.members[m]) if one in places})
    of = [f"sheet {recipe['sheet']}"] if recipe.get("sheet") and recipe["sheet"] != "*" else []
    rows = f"row{'' if len(lines) == 1 else 's'} {' and '.join(map(str, lines[:6]))}" if lines else ""
    day = f" of {words.days_words([stored.rows_at.date()])}" if stored.rows_at else ""
    text = " of ".join(filter(None, (rows, *of)))
    return [Line(label="From", text=f"{text}, {stored.file_name}{day}" if text else f"{stored.file_name}{day}")]


def _rows_of(source: Source, readings: Readings, p: int, m: int) -> int:
    """How many rows of a further dataset lie under a reading."""
    member = readings.members[m]
    where = {segment: names for segment, names in readings.where.items() if segment in source.members}
    if readings.segment in source.members and member is not None:
        where[str(readings.segment)] = (member,)
    part, period = readings.partial_periods[p], readings.periods[p]
    until = None if part is None else dt.date.fromordinal(_last_day(period, part.days))
    return int(source.aggregate((), None, where, (period,), until).rows[0, 0])


def _last_day(period: Period, days: int) -> int:
    """The day, counted as ``datetime.date`` counts it, by which so many days of a period are over."""
    for run in period.runs:
        if days <= run.days:
            return run.start.toordinal() + days - 1
        days -= run.days
    return period.end.toordinal()
