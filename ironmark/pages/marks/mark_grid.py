"""The mark book as a grid: the marks of one name by owners and periods, and where each comes from."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from ironmark.core import marks as core
from ironmark.core import readings, why_nothing, words
from ironmark.core.evaluate import Floats
from ironmark.core.mark_lines import Lines
from ironmark.core.numbers import NumberStyle
from ironmark.core.periods import Grain, Period, timeline
from ironmark.core.readings import Members
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.pictures import PeriodChoice
from ironmark.pages.model.problems import Refused

Kind = Literal["set", "carried", "inherited", "together", "computed", "none"]


class Cell(BaseModel):
    """A mark as the book has it for one owner and period, and where it comes from."""

    shown: str
    value: float | None
    kind: Kind


class Row(BaseModel):
    """A row of the book, and whose marks are set in it; ``member`` where it is one member's."""

    whose: core.Whose
    of: dict[str, str]
    label: str
    member: str | None
    cells: list[Cell]


class NameCount(BaseModel):
    """A mark name with how many entries it has, and the formula it is computed by where there is none."""

    name: str
    entries: int
    formula: str | None


class Within(BaseModel):
    """Of what else the rows are narrowed to, for marks of two segments."""

    segment: str
    member: str


class Grid(BaseModel):
    version: int
    name: str
    by: str | None
    by_label: str
    segments: list[str]
    within: Within | None
    choices: dict[str, list[str]]  # the members of the other segments, to narrow to
    adds: bool  # a sum: one figure is each member's or all together's
    grain: Grain
    periods: list[PeriodChoice]
    rows: list[Row]
    covered: int
    coverable: int
    names: list[NameCount]
    formula: str | None  # of the mark shown
    year: PeriodChoice
    span: int
    years: list[PeriodChoice]


def _choice(period: Period) -> PeriodChoice:
    return PeriodChoice(key=period.key, label=period.label, short=period.short)


Found = tuple[core.Owner, str, Lines, int]  # an owner, its name, its lines, and which of them is its own


@dataclass(frozen=True)
class View:
    """The marks of one name by owners and periods: those of many first, then the members."""

    kpi: KpiBody
    made: readings.Kpi
    name: str
    by: str | None
    within: dict[str, str]
    year: int
    span: int
    periods: tuple[Period, ...]
    owners: tuple[core.Owner, ...]
    labels: tuple[str, ...]
    entries: list[core.MarkEntry]
    value: Floats  # (P, owners), KPI unit
    entry: core.Ints
    together: NDArray[np.bool_]  # where the marks of members were put together
    computed: Floats  # for a computed mark, NaN for none
    style: NumberStyle

    def member(self, owner: core.Owner) -> str | None:
        """The member of the segment shown whose marks they are."""
        return dict(owner.of).get(self.by or "") if owner.whose == "member" else None

    def cells(self) -> list[list[Cell]]:
        """The cells of every owner."""
        return [[self._cell(p, m) for p in range(len(self.periods))] for m in range(len(self.owners))]

    def shown(self, p: int, m: int) -> float:
        return float(self.value[p, m] if math.isfinite(self.value[p, m]) else self.computed[p, m])

    def kind(self, p: int, m: int) -> Kind:
        if not math.isfinite(self.value[p, m]):
            return "computed" if math.isfinite(self.computed[p, m]) else "none"
        if self.together[p, m]:
            return "together"
        entry = self.entries[int(self.entry[p, m])]
        if entry.owner != self.owners[m]:
            return "inherited"
        return "set" if entry.since == self.periods[p] else "carried"

    def _cell(self, p: int, m: int) -> Cell:
        value = self.shown(p, m)
        known = math.isfinite(value)
        shown = words.show_cut(value, self.kpi.unit.as_unit(), self.style) if known else ""
        return Cell(shown=shown, value=value if known else None, kind=self.kind(p, m))


