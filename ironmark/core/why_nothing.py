"""Why there is nothing to read, or nothing to hold it against, in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ironmark.core.formula_nodes import aggregates
from ironmark.core.mark_lines import Lines, lines, lying_in, plainly, why_none
from ironmark.core.marks import MarkEntry, narrowed
from ironmark.core.periods import (
    Period,
    RowGrain,
    finer,
)
from ironmark.core.reading import Rows
from ironmark.core.readings import Kpi, Members, Readings, Source, within_of
from ironmark.core.workings import why_blank


def book_lines(
    kpi: Kpi,
    source: Source,
    entries: Sequence[MarkEntry],
    name: str,
    periods: Sequence[Period],
    by: str | None,
    where: Members | None = None,
    others: Mapping[str, Source] | None = None,
) -> Lines:
    """What the mark book says of whole periods, however much of them has data. See ``core.lines.lines``."""
    chosen = narrowed(where or {}, source.members)
    rows = Rows(kpi, source, others or {}, by, chosen)
    return lines(entries, name, periods, kpi.nature, kpi.adds, by, chosen, rows)


def no_mark(readings: Readings, source: Source, entries: Sequence[MarkEntry], name: str, p: int, m: int) -> str:
    """The reason in words that one reading has no mark of a name, with what is missing."""
    where = dict(readings.where)
    if readings.segment and readings.members[m] is not None:
        where = narrowed({**where, readings.segment: [str(readings.members[m])]}, source.members)
    within = within_of(source)
    where = plainly(where, within)
    several = [segment for segment, names in where.items() if len(names) > 1]
    owned = {segment for entry in entries if entry.name == name for segment, _ in entry.owner.of}
    split = next((s for s in sorted(owned) if s in source.members and (s in several if several else not where)), None)
    if split is None and len(where) == 1 and not several:  # its members' marks make up a region's
        (outer, (one,)), *_ = where.items()
        split = next((s for s in sorted(owned) if s in source.members and lying_in(within, s, outer, (one,))), None)
    without: list[str] = []
    if split:
        period = readings.periods[p : p + 1]
        line = book_lines(readings.kpi, source, entries, name, period, split, where).value[0]
        found = source.aggregate((), split, where, period)
        missing = (found.rows[0] > 0) & ~np.isfinite(line)
        without = [str(one) for one, gone in zip(found.members, missing, strict=True) if gone]
        if len(without) == len(found.members):
            without = []
    return why_none(entries, name, readings.kpi.adds, where, without)


def by_rows(grain: RowGrain) -> str:
    """Why rows have no reading of a finer period."""
    return f"these rows are by {grain}"


def why_nothing(readings: Readings, p: int, m: int) -> str:
    """Why there is no value: no rows, none in an earlier period that is read, or a formula that comes to nothing."""
    period, used = readings.periods[p], aggregates(readings.kpi.formula)
    if finer(period.grain, readings.row_grain):
        return by_rows(readings.row_grain)
    parts = readings.totals.parts
    empty = [a for a in used if a in parts and np.isnan(parts[a][p, m])]
    if not readings.totals.rows[p, m] and not any(a.moved or a.window for a in used):
        return f"no rows in {period.label}"
    if empty and empty[0].moved:
        return f"no rows in {period.shift(-empty[0].back).years_back(empty[0].years).label}, which it looks back to"
    if empty and empty[0].window is not None:
        whole = (
            "the year so far"
            if empty[0].window.periods is None
            else f"the last {empty[0].window.periods} {period.grain}s"
        )
        return f"{whole} up to {period.label} reach back beyond the first row, or have none"
    if empty:
        return f"no rows in {period.label}" if not readings.totals.rows[p, m] else why_blank(empty[0])
    return "the formula divides by nothing here"
