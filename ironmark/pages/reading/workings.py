"""The full account of how one reading came to its value, mark and state."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np
from pydantic import BaseModel

from ironmark.core import composite, words
from ironmark.core import yardstick as grading
from ironmark.core.distances import gap_and_attainment, nearer_edge, pro_rates
from ironmark.core.evaluate import Floats
from ironmark.core.marks import TARGET, MarkEntry
from ironmark.core.numbers import MINUS, NumberStyle, Unit, rounded, show, show_gap
from ironmark.core.periods import Period
from ironmark.core.readings import Readings, Source
from ironmark.core.why_nothing import no_mark, why_nothing
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import CompositeBody, KpiBody
from ironmark.pages.model.page import Ask
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import own_scope, period_of, take_readings
from ironmark.pages.reading.signal_lines import signal_lines
from ironmark.pages.reading.workings_rows import (
    AggregateFigure,
    Line,
    aggregate_figures,
    from_file,
    rows_line,
    same_days,
    value_line,
)
from ironmark.tables.cells import NoSegment


class MissingMark(BaseModel):
    """A mark that a reading lacks, and where in the mark book it is set."""

    kpi: str
    mark: str
    by: str | None
    year: str


class ReadingOf(BaseModel):
    """What it is a reading of, by which its note is found."""

    kpi: str
    members: dict[str, list[str]]
    period: str


class Workings(BaseModel):
    title: str
    subtitle: str
    formula: str
    parts: list[AggregateFigure]
    lines: list[Line]
    verdict: str
    missing: list[MissingMark] = []
    of: ReadingOf | None = None


def asked_of(instrument: InstrumentBody, scope: ScopeBody, ask: Ask | None) -> tuple[InstrumentBody, ScopeBody]:
    """What the workings of a reading are asked with: its instrument's own, or one of a period, a group, a further KPI."""
    if ask is None:
        return instrument, scope
    own, members = instrument.own, {**ask.members}
    kpi = {"kpi": ask.kpi, "yardstick": ask.yardstick, "marks": list(ask.marks)} if ask.kpi else {}
    by = None if ask.together or ask.kpi else ask.by or instrument.by
    own = own.model_copy(update={"period": "page" if ask.period else own.period, "members": own.members | members})
    scope = scope.model_copy(update={"period": ask.period or scope.period, "members": scope.members | members})
    return instrument.model_copy(update={**kpi, "by": by, "own": own}), scope


def workings(context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, member: str | None) -> Workings:
    """Raises FormulaError, NoPeriod, Missing; refuses a member that is not read."""
    return Explained(context, instrument, scope).of(member)


