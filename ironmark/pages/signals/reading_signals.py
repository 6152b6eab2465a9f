"""One reading's signals: whether it says anything, where it is going, what moved it, and how good its yardstick is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from ironmark.core.chance import landing
from ironmark.core.few_rows import wilson
from ironmark.core.numbers import show, show_exact
from ironmark.core.periods import GRAINS, Grain, Period, finer, timeline
from ironmark.core.reading import grain_of, whole_cuts
from ironmark.core.readings import Readings
from ironmark.core.usual import FEWEST, Usual
from ironmark.core.words import show_mark
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.histories import MOST, heads_for, history
from ironmark.pages.model.field_types import MOST_OF_A_PERIOD, Model
from ironmark.pages.model.pictures import HistoryPicture, PeriodChoice, SegmentChoice, StatePicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.reading.by_chance import by_chance
from ironmark.pages.reading.instrument_scope import period_of
from ironmark.pages.reading.plain_readings import PlainReadings, plain_readings_of
from ironmark.pages.reading.rows_of import RowsOf
from ironmark.pages.reading.usages import mark_of, yardsticks_in_use
from ironmark.pages.reading.usual_ranges import UsualRanges
from ironmark.pages.signals.going import GoingPicture, going, under_way
from ironmark.pages.signals.movements import Against, MovedPicture, movement

MOST_MEMBERS = 300
MOST_AFTER_DAYS = 1500
METHODS = {
    "level": "individuals chart: the mean of its readings and 2.66 times their mean moving range to either side (Shewhart, Wheeler)",
    "share": "binomial limits by the rows of each period, widened as far as the readings vary more than that (p′, Laney)",
    "count": "Poisson limits by the size of each period, widened as far as the readings vary more than that (u′, Laney)",
    "ratio": "limits by the size of each period, as wide as the standardised readings vary (Laney)",
}  # fmt: skip


class SignalsAsk(Model):
    """What is read. member, segment: one member of one segment, "" for all together. against: what a movement is from; by, then: the
    segments of its steps, None for those that tell most."""

    grain: Grain = "month"
    period: Annotated[str, Field(max_length=MOST_OF_A_PERIOD)] = "complete"
    segment: str = Field("", max_length=80)
    member: str = Field("", max_length=400)
    each: str = Field("", max_length=80)
    against: Against = "before"
    by: str = Field("", max_length=80)
    then: str = Field("", max_length=80)

    @model_validator(mode="after")
    def can_be_read(self) -> SignalsAsk:
        if self.period not in ("complete", "latest"):
            Period.parse(self.period)
        return self


@dataclass(slots=True)
class MemberSignal:
    """A member beside the others. ring, hollow: as its sign is drawn; words: why, or what is usual for it."""

    member: str
    shown: str
    state: str | None
    ring: bool
    few: str
    words: str


@dataclass(slots=True)
class FairPart:
    state: str
    name: str
    share: float
    shown: str


@dataclass(slots=True)
class FairPicture:
    """How often usual variation alone lands in each state. mark: the target as it is written; said: what there is to say of it."""

    parts: list[FairPart]
    mark: str
    met: str
    said: list[str]


@dataclass(slots=True)
class Figure:
    name: str
    shown: str


@dataclass(slots=True)
class SignalsPicture:
    """Everything the page of one reading's signals says."""

    kpi: str
    name: str
    unit: str
    grain: Grain
    grains: list[Grain]
    period: str
    period_label: str
    periods: list[PeriodChoice]
    year_start: int
    segments: list[SegmentChoice]
    each: str
    states: list[StatePicture]
    yardstick: str
    shown: str
    state: str | None
    before: str | None
    verdict: str
    expect: str
    signal: bool
    few: str
    history: HistoryPicture | None
    members: list[MemberSignal]
    going: GoingPicture | None
    moved: MovedPicture | None
    fair: FairPicture | None
    method: str
    figures: list[Figure]
    named_dates: list[Figure]


