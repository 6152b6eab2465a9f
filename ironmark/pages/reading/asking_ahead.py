"""What is about to be asked of live sources, and of those of many rows, asked at once: one statement, or one pass over the rows,
for each grain and set of segments, however many KPIs there are."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace

from ironmark.core.formula_nodes import UNADDED, Aggregate, FormulaError, aggregates
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.instrument_identity import different
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import own_scope
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod, Unit
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import LiveProblem
from ironmark.tables.live_waiting import Patient

Narrowed = tuple[tuple[str, tuple[str, ...]], ...]  # to which members of which segments
Place = tuple[Unit, tuple[str, ...], Narrowed]


def of_page(context: ReadingContext, instruments: Sequence[InstrumentBody], scope: ScopeBody, page: Period) -> None:
    """What all instruments of a page are about to ask."""
    every = {key for key in context.kpis if context.is_asked_ahead(key)}
    read_by: dict[str, dict[Place, None]] = {}
    for instrument in different(instruments) if every else ():
        own, period = own_scope(instrument, scope, page)
        narrowed = tuple(sorted((segment, tuple(names)) for segment, names in own.members.items() if names))
        place = period.unit, tuple(sorted({*dict(narrowed), *([instrument.by] if instrument.by else [])})), narrowed
        for key in every.intersection(instrument.kpis):
            read_by.setdefault(key, {})[place] = None
    _ask(context, read_by)


def of_dataset(context: ReadingContext, key: str, wanted: Callable[[], bool]) -> bool:
    """What all KPIs of a dataset are about to ask, in complete months and up to some day; whether there are any. wanted: whether to
    go on."""
    kpis = [kpi for kpi, body in context.every_kpi.items() if body.dataset == key]
    context.fetch(kpis)
    units: tuple[Unit, ...] = "month", "day"
    for unit in units:
        if wanted():
            _ask(context, {kpi: {(unit, (), ()): None} for kpi in kpis if context.is_asked_ahead(kpi)})
    return bool(kpis)


def _ask(context: ReadingContext, read_by: Mapping[str, Mapping[Place, None]]) -> None:
    wanted: dict[str, dict[Place, dict[Aggregate, None]]] = {}
    for key, places in read_by.items():
        kpi = context.kpis[key]
        try:
            trees = [context.expanded(kpi).formula]
            trees += [context.mark_formula(kpi, text) for text in context.computed(key).values()]
        except (FormulaError, Missing):
            continue  # its sheet says what is wrong
        for a in dict.fromkeys(a for tree in trees for a in aggregates(tree)):
            if not a.whole and a.name not in UNADDED:
                plain = replace(a, dataset=None, years=0, back=0, window=None)
                for place in places:
                    wanted.setdefault(a.dataset or kpi.dataset, {}).setdefault(place, {})[plain] = None
    for dataset, asked in wanted.items():
        with suppress(LiveProblem, NoPeriod, Missing):  # the sheets say so
            source = context.source_of(dataset)
            if not isinstance(source, Patient | ColumnSource):
                continue
            together: dict[tuple[Unit, tuple[str, ...]], dict[Aggregate, None]] = {}
            for (unit, segments, narrowed), found in asked.items():
                if isinstance(source, Patient) or not source.is_apart(unit, segments, dict(narrowed)):
                    together.setdefault((unit, segments), {}).update(found)
            source.ahead_of_page(tuple((*place, tuple(found)) for place, found in together.items()))
