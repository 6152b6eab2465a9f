"""What an instrument reads: its period, its readings, its unit."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import replace

from ironmark.core import readings
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period, complete_for_most, timeline
from ironmark.core.readings import Readings
from ironmark.core.scope_shift import reached, shift_words
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody

MOST_AFTER = 400  # periods after the last row


def period_of(
    scope: ScopeBody, sources: Sequence[readings.Source], year_start: int,
    through: Sequence[tuple[dt.date, int]] | None = None,
) -> Period:  # fmt: skip
    """The period a scope names, by the datasets it reads. through: the days that sheets are complete through, and how
    many each; one for each of the datasets where it is left out."""
    if scope.period not in ("latest", "complete"):
        return Period.parse(scope.period, year_start)
    days = min(source.first for source in sources), max(source.last for source in sources)
    first, last = (Period.of(day, scope.grain, year_start) for day in days)
    if scope.period == "latest":
        return last
    return complete_for_most(first, last, through or [(source.through, 1) for source in sources])


def own_scope(instrument: InstrumentBody, scope: ScopeBody, page: Period) -> tuple[ScopeBody, Period]:
    """The scope and the period an instrument reads on a page that reads ``page``."""
    own = instrument.own
    if own.period == "page" and not own.members:
        return scope, page
    period = reached(page, own.period, own.last, own.fixed)
    members = {**scope.members, **own.members}
    return scope.model_copy(update={"period": period.key, "grain": period.grain, "members": members}), period


def reach_words(context: ReadingContext, instrument: InstrumentBody, dataset: str, page: Period, read: Period) -> str:
    """What an instrument reads in words, where it is not what its page reads."""
    own = instrument.own
    parts = [shift_words(page, read, own.period, own.last)]
    for segment, names in own.members.items():
        label = context.label_of(dataset, segment).lower()
        some = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
        parts.append(f"{some} only" if names else f"every {label}")
    return "; ".join(part for part in parts if part)


def take_readings(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period | None = None
) -> tuple[Readings, list[str]]:
    """The readings behind an instrument for all periods in step with ``period``, or with the scope's, and what there is to say
    of them. Raises FormulaError, NoPeriod, Missing, KeyError."""
    asked = (id(instrument), id(scope), period)
    if (known := context.by_instrument.get(asked)) is None:
        # The two are held with what was found, so that nothing else is ever known by their addresses.
        known = context.by_instrument[asked] = (instrument, scope, *_take(context, instrument, scope, period))
    return known[2], known[3]


def _take(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period | None
) -> tuple[Readings, list[str]]:
    kpi = context.kpi(instrument.kpi)
    source = context.source(kpi)
    period = period or period_of(scope, [source], context.year_start)
    where = {segment: names for segment, names in scope.members.items() if names and segment in source.members}
    notes = [
        f"not split by {segment}: all rows are read"
        for segment, names in scope.members.items()
        if names and segment not in source.members
    ]
    periods = timeline(period, source.first, _last(period, source))
    taken = context.cached_readings(
        instrument.kpi, instrument.marks, instrument.yardstick, by=instrument.by, where=where, periods=periods
    )
    return taken, notes


def _last(period: Period, source: readings.Source) -> dt.date:
    """How far out readings are taken: to the last row, and to the period that is asked for, since a formula may look
    back from there. One that lies very far out is not read."""
    after = (period.ordinal - Period.of(source.last, period.grain, period.year_start).ordinal) // period.length
    return max(source.last, period.end) if after <= MOST_AFTER else source.last


def unit_of(unit: Unit, instrument: InstrumentBody) -> Unit:
    decimals = unit.decimals if instrument.decimals is None else instrument.decimals
    compact = unit.compact if instrument.compact is None else instrument.compact
    own = decimals == unit.decimals and compact == unit.compact
    return unit if own else replace(unit, decimals=decimals, compact=compact)
