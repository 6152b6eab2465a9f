"""Readings: a KPI's values with their marks and grades, for every period and member at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np

from ironmark.core import marks as mark_book
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats, evaluate
from ironmark.core.formula import Aggregate, Node, adds_up, aggregates, denominator
from ironmark.core.marks import Ints, Lines, MarkEntry, Nature
from ironmark.core.numbers import Unit, rounded
from ironmark.core.periods import Part, Period, months, part_of, pieces, timeline
from ironmark.core.workings import uses
from ironmark.core.yardstick import Bands, Yardstick

Direction = Literal["higher", "lower", "inside"]
ProRating = Literal["days", "last_year"]
Members = Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Kpi:
    handle: str
    name: str
    formula: Node
    unit: Unit = Unit()
    direction: Direction = "higher"
    nature: Nature = "rate"
    pro_rating: ProRating = "days"
    as_shown: bool = False  # graded on the value as it is shown, rounded


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
    def members(self) -> Mapping[str, tuple[str, ...]]: ...

    def aggregate(
        self, wanted: Sequence[Aggregate], by: str | None, where: Members, periods: Sequence[Period]
    ) -> Totals:
        """Aggregate the rows of the members in ``where``, by period and by the segment ``by`` (None: together).

        periods: rising, none overlapping the next. Windows end with each of them and are empty where they would
        begin before the first row.
        """
        ...


@dataclass(frozen=True)
class Readings:
    """A block of readings. All arrays are (P, M), periods by members, values in the KPI's unit."""

    kpi: Kpi
    segment: str | None
    totals: Totals
    value: Floats
    marks: Mapping[str, Floats]
    lines: Mapping[str, Lines]
    parts: tuple[Part | None, ...]
    share: Floats  # (P, M) how much of a flow's marks falls to the part of a period that has data
    yardstick: Yardstick | None = None
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
    segment; a segment left out, or with no member chosen, means all of them. Read together, one single chosen
    member is still measured against its own marks, and several against theirs together. A flow's marks are
    pro-rated in a partial period. others: the sources of further datasets that the formula reads, by key.
    periods: those of ``core.periods.timeline``; None takes the months that have rows. computed: expanded formulas of
    marks that are computed, by name; a mark book's entry goes before them. Raises KeyError for a segment
    that one of the sources does not have.
    """
    chosen = {segment: tuple(members) for segment, members in (where or {}).items() if members}
    periods = tuple(periods or months(source.first, source.last))
    rows = _Rows(kpi, source, others or {}, by, chosen)
    totals = rows.totals(kpi.formula, periods)
    value = rows.values(periods, totals)
    segment, members = by, list(totals.members)
    together: tuple[str, ...] = ()
    if by is None and len(chosen) == 1:
        ((only, together),) = chosen.items()
        segment, members = only, [*together]
    parts = tuple(part_of(period, source.through) for period in periods)
    share = rows.shares(periods, parts, len(totals.members))

    def weigh(pieces: tuple[Period, ...]) -> Floats | None:
        below = denominator(kpi.formula)
        if below is None:
            return None
        scope = rows if len(together) < 2 else replace(rows, by=segment)
        return np.abs(np.broadcast_to(evaluate(below, scope.totals(below, pieces).parts), (len(pieces), len(members))))

    lines = {}
    for name in dict.fromkeys((*mark_names, *(yardstick.marks if yardstick else ()))):
        found = mark_book.over(entries, name, periods, kpi.nature, segment, members, weigh)
        lines[name] = found if len(together) < 2 else _together(found, kpi, weigh(periods))
    marks = {name: line.value * share for name, line in lines.items()}
    for name, formula in (computed or {}).items():
        if name in marks:
            found_there = rows.marks(formula, periods, share)
            marks[name] = np.where(lines[name].entry >= 0, marks[name], found_there)
    return regrade(Readings(kpi, segment, totals, value, marks, lines, parts, share), yardstick)


def _together(lines: Lines, kpi: Kpi, weights: Floats | None) -> Lines:
    """The marks of several members as one: a rate's weighted by its denominator, all others added up."""
    value = lines.value
    if kpi.nature == "rate":
        with np.errstate(all="ignore"):
            weighed = value if weights is None else np.where(weights > 0, value * weights, 0.0)
            mean = weighed.mean(axis=1) if weights is None else weighed.sum(axis=1) / np.nansum(weights, axis=1)
        same = (value == value[:, :1]).all(axis=1)
        total = np.where(same, value[:, 0], np.where(np.isnan(value).any(axis=1), np.nan, mean))
    else:
        total = value.sum(axis=1)
    return Lines(total[:, None], lines.entry[:, :1], lines.count.sum(axis=1, keepdims=True))


