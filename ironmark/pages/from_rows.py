"""A scorecard from rows: KPIs, marks, yardsticks, faces and sections proposed from a dataset, each with its reason,
and made of those that are kept."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import polars as pl
from sqlalchemy.orm import Session

from ironmark.core.axis import step_for
from ironmark.core.drafting import DraftKpi, Facts, draft
from ironmark.core.evaluate import Floats
from ironmark.core.formula import FormulaError, parse
from ironmark.core.marks import EVERYONE, TARGET, TOGETHER, Owner
from ironmark.core.numbers import show
from ironmark.core.periods import Grain, Period, RowGrain, finer, latest_complete, timeline
from ironmark.core.units import unit_called
from ironmark.core.written import written
from ironmark.core.yardstick import default_bands
from ironmark.pages.documents import (
    CutBody,
    InstrumentBody,
    KpiBody,
    ScopeBody,
    ScorecardBody,
    SectionBody,
    UnitBody,
    YardstickBody,
)
from ironmark.pages.library import Library
from ironmark.pages.problems import Refused
from ironmark.pages.uses import yardsticks_in_use
from ironmark.store import datasets, marks, records
from ironmark.store.datasets import StoredDataset
from ironmark.store.marks import Change
from ironmark.tables.cells import NoPeriod

Kind = Literal["kpi", "mark", "yardstick", "sheet"]
LAST_YEAR = "last year"
MOST_MEMBERS, FEW_PERIODS = 30, 4
MOST_COUNTS, FEW_ROWS = (
    16,
    8,
)  # columns that are looked at for parts of each other, and rows from which that says something
HEADLINES = 4  # sheets side by side at the top


@dataclass(frozen=True, slots=True)
class Item:
    """Something that is proposed. needs: those it falls with; says: what it would be; reason: why."""

    id: str
    kind: Kind
    name: str
    says: str
    reason: str
    needs: tuple[str, ...] = ()


@dataclass(frozen=True)
class Proposed:
    title: str
    grain: Grain
    items: tuple[Item, ...]
    left_out: tuple[tuple[str, str], ...]
    kpis: tuple[DraftKpi, ...]
    targets: dict[str, _Target]
    sheets: tuple[_Sheet, ...]


@dataclass(frozen=True, slots=True)
class _Target:
    """The mark of a proposed KPI: ``mark`` computed by a formula, or one number, or one that it has already."""

    mark: str
    formula: str
    value: float | None
    since: str
    each: tuple[tuple[str, str, float], ...] = ()  # segment, member and value, where a sum has one for each
    yardstick: str = ""  # the one that the KPI is graded by already


@dataclass(frozen=True, slots=True)
class _Sheet:
    """A sheet that is proposed: where it stands, of which KPI, as which face."""

    id: str
    section: str
    kpi: str
    face: str
    by: str | None
    place: tuple[int, int, int, int]


def propose(library: Library, dataset: StoredDataset) -> Proposed:
    """Refuses a dataset that has no period, or no rows."""
    if dataset.kind == "live":
        raise Refused(422, "live", "Its rows are elsewhere", "Write KPIs for a live source under KPIs; rows that are uploaded or typed are read here.")  # fmt: skip
    try:
        source = library.source_of(dataset.id)
    except NoPeriod as error:
        raise Refused(422, "no-period", "Its rows have no period", str(error)) from None
    frame = datasets.rows(library.session, dataset)
    once = frame.height > 0 and frame[dataset.period or ""].n_unique() == frame.height
    drafted = draft(dataset.name, _facts(dataset, frame), counted_rows=not once)
    grain = _no_finer(_grain(source.first, source.last), source.grain)
    kpis = tuple(_named_apart(library, _already_there(library, dataset.id, drafted.kpis)))
    library.fetch([kpi.known for kpi in kpis if kpi.known])
    complete = latest_complete(
        Period.of(source.first, grain, library.year_start), Period.of(source.last, grain, library.year_start), source.through
    )  # fmt: skip
    periods = timeline(complete, source.first, source.last)
    over = [p for p in periods if p.end <= source.through]
    segments = _best_segments(dataset, frame)[:2]
    targets, items, kept = {}, list[Item](), list[DraftKpi]()
    graded = yardsticks_in_use(library.session)
    for kpi in kpis:
        body = _body(kpi, dataset.id)
        try:
            values = library.read(body, periods=over or periods).value[:, 0]
        except (FormulaError, NoPeriod) as error:
            drafted = replace(drafted, left_out=(*drafted.left_out, (kpi.name, str(error))))
            continue
        if not np.isfinite(values).any():
            drafted = replace(drafted, left_out=(*drafted.left_out, (kpi.name, "it has no reading in any period")))
            continue
        kept.append(kpi)
        items.append(Item(f"kpi:{kpi.handle}", "kpi", kpi.name, kpi.formula, kpi.reason))
        if mark := _own_mark(library, kpi.known):
            held = _Target(mark, "", None, "", yardstick=graded.get(kpi.known, ""))
            targets[kpi.handle] = held
            items += [] if held.yardstick else [_yardstick_item(kpi, held)]
            continue
        target, item = _target(kpi, values, over or periods, grain)
        if target.value is not None and kpi.nature != "rate":
            # A part is not held to the whole's target: each member has its own.
            target = replace(target, each=_of_each(library, body, [name for name, *_ in segments], over or periods))
        targets[kpi.handle] = target
        items += [item, _yardstick_item(kpi, target)]
    sheets = _sheets(kept, segments, len(over) >= FEW_PERIODS)
    items += [_sheet_item(sheet, kept, dataset) for sheet in sheets]
    return Proposed(dataset.name, grain, tuple(items), drafted.left_out, tuple(kept), targets, tuple(sheets))


def make(session: Session, library: Library, dataset: StoredDataset, title: str, dropped: Collection[str]) -> str:
    """Keep what is proposed but for what was dropped, all at once. Returns the scorecard's key."""
    proposed = propose(library, dataset)
    gone = set(dropped)
    for _ in range(2):  # a sheet falls with its KPI
        gone |= {item.id for item in proposed.items if gone & set(item.needs)}
    keys: dict[str, str] = {}
    yardsticks: dict[str, str] = {}
    shared: dict[tuple[object, ...], str] = {}
    for kpi in proposed.kpis:
        if f"kpi:{kpi.handle}" in gone:
            continue
        body = _body(kpi, dataset.id)
        keys[kpi.handle] = key = kpi.known or records.create(session, "kpi", body.model_dump(), name=kpi.name).id
        target = proposed.targets[kpi.handle]
        if f"mark:{kpi.handle}" in gone:
            continue
        if target.formula:
            marks.compute(session, key, target.mark, target.formula, library.book(key))
        elif target.value is not None:
            owner = EVERYONE if kpi.nature == "rate" else TOGETHER
            changes = [Change(target.mark, owner, target.since, target.value)]
            changes += [
                Change(target.mark, Owner.member(**{segment: member}), target.since, value)
                for segment, member, value in target.each
            ]
            marks.apply(session, key, changes, library.book(key))
        if target.yardstick:
            yardsticks[kpi.handle] = target.yardstick
            continue
        if f"yardstick:{kpi.handle}" in gone:
            continue
        form = target.mark, kpi.direction, kpi.unit.kind == "percent"
        if form not in shared:
            made = _yardstick(kpi, target, key)
            shared[form] = records.create(session, "yardstick", made.model_dump(), name=made.name).id
        yardsticks[kpi.handle] = shared[form]
    sections: dict[str, SectionBody] = {}
    for sheet in proposed.sheets:
        if sheet.id in gone or sheet.kpi not in keys:
            continue
        section = sections.setdefault(
            sheet.section, SectionBody(id=f"s{len(sections) + 1}", title=sheet.section, instruments=[])
        )
        x, y, w, h = sheet.place
        held = [] if f"mark:{sheet.kpi}" in gone else [proposed.targets[sheet.kpi].mark]
        section.instruments.append(
            InstrumentBody(
                id=sheet.id.replace(":", "-"), kpi=keys[sheet.kpi], face=sheet.face, by=sheet.by, marks=held,
                yardstick=yardsticks.get(sheet.kpi), x=x, y=y, w=w, h=h,
            )
        )  # fmt: skip
    for section in sections.values():
        _close_up(section.instruments)
    card = ScorecardBody(
        title=title or proposed.title, scope=ScopeBody(grain=proposed.grain), sections=list(sections.values())
    )
    return records.create(session, "scorecard", card.model_dump(), name=card.title).id


