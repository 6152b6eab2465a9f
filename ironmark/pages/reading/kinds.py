"""Kinds on an instrument: whose colour each member takes, and the legend that tells them."""

from __future__ import annotations

import numpy as np

from ironmark.core.periods import Period, months
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.page import Kinds
from ironmark.pages.model.scorecard import InstrumentBody

MOST = 60  # kinds that members are looked for in


def kinds_of(context: ReadingContext, instrument: InstrumentBody) -> Kinds | None:
    """The kind of every member: itself, or the member of a coarser segment that most of its rows are of.

    None where there are no members, or no such segment. Kinds stand in the order they are kept in, so that one has
    the same colour on every instrument.
    """
    source = context.source(context.kpi(instrument.kpi))
    by, segment = instrument.by, instrument.colour.segment or instrument.by
    if by is None or segment is None or not {by, segment} <= source.members.keys():
        return None
    names = source.members[segment]
    if segment == by:
        return Kinds(segment, names, {name: at for at, name in enumerate(names)})
    periods: tuple[Period, ...] = months(source.first, source.last)
    rows = np.array([source.aggregate((), by, {segment: (name,)}, periods).rows.sum(axis=0) for name in names[:MOST]])
    most, some = rows.argmax(axis=0), rows.max(axis=0) > 0
    return Kinds(segment, names, {name: int(most[m]) for m, name in enumerate(source.members[by]) if some[m]})
