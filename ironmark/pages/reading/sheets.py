"""What one instrument says: its readings as a sheet of a page, with nothing drawn."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ironmark.core import reading as core
from ironmark.core import words
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats
from ironmark.core.faces import FACES
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period, finer
from ironmark.core.readings import Readings
from ironmark.core.why_nothing import by_rows
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.instrument_identity import edited
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import (
    Ask,
    Colouring,
    Crossing,
    Done,
    Figures,
    GradedBy,
    Reading,
    Sheet,
    Subject,
)
from ironmark.pages.model.scorecard import FurtherBody, InstrumentBody, OwnScope, Rehearsed, ScopeBody
from ironmark.pages.reading.by_hand import kept_by_hand
from ironmark.pages.reading.instrument_scope import own_scope, reach_words, take_readings, unit_of
from ironmark.pages.reading.kinds import kinds_of
from ironmark.pages.reading.plain_readings import plain_readings_of
from ironmark.pages.reading.row_order import RowRef, first_of, grouped, order_of, order_words, ordered, row_refs_of
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod, NoSegment
from ironmark.tables.connections import LiveProblem, Slow

DELETED = "Its KPI was deleted. Choose another KPI in the brief, or undo."


def read_sheet(
    context: ReadingContext,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None = None,
    most: int | None = None,
) -> Sheet:
    """Never raises for what a KPI or its data may hold: the sheet then says what is wrong.

    most: how many readings are taken, where a few are enough to show what it looks like.
    """
    kpi = context.kpis.get(instrument.kpi)
    empty = Sheet(
        id=instrument.id, instrument=instrument, title=instrument.title or (kpi.name if kpi else "An instrument without a KPI"),
        problem=None, notes=(), subjects=(), readings=(), period=period.key if period else "", grain=period.grain if period else "month",
    )  # fmt: skip
    if kpi is None:
        return edited(empty, problem=DELETED)
    if scope.assume:
        depends = {one.name: one.tried for key in instrument.kpis for one in context.assumed_by(key)}
        empty = edited(empty, tried=tuple(name for name, tried in depends.items() if tried))
    empty = edited(empty, subjects=(_subject(context, instrument.kpi, kpi, None, kpi.unit.as_unit()),))
    try:
        if period is not None:
            page = period
            scope, period = own_scope(instrument, scope, page)
            reach = reach_words(context, instrument, kpi.dataset, page, period)
            empty = edited(empty, period=period.key, grain=period.grain, reach=reach)
        return _read(context, instrument, kpi, scope, period, rehearsed, most, empty)
    except Slow as error:
        return edited(empty, problem=str(error), waiting=True)
    except (FormulaError, NoPeriod, Missing, LiveProblem) as error:
        said = f"{kpi.name}: {getattr(error, 'message', error)}"
        return edited(empty, problem=said, waiting=isinstance(error, LiveProblem) and error.passes)
    except NoSegment as error:
        return edited(empty, problem=f"{kpi.name} has no segment “{error.args[0]}”. Choose another in the brief.")


def _read(
    context: ReadingContext,
    instrument: InstrumentBody,
    kpi: KpiBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None,
    most: int | None,
    empty: Sheet,
) -> Sheet:
    face = FACES[instrument.face]
    readings, notes = take_readings(context, instrument, scope, period)
    unit = unit_of(readings.kpi.unit, instrument)
    label = f" by {context.label_of(kpi.dataset, instrument.by).lower()}" if instrument.by else ""
    subject = _subject(context, instrument.kpi, kpi, instrument.yardstick, unit)
    sheet = edited(
        empty, title=instrument.title or kpi.name + label, subjects=(subject,), notes=tuple(notes),
        rehearsed=rehearsed is not None, by_hand=kept_by_hand(context.dataset(kpi.dataset), kpi, instrument, scope),
    )  # fmt: skip
    p = readings.period_index(period) if period else None
    after = period is not None and period.start > context.source(kpi).last
    if period is None or p is None or (after and not np.isfinite(readings.value[p]).any()):
        return edited(
            sheet, ahead=True, by_hand="", rehearsed=False, readings=_none_yet(context, instrument, readings, period, p)
        )
    read_so_far = readings.value
    if rehearsed is not None:
        readings = _rehearsing(readings, rehearsed, p)
    tried = {"axis from": instrument.axis.low, "axis to": instrument.axis.high}
    tried |= {"rehearsed": rehearsed.value} if rehearsed else {}
    doubts = words.doubts_of(tried, unit, read_so_far, context.style)
    order = order_of(instrument)
    places = ordered(row_refs_of(instrument, readings, p), order, instrument.backwards)
    every, places = places, first_of(context, instrument, scope, period, places, p)
    folded = _readings_at(context, instrument, every[instrument.first :], None) if places is not every else []
    if instrument.face == "ledger" and instrument.look.ledger.group and instrument.by and not instrument.last:
        places = grouped(context, instrument, scope, period, places)
    places = places[:most]
    many_kpis = bool(instrument.further) and face.kpis and not instrument.by and not instrument.last
    found = _readings_at(context, instrument, places, "kpi" if many_kpis else None)
    if face.sorted and len(found) > 1:
        without_marks = all(reading.gap is None for reading in found)
        sheet = edited(sheet, sorted=order_words(order, instrument.backwards, without_marks, readings.kpi.direction))
    colouring = None
    if instrument.ramp is not None:
        colouring, found = _coloured(context, instrument, kpi, scope, period, places, found, unit)
    kinds = kinds_of(context, instrument) if instrument.ramp is None and instrument.colour.by == "kind" else None
    if instrument.face == "pips":
        found = _with_steps(context, instrument, kpi, scope, period, found)
    if many_kpis:
        sheet, found = _with_further(context, instrument, scope, period, sheet, found)
    crossing = _crossing(context, instrument, scope, period, readings, p) if instrument.face == "quadrant" else None
    if instrument.own.period == "to_date" or period.without:
        # The same number of months before these is no year to date, and periods that are no neighbours have none
        # before them: there is nothing to say of what changed.
        found = [replace(reading, before=None, step=0, earlier=(), usual=None) for reading in found]
    return edited(
        sheet, notes=(*notes, *doubts), readings=tuple(found), colouring=colouring, kinds=kinds, crossing=crossing,
        folded=tuple(folded),
    )  # fmt: skip


def _rehearsing(readings: Readings, rehearsed: Rehearsed, p: int) -> Readings:
    """Readings with the value that is tried in the place of one."""
    value = readings.value.copy()
    value[p, readings.member_index(rehearsed.member) or 0] = rehearsed.value
    return core.regrade(readings, readings.yardstick, value)


def _subject(context: ReadingContext, key: str, kpi: KpiBody, yardstick: str | None, unit: Unit) -> Subject:
    graded = None
    if yardstick:
        held = context.yardstick(yardstick)
        graded = GradedBy(yardstick, held.name, tuple(held.bands), tuple(cut.as_cut() for cut in held.cuts), held.per)
    return Subject(key, kpi.handle, kpi.name, kpi.direction, kpi.nature, unit, graded)


def _none_yet(
    context: ReadingContext, instrument: InstrumentBody, readings: Readings, period: Period | None, p: int | None
) -> tuple[Reading, ...]:
    """The readings of a period that begins after the last row: their marks may be known already."""
    role, key = "member" if instrument.by else "all", period.key if period else ""
    reason = f"no rows in {period.label if period else 'this period'}"
    if period and finer(period.grain, readings.row_grain):
        reason = by_rows(readings.row_grain)
    block = plain_readings_of(context, instrument.kpi, instrument.yardstick, readings)
    found = []
    for m, member in enumerate(readings.members):
        name = member or ""
        of = block.of(p, m) if p is not None else f"{instrument.kpi}:{name}:{key}"
        nothing = _nothing(of, role, key, reason)
        marks = block.marks_at(p, m) if p is not None else ()
        found.append(replace(nothing, key=f"{role}:{name}", member=member, label=name, marks=marks))
    return tuple(found)


def _nothing(of: str, role: str, period: str, reason: str) -> Reading:
    """A reading without a figure."""
    return Reading(
        key="", role=role, of=of, member=None, label="", period=period, subject=0, value=None, band=grading.NO_READING, state=None,
        reason=reason, marks=(), cuts=(), gap=None, attainment=None, headroom=None, edge=None, inside=False, partial=None,
        before=None, step=0, ask=None,
    )  # fmt: skip


def _readings_at(
    context: ReadingContext, instrument: InstrumentBody, places: Sequence[RowRef], role: str | None
) -> list[Reading]:
    face, shown = FACES[instrument.face], instrument.look.history.periods
    trail = shown if face.trail or instrument.face == "history" else 0
    if instrument.face == "ledger" and "trail" in instrument.look.ledger.columns:
        trail = shown
    found = []
    for at in places:
        block = plain_readings_of(context, instrument.kpi, instrument.yardstick, at.readings)
        made = block.reading(at, trail, instrument.face == "history")
        found.append(replace(made, role=role, label=context.kpi(instrument.kpi).name) if role else made)
    return found


# What only some faces need


def _with_further(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period, sheet: Sheet,
    readings: list[Reading],
) -> tuple[Sheet, list[Reading]]:  # fmt: skip
    """A sheet and its readings with those of the further KPIs on it."""
    further = _further(context, instrument, scope, period)
    readings = readings + [replace(reading, subject=at) for at, (_, reading, _) in enumerate(further, start=1)]
    title = sheet.title if instrument.title else f"{sheet.subjects[0].name} and {len(instrument.further)} more"
    subjects = (*sheet.subjects, *(its for its, _, _ in further))
    return edited(sheet, subjects=subjects, waiting=any(waits for _, _, waits in further), title=title), readings


def _further(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period
) -> list[tuple[Subject, Reading, bool]]:
    """The readings of an instrument's further KPIs, and whether their rows have not come yet."""
    context.fetch(
        [more.kpi for more in instrument.further], [more.yardstick for more in instrument.further if more.yardstick]
    )
    return [_one_further(context, instrument, more, scope, period) for more in instrument.further]


