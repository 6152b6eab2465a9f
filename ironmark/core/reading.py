"""Readings: a KPI's values with their marks and grades, for every period and member at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from typing import Literal, Protocol

import numpy as np

from ironmark.core import marks as mark_book
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats, evaluate
from ironmark.core.formula import Aggregate, Node, adds_members, adds_up, aggregates, denominator, rebuilt
from ironmark.core.mark_lines import Lines, Where, lines, lying_in, pieces_for, plainly, why_none
from ironmark.core.marks import FLOOR, LIMIT, TARGET, Ints, MarkEntry, Nature, Within, narrowed
from ironmark.core.numbers import Unit, rounded
from ironmark.core.periods import (
    ROW_GRAINS,
    Grain,
    PartSoFar,
    Period,
    RowGrain,
    finer,
    months,
    part_of,
    pieces,
    same_part,
)
from ironmark.core.workings import why_blank
from ironmark.core.yardstick import Bands, Yardstick

Direction = Literal["higher", "lower", "inside", "open"]  # open: nobody has said yet
ProRating = Literal["days", "last_year"]
Members = Mapping[str, Sequence[str]]
EDGES = (FLOOR, LIMIT)  # of a range, where no yardstick gives it


@dataclass(frozen=True)
class Kpi:
    """A KPI with its formula expanded: what is read, how it is shown, and how it is graded."""

    handle: str
    name: str
    formula: Node
    unit: Unit = Unit()
    direction: Direction = "higher"
    nature: Nature = "rate"
    pro_rating: ProRating = "days"
    as_shown: bool = False  # graded on the value as it is shown, rounded

    @cached_property
    def adds(self) -> bool:
        """Whether the figure of several members is the sum of theirs: a flow's, and a stock's that is no ratio."""
        return self.nature == "flow" or (self.nature == "stock" and adds_members(self.formula))


@dataclass(frozen=True)
class Totals:
    """Aggregates by period and member: ``rows`` (P, M) counts rows, each of ``parts`` is (P, M), NaN for none."""

    periods: tuple[Period, ...]
    members: tuple[str | None, ...]
    rows: Ints
    parts: Mapping[Aggregate, Floats]


class Source(Protocol):
    """Where rows are: columns in memory, or a SQL engine. ``first`` and ``last`` are the days of its outer rows."""

    @property
    def first(self) -> dt.date: ...

    @property
    def last(self) -> dt.date: ...

    @property
    def through(self) -> dt.date: ...

    @property
    def grain(self) -> RowGrain:
        """How fine the periods of its rows are."""
        ...

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]: ...

    def aggregate(
        self,
        wanted: Sequence[Aggregate],
        by: str | None,
        where: Members,
        periods: Sequence[Period],
        until: dt.date | None = None,
    ) -> Totals:
        """Aggregate the rows of the members in ``where``, by period and by the segment ``by`` (None: together).

        periods: rising, none overlapping the next. Windows end with each of them and are empty where they would
        begin before the first row. until: rows after that day are left out.
        """
        ...

    def within(self, segment: str, other: str) -> Mapping[str, frozenset[str]]:
        """For each member of a segment with rows, the members of another one that these are of."""
        ...


@dataclass(frozen=True)
class Readings:
    """A block of readings. All arrays are (P, M), periods by members, values in the KPI's unit."""

    kpi: Kpi
    segment: str | None  # the one they are read by
    totals: Totals
    value: Floats
    marks: Mapping[str, Floats]  # those asked for and those of cuts, of what has data of each period
    lines: Mapping[str, Lines]  # what the mark book says
    parts: tuple[PartSoFar | None, ...]
    yardstick: Yardstick | None = None
    counted: Callable[[Grain], Floats] | None = None  # how many of a flow's grain each period holds so far, (P, M)
    where: Where = field(default_factory=dict)  # what is read, narrowed
    row_grain: RowGrain = "day"  # the coarsest of its rows
    edges: Mapping[str, Floats] = field(default_factory=dict)  # floor and limit, also where they were not asked for
    cuts: Floats = field(default_factory=lambda: np.empty((0, 0, 0)))
    band: Bands = field(default_factory=lambda: np.empty((0, 0), dtype=np.int8))

    @property
    def periods(self) -> tuple[Period, ...]:
        return self.totals.periods

    @property
    def members(self) -> tuple[str | None, ...]:
        return self.totals.members

    def at(self, period: Period) -> int | None:
        """The row of a period, None when there are no rows that far out."""
        return self.periods.index(period) if period in self.periods else None

    def state(self, p: int, m: int) -> str | None:
        """The key of the state of one reading; None where it is not graded."""
        band = int(self.band[p, m]) if self.yardstick else grading.NOT_GRADED
        return self.yardstick.bands[band] if self.yardstick and band >= 0 else None


