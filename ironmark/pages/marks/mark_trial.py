"""What changed marks would do to the states of readings so far."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from ironmark.core import marks as core
from ironmark.core.numbers import show
from ironmark.core.periods import Period, timeline
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.marks.mark_changes import ChangeBody, change_of
from ironmark.pages.marks.mark_guard import MarkGuard
from ironmark.pages.reading.by_chance import by_chance
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.pages.reading.usual_ranges import UsualRanges
from ironmark.store.marks import Change


class StateChange(BaseModel):
    label: str
    period: str
    shown: str
    before: str | None
    after: str | None


class TryOut(BaseModel):
    """What changes would do to the states of readings so far, by one yardstick."""

    yardstick: str
    changes: list[StateChange]
    count: int
    doubts: list[str] = []
    chances: list[str] = []  # how often what is set would be met by usual variation alone


MOST_TOLD = 12


def _chances(context: ReadingContext, key: str, changes: Sequence[Change]) -> list[str]:
    """How often the last mark that is set would be met, of all rows together or of the one member it is for."""
    change = next((one for one in reversed(changes) if one.value is not None), None)
    if change is None or change.value is None or change.owner.whose == "each" or len(change.owner.of) > 1:
        return []
    kpi = context.kpi(key)
    source, since = context.source(kpi), Period.parse(change.since, context.year_start)
    line = timeline(Period.of(source.last, since.grain, context.year_start), source.first, source.last)
    where = {segment: [member] for segment, member in dict(change.owner.of).items()}
    readings = context.cached_readings(key, (), None, by=None, where=where, periods=line)
    return by_chance(readings, UsualRanges(readings, context.named_dates(key)), float(change.value), context.style)


def try_out(context: ReadingContext, key: str, tried_changes: Sequence[ChangeBody], also: str | None) -> TryOut:
    """The readings that would change state, the newest first, by the yardstick this KPI is graded by.

    also: the segment whose members are read as well as all rows together.
    """
    kpi = context.kpi(key)
    changes = [change_of(context, kpi, change, f"changes.{n}") for n, change in enumerate(tried_changes)]
    doubts = [doubt for _, doubt in MarkGuard(context, kpi).doubts(changes)]
    yardstick_id = yardsticks_in_use(context.session).get(key)
    if yardstick_id is None:
        return TryOut(
            yardstick="", changes=[], count=0, doubts=doubts[:MOST_TOLD], chances=_chances(context, key, changes)
        )
    yardstick = context.yardstick(yardstick_id)
    entries = context.entries(key)
    places = {change.place for change in changes}
    tried = [e for e in entries if (e.name, e.owner, e.since.key) not in places]
    tried += [
        core.MarkEntry(c.name, c.owner, Period.parse(c.since, context.year_start), c.value)
        for c in changes
        if c.value is not None
    ]
    found: list[tuple[int, StateChange]] = []
    graded = context.graded_by(yardstick)
    for by in dict.fromkeys((None, also)):
        computed = context.computed(key)
        before, after = (
            context.read(kpi, marks, yardstick=graded, by=by, computed=computed) for marks in (entries, tried)
        )
        for p, m in np.argwhere(before.band != after.band):
            change = StateChange(
                label=before.members[m] or "all together",
                period=before.periods[p].short,
                shown=show(float(before.value[p, m]), kpi.unit.as_unit(), context.style),
                before=before.state(p, m),
                after=after.state(p, m),
            )
            found.append((int(p), change))
    found.sort(key=lambda each: -each[0])
    told = [change for _, change in found[:MOST_TOLD]]
    return TryOut(
        yardstick=yardstick.name,
        changes=told,
        count=len(found),
        doubts=doubts[:MOST_TOLD],
        chances=_chances(context, key, changes),
    )