@dataclass(frozen=True)
class _Rows:
    """The rows a KPI reads: its own dataset's and those of the others, of the members chosen."""

    kpi: Kpi
    source: Source
    others: Mapping[str, Source]
    by: str | None
    chosen: Members

    def totals(self, formula: Node, periods: Sequence[Period]) -> Totals:
        """Every aggregate of a formula, by period and member."""
        wanted = aggregates(formula)
        plain = [a for a in wanted if a.dataset is None and not a.last and not a.years]
        totals = self.source.aggregate(plain, self.by, self.chosen, periods)
        parts = dict(totals.parts)
        for kind in dict.fromkeys((a.dataset, a.last, a.years) for a in wanted if a not in parts):
            dataset, last, years = kind
            asked = {
                a: replace(a, dataset=None, last=False, years=0) for a in wanted if kind == (a.dataset, a.last, a.years)
            }
            source = self.source if dataset is None else self.others[dataset]
            moved = [period.years_back(years) for period in periods]
            distinct = tuple(dict.fromkeys(moved))
            bare = list(asked.values())
            if last:
                found = self._last(source, bare, distinct)
            else:
                found = source.aggregate(bare, self.by, self.chosen, distinct)
            place = [distinct.index(period) for period in moved]
            for a, its in asked.items():
                parts[a] = aligned(found, found.parts[its], totals.members)[place]
        return replace(totals, parts=parts)

    def _last(self, source: Source, wanted: Sequence[Aggregate], periods: Sequence[Period]) -> Totals:
        """Aggregates over the rows of each period's last day that has any, member by member."""
        first, last = max(source.first, periods[0].start), min(source.last, periods[-1].end)
        days = timeline(Period.of(first, "day"), first, max(first, last))
        daily = source.aggregate(wanted, self.by, self.chosen, days)
        seen = np.maximum.accumulate(np.where(daily.rows > 0, np.arange(len(days))[:, None], -1), axis=0)
        start = np.array([(period.start - first).days for period in periods])
        end = np.array([(period.end - first).days for period in periods])
        at = np.where((end >= 0)[:, None], seen[np.clip(end, 0, len(days) - 1)], -1)
        held = at >= np.maximum(start, 0)[:, None]
        column = np.arange(len(daily.members))[None, :]
        rows = np.where(held, daily.rows[at, column], 0)
        parts = {a: np.where(held, values[at, column], np.nan) for a, values in daily.parts.items()}
        return Totals(tuple(periods), daily.members, rows, parts)

    def values(self, periods: Sequence[Period], totals: Totals | None = None) -> Floats:
        """The KPI's values (P, M). A flow whose formula does not add up is summed over the months."""
        totals = totals or self.totals(self.kpi.formula, periods)
        value = np.broadcast_to(evaluate(self.kpi.formula, totals.parts), totals.rows.shape)
        if self.kpi.nature == "flow" and not adds_up(self.kpi.formula):
            parts, of = pieces(periods, "month")
            if len(parts) > len(periods):
                small = self.totals(self.kpi.formula, parts)
                monthly = np.broadcast_to(evaluate(self.kpi.formula, small.parts), small.rows.shape)
                first = np.searchsorted(np.array(of), np.arange(len(periods)))
                some = np.add.reduceat(np.isfinite(monthly), first, axis=0) > 0
                value = np.where(some, np.add.reduceat(np.nan_to_num(monthly), first, axis=0), np.nan)
        return np.where(totals.rows > 0, value, np.nan)

    def marks(self, formula: Node, periods: Sequence[Period], share: Floats) -> Floats:
        """Marks by a formula, (P, M). One that looks at earlier periods alone is whole, so a flow's is pro-rated."""
        totals = self.totals(formula, periods)
        value = np.broadcast_to(evaluate(formula, totals.parts), share.shape)
        earlier = all(back or a.years for a, back in uses(formula))
        return np.asarray(value * share if earlier else value)

    def shares(self, periods: Sequence[Period], parts: Sequence[Part | None], members: int) -> Floats:
        """How much of a flow's marks falls to what has data of each period (P, M); 1 for all else."""
        share = np.ones((len(periods), members))
        if self.kpi.nature != "flow":
            return share
        for p, part in enumerate(parts):
            if part is None:
                continue
            share[p] = part.share
            if self.kpi.pro_rating == "last_year" and part.days:
                share[p] = np.where(np.isfinite(shape := self._shape(periods[p], part)), shape, part.share)
        return share

    def _shape(self, period: Period, part: Part) -> Floats:
        """What share of the same period last year had come by the same day; NaN where that tells nothing."""
        before = period.years_back(1)
        so_far = Period(before.start.toordinal(), "day", min(part.days, before.days))
        with np.errstate(all="ignore"):
            share = np.asarray(self.values([so_far])[0] / self.values([before])[0])
        return np.where((share >= 0) & (share <= 1), share, np.nan)