def _close_up(instruments: list[InstrumentBody]) -> None:
    """Have what is left stand without gaps where sheets were dropped: row by row, from the left."""
    x = y = tall = 0
    for one in sorted(instruments, key=lambda one: (one.y, one.x)):
        if x + one.w > 12:
            x, y, tall = 0, y + tall, 0
        one.x, one.y = x, y
        x, tall = x + one.w, max(tall, one.h)


def _facts(dataset: StoredDataset, frame: pl.DataFrame) -> list[Facts]:
    found = []
    for column in dataset.columns:
        known = frame[column.name].drop_nulls() if column.name in frame.columns else pl.Series([])
        least = most = None
        whole = False
        if column.type == "number" and known.len():
            numbers = known.cast(pl.Float64)
            least, most = float(numbers.min()), float(numbers.max())  # type: ignore[arg-type]
            whole = bool((numbers == numbers.round()).all())
        members = tuple(sorted(str(m) for m in known.unique())) if column.role == "segment" else ()
        found.append(
            Facts(
                column.name,
                _as_words(column.label),
                column.type,
                column.role,
                least,
                most,
                whole,
                known.n_unique(),
                members,
                unit=unit_called(column.unit),
            )
        )
    names = [fact.name for fact in found if fact.role == "measure" and fact.whole][:MOST_COUNTS]
    counts = {name: frame[name].cast(pl.Float64).to_numpy() for name in names}
    return [replace(fact, within=_within(fact.name, counts)) if fact.name in counts else fact for fact in found]


