"""Readings as faces draw them: every text written, every place resolved to a fraction of its axis."""

from __future__ import annotations

import datetime as dt
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np

from ironmark.api.desk import Book
from ironmark.api.documents import InstrumentBody, ScopeBody, ScorecardBody
from ironmark.api.shapes import (
    AxisPicture,
    Band,
    CutLine,
    InstrumentPicture,
    MarkLine,
    Partial,
    PeriodChoice,
    ReadingPicture,
    Rehearsed,
    ScorecardPicture,
    SectionNote,
    SegmentChoice,
    State,
    TallyPart,
    Tick,
)
from ironmark.core import axis as axes
from ironmark.core import reading as core
from ironmark.core import words
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.evaluate import Floats
from ironmark.core.formula import FormulaError
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Period, latest_complete, timeline
from ironmark.core.reading import Readings
from ironmark.core.yardstick import STATES
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow


def states() -> list[State]:
    return [State(**vars(state)) for state in sorted(STATES.values(), key=lambda state: state.rank)]


def period_of(scope: ScopeBody, sources: Sequence[core.Source], year_start: int) -> Period:
    """The period a scope names, by the datasets it reads."""
    if scope.period not in ("latest", "complete"):
        return Period.parse(scope.period, year_start)
    days = min(source.first for source in sources), max(source.last for source in sources)
    first, last = (Period.of(day, scope.grain, year_start) for day in days)
    if scope.period == "latest":
        return last
    return latest_complete(first, last, max(source.through for source in sources))


def scorecard_picture(
    book: Book, body: ScorecardBody, scope: ScopeBody, rehearsals: Mapping[str, Rehearsed] | None = None
) -> ScorecardPicture:
    """Read and grade every instrument of a scorecard. What cannot be read says why, and holds up nothing else."""
    instruments = [instrument for section in body.sections for instrument in section.instruments]
    book.fetch([i.kpi for i in instruments], [i.yardstick for i in instruments if i.yardstick])
    sources, choices = _datasets(book, instruments)
    period = period_of(scope, list(sources.values()), book.year_start) if sources else None
    pictures = [picture(book, i, scope, period, (rehearsals or {}).get(i.id)) for i in instruments]
    by_id = {p.id: p for p in pictures}
    first = min((source.first for source in sources.values()), default=None)
    last = max((source.last for source in sources.values()), default=None)
    partial = next((r.partial for p in pictures for r in p.readings if r.partial), None)
    every = [r for p in pictures for r in p.readings]
    return ScorecardPicture(
        period=period.key if period else "",
        period_label=period.label if period else "",
        previous_label=period.shift(-1).label if period else "",
        partial=partial.words if partial else "",
        grain=period.grain if period else scope.grain,
        periods=_choices(period, first, last, book.year_start) if period and first and last else [],
        year_start=book.year_start,
        segments=choices,
        states=states(),
        tally=_tally(every),
        changed=_changed(every, period),
        waiting=any(p.waiting for p in pictures),
        sections=[
            SectionNote(id=s.id, words=_section_words([by_id[i.id] for i in s.instruments], period))
            for s in body.sections
        ],
        instruments=pictures,
    )


def _choices(period: Period, first: dt.date, last: dt.date, year_start: int) -> list[PeriodChoice]:
    """The periods of the scope's grain that have rows."""
    one = Period.of(last, period.grain, year_start)
    return [PeriodChoice(key=p.key, label=p.label, short=p.short) for p in timeline(one, first, last)]


def _datasets(book: Book, instruments: Sequence[InstrumentBody]) -> tuple[dict[str, core.Source], list[SegmentChoice]]:
    """The readable datasets of some instruments, and the segments a scope can choose members of."""
    sources: dict[str, core.Source] = {}
    choices: dict[str, SegmentChoice] = {}
    for instrument in instruments:
        kpi = book.kpis.get(instrument.kpi)
        if kpi is None or kpi.dataset in sources:
            continue
        try:
            dataset = book.dataset(kpi.dataset)
            source = sources[kpi.dataset] = book.source(kpi)
            source.first  # noqa: B018  a live source is opened here
        except (Missing, NoPeriod, LiveProblem):
            sources.pop(kpi.dataset, None)
            continue
        for column in dataset.columns:
            if column.role == "segment":
                held = choices.setdefault(column.name, SegmentChoice(name=column.name, label=column.label, members=[]))
                held.members = list(dict.fromkeys([*held.members, *source.members[column.name]]))
    return sources, list(choices.values())


