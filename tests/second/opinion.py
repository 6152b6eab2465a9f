"""A second opinion: readings worked out again from the rules as they are written, in plain Python, row by row.

Nothing here is shared with the program. It is slow and simple on purpose: every rule is a loop that can be read
beside its sentence.
"""

from __future__ import annotations

import calendar
import datetime as dt
import itertools
import statistics
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

Row = dict[str, Any]
Scope = Mapping[str, tuple[str, ...]]
NOISE = 1e-9
BLANK = "(blank)"


@dataclass(frozen=True)
class Span:
    """Whole months, or so many days: ``months`` 0."""

    start: dt.date
    months: int
    days: int = 0

    @property
    def end(self) -> dt.date:
        after = add_months(self.start, self.months) if self.months else self.start + dt.timedelta(days=self.days)
        return after - dt.timedelta(days=1)

    def before(self, n: int) -> Span:
        if self.months:
            return Span(add_months(self.start, -n * self.months), self.months)
        return Span(self.start - dt.timedelta(days=n * self.days), 0, self.days)

    def year_before(self) -> Span:
        return Span(a_year_before(self.start), self.months, self.days)

    def last_period(self) -> Span:
        """Of several months the last one; a quarter and a year, as the calendar has them, are periods by themselves."""
        whole = (self.months == 3 and self.start.month % 3 == 1) or (self.months == 12 and self.start.month == 1)
        return self if self.months <= 1 or whole else Span(add_months(self.start, self.months - 1), 1)

    def each_month(self) -> list[Span]:
        return [Span(add_months(self.start, n), 1) for n in range(self.months)]


