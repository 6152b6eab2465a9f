"""What a KPI comes to while its formula is typed."""

from __future__ import annotations

import math
from typing import Literal

from pydantic import BaseModel, Field

from ironmark.core import prose, readings
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import nature_of, references
from ironmark.core.marks import TARGET
from ironmark.core.numbers import NumberStyle, show
from ironmark.core.periods import Grain
from ironmark.core.readings import Readings
from ironmark.core.units import proposed_unit
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_sheet import draw_sheet
from ironmark.pages.drawing.histories import MOST, history, history_words
from ironmark.pages.model.field_types import MOST_OF_A_PERIOD, Key, Model
from ironmark.pages.model.kpi import KpiBody, UnitBody
from ironmark.pages.model.pictures import HistoryPicture, InstrumentPicture
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import period_of, take_readings
from ironmark.pages.reading.plain_readings import plain_readings_of
from ironmark.pages.reading.sheets import read_sheet
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.pages.reading.workings import Workings, workings

TYPED = "typed"  # the key a KPI goes by while it is typed
MOST_OFFERED = 300


class Figure(BaseModel):
    label: str
    value: float | None
    shown: str
    partial: bool = False


class PreviewAsk(Model):
    """``key`` names the KPI that is changed, so that its marks and its yardstick hold for what is typed."""

    body: KpiBody
    key: Key | None = None
    by: str | None = Field(None, max_length=80)
    grain: Grain = "month"
    period: str = Field("complete", max_length=MOST_OF_A_PERIOD)


class FormulaProblem(BaseModel):
    message: str
    start: int
    end: int


class Preview(BaseModel):
    """What a KPI comes to: by period over all rows, and by member in one of the periods."""

    problem: FormulaProblem | None = None
    note: str = ""
    waiting: bool = False
    reads_as: str = ""
    warnings: list[FormulaProblem] = []
    nature: Literal["flow", "stock", "rate"] = "rate"  # what the formula most likely is
    unit: UnitBody | None = None  # what it most likely is measured in, and why
    unit_why: str = ""
    period: str = ""
    period_label: str = ""
    by: str | None = None
    by_label: str = ""
    texts: dict[str, list[str]] = {}  # the members a condition may name, by segment
    results: list[Figure] = []
    members: list[Figure] = []
    graded: str = ""
    history: HistoryPicture | None = None
    by_member: InstrumentPicture | None = None
    workings: Workings | None = None


def previewed(context: ReadingContext, ask: PreviewAsk) -> Preview:
    body = ask.body
    dataset = context.dataset(body.dataset)
    kpi, source = context.expanded(body), context.source(body)
    yardstick = yardsticks_in_use(context.session).get(ask.key) if ask.key else None
    by = ask.by if ask.by in source.members else next(iter(source.members), None)
    scope = ScopeBody(period=ask.period, grain=ask.grain)
    period = period_of(scope, [source], context.year_start)
    instrument = InstrumentBody(
        id="t", kpi=TYPED, yardstick=yardstick, marks=measured_against(context, ask.key), face="bullet"
    )
    context.fetch([], [yardstick] if yardstick else [])
    together, _ = take_readings(context, instrument, scope, period)
    sheet = read_sheet(context, instrument.model_copy(update={"by": by}), scope, period) if by else None
    by_member = draw_sheet(sheet, context.states, context.year_start, context.style) if sheet else None
    if by_member is not None and by_member.problem:  # a dataset that it also reads is not split by this segment
        by_member = None
    members = by_member.readings if by_member else []
    places = {name: at for at, name in enumerate(source.members[by])} if by else {}
    tree, labels = parse(body.formula), {c.name: c.label for c in dataset.columns}
    texts = {name: frozenset(names) for name, names in source.members.items()}
    named = context.assuming(tree)  # an assumption is a number like any other
    percents = {h for h in references(tree) if h in context.by_handle and context.by_handle[h].unit.kind == "percent"}
    natures = {handle: context.by_handle[handle].nature for handle in references(tree) if handle in context.by_handle}
    units = {h: context.by_handle[h].unit.as_unit() for h in references(tree) if h in context.by_handle}
    units |= {handle: held.unit for handle, held in context.assumptions.items()} if references(tree) else {}
    unit = None if body.composite else proposed_unit(tree, labels, units, {c.name: c.unit for c in dataset.columns})
    warned = [] if body.composite else prose.warnings(named, body.nature, body.unit.kind, texts, percents, natures)
    reads_as = prose.reads_as(tree, context.style, lambda name: labels.get(name, name))
    if body.composite is not None:
        how = "their states" if body.composite.by == "score" else "how far they reach their marks"
        reads_as = f"{len(body.composite.parts)} KPIs rolled up by {how}, weighted"
    return Preview(
        reads_as=reads_as,
        warnings=[FormulaProblem(message=m, start=start, end=end) for m, start, end in warned],
        unit=UnitBody.of(unit.unit) if unit else None,
        unit_why=unit.why if unit else "",
        nature="rate" if body.composite else nature_of(named, natures),
        period=period.key,
        period_label=period.label,
        by=by,
        by_label=labels.get(by or "", ""),
        texts={name: list(found)[:MOST_OFFERED] for name, found in source.members.items()},
        results=[_figure(p.short, together, at, kpi, context.style) for at, p in enumerate(together.periods)],
        members=[
            Figure(label=r.member or "", value=r.value, shown=r.shown)
            for r in sorted(members, key=lambda r: places[r.member or ""])
        ],
        graded=history_words(together, context.yardstick(yardstick).name if yardstick else ""),
        history=_history(context, instrument, together),
        by_member=by_member,
        waiting=sheet is not None and sheet.waiting,
        workings=workings(context, instrument, scope, None),
    )


def _history(context: ReadingContext, instrument: InstrumentBody, readings: Readings) -> HistoryPicture:
    block = plain_readings_of(context, instrument.kpi, instrument.yardstick, readings)
    last = len(readings.periods) - 1
    moments = block.earlier(last, 0, MOST[readings.periods[0].grain], True)
    return history(moments, readings.yardstick, readings.kpi.unit, context.year_start, context.style)


def measured_against(context: ReadingContext, key: str | None) -> list[str]:
    """The mark a KPI is measured against: its target where it has one, else the first it has."""
    names = [entry.name for entry in context.entries(key)] + list(context.computed(key)) if key else []
    return [TARGET] if TARGET in names or not names else names[:1]


def _figure(label: str, readings: Readings, p: int, kpi: readings.Kpi, style: NumberStyle) -> Figure:
    value = float(readings.value[p, 0])
    known = math.isfinite(value)
    return Figure(
        label=label,
        value=value if known else None,
        shown=show(value, kpi.unit, style) or "no reading",
        partial=readings.partial_periods[p] is not None,
    )