def picture(
    book: Book,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None = None,
) -> InstrumentPicture:
    kpi = book.kpis.get(instrument.kpi)
    empty = InstrumentPicture(
        id=instrument.id, title=instrument.title or (kpi.name if kpi else "An instrument without a KPI"),
        kpi_name=kpi.name if kpi else "", direction=kpi.direction if kpi else "higher", unit=kpi.unit.kind if kpi else "number",
        period=period.key if period else "", problem=None, notes=[], axis=None, readings=[], rehearsed=False, waiting=False,
    )  # fmt: skip
    if kpi is None:
        return empty.model_copy(update={"problem": "Its KPI was deleted. Choose another KPI in the brief, or undo."})
    try:
        readings, notes = take(book, instrument, scope, period)
    except Slow as error:
        return empty.model_copy(update={"problem": str(error), "waiting": True})
    except (FormulaError, NoPeriod, Missing, LiveProblem) as error:
        return empty.model_copy(update={"problem": f"{kpi.name}: {getattr(error, 'message', error)}"})
    except KeyError as error:
        return empty.model_copy(update={"problem": f"{kpi.name} has no segment {error}. Choose another in the brief."})
    unit = unit_of(readings.kpi.unit, instrument)
    p = readings.at(period) if period else None
    title = instrument.title or kpi.name + (
        f" by {label_of(book, kpi.dataset, instrument.by).lower()}" if instrument.by else ""
    )
    if p is None:
        label = period.label if period else "this period"
        readings_out = [_nothing(title, member, f"no rows in {label}") for member in readings.members]
        return empty.model_copy(
            update={
                "title": title,
                "notes": notes,
                "readings": readings_out,
            }
        )
    if rehearsed is not None:
        value = readings.value.copy()
        member = rehearsed.member
        value[p, readings.members.index(member) if member in readings.members else 0] = rehearsed.value
        readings = core.regrade(readings, readings.yardstick, value)
    axis = _axis_of(instrument, readings, p, unit)
    yardstick = readings.yardstick
    ordered = grading.ordered(yardstick, readings.cuts[:, p]).tolist() if yardstick else []
    gaps = {name: core.gap_and_attainment(readings, name) for name in readings.marks}
    drawn = [
        _reading(readings, p, m, axis, unit, title, gaps, bool(yardstick and ordered[m]))
        for m in range(len(readings.members))
    ]
    drawn.sort(key=lambda r: _order(r, instrument.order, kpi.direction))
    return empty.model_copy(
        update={
            "title": title, "notes": notes, "axis": axis_picture(axis, unit, instrument.ticks),
            "readings": drawn, "rehearsed": rehearsed is not None,
        }
    )  # fmt: skip


def take(
    book: Book, instrument: InstrumentBody, scope: ScopeBody, period: Period | None = None
) -> tuple[Readings, list[str]]:
    """The readings behind an instrument for all periods in step with ``period``, or with the scope's.

    Raises FormulaError, NoPeriod, Missing, KeyError.
    """
    kpi = book.kpi(instrument.kpi)
    source = book.source(kpi)
    period = period or period_of(scope, [source], book.year_start)
    line = (period.grain, period.length, period.ordinal % period.length)
    yardstick = book.yardstick(instrument.yardstick).core() if instrument.yardstick else None
    where = {segment: names for segment, names in scope.members.items() if names and segment in source.members}
    notes = [
        f"not split by {segment}: all rows are read"
        for segment, names in scope.members.items()
        if names and segment not in source.members
    ]
    # Several faces of one KPI on a page share its readings.
    key = (instrument.kpi, instrument.by, instrument.yardstick, tuple(instrument.marks), repr(where), line)
    if key not in book.taken:
        entries = book.entries(instrument.kpi)
        periods = timeline(period, source.first, source.last)
        book.taken[key] = book.read(
            kpi, entries, instrument.marks, yardstick, by=instrument.by, where=where, periods=periods,
            computed=book.computed(instrument.kpi),
        )  # fmt: skip
    return book.taken[key], notes


def unit_of(unit: Unit, instrument: InstrumentBody) -> Unit:
    decimals = unit.decimals if instrument.decimals is None else instrument.decimals
    compact = unit.compact if instrument.compact is None else instrument.compact
    return replace(unit, decimals=decimals, compact=compact)


def label_of(book: Book, dataset: str, column: str) -> str:
    return next((c.label for c in book.dataset(dataset).columns if c.name == column), column)