def view_of(
    context: ReadingContext,
    key: str,
    name: str,
    by: str | None,
    grain: Grain,
    year: int | None,
    span: int,
    within: Mapping[str, str] | None = None,
) -> View:
    """The marks of a KPI for some years; ``by`` None takes the first segment, ``year`` None the last with rows.

    within: the member of another segment, for marks of two segments.
    """
    kpi = context.kpi(key)
    made, source, entries, start = context.expanded(kpi), context.source(kpi), context.entries(key), context.year_start
    held = {s: m for s, m in (within or {}).items() if m in source.members.get(s, ()) and s != by}
    by = by if by in source.members else next((s for s in source.members if s not in held), None)
    held = {s: m for s, m in held.items() if s != by}
    year = year or Period.of(source.last, "year", start).ordinal
    whole = Period(year, "year", span, start)
    if grain == "day":
        raise Refused(422, "too-fine", "Days are too many", "Show marks by week, month, quarter or year.")
    periods = timeline(Period.of(whole.start, grain, start), whole.start, whole.end)
    names = source.members[by] if by else ()
    where = {s: (m,) for s, m in held.items()}
    others = context.sources_of(made.formula)
    label = context.label_of(kpi.dataset, by).lower() if by else "member"

    def lines(by: str | None, some: Sequence[core.MarkEntry] = entries, where: Members = where) -> Lines:
        return why_nothing.book_lines(made, source, some, name, periods, by, where, others)

    def alone(owner: core.Owner) -> Lines:
        """The entries of one owner, as if nothing else were in the book."""
        some = [replace(e, owner=core.TOGETHER) if e.owner == owner else replace(e, name="") for e in entries]
        return lines(None, some, {})

    found: list[Found] = []
    if held:
        whose = core.Owner.of_members(held)
        found.append((whose, f"All of {next(iter(held.values()))}", lines(None), 0))
    else:
        if not made.adds:
            found.append((core.EVERYONE, "Everyone", alone(core.EVERYONE), 0))
        found.append((core.TOGETHER, "All together", lines(None), 0))
        if by:
            each = core.Owner.each(by)
            found.append((each, f"Each {label}", alone(each), 0))
    if by:
        rows = lines(by)
        for m, one in enumerate(names):
            found.append((core.Owner.of_members({by: one, **held}), one or "", rows, m))
    computed = _computed(context, key, name, by, where, periods, found)
    return View(
        kpi, made, name, by, held, year, span, periods, tuple(o for o, _, _, _ in found), tuple(n for _, n, _, _ in found), entries,
        np.stack([line.value[:, m] for _, _, line, m in found], axis=1),
        np.stack([line.entry[:, m] for _, _, line, m in found], axis=1),
        np.stack([line.split[:, m] >= 0 for _, _, line, m in found], axis=1),
        computed, context.style,
    )  # fmt: skip


def _computed(
    context: ReadingContext, key: str, name: str, by: str | None, where: Members, periods: Sequence[Period],
    found: Sequence[Found],
) -> Floats:  # fmt: skip
    """What a computed mark comes to for each owner, (P, owners); nan where it is none of theirs, or none is computed."""
    computed = np.full((len(periods), len(found)), np.nan)
    if name not in context.computed(key):
        return computed
    formula = {name: context.computed(key)[name]}
    read = {one: context.read(context.kpi(key), [], [name], by=one, where=where, periods=periods, computed=formula).marks[name]
            for one in dict.fromkeys((by, None))}  # fmt: skip
    for at, (owner, _, _, m) in enumerate(found):
        if owner.whose == "together" or (where and at == 0):
            computed[:, at] = read[None][:, 0]
        elif owner.whose == "member":
            computed[:, at] = read[by][:, m]
    return computed


MOST_CHOICES = 500


def grid_of(context: ReadingContext, view: View, key: str) -> Grid:
    """A view of a KPI's book with what else there is to show: other names, years and segments."""
    start, source, name = context.year_start, context.source(view.kpi), view.name
    dataset, entries, computed = context.dataset(view.kpi.dataset), context.entries(key), context.computed(key)
    rows = [
        Row(whose=one.whose, of=dict(one.of), label=label, member=view.member(one), cells=cells)
        for one, label, cells in zip(view.owners, view.labels, view.cells(), strict=True)
    ]
    counts = {known: 0 for known in core.NAMES} | {known: 0 for known in computed} | {name: 0}
    for entry in entries:
        counts[entry.name] = counts.get(entry.name, 0) + 1
    first, last = (Period.of(day, "year", start).ordinal for day in (source.first, source.last))
    years = sorted(
        {first, last, last + 1, view.year, *(Period.of(e.since.start, "year", start).ordinal for e in entries)}
    )
    shown = range(years[0], years[-1] + 1) if years[-1] - years[0] < 60 else years
    # What can be read counts: every member, and all together; each and everyone is but what these fall back on.
    read = [row for row in rows if row.whose in ("member", "together")]
    return Grid(
        version=context.book(key),
        name=name,
        by=view.by,
        by_label=next((c.label for c in dataset.columns if c.name == view.by), ""),
        segments=list(source.members),
        within=next((Within(segment=s, member=m) for s, m in view.within.items()), None),
        choices={s: list(names)[:MOST_CHOICES] for s, names in source.members.items() if s != view.by},
        adds=view.made.adds,
        grain=view.periods[0].grain,
        periods=[_choice(p) for p in view.periods],
        rows=rows,
        covered=sum(cell.kind != "none" for row in read for cell in row.cells),
        coverable=sum(len(row.cells) for row in read),
        names=[NameCount(name=n, entries=count, formula=computed.get(n)) for n, count in counts.items()],
        formula=computed.get(name),
        year=_choice(Period(view.year, "year", 1, start)),
        span=view.span,
        years=[_choice(Period(n, "year", 1, start)) for n in shown],
    )