def reading_signals(context: ReadingContext, key: str, ask: SignalsAsk) -> SignalsPicture:
    """Raises FormulaError, NoPeriod, Missing, NoSegment, LiveProblem."""
    body = context.kpi(key)
    yardstick = yardsticks_in_use(context.session).get(key)
    source = context.source(body)
    where = {ask.segment: [ask.member]} if ask.segment and ask.member else {}
    period = period_of(ScopeBody(period=ask.period, grain=ask.grain), [source], context.year_start)
    last = max(source.last, period.end)
    far = (last - source.last).days > MOST_AFTER_DAYS
    if far or period.end < source.first:
        detail = f"It has rows from {source.first} to {source.last}. Choose a period among them."
        raise Refused(422, "no-rows", f"{body.name} has no rows in {period.label}", detail, {"field": "period"})
    periods = timeline(period, source.first, last)
    marks = (mark_of(context, yardstick),)
    readings = context.cached_readings(key, marks, yardstick, by=None, where=where, periods=periods)
    p = readings.period_index(period)
    assert p is not None  # the timeline reaches it
    block = plain_readings_of(context, key, yardstick, readings)
    rows = RowsOf.behind(context, body, readings)
    others = context.sources_of(readings.kpi.formula)  # what one of them is not split by, the KPI is not either
    segments = [
        SegmentChoice(c.name, c.label, list(source.members[c.name]))
        for c in context.dataset(body.dataset).columns
        if c.role == "segment" and c.name in source.members and all(c.name in o.members for o in others.values())
    ]
    each = (
        ask.each
        if ask.each in {s.name for s in segments}
        else next((s.name for s in segments if s.name != ask.segment), "")
    )
    told = _verdict(context, readings, block, p)
    unit, style = readings.kpi.unit, context.style
    now, graded = under_way(readings), readings.yardstick
    to = going(context, block, now) if now is not None and now >= p else None
    row_grain = grain_of(readings.kpi, source, others) if rows else "day"
    return SignalsPicture(
        kpi=key, name=body.name, unit=unit.kind, grain=period.grain,
        grains=[grain for grain in GRAINS if not finer(grain, row_grain)], period=period.key, period_label=period.label,
        periods=[PeriodChoice(one.key, one.label, one.short) for one in periods[-400:]], year_start=context.year_start,
        segments=segments, each=each,
        states=[StatePicture(s.key, s.name, s.rank, s.sign) for s in graded.states] if graded else [],
        yardstick=yardstick or "", shown=show(block.values[p][0], unit, style) or "no reading", state=readings.state(p, 0),
        before=readings.state(p - 1, 0) if p else None, verdict=told[0], expect=told[1], signal=block.usual.is_signal(p, 0),
        few=_few(context, block, readings, p, 0), history=_history(context, block, readings, p, now, to),
        members=_members(context, key, each, marks, yardstick, where, periods, period) if each else [],
        going=to,
        moved=movement(context, key, rows, readings, p, ask.against, ask.by or None, ask.then or None),
        fair=_fair(context, readings, block.usual, p, rows), method=METHODS[block.usual.kind] if block.usual.applies else "",
        figures=_figures(context, readings, block.usual, p),
        named_dates=[Figure(Period.of(one.date, "day").label, one.reason) for one in context.named_dates(key)],
    )  # fmt: skip


def _verdict(context: ReadingContext, readings: Readings, block: PlainReadings, p: int) -> tuple[str, str]:
    """What a reading is, signal or noise, and what is to be expected of it."""
    unit, style, period = readings.kpi.unit, context.style, readings.periods[p]
    if block.usual.creeps:
        return "A running total has no usual range", "it creeps by what it is made of"
    if not block.usual.applies:
        return "Periods that are no neighbours have no usual range", "choose one period"
    if readings.partial_periods[p] is not None:
        return f"{period.label} is not over", "a signal is told of whole periods"
    found = block.usual.at(p, 0)
    if found is None or block.values[p][0] is None:
        return "Too early to tell", f"a usual range takes {FEWEST} {period.grain}s before it"
    names = {state.key: state.name for state in readings.yardstick.states} if readings.yardstick else {}
    now, before = readings.state(p, 0), readings.state(p - 1, 0) if p else None
    change = f"{names[before]} → {names[now]}" if now and before and now != before else ""
    if signal := found.signal(period.grain, unit, style):
        return (f"{change} is a signal" if change else "A signal"), f"{signal}; worth asking why"
    said = f"{change} is within its usual variation" if change else "Within its usual variation"
    return said, f"{found.words(unit, style)} is what to expect; nothing to explain"


def _few(context: ReadingContext, block: PlainReadings, readings: Readings, p: int, m: int) -> str:
    found = block.usual.few(p, m)
    if found is None or readings.yardstick is None:
        return ""
    return found.words(readings.yardstick.known, context.style)


