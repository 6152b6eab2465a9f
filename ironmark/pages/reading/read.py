"""Reading a scorecard: documents, a scope and rows become a page."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Mapping, Sequence
from contextlib import suppress

from ironmark.core import palette as palettes
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.periods import ROW_GRAINS, Period, timeline
from ironmark.core.readings import Source
from ironmark.core.words import days_words
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.instrument_identity import but_for_place, different, edited
from ironmark.pages.model.markdown import blocks_of
from ironmark.pages.model.page import Assumed, Page, PageSection, PictureSheet, Segment, Sheet, TextSheet
from ironmark.pages.model.scorecard import InstrumentBody, Rehearsed, ScopeBody, ScorecardBody
from ironmark.pages.reading import asking_ahead
from ironmark.pages.reading.instrument_scope import own_scope, period_of, take_readings
from ironmark.pages.reading.live_figures import LiveFigures
from ironmark.pages.reading.notes import notes_on
from ironmark.pages.reading.plain_readings import plain_readings_of
from ironmark.pages.reading.sheets import read_sheet
from ironmark.pages.reading.usual_ranges import work_out
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod, NoSegment
from ironmark.tables.connections import LiveProblem


def read_page(
    context: ReadingContext, body: ScorecardBody, scope: ScopeBody, rehearsals: Mapping[str, Rehearsed] | None = None
) -> Page:
    """Read and grade every instrument of a scorecard. What cannot be read says why, and holds up nothing else."""
    instruments = [instrument for section in body.sections for instrument in section.instruments]
    context.assume(scope.assume)
    texts = [text for section in body.sections for text in section.texts]
    context.fetch([i.kpi for i in instruments], [i.yardstick for i in instruments if i.yardstick])
    figured = LiveFigures(context, instruments)
    for text in texts:
        figured.add(text.text)
    every = [*instruments, *figured.bodies.values()]
    sources, segments = _datasets(context, every)
    through = _through(context, instruments)
    ends = list(Counter(through.values()).items()) or None
    period = period_of(scope, list(sources.values()), context.year_start, ends) if sources else None
    if period is not None:
        asking_ahead.of_page(context, every, scope, period)
    sheets = _sheets(context, instruments, scope, period, rehearsals or {})
    if period is not None and ends:
        sheets = tuple(_told_behind(sheet, period, through.get(sheet.id), ends) for sheet in sheets)
    figures = {key: read_sheet(context, held, scope, period) for key, held in figured.bodies.items()}
    context.sources.make_room(context.session, sum(len(sheet.readings) for sheet in sheets))
    notes = notes_on(context, sheets, figured, figures)
    first = min((source.first for source in sources.values()), default=None)
    last = max((source.last for source in sources.values()), default=None)
    return Page(
        title=body.title,
        period=period.key if period else "",
        grain=period.grain if period else scope.grain,
        year_start=context.year_start,
        members={segment: tuple(names) for segment, names in scope.members.items() if names},
        rows_by=min((source.grain for source in sources.values()), key=ROW_GRAINS.index, default="day"),
        periods=_choices(period, first, last, context.year_start) if period and first and last else (),
        segments=segments,
        states=tuple(
            states_used(context, [*sheets, *figures.values()], [i.yardstick for i in instruments if i.yardstick])
        ),
        assumptions=_assumed(context, every),
        sections=tuple(PageSection(s.id, s.title, tuple(i.id for i in s.instruments)) for s in body.sections),
        sheets=sheets,
        texts=tuple(
            TextSheet(text.id, (), (), "notes")
            if text.lists
            else TextSheet(text.id, blocks_of(text.text), figured.problems(text.text, figures))
            for text in texts
        ),
        pictures=tuple(
            PictureSheet(held.id, held.image, held.alt)
            for section in body.sections
            for held in section.pictures
            if held.image
        ),
        figures=figures,
        rests_on=context.rests_on(),
        notes=notes,
        asks=body.asks,
        notes_at_end=body.notes_at_end,
    )


def _through(context: ReadingContext, instruments: Sequence[InstrumentBody]) -> dict[str, dt.date]:
    """The day that the rows of each instrument are complete through, as far as it can be read."""
    days: dict[str, dt.date] = {}
    for key in dict.fromkeys(instrument.kpi for instrument in instruments):
        with suppress(Missing, NoPeriod, LiveProblem, FormulaError):
            if key in context.kpis:
                days[key] = context.through(context.kpis[key])
    return {instrument.id: days[instrument.kpi] for instrument in instruments if instrument.kpi in days}


def _told_behind(sheet: Sheet, period: Period, through: dt.date | None, ends: Sequence[tuple[dt.date, int]]) -> Sheet:
    """A sheet whose rows end before the page's period does, while those of most are complete, says so."""
    over = sum(many for day, many in ends if day >= period.end)
    if through is None or through >= period.end or 2 * over <= sum(many for _, many in ends) or sheet.problem:
        return sheet
    return edited(sheet, notes=(*sheet.notes, f"its rows are behind: complete through {days_words([through])}"))