def _as_words(label: str) -> str:
    """A heading as people write it: Delay minutes for delay_minutes."""
    plain = label.replace("_", " ").strip() or label
    return plain[:1].upper() + plain[1:]


def _within(name: str, counts: Mapping[str, Floats]) -> tuple[tuple[str, float], ...]:
    """Those of some columns that are never less than one of them, with the correlation of both. counts: (n,), NaN for
    none."""
    found = []
    for other in counts.keys() - {name}:
        known = np.isfinite(counts[name]) & np.isfinite(counts[other])
        part, whole = counts[name][known], counts[other][known]
        if len(part) < FEW_ROWS or (part > whole).any() or (part == whole).all():
            continue
        moves = part.std() > 0 and whole.std() > 0
        found.append((other, float(np.corrcoef(part, whole)[0, 1]) if moves else 0.0))
    return tuple(sorted(found))


def _best_segments(dataset: StoredDataset, frame: pl.DataFrame) -> list[tuple[str, str, int]]:
    """Segments worth reading one by one: name, label and how many members, the handiest first."""
    found = []
    for column in dataset.columns:
        if column.role == "segment" and column.name in frame.columns:
            count = frame[column.name].drop_nulls().n_unique()
            if 2 <= count <= MOST_MEMBERS:
                found.append((column.name, column.label, count))
    return sorted(found, key=lambda one: (not 3 <= one[2] <= 12, one[2] > 12))


def _grain(first: dt.date, last: dt.date) -> Grain:
    days = (last - first).days
    return "month" if days >= 75 else "week" if days >= 21 else "day"