def _history(
    context: ReadingContext, block: PlainReadings, readings: Readings, p: int, now: int | None, to: GoingPicture | None
) -> HistoryPicture | None:
    most = MOST.get(readings.periods[p].grain, 24)
    end = now if now is not None and now == p + 1 else p
    moments = block.earlier(end, 0, most, True)
    if not any(moment.value is not None for moment in moments):
        return None
    drawn = history(moments, readings.yardstick, readings.kpi.unit, context.year_start, context.style)
    if end == now and to is not None and to.value is not None and to.low is not None and to.high is not None:
        heads_for(drawn, to.value, to.low, to.high)
    return drawn


def _members(
    context: ReadingContext, key: str, each: str, marks: tuple[str, ...], yardstick: str | None, where: dict[str, list[str]],
    periods: tuple[Period, ...], period: Period,
) -> list[MemberSignal]:  # fmt: skip
    apart = context.cached_readings(key, marks, yardstick, by=each, where=where, periods=periods)
    block, p = plain_readings_of(context, key, yardstick, apart), apart.period_index(period)
    if p is None:
        return []
    unit, style, found = apart.kpi.unit, context.style, []
    for m, member in enumerate(apart.members[:MOST_MEMBERS]):
        usual, value = block.usual.at(p, m), block.values[p][m]
        words = ""
        if usual is not None:
            words = usual.signal(period.grain, unit, style) or f"usual {usual.words(unit, style)}"
        few = _few(context, block, apart, p, m) if value is not None else ""
        shown = show(value, unit, style) or "no reading"
        ring = block.usual.is_signal(p, m)
        found.append(MemberSignal(member or "", shown, apart.state(p, m), ring, few, few or words))
    return sorted(found, key=lambda one: (not one.ring, not one.few))


def _fair(
    context: ReadingContext, readings: Readings, usual: UsualRanges, p: int, rows: RowsOf | None
) -> FairPicture | None:
    """How often each state comes of usual variation alone, by the range of the coming period."""
    yardstick = readings.yardstick
    if yardstick is None or not usual.applies or rows is None:
        return None
    found: Usual = usual.found
    middle, sigma = (float(line[-1, 0]) for line in (found.middle, found.sigma))
    cuts = whole_cuts(readings, rows.rows)[:, p, 0]
    if not np.isfinite([middle, sigma, *cuts]).all():
        return None
    shares = landing(middle, sigma, cuts.tolist())
    parts = [
        FairPart(state, yardstick.known[state].name, float(share), f"{share:.0%}")
        for state, share in zip(yardstick.bands, shares, strict=True)
        if round(share * 100)
    ]
    _, mark = readings.whole_mark(p, 0)
    said = by_chance(readings, usual, mark, context.style)
    if not said:
        return FairPicture(parts, "", "", [])
    return FairPicture(parts, show_mark(mark, readings.kpi.unit, context.style), said[0], said[1:])


def _figures(context: ReadingContext, readings: Readings, usual: UsualRanges, p: int) -> list[Figure]:
    """All figures behind a range, as workings have them."""
    if not usual.applies:
        return []
    held, found, unit = usual.at(p, 0), usual.found, readings.kpi.unit
    figures = []
    if held is not None:
        sigma = float(found.sigma[p, 0])
        figures = [
            Figure("middle", show_exact(held.middle, unit)), Figure("a standard deviation", show_exact(sigma, unit)),
            Figure("lower limit, middle − 3 × that", show_exact(held.low, unit)),
            Figure("upper limit, middle + 3 × that", show_exact(held.high, unit)),
            Figure("made of", f"{held.of} {readings.periods[p].grain}s since {Period.parse(held.since, context.year_start).label}"),
        ]  # fmt: skip
        if held.seasonal:
            figures.append(Figure("seasons", "taken out: other years explain more of it"))
    sides = usual.sides
    if sides is not None and usual.kind == "share" and np.isfinite(sides.below[p, 0]):
        above, below = sides.above[p, 0], sides.below[p, 0]
        ends = [sides.ratio.offset + sides.ratio.scale * float(end) for end in wilson(above, below)]
        figures.append(Figure("rows", f"{above:,.0f} of {below:,.0f}"))
        figures.append(Figure("interval by its rows alone (Wilson, 95 %)", " to ".join(show_exact(end, unit) for end in sorted(ends))))  # fmt: skip
    return figures