def _sheets(
    context: ReadingContext,
    instruments: Sequence[InstrumentBody],
    scope: ScopeBody,
    period: Period | None,
    rehearsals: Mapping[str, Rehearsed],
) -> tuple[Sheet, ...]:
    """The sheets of a page. Instruments that differ in nothing but where they stand are read once."""
    _usual_ahead(context, instruments, scope, period)
    found: list[Sheet] = []
    held: dict[str, Sheet] = {}
    for instrument in instruments:
        if instrument.id in rehearsals:
            found.append(read_sheet(context, instrument, scope, period, rehearsals[instrument.id]))
            continue
        asked = but_for_place(instrument)
        sheet = held.get(asked)
        if sheet is None:
            sheet = held[asked] = read_sheet(context, instrument, scope, period)
        else:
            sheet = edited(sheet, id=instrument.id, instrument=instrument)
        found.append(sheet)
    return tuple(found)


def _usual_ahead(
    context: ReadingContext, instruments: Sequence[InstrumentBody], scope: ScopeBody, page: Period | None
) -> None:
    """Work out what is usual for the readings of all instruments together."""
    blocks = []
    for instrument in different(instruments) if page is not None else ():
        if instrument.own.period == "to_date" or instrument.kpi not in context.kpis:
            continue
        with suppress(FormulaError, NoPeriod, Missing, LiveProblem, NoSegment):  # its sheet says what is wrong
            own, period = own_scope(instrument, scope, page) if page else (scope, None)
            readings, _ = take_readings(context, instrument, own, period)
            blocks.append(plain_readings_of(context, instrument.kpi, instrument.yardstick, readings).usual)
    work_out(blocks)


def _assumed(context: ReadingContext, instruments: Sequence[InstrumentBody]) -> tuple[Assumed, ...]:
    """The assumptions that any KPI of some instruments depends on, in the order they were made."""
    keys = dict.fromkeys(key for instrument in different(instruments) for key in instrument.kpis)
    found = {one.handle for key in keys for one in context.assumed_by(key)}
    return tuple(one for handle, one in context.assumptions.items() if handle in found) if found else ()


def states_used(context: ReadingContext, sheets: Sequence[Sheet], yardsticks: Sequence[str]) -> list[palettes.State]:
    """The states that some yardsticks and sheets carry, palette by palette, each from worst to best."""
    bands = {tuple(context.yardsticks[key].bands) for key in set(yardsticks) if key in context.yardsticks}
    bands |= {subject.yardstick.bands for sheet in sheets for subject in sheet.subjects if subject.yardstick}
    used = {palettes.palette_of(state) for states in bands for state in states}
    known = context.palettes if used - palettes.PALETTES.keys() else palettes.PALETTES
    return [state for key in known if key in used for state in known[key].states]


def _choices(period: Period, first: dt.date, last: dt.date, year_start: int) -> tuple[str, ...]:
    """The periods of the scope's grain that have rows."""
    one = Period.of(last, period.grain, year_start)
    return tuple(p.key for p in timeline(one, first, last))


def _datasets(
    context: ReadingContext, instruments: Sequence[InstrumentBody]
) -> tuple[dict[str, Source], tuple[Segment, ...]]:
    """The readable datasets of some instruments, and the segments a scope can choose members of."""
    sources: dict[str, Source] = {}
    choices: dict[str, tuple[str, list[str]]] = {}
    for instrument in instruments:
        kpi = context.kpis.get(instrument.kpi)
        if kpi is None or kpi.dataset in sources:
            continue
        try:
            dataset = context.dataset(kpi.dataset)
            source = sources[kpi.dataset] = context.source(kpi)
            source.first  # noqa: B018  a live source is opened here
        except (Missing, NoPeriod, LiveProblem):
            sources.pop(kpi.dataset, None)
            continue
        for column in dataset.columns:
            if column.role == "segment":
                _, members = choices.setdefault(column.name, (column.label, []))
                members += [name for name in source.members[column.name] if name not in members]
    return sources, tuple(Segment(name, label, tuple(members)) for name, (label, members) in choices.items())