def _already_there(library: Library, dataset: str, kpis: Sequence[DraftKpi]) -> list[DraftKpi]:
    """The KPIs, those that somebody wrote over the same rows as they are kept: none is made twice."""
    known = {
        written(parse(body.formula)): (key, body)
        for key, body in reversed(library.every_kpi.items())
        if body.dataset == dataset and not body.composite
    }
    found = []
    for kpi in kpis:
        if there := known.get(written(parse(kpi.formula))):
            key, body = there
            kpi = replace(
                kpi, known=key, handle=body.handle, name=body.name, unit=body.unit.as_unit(), direction=body.direction,
                nature=body.nature, plan="", reason="It is there already: that one is shown, as it is.",
            )  # fmt: skip
        found.append(kpi)
    return found


def _own_mark(library: Library, key: str) -> str:
    """The mark that a KPI which is there already is held against; "" where it has none."""
    names = [*library.computed(key), *(entry.name for entry in library.entries(key))] if key else []
    return TARGET if TARGET in names else next(iter(names), "")


def _no_finer(grain: Grain, rows: RowGrain) -> Grain:
    """A grain that rows can be read by."""
    return grain if not finer(grain, rows) else "year" if rows == "half" else rows


def _named_apart(library: Library, kpis: Sequence[DraftKpi]) -> list[DraftKpi]:
    """The KPIs with handles and names that nothing has yet."""
    handles = {*library.by_handle, *library.assumptions}
    names = {body.name for body in library.every_kpi.values()}
    found = []
    for kpi in kpis:
        if kpi.known:
            found.append(kpi)
            continue
        handle, name, count = kpi.handle, kpi.name, 2
        while handle in handles:
            handle, count = f"{kpi.handle}_{count}", count + 1
        count = 2
        while name in names:
            name, count = f"{kpi.name} ({count})", count + 1
        handles.add(handle)
        names.add(name)
        found.append(replace(kpi, handle=handle, name=name))
    return found


def _body(kpi: DraftKpi, dataset: str) -> KpiBody:
    return KpiBody(
        handle=kpi.handle, name=kpi.name[:120], description=kpi.reason, dataset=dataset, formula=kpi.formula,
        unit=UnitBody.of(kpi.unit), direction=kpi.direction, nature=kpi.nature,
    )  # fmt: skip


def _target(kpi: DraftKpi, values: Floats, periods: Sequence[Period], grain: Grain) -> tuple[_Target, Item]:
    """What a KPI is first held against: its plan, last year where there is one, else the median of what it was."""
    needs = (f"kpi:{kpi.handle}",)
    key = f"mark:{kpi.handle}"
    if kpi.plan:
        over = "mean" if kpi.formula.startswith("mean(") else "sum"
        target = _Target(TARGET, f"{over}({kpi.plan})", None, "")
        return target, Item(
            key, "mark", kpi.name, f"target: {over}({kpi.plan})", "The rows hold their own plan.", needs
        )
    a_year = {"month": 13, "week": 53, "day": 366}.get(grain, 5)
    if len(periods) >= a_year and np.isfinite(values[-a_year]):
        target = _Target(LAST_YEAR, f"year_ago({kpi.formula})", None, "")
        reason = f"There are {len(periods)} {grain}s of rows, so that each is held against the same one a year before."
        return target, Item(key, "mark", kpi.name, "last year: the same period a year earlier", reason, needs)
    value = _middle(values)
    target = _Target(TARGET, "", value, periods[0].key)
    said = f"target: {show(value, kpi.unit)}" + (
        "" if kpi.nature == "rate" else " for all together, and each member’s own"
    )
    reason = f"There is no year before yet: the median of its {grain}s so far, to begin with."
    return target, Item(key, "mark", kpi.name, said, reason, needs)


def _middle(values: Floats) -> float:
    """The median of the known values, as round as their spread allows."""
    known = values[np.isfinite(values)]
    median = float(np.median(known))
    step = step_for(float(known.max() - known.min()) or abs(median) or 1.0, 40)
    return float(round(round(median / step) * step, 10))