class Explained:
    """The readings of an instrument, taken once, however many of them are accounted for."""

    def __init__(self, context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody) -> None:
        """Raises FormulaError, NoPeriod, Missing."""
        context.assume(scope.assume)
        context.fetch([instrument.kpi], [instrument.yardstick] if instrument.yardstick else [])
        if instrument.yardstick and instrument.yardstick not in context.yardsticks:
            instrument = instrument.model_copy(update={"yardstick": None})
        self.context, self.instrument = context, instrument
        self.body = body = context.kpi(instrument.kpi)
        try:
            self.source = context.source(body)
            period = period_of(scope, [self.source], context.year_start)
            self.scope, self.period = own_scope(instrument, scope, period)
            self.readings, self.notes = take_readings(context, instrument, self.scope, self.period)
        except NoSegment as error:
            raise Refused(
                422, "no-segment", "No such segment", f"The dataset has no segment “{error.args[0]}”."
            ) from None

    @cached_property
    def _marks(self) -> tuple[str, ...]:
        of_cuts = self.readings.yardstick.marks if self.readings.yardstick else ()
        return tuple(dict.fromkeys((*(self.instrument.marks or ()), *of_cuts)))

    @cached_property
    def _against(self) -> tuple[Floats, Floats, Floats]:
        """Gap and attainment against the first mark, and the nearer edge, (P, M) each."""
        mark = next(iter(self._marks), TARGET)
        return *gap_and_attainment(self.readings, mark), nearer_edge(self.readings)[0]

    @cached_property
    def _weighted(self) -> list[composite.WeightedPart]:
        where = {of: names for of, names in self.scope.members.items() if names and of in self.source.members}
        return self.context.parts(
            self.body, by=self.instrument.by, where=where, periods=self.readings.periods, members=self.readings.members
        )

    def of(self, member: str | None) -> Workings:
        """Refuses a member that is not read."""
        readings, body = self.readings, self.body
        m = readings.member_index(member) if member is not None else 0
        if m is None:
            raise Refused(404, "no-member", "No such member", f"“{member}” is not read here.")
        chosen = "; ".join(
            f"{self.context.label_of(body.dataset, of)}: {', '.join(names)}" for of, names in readings.where.items()
        )
        subtitle = f"{self.period.label}, {member or chosen or 'all rows together'}"
        narrowed = {segment: list(names) for segment, names in readings.where.items()}
        if self.instrument.by and member is not None:
            narrowed[self.instrument.by] = [member]
        of = ReadingOf(kpi=self.instrument.kpi, members=narrowed, period=self.period.key)
        p = readings.period_index(self.period)
        if p is None:
            text = f"none; the dataset has rows from {readings.periods[0].short} to {readings.periods[-1].short}"
            none = [Line(label="Rows used", text=text)]
            return Workings(
                title=body.name,
                subtitle=subtitle,
                formula=body.formula,
                parts=[],
                lines=none,
                verdict="no reading",
                of=of,
            )
        formula, parts, lines = self._value(p, m)
        lines += _assumed_lines(self.context, self.instrument.kpi) + _partial_lines(body, readings, p)
        lines += [_mark_line(self.context, self.instrument, readings, name, p, m, body.dataset) for name in self._marks]
        lines += self._against_lines(p, m)
        graded, verdict = self._grading(p, m)
        lines += signal_lines(self.context, self.instrument, readings, p, m)
        lines += graded + [Line(label="Note", text=note) for note in self.notes]
        read = math.isfinite(readings.value[p, m])
        return Workings(
            title=body.name, subtitle=subtitle, formula=formula, parts=parts, lines=lines, of=of, missing=self._missing(p, m),
            verdict=verdict if read else f"no reading: {why_nothing(readings, p, m)}",
        )  # fmt: skip

    def _value(self, p: int, m: int) -> tuple[str, list[AggregateFigure], list[Line]]:
        """The formula, its aggregates, and how the value came from the rows or from its parts."""
        context, readings, body, value = self.context, self.readings, self.body, float(self.readings.value[p, m])
        if body.composite is not None:
            lines, formula = _composite_lines(
                self._weighted, body.composite, value, p, m, body.unit.as_unit(), self.context.style
            )
            return formula, [], lines
        lines = [
            value_line(readings, value, p, m, self.context.style),
            rows_line(readings, p, m, context, body.dataset, self.period),
        ]
        lines += from_file(context, readings, body.dataset, m) + same_days(context, body, readings, self.period)
        return body.formula, aggregate_figures(context, body, readings, p, m), lines

    def _against_lines(self, p: int, m: int) -> list[Line]:
        """Gap, attainment and headroom, each with how it was reckoned."""
        readings, mark = self.readings, next(iter(self._marks), TARGET)
        value, unit = float(readings.value[p, m]), readings.kpi.unit
        gap, reached, edge = (float(found[p, m]) for found in self._against)
        lines = []
        if math.isfinite(gap):
            ranged = readings.kpi.direction == "inside" and math.isfinite(edge)
            to = (
                f"to the nearer edge, {words.show_cut(value - gap, unit, self.context.style)}"
                if ranged
                else f"to the {mark}"
            )
            lines.append(
                Line(label="Gap", text=f"{MINUS if gap < 0 else ''}{show_gap(gap, unit, self.context.style)} {to}")
            )
        if math.isfinite(reached):
            how = (
                f"2 {MINUS} value ÷ {mark}, since lower is better"
                if readings.kpi.direction == "lower"
                else f"value ÷ {mark}"
            )
            lines.append(
                Line(label="Attainment", text=f"{show(reached, Unit('percent', 1), self.context.style)}, {how}")
            )
        return lines

    def _grading(self, p: int, m: int) -> tuple[list[Line], str]:
        instrument, readings = self.instrument, self.readings
        if not instrument.yardstick or not readings.yardstick:
            return [Line(label="Yardstick", text="none chosen, so not graded")], ""
        entries = self.context.entries(instrument.kpi)
        return _grading_lines(
            self.context.yardstick(instrument.yardstick).name, readings, p, m,
            lambda mark: no_mark(readings, self.source, entries, mark, p, m), self.context.style,
        )  # fmt: skip

    def _missing(self, p: int, m: int) -> list[MissingMark]:
        by = _book_by(self.readings, self.source)
        year = Period.of(self.period.end, "year", self.context.year_start).key
        return [
            MissingMark(kpi=self.instrument.kpi, mark=name, by=by, year=year)
            for name, line in self.readings.marks.items()
            if name in self._marks and not math.isfinite(line[p, m])
        ]