def _one_further(
    context: ReadingContext, instrument: InstrumentBody, more: FurtherBody, scope: ScopeBody, period: Period
) -> tuple[Subject, Reading, bool]:
    slots = {
        "kpi": more.kpi,
        "yardstick": more.yardstick,
        "marks": more.marks,
        "title": "",
        "further": [],
        "ramp": None,
        "own": OwnScope(),  # what it reads was settled before
    }
    alone = instrument.model_copy(update={**slots, "axis": type(instrument.axis)(), "decimals": None})
    sheet = read_sheet(context, alone, scope, period)
    kpi = context.kpis.get(more.kpi)
    subject = (
        sheet.subjects[0] if sheet.subjects else Subject(more.kpi, "", "A deleted KPI", "higher", "rate", Unit(), None)
    )
    reason = sheet.problem or "no rows"
    nothing = _nothing(f"{more.kpi}||{reason}|{period.key}", "kpi", period.key, reason)
    reading = sheet.readings[0] if sheet.readings else nothing
    if sheet.ahead:  # there is no axis to put them on
        reading = replace(reading, marks=())
    name = kpi.name if kpi else subject.name
    ask = Ask(kpi=more.kpi, yardstick=more.yardstick, marks=tuple(more.marks))
    return subject, replace(reading, key=f"kpi:{more.kpi}", role="kpi", label=name, ask=ask), sheet.waiting