def _axis_of(instrument: InstrumentBody, readings: Readings, p: int, unit: Unit) -> Axis:
    """The axis as given, or chosen so that values, cuts and marks fit."""
    fit = [readings.value[p], *(readings.cuts[:, p]), *(line[p] for line in readings.marks.values())]
    values = np.concatenate([np.ravel(part) for part in fit]) if fit else np.array([])
    whole = axes.whole_of(values, unit.kind == "percent")
    from_zero = instrument.face == "bar"
    if from_zero:
        # Progress runs from nothing to its mark: what lies past that is told by the overrun sign.
        lines = np.ravel(readings.marks[instrument.marks[0]][p]) if instrument.marks else np.array([])
        lines = lines[np.isfinite(lines)]
        chosen = Axis(0.0, whole) if whole else axes.choose(values, from_zero=True)
        if not whole and lines.size and lines.max() > 0:
            chosen = Axis(min(chosen.low, 0.0), max(float(lines.max()), 1e-9))
    else:
        chosen = axes.choose(values, ceiling=whole)
    low = chosen.low if instrument.axis.low is None else instrument.axis.low
    high = chosen.high if instrument.axis.high is None else instrument.axis.high
    span = chosen.high - chosen.low
    if low >= high:  # one end is given and lies past the other, which then has to give way
        low, high = (low, low + span) if instrument.axis.high is None else (high - span, high)
    # An end so far out that the span vanishes beside it leaves nothing to draw.
    return Axis(low, high) if low < high else chosen


def axis_picture(axis: Axis, unit: Unit, with_ticks: bool = True) -> AxisPicture:
    places = axes.ticks(axis) if with_ticks else []
    # The unit's text stands at the figure, not at every tick; a duration needs its own.
    bare = replace(unit, text="", sign=False) if unit.kind == "number" else replace(unit, sign=False)
    return AxisPicture(
        low=axis.low,
        high=axis.high,
        low_shown=words.show_cut(axis.low, unit),
        high_shown=words.show_cut(axis.high, unit),
        zero=axis.place(0.0),
        broken=axis.broken,
        ticks=[Tick(fraction=axis.place(v), label=words.show_cut(v, bare)) for v in places],
    )


def bands_on(axis: Axis, yardstick: grading.Yardstick, cuts: Sequence[float]) -> list[Band]:
    """The bands as far as they lie on the axis, by cuts that are in order."""
    edges = [0.0, *(axis.place(cut) for cut in cuts), 1.0]
    return [
        Band(state=state, start=start, end=end)
        for state, start, end in zip(yardstick.bands, edges, edges[1:], strict=False)
        if end > start
    ]


def cut_lines(axis: Axis, cuts: Sequence[float], unit: Unit) -> list[CutLine]:
    return [
        CutLine(
            value=float(c),
            fraction=axis.place(c),
            shown=words.show_cut(float(c), unit),
            past=axis.past(c),
        )
        for c in cuts
        if math.isfinite(c)
    ]


def _nothing(title: str, member: str | None, reason: str) -> ReadingPicture:
    return ReadingPicture(
        member=member, label=member or "", status="no_reading", reason=reason, value=None, shown="no reading", state=None,
        fraction=0.0, past=0, bands=[], cuts=[], marks=[], gap=None, gap_shown="", gap_words="", band_words="", attainment=None,
        attainment_shown="", partial=None, before=None, spoken=words.spoken(member or title, "no reading", None, reason),
    )  # fmt: skip