def _assumed_lines(context: ReadingContext, kpi: str) -> list[Line]:
    lines = []
    for held in context.assumed_by(kpi):
        tried = f", tried; {show(held.kept, held.unit, context.style)} is kept" if held.tried else ", an assumption"
        lines.append(
            Line(label=f"@{held.handle}", text=f"{held.name}: {show(held.value, held.unit, context.style)}{tried}")
        )
    return lines


def _partial_lines(body: KpiBody, readings: Readings, p: int) -> list[Line]:
    """What a period that is not over means for its marks; none where it is."""
    part = readings.partial_periods[p]
    if not part:
        return []
    shape = " by last year’s shape" if body.pro_rating == "last_year" else " by days"
    rated = f"; marks are pro-rated{shape}" if pro_rates(readings, p) else "; a rate or level is not pro-rated"
    return [Line(label="Partial", text=f"{part.words}{rated}")]


def _book_by(readings: Readings, source: Source) -> str | None:
    """The segment by which the mark book shows the marks of a reading."""
    return readings.segment or next(iter(readings.where), None) or next(iter(source.members), None)


def _composite_lines(
    parts: Sequence[composite.WeightedPart],
    body: CompositeBody,
    value: float,
    p: int,
    m: int,
    unit: Unit,
    style: NumberStyle,
) -> tuple[list[Line], str]:
    """What each part of a composite adds, and what the parts are rolled up by."""
    adds = composite.contributions(parts, p, m)
    whole = sum(part.weight for part, added in zip(parts, adds, strict=True) if math.isfinite(added))
    percent = Unit("percent", 1)
    lines = []
    for part, added in zip(parts, adds, strict=True):
        held = part.readings.members
        at = m if len(held) > m else 0
        read = float(part.readings.value[p, at])
        state = part.readings.state(p, at)
        shown = show(read, part.readings.kpi.unit, style) or "no reading"
        if not math.isfinite(added):
            why = "no state" if body.by == "score" else "no mark to reach"
            lines.append(Line(label=part.name, text=f"{shown}, {why}: left out, the others keep their proportions"))
            continue
        score = show(float(part.score[p, m]), percent, style)
        text = f"{shown}, score {score} × {part.weight:g} of {whole:g} = {show(added, percent, style)}"
        lines.append(Line(label=part.name, text=text, state=state))
    total = " + ".join(show(added, percent, style) for added in adds if math.isfinite(added))
    lines.append(
        Line(
            label="Reading",
            text=f"{total} = {show(value, unit, style)}" if total else "no reading: no part has a score",
        )
    )
    if body.by == "score":
        return lines, "the mean of its parts’ states by weight, the worst 0%, the best 100%"
    low, high = show(body.low, Unit("percent", 0), style), show(body.high, Unit("percent", 0), style)
    return lines, f"the mean of how far its parts reach their marks by weight, each held between {low} and {high}"


def _whose(context: ReadingContext, dataset: str, entry: MarkEntry) -> str:
    """Whose an entry is, in words."""
    if entry.owner.whose == "each":
        return f"each {context.label_of(dataset, entry.owner.of[0][0]).lower()}"
    if entry.owner.whose == "member":
        return ", ".join(member for _, member in entry.owner.of)
    return "all together" if entry.owner.whose == "together" else "everyone"