def read(
    kpi: Kpi,
    source: Source,
    entries: Sequence[MarkEntry],
    mark_names: Sequence[str],
    yardstick: Yardstick | None,
    *,
    by: str | None = None,
    where: Members | None = None,
    others: Mapping[str, Source] | None = None,
    periods: Sequence[Period] | None = None,
    computed: Mapping[str, Node] | None = None,
) -> Readings:
    """Take and grade the readings of a KPI for all periods and members at once.

    by: the segment whose members are read one by one; None reads all rows together. where: chosen members by
    segment; a segment left out, with no member chosen or with all of them, means all. What is read decides the
    value, the marks and the state, never how it was asked for. others: the sources of further datasets that the
    formula reads, by key. periods: those of ``core.periods.timeline``; None takes the months that have rows.
    computed: expanded formulas of marks that are computed, by name; a mark book's entry goes before them. Raises
    KeyError for a segment that one of the sources does not have.
    """
    chosen = narrowed(where or {}, source.members)
    periods = tuple(periods or months(source.first, source.last))
    rows = _Rows(kpi, source, others or {}, by, chosen)
    totals = rows.totals(kpi.formula, periods)
    value = np.broadcast_to(rows.values(kpi.formula, periods, totals), totals.rows.shape)
    row_grain = grain_of(kpi, source, others or {})
    if finer(periods[0].grain, row_grain):
        value = np.full(totals.rows.shape, np.nan)
    names = dict.fromkeys((*mark_names, *(yardstick.marks if yardstick else ())))
    found, marks = {}, {}
    # How far it is to go is told to the limit, however the reading was asked for.
    for name in dict.fromkeys((*names, *EDGES)):
        of_name = [entry for entry in entries if entry.name == name]
        part = None
        if kpi.nature == "flow" and of_name:
            part = rows.shares(pieces_for(periods, of_name)[0], periods[0].unit)
        found[name] = lines(entries, name, periods, kpi.nature, kpi.adds, by, chosen, rows, part)
        marks[name] = found[name].rated
        if computed and name in computed:
            # What the book leaves open; it goes before the formula.
            marks[name] = np.where(np.isfinite(found[name].value), marks[name], rows.computed(computed[name], periods))
    edges = {name: marks[name] for name in EDGES}
    marks, found = {name: marks[name] for name in names}, {name: found[name] for name in names}
    counted = lru_cache(maxsize=None)(lambda per: rows.numbers(periods, per)[0]) if kpi.nature == "flow" else None
    parts = tuple(part_of(period, rows.through) for period in periods)
    made = Readings(kpi, by, totals, value, marks, found, parts, yardstick, counted, chosen, row_grain, edges)
    return regrade(made, yardstick)


def grain_of(kpi: Kpi, source: Source, others: Mapping[str, Source]) -> RowGrain:
    """How fine the rows of a KPI are: the coarsest of the datasets that its formula reads."""
    named = {a.dataset for a in aggregates(kpi.formula)} or {None}
    return max(((source if key is None else others[key]).grain for key in named), key=ROW_GRAINS.index)


def read_through(kpi: Kpi, source: Source, others: Mapping[str, Source]) -> dt.date:
    """The day up to which a KPI's rows are read: over several datasets the first that one of them ends with, so that
    all are read over the same days. others: the sources of further datasets, by key."""
    named = {a.dataset for a in aggregates(kpi.formula)}
    days = [others[key].through for key in named if key is not None]
    return min(days + ([source.through] if None in named or not days else []))


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
    rows = _Rows(kpi, source, others or {}, by, chosen)
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


def within_of(source: Source) -> Within:
    """Which members of another segment the rows of a member are of; none for what is no member or no segment."""

    def within(segment: str, member: str, other: str) -> frozenset[str]:
        if segment == other or not {segment, other} <= source.members.keys():
            return frozenset()
        return source.within(segment, other).get(member, frozenset())

    return within


