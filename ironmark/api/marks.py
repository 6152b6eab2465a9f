"""The mark book of a KPI: its entries, and the grid of members by months they come to."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Depends, Header, Query, Response
from numpy.typing import NDArray
from pydantic import BaseModel, Field, StringConstraints, model_validator

from ironmark.api.kpis import sizes_by_member, yardsticks_in_use
from ironmark.api.versions import seen_version
from ironmark.api.who import Reader, reader
from ironmark.core import marks as core
from ironmark.core import reading as readings
from ironmark.core import words
from ironmark.core.evaluate import Floats
from ironmark.core.lines import Lines
from ironmark.core.numbers import show
from ironmark.core.periods import FIRST_YEAR, LAST_YEAR, Grain, Period, timeline
from ironmark.core.reading import Members
from ironmark.pages.documents import KpiBody, MarkName, Member, Model, Number
from ironmark.pages.library import Library
from ironmark.pages.problems import Refused, nearest
from ironmark.pages.shapes import PeriodChoice
from ironmark.store import marks
from ironmark.store.database import StaleVersion

router = APIRouter(prefix="/api/kpis/{key}/marks", tags=["marks"])


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


class OwnedBody(Model):
    """Whose a mark is: ``member`` (of one or two segments, ``of`` by segment), ``each`` member of the segment in ``of``,
    all ``together``, or ``everyone`` (not of a sum). Left out, ``of`` names a member, and a rate's mark without ``of``
    is everyone's. ``segment`` and ``member`` are a short form of ``of``, both ``*`` of all together.
    """

    whose: core.Whose | None = None
    of: dict[Annotated[str, StringConstraints(min_length=1, max_length=80)], Member] = Field({}, max_length=2)

    @model_validator(mode="before")
    @classmethod
    def short_form(cls, given: Any) -> Any:
        if not isinstance(given, dict) or not ({"segment", "member"} & given.keys()):
            return given
        rest = {key: value for key, value in given.items() if key not in ("segment", "member")}
        segment, member = given.get("segment"), given.get("member")
        if segment == "*" and member == "*":
            return rest | {"whose": "together"}
        if (segment in (None, "")) != (member in (None, "")):
            raise ValueError("name both segment and member, or neither")
        return rest | {"of": {segment: member}} if segment else rest


class ChangeBody(OwnedBody):
    """``since`` is a period such as 2026-10 or 2026; ``value`` null takes the entry out."""

    name: MarkName
    since: str = Field(max_length=24)
    value: Number | None = None

    @classmethod
    def of_entry(cls, name: str, owner: core.Owner, since: str, value: float | None) -> ChangeBody:
        return cls(name=name, whose=owner.whose, of=dict(owner.of), since=since, value=value)


class ChangesBody(Model):
    """``sure``: also values 20 times outside of what was read so far, which are asked about first."""

    changes: list[ChangeBody] = Field(min_length=1, max_length=50_000)
    sure: bool = False


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
    doubts: list[str] = []


class Changed(BaseModel):
    version: int
    back: list[ChangeBody]  # what would take the changes back


@router.get("")
def mark_grid(
    key: str,
    response: Response,
    name: str = Query("target", max_length=40),
    by: str | None = Query(None, max_length=80),
    within: str | None = Query(None, max_length=80),
    member: str | None = Query(None, max_length=200),
    grain: Grain = Query("month"),
    year: int | None = Query(None, ge=FIRST_YEAR, le=LAST_YEAR),
    span: int = Query(1, ge=1, le=3),
    who: Reader = Depends(reader),
) -> Grid:
    """The periods of one to three financial years by the members of a segment (the first one when ``by`` is not
    given), of all rows or, for marks of two segments, of the ``member`` of the segment ``within``."""
    with who.read() as session:
        library = who.library(session)
        view = view_of(library, key, name, by, grain, year, span, {within: member} if within and member else {})
        version = marks.version(session, key)
        start, source = library.year_start, library.source(view.kpi)
        dataset, entries, computed = library.dataset(view.kpi.dataset), library.entries(key), library.computed(key)
    rows = [
        Row(whose=one.whose, of=dict(one.of), label=label, member=view.member(one), cells=cells)
        for one, label, cells in zip(view.owners, view.labels, view.cells(), strict=True)
    ]
    counts = {known: 0 for known in core.NAMES} | {known: 0 for known in computed} | {name: 0}
    for entry in entries:
        counts[entry.name] = counts.get(entry.name, 0) + 1
    first, last = (Period.of(day, "year", start).ordinal for day in (source.first, source.last))
    response.headers["ETag"] = f'"{version}"'
    years = sorted(
        {first, last, last + 1, view.year, *(Period.of(e.since.start, "year", start).ordinal for e in entries)}
    )
    shown = range(years[0], years[-1] + 1) if years[-1] - years[0] < 60 else years
    # What can be read counts: every member, and all together; each and everyone is but what these fall back on.
    read = [row for row in rows if row.whose in ("member", "together")]
    return Grid(
        version=version,
        name=name,
        by=view.by,
        by_label=next((c.label for c in dataset.columns if c.name == view.by), ""),
        segments=list(source.members),
        within=next((Within(segment=s, member=m) for s, m in view.within.items()), None),
        choices={s: list(names)[:MOST_CHOICES] for s, names in source.members.items() if s != view.by},
        adds=view.made.adds,
        grain=grain,
        periods=[_choice(p) for p in view.periods],
        rows=rows,
        covered=sum(cell.kind != "none" for row in read for cell in row.cells),
        coverable=sum(len(row.cells) for row in read),
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
    """The marks of one name by owners and periods: those of many first, then the members."""

    kpi: KpiBody
    made: readings.Kpi
    name: str
    by: str | None
    within: dict[str, str]
    year: int
    periods: tuple[Period, ...]
    owners: tuple[core.Owner, ...]
    labels: tuple[str, ...]
    entries: list[core.MarkEntry]
    value: Floats  # (P, owners), KPI unit
    entry: core.Ints
    together: NDArray[np.bool_]  # where the marks of members were put together
    computed: Floats  # for a computed mark, NaN for none

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
        shown = words.show_cut(value, self.kpi.unit.core()) if known else ""
        return Cell(shown=shown, value=value if known else None, kind=self.kind(p, m))


def view_of(
    library: Library,
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
    kpi = library.kpi(key)
    made, source, entries, start = library.expanded(kpi), library.source(kpi), library.entries(key), library.year_start
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
    others = library.sources_of(made.formula)
    label = library.label_of(kpi.dataset, by).lower() if by else "member"

    def lines(by: str | None, some: Sequence[core.MarkEntry] = entries, where: Members = where) -> Lines:
        return readings.book_lines(made, source, some, name, periods, by, where, others)

    def alone(owner: core.Owner) -> Lines:
        """The entries of one owner, as if nothing else were in the book."""
        some = [replace(e, owner=core.TOGETHER) if e.owner == owner else replace(e, name="") for e in entries]
        return lines(None, some, {})

    found: list[tuple[core.Owner, str, Lines, int]] = []
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
    computed = np.full((len(periods), len(found)), np.nan)
    if name in library.computed(key):
        formula = {name: library.computed(key)[name]}
        read = {one: library.read(kpi, [], [name], by=one, where=where, periods=periods, computed=formula).marks[name]
                for one in dict.fromkeys((by, None))}  # fmt: skip
        for at, (owner, _, _, m) in enumerate(found):
            if owner.whose == "together" or (held and at == 0):
                computed[:, at] = read[None][:, 0]
            elif owner.whose == "member":
                computed[:, at] = read[by][:, m]
    return View(
        kpi, made, name, by, held, year, periods, tuple(o for o, _, _, _ in found), tuple(n for _, n, _, _ in found), entries,
        np.stack([line.value[:, m] for _, _, line, m in found], axis=1),
        np.stack([line.entry[:, m] for _, _, line, m in found], axis=1),
        np.stack([line.split[:, m] >= 0 for _, _, line, m in found], axis=1),
        computed,
    )  # fmt: skip


MOST_TOLD = 12
MOST_CHOICES = 500


@router.post("/try")
def try_marks(key: str, body: TryBody, who: Reader = Depends(reader)) -> TryOut:
    """The readings that would change state, the newest first, by the yardstick this KPI is graded by."""
    with who.read() as session:
        library = who.library(session)
        kpi = library.kpi(key)
        changes = [change_of(library, kpi, change, f"changes.{n}") for n, change in enumerate(body.changes)]
        doubts = [doubt for _, doubt in Guard(library, kpi).doubts(changes)]
        yardstick_id = yardsticks_in_use(session).get(key)
        if yardstick_id is None:
            return TryOut(yardstick="", changes=[], count=0, doubts=doubts[:MOST_TOLD])
        yardstick = library.yardstick(yardstick_id)
        entries = library.entries(key)
        places = {change.place for change in changes}
        tried = [e for e in entries if (e.name, e.owner, e.since.key) not in places]
        tried += [
            core.MarkEntry(c.name, c.owner, Period.parse(c.since, library.year_start), c.value)
            for c in changes
            if c.value is not None
        ]
        found: list[tuple[int, StateChange]] = []
        graded = library.graded_by(yardstick)
        for by in dict.fromkeys((None, body.by)):
            computed = library.computed(key)
            before, after = (
                library.read(kpi, marks, yardstick=graded, by=by, computed=computed) for marks in (entries, tried)
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
    told = [change for _, change in found[:MOST_TOLD]]
    return TryOut(yardstick=yardstick.name, changes=told, count=len(found), doubts=doubts[:MOST_TOLD])


def since_of(text: str, year_start: int, field: str) -> Period:
    """The period that a mark takes effect from. Refuses what is none, and a span."""
    try:
        since = Period.parse(text, year_start)
        if since.length > 1:
            raise ValueError(f"“{text}” is a span; name the period that the mark takes effect from")
    except ValueError as error:
        raise Refused(422, "no-period", "From which period?", f"{error}.", {"field": field}) from None
    return since


def change_of(library: Library, kpi: KpiBody, change: ChangeBody, field: str) -> marks.Change:
    """A change to the book. Refuses one without a period or an owner; taken out is also what a member left behind."""
    since = since_of(change.since, library.year_start, f"{field}.since")
    owner = owner_of(library, kpi, change, field, must_exist=change.value is not None, value=change.value)
    return marks.Change(change.name, owner, since.key, change.value)


def owner_of(
    library: Library, kpi: KpiBody, body: OwnedBody, field: str, *, must_exist: bool = True, value: float | None = None
) -> core.Owner:
    """Whose a mark is. Refuses a segment or member that does not exist, and a sum's mark that could be two things."""
    where = {"field": f"{field}.of" if field else "of"}
    whose = body.whose or ("member" if body.of else None)
    if whose in (None, "everyone") and library.expanded(kpi).adds and must_exist:
        raise Refused(
            422,
            "whose-mark",
            "Whose mark is it?",
            _two_readings(library, kpi, value),
            {"field": f"{field}.whose".strip(".")},
        )
    if whose is None or whose == "everyone":
        return core.EVERYONE
    if whose == "together":
        return core.TOGETHER
    if whose == "each" and len(body.of) != 1:
        raise Refused(422, "whose-mark", "Each of what?", "Name the one segment whose members the mark is for.", where)
    if whose == "member" and not body.of:
        raise Refused(422, "whose-mark", "Which member?", "Name the member by its segment, in “of”.", where)
    if must_exist:
        _refuse_unknown(library.source(kpi).members, body.of if whose == "member" else {}, tuple(body.of), where)
    return core.Owner.each(next(iter(body.of))) if whose == "each" else core.Owner.of_members(body.of)


