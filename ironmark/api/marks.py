"""The mark book of a KPI: its entries, and the grid of members by months they come to."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field

from ironmark.api.desk import Book, Desk, desk, seen_version
from ironmark.api.documents import KpiBody, MarkName, Member, Model, Number
from ironmark.api.kpis import yardsticks_in_use
from ironmark.api.problems import Refused
from ironmark.api.shapes import PeriodChoice
from ironmark.core import marks as core
from ironmark.core import words
from ironmark.core.evaluate import Floats
from ironmark.core.numbers import show
from ironmark.core.periods import Grain, Period, timeline
from ironmark.store import marks

router = APIRouter(prefix="/api/kpis/{key}/marks", tags=["marks"])


Kind = Literal["set", "carried", "inherited", "computed", "none"]


class Cell(BaseModel):
    """A mark as the book has it for one member and month, and where it comes from."""

    shown: str
    value: float | None
    kind: Kind


class Row(BaseModel):
    member: str | None
    cells: list[Cell]


class NameCount(BaseModel):
    """A mark name with how many entries it has, and the formula it is computed by where there is none."""

    name: str
    entries: int
    formula: str | None


class Grid(BaseModel):
    version: int
    name: str
    by: str | None
    by_label: str
    segments: list[str]
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


class ChangeBody(Model):
    """``since`` is a period such as 2026-10 or 2026; ``value`` null takes the entry out.

    Neither segment nor member stands for any member; ``*`` for both for all members together.
    """

    name: MarkName
    segment: str | None = Field(None, max_length=80)
    member: Member | None = None
    since: str = Field(max_length=12)
    value: Number | None = None


class ChangesBody(Model):
    changes: list[ChangeBody] = Field(min_length=1, max_length=50_000)


class TryBody(ChangesBody):
    by: str | None = Field(None, max_length=80)


class StateChange(BaseModel):
    label: str
    period: str
    shown: str
    before: str | None
    after: str | None


class TryOut(BaseModel):
    """What changes would do to the states of readings so far, by one yardstick."""

    yardstick: str
    changes: list[StateChange]
    count: int


class Changed(BaseModel):
    version: int
    back: list[ChangeBody]  # what would take the changes back


@router.get("")
def mark_grid(
    key: str,
    response: Response,
    name: str = Query("target", max_length=40),
    by: str | None = Query(None, max_length=80),
    grain: Grain = Query("month"),
    year: int | None = Query(None, ge=1, le=9990),
    span: int = Query(1, ge=1, le=3),
    at: Desk = Depends(desk),
) -> Grid:
    """The periods of one to three financial years by the members of a segment (the first one when ``by`` is not given)."""
    with at.read() as session:
        book = Book(at, session)
        view = view_of(book, key, name, by, grain, year, span)
        version = marks.version(session, key)
        start, source = book.year_start, book.source(view.kpi)
        dataset, entries, computed = book.dataset(view.kpi.dataset), book.entries(key), book.computed(key)
    rows = [Row(member=member, cells=cells) for member, cells in zip(view.members, view.cells(), strict=True)]
    counts = {known: 0 for known in core.NAMES} | {known: 0 for known in computed} | {name: 0}
    for entry in entries:
        counts[entry.name] = counts.get(entry.name, 0) + 1
    first, last = (Period.of(day, "year", start).ordinal for day in (source.first, source.last))
    response.headers["ETag"] = f'"{version}"'
    years = sorted(
        {first, last, last + 1, view.year, *(Period.of(e.since.start, "year", start).ordinal for e in entries)}
    )
    shown = range(years[0], years[-1] + 1) if years[-1] - years[0] < 60 else years
    return Grid(
        version=version,
        name=name,
        by=view.by,
        by_label=next((c.label for c in dataset.columns if c.name == view.by), ""),
        segments=list(source.members),
        grain=grain,
        periods=[_choice(p) for p in view.periods],
        rows=rows,
        # What can be read counts: every member, and all together; any is but what these fall back on.
        covered=sum(cell.kind != "none" for row in rows if row.member is not None for cell in row.cells),
        coverable=sum(len(row.cells) for row in rows if row.member is not None),
        names=[NameCount(name=n, entries=count, formula=computed.get(n)) for n, count in counts.items()],
        formula=computed.get(name),
        year=_choice(Period(view.year, "year", 1, start)),
        span=span,
        years=[_choice(Period(n, "year", 1, start)) for n in shown],
    )


def _choice(period: Period) -> PeriodChoice:
    return PeriodChoice(key=period.key, label=period.label, short=period.short)


@dataclass(frozen=True)
class View:
    """The marks of one name by members and periods: any first, then the members, all together last."""

    kpi: KpiBody
    name: str
    by: str | None
    year: int
    periods: tuple[Period, ...]
    members: tuple[str | None, ...]
    entries: list[core.MarkEntry]
    lines: core.Lines
    computed: Floats | None  # as lines.value, for a computed mark

    def cells(self) -> list[list[Cell]]:
        """The cells of every member."""
        return [[self._cell(p, m) for p in range(len(self.periods))] for m in range(len(self.members))]

    def value(self, p: int, m: int) -> float:
        held = self.lines.entry[p, m] >= 0 or self.computed is None
        return float(self.lines.value[p, m] if held else self.computed[p, m])  # type: ignore[index]

    def kind(self, p: int, m: int) -> Kind:
        index = int(self.lines.entry[p, m])
        if index < 0:
            return "computed" if math.isfinite(self.value(p, m)) else "none"
        entry = self.entries[index]
        if entry.member != self.members[m]:
            return "inherited"
        return "set" if entry.since == self.periods[p] else "carried"

    def _cell(self, p: int, m: int) -> Cell:
        value = self.value(p, m)
        known = math.isfinite(value)
        shown = words.show_cut(value, self.kpi.unit.core()) if known else ""
        return Cell(shown=shown, value=value if known else None, kind=self.kind(p, m))


def view_of(book: Book, key: str, name: str, by: str | None, grain: Grain, year: int | None, span: int) -> View:
    """The marks of a KPI for some years; ``by`` None takes the first segment, ``year`` None the last with rows."""
    kpi = book.kpi(key)
    source, entries, start = book.source(kpi), book.entries(key), book.year_start
    by = by if by in source.members else next(iter(source.members), None)
    year = year or Period.of(source.last, "year", start).ordinal
    whole = Period(year, "year", span, start)
    if grain == "day":
        raise Refused(422, "too-fine", "Days are too many", "Show marks by week, month, quarter or year.")
    periods = timeline(Period.of(whole.start, grain, start), whole.start, whole.end)
    members: tuple[str | None, ...] = (None, *(source.members[by] if by else ()), core.TOGETHER)
    # Any has the entries of any alone, as if nothing else were in the book.
    anyone = [e if e.segment is None else replace(e, name="") for e in entries]
    pieces = [
        core.over(anyone, name, periods, kpi.nature, by, [None]),
        core.over(entries, name, periods, kpi.nature, by, members[1:-1]),
        core.over(entries, name, periods, kpi.nature, by, [None]),
    ]
    lines = core.Lines(*(np.hstack([getattr(one, f) for one in pieces]) for f in ("value", "entry", "count")))
    computed = None
    if name in book.computed(key):
        formula = {name: book.computed(key)[name]}
        each = [
            book.read(kpi, [], [name], by=one, periods=periods, computed=formula) for one in dict.fromkeys((by, None))
        ]
        rows = [each[0].marks[name] if by else np.empty((len(periods), 0)), each[-1].marks[name]]
        computed = np.hstack([np.full((len(periods), 1), np.nan), *rows])
    return View(kpi, name, by, year, periods, members, entries, lines, computed)


MOST_TOLD = 12


@router.post("/try")
def try_marks(key: str, body: TryBody, at: Desk = Depends(desk)) -> TryOut:
    """The readings that would change state, the newest first, by the yardstick this KPI is graded by."""
    changes = [_change(at_, change) for at_, change in enumerate(body.changes)]
    with at.read() as session:
        book = Book(at, session)
        kpi = book.kpi(key)
        yardstick_id = yardsticks_in_use(session).get(key)
        if yardstick_id is None:
            return TryOut(yardstick="", changes=[], count=0)
        yardstick = book.yardstick(yardstick_id)
        entries = book.entries(key)
        places = {(c.name, c.segment, c.member, c.since) for c in changes}
        tried = [e for e in entries if (e.name, e.segment, e.member, e.since.key) not in places]
        tried += [
            core.MarkEntry(c.name, c.segment, c.member, Period.parse(c.since, book.year_start), c.value)
            for c in changes
            if c.value is not None
        ]
        found: list[tuple[int, StateChange]] = []
        graded = book.graded_by(yardstick)
        for by in dict.fromkeys((None, body.by)):
            computed = book.computed(key)
            before, after = (
                book.read(kpi, marks, yardstick=graded, by=by, computed=computed) for marks in (entries, tried)
            )
            for p, m in np.argwhere(before.band != after.band):
                change = StateChange(
                    label=before.members[m] or "all together",
                    period=before.periods[p].short,
                    shown=show(float(before.value[p, m]), kpi.unit.core()),
                    before=before.state(p, m),
                    after=after.state(p, m),
                )
                found.append((int(p), change))
    found.sort(key=lambda each: -each[0])
    return TryOut(yardstick=yardstick.name, changes=[c for _, c in found[:MOST_TOLD]], count=len(found))


def _change(at: int, change: ChangeBody) -> marks.Change:
    if (change.segment is None) != (change.member is None) or change.segment == "" or change.member == "":
        where = {"field": f"changes.{at}"}
        raise Refused(422, "half-a-place", "Whose mark?", "Name both segment and member, or neither for any.", where)
    try:
        since = Period.parse(change.since)
        if since.length > 1:
            raise ValueError(f"“{change.since}” is a span; name the period that the mark takes effect from")
    except ValueError as error:
        where = {"field": f"changes.{at}.since"}
        raise Refused(422, "no-period", "From which period?", f"{error}.", where) from None
    return marks.Change(change.name, change.segment, change.member, since.key, change.value)


@router.post("")
def change_marks(
    key: str,
    body: ChangesBody,
    response: Response,
    if_match: str | None = Header(None),
    at: Desk = Depends(desk),
) -> Changed:
    """Set or take out entries, all or none."""
    saw = seen_version(if_match)
    changes = [_change(at_, change) for at_, change in enumerate(body.changes)]
    with at.write() as session:
        Book(at, session).kpi(key)
        version, back = marks.apply(session, key, changes, saw)
    response.headers["ETag"] = f'"{version}"'
    return Changed(
        version=version,
        back=[ChangeBody(**vars(change)) for change in back],
    )