def _mark_line(
    context: ReadingContext, instrument: InstrumentBody, readings: Readings, name: str, p: int, m: int, dataset: str
) -> Line:
    line, lines = float(readings.marks[name][p, m]), readings.lines[name]
    unit, period, kpi = readings.kpi.unit, readings.periods[p], readings.kpi
    index, whole, split = int(lines.entry[p, m]), float(lines.value[p, m]), lines.segment(p, m)
    if not math.isfinite(whole) and math.isfinite(line):
        text = f"{show(line, unit, context.style)}, computed: {context.computed(instrument.kpi)[name]}"
        return Line(label=name.capitalize(), text=text)
    if not math.isfinite(whole):
        entries = context.entries(instrument.kpi)
        reason = no_mark(readings, context.source(context.kpi(instrument.kpi)), entries, name, p, m)
        return Line(label=name.capitalize(), text=f"none: {reason}")
    over = {"flow": "added up over", "rate": "weighted over", "stock": "as of the end of"}[kpi.nature]
    if split:
        label = context.label_of(dataset, split).lower()
        how = (
            f"the {name}s of its members by {label} added up"
            if kpi.adds
            else f"the mean of its members’ {name}s by {label}, weighted by the formula’s denominator"
        )
        text = f"{words.show_cut(whole, unit, context.style)}, {how}"
    else:
        entry = context.entries(instrument.kpi)[index]
        text = f"{words.show_cut(entry.value, unit, context.style)}, from the mark book: {_whose(context, dataset, entry)}, from {entry.since.short}"
        if not math.isclose(whole, entry.value, rel_tol=1e-12):
            text = f"{words.show_cut(whole, unit, context.style)}, {over} {period.label}; the last entry is {text}"
    if (part := readings.partial_periods[p]) and pro_rates(readings, p):
        text += f"; of {part.words}, {_how_rated(context.kpi(instrument.kpi).pro_rating, period)}: {show(line, unit, context.style)}"
    return Line(label=name.capitalize(), text=text)


def _how_rated(way: str, period: Period) -> str:
    """How the marks of a partial period were pro-rated."""
    share = "its share by last year’s shape" if way == "last_year" else "its share of days"
    if period.unit == "month" and period.units[1] - period.units[0] > 1:
        return f"the months that are over in full, the one under way by {share}, those to come not at all"
    return f"by {share}"


def _grading_lines(
    name: str, readings: Readings, p: int, m: int, no_mark: Callable[[str], str], style: NumberStyle
) -> tuple[list[Line], str]:
    yardstick, unit = readings.yardstick, readings.kpi.unit
    assert yardstick is not None
    states = yardstick.known
    cuts = readings.cuts[:, p, m].tolist()
    band, value = int(readings.band[p, m]), float(readings.value[p, m])
    of = ", ".join(words.cut_words(cut, unit, style) for cut in yardstick.cuts)
    lines = [Line(label="Yardstick", text=f"{name}, cuts at {of}")]
    if band < 0:
        if math.isfinite(value):
            lines.append(Line(label="Band", text=f"not graded: {grading.why_not_graded(yardstick, cuts, no_mark)}"))
        return lines, ""
    state = yardstick.bands[band]
    lines.append(
        Line(
            label="Band",
            text=f"{words.band_words(yardstick, cuts, band, unit, style)} → {states[state].name}",
            state=state,
        )
    )
    lines += _way_up(yardstick, cuts, band, value, unit, style)
    before = readings.state(p - 1, m) if p else None
    if before:
        earlier = readings.periods[p - 1].brief
        same = before == state
        text = f"{states[state].name}, as before" if same else f"{states[before].name} → {states[state].name}"
        lines.append(Line(label=f"Since {earlier}", text=text, state=state))
    as_shown = readings.kpi.as_shown
    tried = np.array([value if as_shown else rounded(value, unit)])
    shown = int(grading.grade(yardstick, tried, np.asarray(cuts)[:, None])[0])
    if shown != band:
        other = yardstick.states[shown].name
        if as_shown:
            return lines, f"The shown value {show(value, unit, style)} decides: the exact one would be {other}."
        return lines, f"The exact value decides: shown as {show(value, unit, style)} it would look {other}."
    return lines, ""


def _way_up(
    yardstick: grading.Yardstick, cuts: list[float], band: int, value: float, unit: Unit, style: NumberStyle
) -> list[Line]:
    """How far it is to the next better state, on whichever side that lies."""
    states, rank = yardstick.states, yardstick.states[band].rank
    options = []
    if band + 1 < len(yardstick.bands) and states[band + 1].rank > rank:
        options.append((cuts[band] - value, yardstick.bands[band + 1]))
    if band > 0 and states[band - 1].rank > rank:
        options.append((cuts[band - 1] - value, yardstick.bands[band - 1]))
    if not options:
        return []
    gap, state = min(options, key=lambda option: abs(option[0]))
    way = "more" if gap > 0 else "less"
    return [
        Line(label=f"To reach {yardstick.known[state].name}", text=f"{show_gap(gap, unit, style)} {way}", state=state)
    ]