@dataclass(frozen=True)
class _Rows:
    """The rows a KPI reads: its own dataset's and those of the others, of the members chosen. See ``lines.Rows``."""

    kpi: Kpi
    source: Source
    others: Mapping[str, Source]
    by: str | None
    chosen: Where

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self.source.members

    @property
    def through(self) -> dt.date:
        return read_through(self.kpi, self.source, self.others)

    def counted(self, by: str | None, where: Where, periods: Sequence[Period]) -> Ints:
        return self.source.aggregate((), by, where, periods).rows

    def within(self, segment: str, member: str, other: str) -> frozenset[str]:
        return within_of(self.source)(segment, member, other)

    def weighed(self, by: str | None, where: Where, periods: Sequence[Period]) -> Floats | None:
        below = denominator(self.kpi.formula)
        if below is None:
            return None
        totals = replace(self, by=by, chosen=where).totals(below, periods)
        return np.abs(np.broadcast_to(evaluate(below, totals.parts), totals.rows.shape))

    def totals(self, formula: Node, periods: Sequence[Period]) -> Totals:
        """Every aggregate of a formula, by period and member."""
        wanted = aggregates(formula)
        totals = self._own([a for a in wanted if a.dataset is None and not a.moved], periods)
        parts = dict(totals.parts)
        for kind in dict.fromkeys((a.dataset, a.years, a.back) for a in wanted if a not in parts):
            dataset, years, back = kind
            asked = {
                a: replace(a, dataset=None, years=0, back=0) for a in wanted if kind == (a.dataset, a.years, a.back)
            }
            source = self.source if dataset is None else self.others[dataset]
            moved = [period.shift(-back).years_back(years) for period in periods]
            found = {a: np.full((len(periods), len(totals.members)), np.nan) for a in asked}
            for until, at in self._cut(periods, moved, bool(years or back), source).items():
                distinct = tuple(dict.fromkeys(moved[p] for p in at))
                there = source.aggregate(list(asked.values()), self.by, self.chosen, distinct, until)
                place = [distinct.index(moved[p]) for p in at]
                for a, its in asked.items():
                    found[a][at] = aligned(there, there.parts[its], totals.members)[place]
            parts |= found
        return replace(totals, parts=parts)

    def _own(self, wanted: Sequence[Aggregate], periods: Sequence[Period]) -> Totals:
        """Aggregates of the KPI's own dataset over the periods that are read themselves, with how many rows there are."""
        cut = self._cut(periods, periods, False, self.source)
        if len(cut) == 1:
            return self.source.aggregate(wanted, self.by, self.chosen, periods, *cut)
        some = {
            u: self.source.aggregate(wanted, self.by, self.chosen, [periods[p] for p in at], u) for u, at in cut.items()
        }
        order = np.argsort([p for at in cut.values() for p in at])
        first = next(iter(some.values()))
        return Totals(
            tuple(periods), first.members, np.concatenate([one.rows for one in some.values()])[order],
            {a: np.concatenate([one.parts[a] for one in some.values()])[order] for a in first.parts},
        )  # fmt: skip

    def _cut(
        self, periods: Sequence[Period], moved: Sequence[Period], earlier: bool, source: Source
    ) -> dict[dt.date | None, list[int]]:
        """The periods by the day up to which ``moved`` are read: of a partial period the part that all have, or the same
        part of an earlier one."""
        through = self.through
        found: dict[dt.date | None, list[int]] = {}
        for p, period in enumerate(periods):
            until = None
            if period.end > through and earlier:
                until = same_part(period, moved[p], through)
            elif period.end > through and source.through > through:
                until = through
            found.setdefault(until, []).append(p)
        return found

    def values(self, formula: Node, periods: Sequence[Period], totals: Totals | None = None) -> Floats:
        """The formula's values (P, M). A flow's that does not add up is summed over the months."""
        parts, of = pieces(periods, "month")
        if self.kpi.nature != "flow" or adds_up(formula) or len(parts) == len(periods):
            return evaluate(formula, (totals or self.totals(formula, periods)).parts)
        # In each month ``prior`` reads the month at the same place of the period before.
        length = max(np.bincount(of))
        by_month = rebuilt(formula, lambda a: replace(a, back=a.back * length) if isinstance(a, Aggregate) else a)
        small = self.totals(by_month, parts)
        monthly = np.broadcast_to(evaluate(by_month, small.parts), small.rows.shape)
        first = np.searchsorted(np.array(of), np.arange(len(periods)))
        some = np.add.reduceat(np.isfinite(monthly), first, axis=0) > 0
        return np.where(some, np.add.reduceat(np.nan_to_num(monthly), first, axis=0), np.nan)

    def computed(self, formula: Node, periods: Sequence[Period]) -> Floats:
        """Marks by a formula, (P, M). What it reads of a partial period, or of an earlier one for it, is a part by
        itself; a window is whole, so a flow's mark of nothing else is pro-rated."""
        if self.kpi.nature == "flow" and all(a.window is not None for a in aggregates(formula)):
            return self._levels_added(formula, periods)
        totals = self.totals(formula, periods)
        return np.broadcast_to(self.values(formula, periods, totals), totals.rows.shape)

    def _levels_added(self, formula: Node, periods: Sequence[Period]) -> Floats:
        """A flow's marks of nothing but windows: a span's are those of its periods together, each by its share."""
        units = [unit for period in periods for unit in period.every_unit]
        first = np.cumsum([0, *(len(period.every_unit) for period in periods[:-1])])
        totals = self.totals(formula, units)
        begun, whole = self.numbers(units, "month")
        each = np.where(begun > 0, evaluate(formula, totals.parts) * begun / whole, 0.0)
        some = np.add.reduceat(begun, first, axis=0) > 0
        return np.where(some, np.add.reduceat(each, first, axis=0), np.nan)

    def numbers(self, periods: Sequence[Period], per: Grain) -> tuple[Floats, Floats]:
        """How many of a flow's ``per`` each period holds, as far as these have data (P, M), and in all (P, 1)."""
        month = periods[0].unit == "month" and per not in mark_book.FINE
        parts, of = pieces(periods, "month" if month else "day")
        amount = mark_book.piece_amounts(parts, per, periods[0].year_start)[:, None]
        first = np.searchsorted(np.array(of), np.arange(len(periods)))
        begun = np.add.reduceat(self.shares(parts, periods[0].unit) * amount, first, axis=0)
        return begun, np.add.reduceat(amount, first, axis=0)

    def shares(self, parts: Sequence[Period], unit: Grain) -> Floats:
        """How much of a flow's marks falls to what has data of pieces of periods, (N, M): all of the ``unit`` they lie
        in where that is over, nothing where it is to come, of the one under way its share, by days or by last year's
        shape."""
        width = len(self.source.aggregate((), self.by, self.chosen, parts[:1]).members)
        share = np.ones((len(parts), width))
        known: dict[Period, Floats | float] = {}
        for n in range(len(parts) - 1, -1, -1):
            whole = Period.of(parts[n].start, unit)
            part = part_of(whole, self.through)
            if part is None:
                break  # and so is all before it
            if whole not in known:
                known[whole] = self._share(whole, part)
            share[n] = known[whole]
        return share

    def _share(self, unit: Period, part: PartSoFar) -> Floats | float:
        if self.kpi.pro_rating != "last_year" or not part.days:
            return part.share
        shape = self._shape(unit, part)
        return np.where(np.isfinite(shape), shape, part.share)

    def _shape(self, period: Period, part: PartSoFar) -> Floats:
        """What share of the same period last year had come by the same day; NaN where that tells nothing."""
        before = period.years_back(1)
        so_far = Period(before.start.toordinal(), "day", min(part.days, before.days))
        with np.errstate(all="ignore"):
            share = np.asarray(self.values(self.kpi.formula, [so_far])[0] / self.values(self.kpi.formula, [before])[0])
        return np.where((share >= 0) & (share <= 1), share, np.nan)