def _with_steps(
    context: ReadingContext,
    instrument: InstrumentBody,
    kpi: KpiBody,
    scope: ScopeBody,
    period: Period,
    readings: Sequence[Reading],
) -> list[Reading]:
    """The steps of a checklist by name."""
    if context.dataset(kpi.dataset).kind != "checklist" or instrument.by == "step":
        return list(readings)
    by_step = instrument.model_copy(update={"by": "step", "yardstick": None, "marks": []})
    found = []
    for reading in readings:
        only = {instrument.by: [reading.member]} if instrument.by and reading.member is not None else {}
        block, _ = take_readings(context, by_step, scope.model_copy(update={"members": scope.members | only}), period)
        p = block.period_index(period)
        steps = () if p is None else tuple(
            Done(name or "", float(np.nan_to_num(block.value[p, m]))) for m, name in enumerate(block.members)
        )  # fmt: skip
        found.append(replace(reading, steps=steps))
    return found


def _coloured(
    context: ReadingContext,
    instrument: InstrumentBody,
    kpi: KpiBody,
    scope: ScopeBody,
    period: Period,
    places: Sequence[RowRef],
    readings: Sequence[Reading],
    unit: Unit,
) -> tuple[Colouring, list[Reading]]:
    """The figures a ramp colours readings by: their own, or another KPI's for the same members or periods."""
    assert instrument.ramp is not None
    other = instrument.ramp.kpi
    if not other:
        return Colouring(kpi.name, unit), [replace(reading, colour=reading.value) for reading in readings]
    body = context.kpi(other)
    block, _ = take_readings(
        context, instrument.model_copy(update={"kpi": other, "yardstick": None, "marks": []}), scope, period
    )
    column = {member: m for m, member in enumerate(block.members)}
    found = []
    for at, reading in zip(places, readings, strict=True):
        p = block.period_index(at.readings.periods[at.p])
        m = column.get(at.member) if at.role == "member" else (0 if at.role in ("all", "period") else None)
        value = float(block.value[p, m]) if p is not None and m is not None else math.nan
        found.append(replace(reading, colour=value if math.isfinite(value) else None))
    return Colouring(body.name, body.unit.as_unit()), found