def _refuse_unknown(
    known: Mapping[str, Sequence[str]], of: Mapping[str, str], segments: Sequence[str], where: dict[str, Any]
) -> None:
    for segment in segments:
        if segment not in known:
            there = f"there are {', '.join(known)}" if known else "there are none"
            raise Refused(
                422,
                "no-segment",
                "No such segment",
                f"There is no segment “{segment}”{nearest(segment, known)}; {there}.",
                where,
            )
    for segment, member in of.items():
        if member not in known[segment]:
            detail = f"No {segment} is called “{member}”{nearest(member, known[segment])}."
            raise Refused(422, "no-member", "No such member", detail, where)


def _two_readings(library: Library, kpi: KpiBody, value: float | None) -> str:
    """What one figure of a sum could mean."""
    unit, members = kpi.unit.core(), library.source(kpi).members
    shown = show(value, unit) if value is not None else "the figure"
    choices = [f"all together’s ({shown})"]
    for segment, names in members.items():
        total = f", together {show(value * len(names), unit)}" if value is not None else ""
        label = library.label_of(kpi.dataset, segment).lower()
        choices.insert(-1, f"each {label}’s ({len(names)} of them{total})")
    return (
        f"{kpi.name} adds up over members, so {shown} is either {' or '.join(choices)}. Send whose: “each” with its "
        "segment in “of”, or whose: “together”."
    )