def aligned(there: Totals, values: Floats, members: Sequence[str | None]) -> Floats:
    """Values by the members of one source in the order of another's; NaN where it has none of that name.

    values: (P, K) by the members of ``there``; returns (P, M) by ``members``, KPI unit.
    """
    if there.members == tuple(members):
        return values
    place = {name: at for at, name in enumerate(there.members)}
    columns = np.array([place.get(name, -1) for name in members], dtype=np.int64)
    return np.where(columns >= 0, values[:, columns], np.nan)


def regrade(readings: Readings, yardstick: Yardstick | None, value: Floats | None = None) -> Readings:
    """The same readings by another yardstick or with other values: rows are not touched again.

    value: (P, M) in the KPI's unit, in place of the ones that were read.
    """
    value = readings.value if value is None else value
    cuts, band = np.empty((0, *value.shape)), np.full(value.shape, grading.NOT_GRADED, dtype=np.int8)
    if yardstick is not None:
        cuts = grading.resolve(yardstick, readings.marks, value.shape)
        if readings.counted is not None and yardstick.per != "any":
            cuts = _scaled(cuts, yardstick, readings.counted(yardstick.per))
        graded = shown_values(value, readings.kpi.unit) if readings.kpi.as_shown else value
        band = grading.grade(yardstick, graded, cuts)
    else:
        band[np.isnan(value)] = grading.NO_READING
    return replace(readings, value=value, yardstick=yardstick, cuts=cuts, band=band)


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


def shown_values(values: Floats, unit: Unit) -> Floats:
    """Values (...) as they are shown, rounded, KPI unit; NaN stays NaN."""
    found = [rounded(value, unit) if np.isfinite(value) else np.nan for value in values.ravel().tolist()]
    return np.array(found).reshape(values.shape)


def scale(readings: Readings, yardstick: Yardstick) -> Floats:
    """What a yardstick's plain numbers are multiplied by, (P, M): 1 but for a flow."""
    if readings.counted is None or yardstick.per == "any":
        return np.ones(readings.value.shape)
    return readings.counted(yardstick.per)


def _scaled(cuts: Floats, yardstick: Yardstick, share: Floats) -> Floats:
    """A flow's plain numbers grow with a span and shrink with a partial period; cuts from marks already have."""
    scaled = cuts.copy()
    for line, cut in zip(scaled, yardstick.cuts, strict=True):
        if cut.mark is None:
            line *= share
        elif cut.offset:
            line += cut.offset * (share - 1)
    return scaled


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
    return readings.parts[p] is not None and readings.kpi.nature == "flow"