def add_months(day: dt.date, n: int) -> dt.date:
    month = day.year * 12 + day.month - 1 + n
    return dt.date(month // 12, month % 12 + 1, 1)


def a_year_before(day: dt.date) -> dt.date:
    last = calendar.monthrange(day.year - 1, day.month)[1]
    return dt.date(day.year - 1, day.month, min(day.day, last))


# Formulas: trees of tuples, with their text in the formula language.


@dataclass(frozen=True)
class Aggregate:
    name: str
    of: Callable[[Row], float | str | None] | None
    where: Callable[[Row], bool] | None = None


Tree = Aggregate | tuple[Any, ...] | float


def adds_up(tree: Tree) -> bool:
    """Whether a sum of its parts: sums and counts, added, taken from one another, scaled, and moved in time."""
    if isinstance(tree, Aggregate):
        return tree.name in ("sum", "count")
    if isinstance(tree, float):
        return False
    if tree[0] in ("+", "-"):
        return adds_up(tree[1]) and adds_up(tree[2])
    if tree[0] in ("*", "/"):
        return adds_up(tree[1]) and isinstance(tree[2], float)
    return tree[0] in ("prior", "year_ago", "to_date", "rolling") and adds_up(tree[1])


def denominator(tree: Tree) -> Tree | None:
    if isinstance(tree, Aggregate):
        return Aggregate("count", tree.of, tree.where) if tree.name == "mean" else None
    if isinstance(tree, tuple) and tree[0] == "share":
        return ("whole", tree[1])
    if isinstance(tree, tuple) and tree[0] == "-" and isinstance(tree[2], float):
        return denominator(tree[1])
    if isinstance(tree, tuple) and tree[0] == "/" and not isinstance(tree[2], float):
        below: Tree = tree[2]
        return below
    return None


@dataclass
class Table:
    """Rows with a day, segments and figures; those after ``through`` are not read."""

    rows: list[Row]
    segments: tuple[str, ...]
    through: dt.date
    members: dict[str, list[str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.rows = [row for row in self.rows if row["day"] is not None and row["day"] <= self.through]
        self.members = {s: sorted({row[s] for row in self.rows}) for s in self.segments}
        self.first = min(row["day"] for row in self.rows).replace(day=1)

    def narrowed(self, scope: Scope) -> dict[str, tuple[str, ...]]:
        """Naming all is the same as naming none."""
        return {
            segment: tuple(name for name in self.members[segment] if name in names)
            for segment, names in sorted(scope.items())
            if names and set(names) < set(self.members[segment])
        }

    def held(self, scope: Scope, start: dt.date, end: dt.date) -> list[Row]:
        return [
            row
            for row in self.rows
            if start <= row["day"] <= end and all(row[segment] in names for segment, names in scope.items())
        ]


def figure(a: Aggregate, rows: Sequence[Row]) -> float | None:
    """An aggregate over rows; none without rows, and where every cell it would take is blank."""
    if not rows:
        return None
    match = [row for row in rows if a.where is None or a.where(row)]
    if a.of is None:
        return float(len(match))
    cells: list[Any] = [cell for row in match if (cell := a.of(row)) is not None]
    if a.name == "count":
        return float(len(cells))
    if a.name == "distinct":
        return float(len(set(cells)))
    if a.name == "sum":
        return float(sum(cells)) if cells or not match else None
    if not cells:
        return None
    return float({"mean": statistics.fmean, "min": min, "max": max, "median": statistics.median}[a.name](cells))


@dataclass
class Kpi:
    tree: Tree
    nature: str
    direction: str
    by_last_year: bool = False

    @property
    def sums_members(self) -> bool:
        return self.nature == "flow" or (self.nature == "stock" and adds_up(self.tree))


@dataclass
class Entry:
    name: str
    whose: str
    of: dict[str, str]
    since: Span
    value: float


@dataclass
class Cut:
    offset: float
    mark: str | None = None
    factor: float = 1.0
    belongs: str = "above"


@dataclass
class Verdict:
    value: float | None
    mark: float | None
    gap: float | None
    attainment: float | None
    headroom: float | None
    state: str | None


class Opinion:
    def __init__(self, table: Table, kpi: Kpi, entries: Sequence[Entry]) -> None:
        self.table, self.kpi, self.entries = table, kpi, entries

    # The value

    def value(self, scope: Scope, span: Span) -> float | None:
        tree = self.kpi.tree
        if self.kpi.nature == "flow" and not adds_up(tree) and span.months > 1:
            parts = [self.work(tree, scope, month, month, span.months) for month in span.each_month()]
            known = [part for part in parts if part is not None]
            return sum(known) if known else None
        return self.work(tree, scope, span, span, 1)

    def work(self, tree: Tree, scope: Scope, span: Span, now: Span, times: int) -> float | None:
        """A tree over ``span``, which stands for ``now`` however it was moved; ``times``: what prior counts by."""
        if isinstance(tree, float):
            return tree
        if isinstance(tree, Aggregate):
            return figure(tree, self.rows(scope, span, self.upto(span, now)))
        name, first = tree[0], tree[1]
        if name == "prior":
            return self.work(first, scope, span.before(tree[2] * times), now, times)
        if name == "year_ago":
            return self.work(first, scope, span.year_before(), now, times)
        if name in ("to_date", "rolling"):
            last = span.last_period()
            start = span.end.replace(month=1, day=1) if name == "to_date" else last.before(tree[2] - 1).start
            if start < self.table.first and name == "rolling":
                return None  # it would begin before the first row
            return figure(first, self.table.held(scope, start, self.upto(span, now)))
        if name == "whole":
            return self.work(first, {}, span, now, times)
        if name == "share":
            mine, all_of_it = self.work(first, scope, span, now, times), self.work(first, {}, span, now, times)
            return mine / all_of_it if mine is not None and all_of_it else None
        one, other = self.work(first, scope, span, now, times), self.work(tree[2], scope, span, now, times)
        if one is None or other is None:
            return None
        if name == "/":
            return one / other if other else None
        return {"+": one + other, "-": one - other, "*": one * other, "greatest": max(one, other)}[name]

    def upto(self, span: Span, now: Span) -> dt.date:
        """Up to which day an earlier period is read: of a partial one the same part."""
        through = self.table.through
        if through >= now.end or span == now:
            return min(span.end, through)
        if through < now.start:
            return span.start - dt.timedelta(days=1)
        if now.months:  # through the same day, so many months earlier
            apart = (now.start.year - span.start.year) * 12 + now.start.month - span.start.month
            month = add_months(through, -apart)
            return min(span.end, month.replace(day=min(through.day, calendar.monthrange(month.year, month.month)[1])))
        return min(span.end, span.start + (through - now.start))

    def rows(self, scope: Scope, span: Span, end: dt.date) -> list[Row]:
        held = self.table.held(scope, span.start, end)
        if self.kpi.nature != "stock":
            return held
        last: dict[tuple[Any, ...], dt.date] = {}
        for row in held:
            series = tuple(row[segment] for segment in self.table.segments)
            last[series] = max(last.get(series, row["day"]), row["day"])
        return [row for row in held if row["day"] == last[tuple(row[segment] for segment in self.table.segments)]]

    # The mark

    def mark(self, name: str, scope: Scope, span: Span) -> float | None:
        parts = (
            span.each_month()
            if span.months
            else [Span(span.start + dt.timedelta(days=n), 0, 1) for n in range(span.days)]
        )
        lines = [self.line(name, scope, part, span) for part in parts]
        if self.kpi.nature == "stock":  # the last one that has begun
            begun = [line for part, line in zip(parts, lines, strict=True) if part.start <= self.table.through]
            return begun[-1] if begun else lines[-1]
        if self.kpi.nature == "flow":
            total = 0.0
            for part, line in zip(parts, lines, strict=True):
                share = self.share(scope, part, span)
                if share:
                    if line is None:
                        return None
                    total += line * share
            return total if any(self.share(scope, part, span) for part in parts) else None
        there = [bool(self.table.held(scope, part.start, min(part.end, self.table.through))) for part in parts]
        if not any(there):
            there = [True] * len(parts)
        if any(line is None and rows for line, rows in zip(lines, there, strict=True)):
            return None
        parts = [part for part, line in zip(parts, lines, strict=True) if line is not None]
        known = [line for line in lines if line is not None]
        if min(known) == max(known):
            return known[0]
        weights = [self.weight(scope, part) for part in parts]
        days = [float((part.end - part.start).days + 1) for part in parts]
        if all(weight is None for weight in weights) or not sum(weight or 0 for weight in weights):
            weights = list(days)
        return sum(w * line for w, line in zip(weights, known, strict=True) if w) / sum(w for w in weights if w)

    def weight(self, scope: Scope, part: Span) -> float | None:
        below = denominator(self.kpi.tree)
        return None if below is None else abs(self.work(below, scope, part, part, 1) or 0.0)

    def share(self, scope: Scope, part: Span, span: Span) -> float:
        """How much of a flow's mark for a month, or for a day of a week or day, falls to what has data."""
        through, whole = self.table.through, part if part.months else span
        if through >= whole.end:
            return 1.0
        if through < whole.start:
            return 0.0
        days = (through - whole.start).days + 1
        by_days = days / ((whole.end - whole.start).days + 1)
        if not self.kpi.by_last_year or not whole.months:
            return by_days
        before = whole.year_before()
        end = min(before.end, before.start + dt.timedelta(days=days - 1))
        so_far = self.value(scope, Span(before.start, 0, (end - before.start).days + 1))
        all_of_it = self.value(scope, before)
        if so_far is None or not all_of_it or not 0 <= so_far / all_of_it <= 1:
            return by_days
        return so_far / all_of_it

    def line(self, name: str, scope: Scope, part: Span, span: Span) -> float | None:
        """The mark of one month or day of what is read, an amount for a flow."""
        several = [segment for segment, names in scope.items() if len(names) > 1]
        if not several:
            found = self.looked_up(name, {segment: names[0] for segment, names in scope.items()}, part)
            if found is not None or scope:
                return found
            for segment in sorted(self.segments_of(name)):
                if len(self.table.members[segment]) > 1:
                    together = self.together(name, segment, self.table.members[segment], scope, part, span)
                    if together is not None:
                        return together
            return None
        owned = [segment for segment in several if segment in self.segments_of(name)]
        if not owned:
            if self.kpi.sums_members:
                return None  # a part is not held to the whole's
            single = {segment: names[0] for segment, names in scope.items() if len(names) == 1}
            return self.looked_up(name, {**single, "": ""}, part)
        segment = sorted(owned)[0]
        if self.kpi.sums_members and len(owned) < len(several):
            return None
        return self.together(name, segment, scope[segment], scope, part, span)

    def segments_of(self, name: str) -> set[str]:
        return {segment for entry in self.entries if entry.name == name for segment in entry.of}

    def together(
        self, name: str, segment: str, members: Sequence[str], scope: Scope, part: Span, span: Span
    ) -> float | None:
        """The marks of members put together, when every one with rows has one."""
        period = span if self.kpi.nature == "stock" else part
        lines, weights = [], []
        for member in members:
            narrow = {**scope, segment: (member,)}
            line = self.line(name, narrow, part, span)
            rows = self.table.held(narrow, period.start, period.end)
            if line is None and (rows or part.start > self.table.through):
                return None
            if line is not None:
                lines.append(line)
                weights.append(self.weight(narrow, part) if denominator(self.kpi.tree) else float(bool(rows)))
        if not lines:
            return None
        if self.kpi.sums_members:
            return sum(lines)
        if not any(weights):
            weights = [1.0] * len(lines)
        counted = [line for line, weight in zip(lines, weights, strict=True) if weight]
        if min(counted) == max(counted):
            return counted[0]
        return sum(w * line for w, line in zip(weights, lines, strict=True) if w) / sum(w for w in weights if w)

    def looked_up(self, name: str, of: dict[str, str], part: Span) -> float | None:
        for whose, own in self.owners(of):
            held = [
                entry
                for entry in self.entries
                if entry.name == name and entry.whose == whose and entry.of == own and entry.since.start <= part.start
            ]
            if held:
                entry = max(held, key=lambda one: (one.since.start, -(one.since.end - one.since.start).days))
                return self.amount(entry, part)
        return None

    def owners(self, of: dict[str, str]) -> Iterator[tuple[str, dict[str, str]]]:
        """Whose marks are asked for, in order: its own, each member's, the nearest wider one, everyone's."""
        yield ("member", of) if of else ("together", {})
        if len(of) == 1:
            yield "each", {next(iter(of)): ""}
        if self.kpi.sums_members:
            return
        pairs = sorted(of.items())
        for size in range(len(pairs) - 1, 0, -1):
            for some in itertools.combinations(pairs, size):
                yield "member", dict(some)
        if len(pairs) > 1:
            for segment, _ in pairs:
                yield "each", {segment: ""}
        yield "everyone", {}

    def amount(self, entry: Entry, part: Span) -> float:
        if self.kpi.nature != "flow":
            return entry.value
        whole = entry.since
        while whole.end < part.start:
            whole = whole.before(-1)
        days = (part.end - part.start).days + 1
        return entry.value * days / ((whole.end - whole.start).days + 1)

    # The state, and how far it is

    def verdict(self, scope: Scope, span: Span, cuts: Sequence[Cut], bands: Sequence[str]) -> Verdict:
        scope = self.table.narrowed(scope)
        value, mark = self.value(scope, span), self.mark("target", scope, span)
        limit, floor = self.mark("limit", scope, span), self.mark("floor", scope, span)
        marks = {"target": mark, "limit": limit, "floor": floor}
        lines = [self.resolved(cut, marks, scope, span) for cut in cuts]
        state = graded(value, lines, cuts, bands)
        if value is None:
            return Verdict(None, mark, None, None, None, None)
        if self.kpi.direction == "inside":
            inner = [at for at, band in enumerate(bands) if band == "met"]
            edges: tuple[float | None, float | None] = (floor, limit)
            if bands:
                edges = lines[inner[0] - 1], lines[inner[-1]]
            known = [edge for edge in edges if edge is not None]
            if known:
                edge = min(known, key=lambda one: abs(value - one))
                inside = value - edge if edge == edges[0] else edge - value
                return Verdict(value, mark, value - edge, None, inside / abs(edge) if edge else None, state)
        gap = None if mark is None else value - mark
        reached = None
        if mark is not None and mark > 0 and self.kpi.direction != "inside":
            reached = value / mark if self.kpi.direction == "higher" else 2 - value / mark
        line = limit if limit is not None else mark
        return Verdict(value, mark, gap, reached, (line - value) / abs(line) if line else None, state)

    def resolved(self, cut: Cut, marks: Mapping[str, float | None], scope: Scope, span: Span) -> float | None:
        """A cut in numbers; a flow's plain numbers are for a month, and grow and shrink with the period."""
        months = 1.0
        if self.kpi.nature == "flow":
            parts = span.each_month() or [Span(span.start + dt.timedelta(days=n), 0, 1) for n in range(span.days)]
            months = sum(self.share(scope, part, span) * self.of_month(part) for part in parts)
        if cut.mark is None:
            return cut.offset * months
        line = marks[cut.mark]
        return None if line is None else line * cut.factor + cut.offset * months

    def of_month(self, part: Span) -> float:
        return 1.0 if part.months else 1 / calendar.monthrange(part.start.year, part.start.month)[1]


def graded(value: float | None, lines: Sequence[float | None], cuts: Sequence[Cut], bands: Sequence[str]) -> str | None:
    """The state of the one band a value lies in; a value on a cut belongs to the band above unless it says below."""
    if value is None or not bands or any(line is None for line in lines):
        return None
    known = [line for line in lines if line is not None]
    for (one, other), (lower, upper) in zip(itertools.pairwise(known), itertools.pairwise(cuts), strict=True):
        both_claim = lower.belongs == "below" and upper.belongs == "above"
        if other < one or (both_claim and other <= one + NOISE * abs(one)):
            return None
    band = 0
    for line, cut in zip(known, cuts, strict=True):
        on = abs(value - line) <= NOISE * abs(line)
        if (value > line and not on) or (on and cut.belongs == "above"):
            band += 1
    return bands[band]