def _crossing(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period, readings: Readings, p: int
) -> Crossing | None:
    """The figures of a quadrant; None until a KPI is chosen to go across."""
    look = instrument.look.quadrant
    if look.across is None or instrument.by is None:
        return None
    members = tuple(member or "" for member in readings.members)
    body = context.kpi(look.across)
    across = _other(context, instrument, look.across, [look.mark], scope, period)
    mark = instrument.marks[0] if instrument.marks else ""
    sizes: Figures = (None,) * len(members)
    size_name = ""
    if look.size:
        third = _other(context, instrument, look.size, [], scope, period)
        sizes, size_name = _row(third, third.value, period, members), third.kpi.name
    up_marks, across_marks = readings.marks.get(mark), across.marks.get(look.mark)
    return Crossing(
        members=members,
        up=_row(readings, readings.value, period, members),
        up_marks=None if up_marks is None else _row(readings, up_marks, period, members),
        across=_row(across, across.value, period, members),
        across_marks=None if across_marks is None else _row(across, across_marks, period, members),
        across_subject=_subject(context, look.across, body, None, across.kpi.unit),
        sizes=sizes,
        size_name=size_name,
    )


def _other(
    context: ReadingContext, instrument: InstrumentBody, kpi: str, marks: list[str], scope: ScopeBody, period: Period
) -> Readings:
    readings, _ = take_readings(
        context, instrument.model_copy(update={"kpi": kpi, "yardstick": None, "marks": marks}), scope, period
    )
    return readings


def _row(readings: Readings, block: Floats, period: Period, members: Sequence[str]) -> Figures:
    """A row of (P, M) values in the order of other members; None for those there are none of."""
    p = readings.period_index(period)
    column = {member: m for m, member in enumerate(readings.members)}
    found = [float(block[p, column[name]]) if p is not None and name in column else math.nan for name in members]
    return tuple(value if math.isfinite(value) else None for value in found)