def _reading(
    readings: Readings,
    p: int,
    m: int,
    axis: Axis,
    unit: Unit,
    title: str,
    gaps: Mapping[str, tuple[Floats, Floats]],
    ordered: bool,
) -> ReadingPicture:
    value = float(readings.value[p, m])
    yardstick, member = readings.yardstick, readings.members[m]
    cuts = readings.cuts[:, p, m].tolist() if yardstick else []
    bands = bands_on(axis, yardstick, cuts) if yardstick and ordered else []
    lines = [
        MarkLine(
            name=name,
            value=float(line[p, m]),
            shown=words.show_cut(float(line[p, m]), unit),
            fraction=axis.place(float(line[p, m])),
            past=axis.past(float(line[p, m])),
        )
        for name, line in readings.marks.items()
        if math.isfinite(line[p, m])
    ]
    part = readings.parts[p]
    partial = (
        Partial(days=part.days, of=part.of, words=part.words, pro_rated=core.pro_rates(readings, p)) if part else None
    )
    # Rows on one axis carry no labels of their cuts; one reading alone does.
    drawn_cuts = cut_lines(axis, cuts, unit) if member is None else []
    label = member or ""
    if not math.isfinite(value):
        rows = int(readings.totals.rows[p, m])
        reason = f"no rows in {readings.periods[p].label}" if not rows else "the formula divides by nothing here"
        nothing = _nothing(title, member, reason)
        return nothing.model_copy(update={"bands": bands, "cuts": drawn_cuts, "marks": lines, "partial": partial})
    state = readings.state(p, m)
    reason = ""
    if state is None:
        reason = grading.why_not_graded(yardstick, cuts) if yardstick else "no yardstick is chosen"
    first = lines[0] if lines else None
    gap, attainment = gaps[first.name] if first else (None, None)
    distance = float(gap[p, m]) if gap is not None else None
    reached = float(attainment[p, m]) if attainment is not None and math.isfinite(attainment[p, m]) else None
    gap_words = words.gap_words(value, first.value, first.name, readings.kpi.direction, unit) if first else ""
    band_words = ""
    if state is not None and yardstick:
        band_words = words.band_words(yardstick, cuts, int(readings.band[p, m]), unit)
    shown = show(value, unit)
    percent = Unit("percent", 0)
    rest = "; ".join(
        part
        for part in (
            gap_words,
            f"not graded: {reason}" if reason else "",
            f"partial, {partial.words}" if partial else "",
        )
        if part
    )
    return ReadingPicture(
        member=member, label=label, status="graded" if state else "not_graded", reason=reason, value=value, shown=shown,
        state=state, fraction=axis.place(value), past=axis.past(value), bands=bands,
        cuts=drawn_cuts, marks=lines, gap=distance,
        gap_shown=_signed_gap(distance, unit), gap_words=gap_words, band_words=band_words, attainment=reached,
        attainment_shown=show(reached, percent) if reached is not None else "", partial=partial,
        before=readings.state(p - 1, m) if p > 0 else None,
        spoken=words.spoken(f"{title}, {label}" if label else title, shown, state, rest),
    )  # fmt: skip


@lru_cache(maxsize=256)
def _bare(unit: Unit) -> Unit:
    """The unit of a gap in a column of figures: points for a percent, no text behind a number."""
    if unit.kind == "percent":
        return Unit("number", unit.decimals)
    return replace(unit, text="") if unit.kind == "number" else unit


def _signed_gap(gap: float | None, unit: Unit) -> str:
    if gap is None:
        return ""
    return show(gap * 100 if unit.kind == "percent" else gap, _bare(unit), sign=True)


def _order(r: ReadingPicture, order: str, direction: str) -> tuple[bool, float, str]:
    """Worst first by gap, or by value where there is no mark; largest first by value; without a figure last."""
    if order == "name":
        return (False, 0.0, "")  # as the members come
    figure = {"gap": r.value if r.gap is None else r.gap, "value": r.value}[order]
    if figure is None:
        return (True, 0.0, r.label)
    descending = order == "value" or direction == "lower"
    return (False, -figure if descending else figure, r.label)


def _tally(readings: Sequence[ReadingPicture]) -> list[TallyPart]:
    counts = Counter(r.state or r.status for r in readings)
    names = {state.key: state.name for state in states()} | {
        "not_graded": "not graded",
        "no_reading": "no reading",
    }
    return [TallyPart(state=key, name=name, count=counts[key]) for key, name in names.items() if counts[key]]


def _changed(readings: Sequence[ReadingPicture], period: Period | None) -> str:
    """How many readings changed state since the period before, and which way."""
    ranks = {key: state.rank for key, state in STATES.items()}
    steps = [ranks[r.state] - ranks[r.before] for r in readings if r.state and r.before and r.state != r.before]
    if period is None:
        return ""
    before = period.shift(-1).brief
    if not steps:
        return f"no state changed since {before}" if any(r.before for r in readings) else ""
    better, worse = sum(step > 0 for step in steps), sum(step < 0 for step in steps)
    parts = [f"{n} {word}" for n, word in ((better, "better"), (worse, "worse")) if n]
    return f"{len(steps)} changed state since {before} · {', '.join(parts)}"


def _section_words(pictures: Sequence[InstrumentPicture], period: Period | None) -> str:
    partial = next((r.partial for p in pictures for r in p.readings if r.partial), None)
    if partial and period:
        rated = (
            ", marks pro-rated" if any(r.partial and r.partial.pro_rated for p in pictures for r in p.readings) else ""
        )
        return f"{period.brief} is partial: {partial.words}{rated}"
    return _changed([r for p in pictures for r in p.readings], period)