def aligned(there: Totals, values: Floats, members: Sequence[str | None]) -> Floats:
    """Values by the members of one source in the order of another's; NaN where it has none of that name."""
    if there.members == tuple(members):
        return values
    place = {name: at for at, name in enumerate(there.members)}
    columns = np.array([place.get(name, -1) for name in members], dtype=np.int64)
    return np.where(columns >= 0, values[:, columns], np.nan)


def regrade(readings: Readings, yardstick: Yardstick | None, value: Floats | None = None) -> Readings:
    """The same readings by another yardstick or with other values: rows are not touched again."""
    value = readings.value if value is None else value
    cuts, band = np.empty((0, *value.shape)), np.full(value.shape, grading.NOT_GRADED, dtype=np.int8)
    if yardstick is not None:
        cuts = grading.resolve(yardstick, readings.marks, value.shape)
        if readings.kpi.nature == "flow":
            cuts = _scaled(cuts, yardstick, scale(readings, yardstick))
        graded = shown_values(value, readings.kpi.unit) if readings.kpi.as_shown else value
        band = grading.grade(yardstick, graded, cuts)
    else:
        band[np.isnan(value)] = grading.NO_READING
    return replace(readings, value=value, yardstick=yardstick, cuts=cuts, band=band)


def shown_values(values: Floats, unit: Unit) -> Floats:
    """Values (...) as they are shown, rounded, KPI unit; NaN stays NaN."""
    found = [rounded(value, unit) if np.isfinite(value) else np.nan for value in values.ravel().tolist()]
    return np.array(found).reshape(values.shape)


def scale(readings: Readings, yardstick: Yardstick) -> Floats:
    """What a yardstick's plain numbers are multiplied by, (P, M): 1 but for a flow."""
    if readings.kpi.nature != "flow":
        return np.ones(readings.value.shape)
    return np.asarray(mark_book.amounts(readings.periods, yardstick.per)[:, None] * readings.share)


def _scaled(cuts: Floats, yardstick: Yardstick, share: Floats) -> Floats:
    """A flow's plain numbers grow with a span and shrink with a partial period; cuts from marks already have."""
    scaled = cuts.copy()
    for line, cut in zip(scaled, yardstick.cuts, strict=True):
        if cut.mark is None:
            line *= share
        elif cut.offset:
            line += cut.offset * (share - 1)
    return scaled


def gap_and_attainment(readings: Readings, mark: str = "target") -> tuple[Floats, Floats]:
    """Gap (value − mark, KPI unit) and attainment (value ÷ mark), (P, M) each; NaN where there is no mark.

    Attainment is for higher-is-better; for lower-is-better it is the headroom, (mark − value) ÷ mark, and for inside
    the headroom to the nearer edge of the range.
    """
    if readings.kpi.direction == "inside" and (edge := nearer_edge(readings)) is not None:
        return readings.value - edge[0], edge[1]
    line = readings.marks.get(mark)
    if line is None:
        return np.full_like(readings.value, np.nan), np.full_like(readings.value, np.nan)
    with np.errstate(all="ignore"):
        gap = readings.value - line
        ratio = -gap / line if readings.kpi.direction == "lower" else readings.value / line
    return gap, np.where(np.isfinite(ratio), ratio, np.nan)


def nearer_edge(readings: Readings) -> tuple[Floats, Floats] | None:
    """For a KPI that is best inside a range: the nearer edge of it (KPI unit) and the headroom, (P, M) each.

    The range is that of the yardstick's best bands. The headroom is how far there is to go before the edge as a
    share of it, negative once past. None without a range that has both edges.
    """
    yardstick = readings.yardstick
    top = grading.best(yardstick) if yardstick else []
    if not top or top[0] == 0 or top[-1] == len(readings.cuts):
        return None
    low, high = readings.cuts[top[0] - 1], readings.cuts[top[-1]]
    below = np.abs(readings.value - low) <= np.abs(high - readings.value)
    edge = np.where(np.isnan(readings.value), np.nan, np.where(below, low, high))
    with np.errstate(all="ignore"):
        room = np.where(below, readings.value - low, high - readings.value) / np.abs(edge)
    return edge, np.where(np.isfinite(room), room, np.nan)


def headroom(readings: Readings, mark: str = "target") -> Floats:
    """How far a reading is on the good side of its mark, as a share of the mark, (P, M); negative on the other."""
    gap, ratio = gap_and_attainment(readings, mark)
    if readings.kpi.direction != "higher":
        return ratio
    with np.errstate(all="ignore"):
        share = gap / np.abs(readings.value - gap)
    return np.where(np.isfinite(share), share, np.nan)


def pro_rates(readings: Readings, p: int) -> bool:
    """Whether the marks of period row ``p`` were pro-rated."""
    return readings.parts[p] is not None and readings.kpi.nature == "flow"