def _of_each(
    library: Library, body: KpiBody, segments: Sequence[str], periods: Sequence[Period]
) -> tuple[tuple[str, str, float], ...]:
    found = []
    for segment in segments:
        read = library.read(body, by=segment, periods=periods)
        for m, member in enumerate(read.members):
            if member is not None and np.isfinite(read.value[:, m]).any():
                found.append((segment, member, _middle(read.value[:, m])))
    return tuple(found)


def _yardstick_item(kpi: DraftKpi, target: _Target) -> Item:
    around = "2 points" if kpi.unit.kind == "percent" else "a twentieth"
    return Item(
        f"yardstick:{kpi.handle}", "yardstick", kpi.name, f"Met from {target.mark} on, Near within {around} of it",
        f"Four states around {target.mark}, {kpi.direction} is better; one yardstick serves all KPIs of the kind.",
        (f"kpi:{kpi.handle}", f"mark:{kpi.handle}"),
    )  # fmt: skip


def _yardstick(kpi: DraftKpi, target: _Target, key: str) -> YardstickBody:
    percent = kpi.unit.kind == "percent"
    ways = (-0.02, 0.0, 0.02) if percent else (0.95, 1.0, 1.05)
    cuts = [
        CutBody(mark=target.mark, offset=way) if percent else CutBody(mark=target.mark, factor=way) for way in ways
    ]  # fmt: skip
    if kpi.direction == "lower":
        for cut in cuts:
            cut.belongs = "below"
    sort = "shares" if percent else "amounts"
    name = f"Against {target.mark}, {sort}, {kpi.direction} is better"
    return YardstickBody(name=name, bands=list(default_bands(kpi.direction)), cuts=cuts)


def _sheets(kpis: Sequence[DraftKpi], segments: Sequence[tuple[str, str, int]], past: bool) -> list[_Sheet]:
    """Headlines over members over the course: what a person would lay out first."""
    found: list[_Sheet] = []

    def put(section: str, kpi: DraftKpi, face: str, by: str | None, place: tuple[int, int, int, int]) -> None:
        found.append(_Sheet(f"sheet:{len(found) + 1}", section, kpi.handle, face, by, place))

    top = list(kpis[:HEADLINES])
    wide = 12 // max(1, len(top))
    for at, kpi in enumerate(top):
        face = "dial" if kpi.unit.kind == "percent" and at == 0 else "figure"
        put("At a glance", kpi, face, None, (at * wide, 0, wide, 5))
    for row, (name, label, count) in enumerate(segments):
        high = max(6, min(11, count + 2))
        section = f"By {label.lower()}"
        some = kpis[row * 2 : row * 2 + 2] or kpis[:2]
        for at, kpi in enumerate(some):
            face = "bullet" if at == 0 else "ledger"
            wide = 12 // len(some)
            put(section, kpi, face, name, (at * wide, 0, wide, high))
    if past:
        some = kpis[:2]
        for at, kpi in enumerate(some):
            put("Over time", kpi, "history", None, (at * (12 // len(some)), 0, 12 // len(some), 6))
    rest = kpis[HEADLINES:]
    for at, kpi in enumerate(rest):
        put("And also", kpi, "figure", None, ((at % 4) * 3, at // 4 * 5, 3, 5))
    return found


_WHY = {
    "dial": "A share is read best on its bands.",
    "figure": "One number with its mark and its course is what is looked for first.",
    "bullet": "Members on one axis, each against its own mark.",
    "ledger": "Members as rows: value, mark and gap side by side.",
    "history": "What it was before says whether now is usual.",
}


def _sheet_item(sheet: _Sheet, kpis: Sequence[DraftKpi], dataset: StoredDataset) -> Item:
    kpi = next(one for one in kpis if one.handle == sheet.kpi)
    by = next((c.label.lower() for c in dataset.columns if c.name == sheet.by), "")
    says = f"{sheet.face} under “{sheet.section}”" + (f", each {by}" if by else "")
    return Item(sheet.id, "sheet", kpi.name, says, _WHY[sheet.face], (f"kpi:{sheet.kpi}",))
