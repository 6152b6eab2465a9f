"""Readings: a KPI's values with their marks and grades, for every period and member at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from ironmark.core import marks as mark_book
from ironmark.core import yardstick as grading
from ironmark.core.distances import shown_values
from ironmark.core.evaluate import Floats, evaluate
from ironmark.core.formula_nodes import Aggregate, Call, Node, adds_up, aggregates, denominator, rebuilt, usual_calls
from ironmark.core.mark_lines import Where, lines, pieces_for
from ironmark.core.marks import Ints, MarkEntry, narrowed
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
    timeline,
)
from ironmark.core.ratio import sides_of
from ironmark.core.readings import EDGES, Kpi, Members, Readings, Source, Totals, within_of
from ironmark.core.usual import LONGEST, SEASONS, usual
from ironmark.core.yardstick import Yardstick


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
    rows = Rows(kpi, source, others or {}, by, chosen)
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


@dataclass(frozen=True)
class Rows:
    """The rows a KPI reads: its own dataset's and those of the others, of the members chosen. See ``lines.Rows``."""

    kpi: Kpi
    source: Source
    others: Mapping[str, Source]
    by: str | None
    chosen: Where

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]:
        return self.source.members

    @cached_property
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
        parts: dict[Any, Floats] = dict(totals.parts)
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
        for call in usual_calls(formula):
            parts[call] = self._usual(call, periods)
        return replace(totals, parts=parts)

    def _usual(self, call: Call, periods: Sequence[Period]) -> Floats:
        """What was usual for something before each period (P, M); NaN for a part of one of a flow, which is no whole."""
        of, last = call.args[0], periods[-1]
        line = timeline(last, self.source.first, last.end)[-(LONGEST + len(periods)) :]
        totals = self.totals(of, line)
        shape = totals.rows.shape
        value = np.broadcast_to(self.values(of, line, totals), shape)
        partial = np.array([part_of(period, self.through) is not None for period in line])
        value = np.where(partial[:, None], np.nan, value)
        sides = sides_of(of, totals.parts, shape)
        season = SEASONS.get(last.grain, 0)
        if sides is None:
            found = usual(value, season=season)
        else:
            found = usual(value, sides.kind, sides.below, sides.ratio.scale, sides.ratio.offset, season=season)
        told: Floats = {"usual_low": found.low, "usual_middle": found.middle, "usual_high": found.high}[call.name]
        if self.kpi.nature == "flow":
            told = np.where(np.append(partial, True)[:, None], np.nan, told)
        place = {period: row for row, period in enumerate(line)}
        rows = [place.get(period, -1) for period in periods]
        return np.where(np.array(rows)[:, None] >= 0, told[rows], np.nan)

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
        over = len(periods)  # periods rise
        while over and periods[over - 1].end > through:
            over -= 1
        found: dict[dt.date | None, list[int]] = {None: list(range(over))} if over else {}
        for p, period in enumerate(periods[over:], start=over):
            until = None
            if earlier:
                until = same_part(period, moved[p], through)
            elif source.through > through:
                until = through
            found.setdefault(until, []).append(p)
        return found

    def values(self, formula: Node, periods: Sequence[Period], totals: Totals | None = None) -> Floats:
        """The formula's values (P, M). A flow's that does not add up is summed over the months."""
        whole = self.kpi.nature != "flow" or adds_up(formula) or bool(usual_calls(formula))
        parts, of = (periods, ()) if whole else pieces(periods, "month")
        if len(parts) == len(periods):
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
        if readings.grain_multiplier is not None and yardstick.per != "any":
            cuts = _scaled(cuts, yardstick, readings.grain_multiplier(yardstick.per))
        graded = shown_values(value, readings.kpi.unit) if readings.kpi.as_shown else value
        band = grading.grade(yardstick, graded, cuts)
    else:
        band[np.isnan(value)] = grading.NO_READING
    return replace(readings, value=value, yardstick=yardstick, cuts=cuts, band=band)


def scale(readings: Readings, yardstick: Yardstick) -> Floats:
    """What a yardstick's plain numbers are multiplied by, (P, M): 1 but for a flow."""
    if readings.grain_multiplier is None or yardstick.per == "any":
        return np.ones(readings.value.shape)
    return readings.grain_multiplier(yardstick.per)


def whole_cuts(readings: Readings, rows: Rows) -> Floats:
    """The cuts of whole periods (K, P, M), KPI unit, also of those that have data of a part only."""
    yardstick = readings.yardstick
    assert yardstick is not None
    marks = {
        name: np.where(np.isfinite(readings.lines[name].value), readings.lines[name].value, line)
        for name, line in readings.marks.items()
    }
    cuts = grading.resolve(yardstick, marks, readings.value.shape)
    if readings.kpi.nature == "flow" and yardstick.per != "any":
        cuts = _scaled(cuts, yardstick, rows.numbers(readings.periods, yardstick.per)[1])
    return cuts


def _scaled(cuts: Floats, yardstick: Yardstick, share: Floats) -> Floats:
    """A flow's plain numbers grow with a span and shrink with a partial period; cuts from marks already have."""
    scaled = cuts.copy()
    for line, cut in zip(scaled, yardstick.cuts, strict=True):
        if cut.mark is None:
            line *= share
        elif cut.offset:
            line += cut.offset * (share - 1)
    return scaled