@router.post("")
def change_marks(
    key: str,
    body: ChangesBody,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> Changed:
    """Set or take out entries, all or none. A value 20 times outside of what was read is asked about first."""
    saw = seen_version(if_match)
    with who.read() as session:
        library = who.library(session)
        kpi = library.kpi(key)
        if (current := marks.version(session, key)) != saw:
            raise StaleVersion(saw, current)
        changes = [change_of(library, kpi, change, f"changes.{n}") for n, change in enumerate(body.changes)]
        if not body.sure:
            refuse_doubtful(Guard(library, kpi).doubts(changes))
    with who.write() as session:
        who.library(session).kpi(key)
        version, back = marks.apply(session, key, changes, saw)
    response.headers["ETag"] = f'"{version}"'
    return Changed(version=version, back=[ChangeBody.of_entry(c.name, c.owner, c.since, c.value) for c in back])


def refuse_doubtful(doubts: Sequence[tuple[int, str]]) -> None:
    """Ask about values that are far from anything read so far before they are kept."""
    if doubts:
        place, first = doubts[0]
        more = f" So are {len(doubts) - 1} more." if len(doubts) > 1 else ""
        raise Refused(
            422, "doubtful", "Is this meant?", f"{first}{more} Send sure: true to keep it.",
            {"field": f"changes.{place}.value", "count": len(doubts)},
        )  # fmt: skip


class Guard:
    """Asks about marks that are 20 times outside of the readings of the member they are for."""

    def __init__(self, library: Library, kpi: KpiBody) -> None:
        self.library, self.kpi = library, kpi
        self._sizes: dict[tuple[str | None, tuple[tuple[str, str], ...], Grain], dict[str | None, Floats]] = {}

    def doubts(self, changes: Sequence[marks.Change]) -> list[tuple[int, str]]:
        """The places of doubtful changes with the question."""
        found = []
        for n, change in enumerate(changes):
            if change.value is None:
                continue
            grain = Period.parse(change.since, self.library.year_start).grain if self.kpi.nature == "flow" else "month"
            if told := words.doubt(change.value, self.kpi.unit.core(), self.sizes(change.owner, grain)):
                found.append((n, told))
        return found

    def sizes(self, owner: core.Owner, grain: Grain) -> Floats:
        """The sizes of the readings so far of what the mark is for."""
        by = owner.of[0][0] if owner.of else None
        rest = owner.of[1:]
        key = (by, rest, grain)
        if key not in self._sizes:
            self._sizes[key] = sizes_by_member(self.library, self.kpi, by, dict(rest), grain)
        held = self._sizes[key]
        if owner.whose == "member":
            return held.get(owner.of[0][1], np.array([]))
        return np.concatenate([*held.values()]) if held else np.array([])
