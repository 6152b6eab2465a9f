"""Which readings an instrument shows, and in which order."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ironmark.core import distances, readings
from ironmark.core.periods import Period
from ironmark.core.readings import Readings
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import Order
from ironmark.pages.model.page import Ask
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import take_readings

MOST_GROUPS = 60


@dataclass(frozen=True)
class RowRef:
    """One reading of an instrument: where it stands among some readings, and what it is a reading of."""

    readings: Readings
    p: int
    m: int = 0
    role: str = "all"
    label: str = ""
    member: str | None = None
    ask: Ask | None = None

    @cached_property
    def value(self) -> float:
        return float(self.readings.value[self.p, self.m])

    @cached_property
    def lines(self) -> dict[str, float]:
        return {name: float(line[self.p, self.m]) for name, line in self.readings.marks.items()}

    @cached_property
    def cuts(self) -> list[float]:
        found: list[float] = self.readings.cuts[:, self.p, self.m].tolist()
        return found


def row_refs_of(instrument: InstrumentBody, readings: Readings, p: int) -> list[RowRef]:
    if instrument.by:
        return [RowRef(readings, p, m, "member", name or "", name) for m, name in enumerate(readings.members)]
    if instrument.last:
        some = range(max(0, p + 1 - instrument.last), p + 1)
        found = []
        for at in some:
            when = readings.periods[at]
            found.append(RowRef(readings, at, 0, "period", when.short, ask=Ask(period=when.key)))
        return found
    return [RowRef(readings, p)]


def order_of(instrument: InstrumentBody) -> Order:
    """The order that is asked for: members by their gap and periods in time unless something else is said."""
    return instrument.order or ("time" if instrument.last and not instrument.by else "gap")


def ordered(places: list[RowRef], order: Order, backwards: bool = False) -> list[RowRef]:
    """By gap (or by value where there is no mark) and by state the worst first, by value the largest; without a
    figure last. By name as it reads; kept and in time as the readings come. Of equal ones that which comes first by
    name. backwards: the other way round, still with those without a figure last.
    """
    if order in ("kept", "time") or len(places) < 2:
        return places[::-1] if backwards else places
    if order == "name":
        return sorted(places, key=lambda at: at.label.casefold(), reverse=backwards)
    readings = places[0].readings
    rows, columns = np.array([at.p for at in places]), np.array([at.m for at in places])
    value = readings.value[rows, columns]
    figure = value.copy()
    if order == "gap":
        good = distances.goodness(readings, next(iter(readings.marks), ""))[rows, columns]
        # Without any mark at all the values themselves tell more and less.
        worse_first = -value if readings.kpi.direction == "lower" else value
        figure = good if np.isfinite(good).any() else worse_first
    elif order == "state" and readings.yardstick:
        ranks = np.array([state.rank for state in readings.yardstick.states])
        band = readings.band[rows, columns]
        figure = np.where(band >= 0, ranks[np.maximum(band, 0)], np.nan)
    last = np.where(np.isfinite(figure), 0, np.where(np.isfinite(value), 1, 2))
    down = (order == "value") != backwards
    keys = np.where(np.isfinite(figure), -figure if down else figure, 0.0)
    return [places[i] for i in sorted(range(len(places)), key=lambda i: (last[i], keys[i], places[i].label))]


def order_words(order: Order, backwards: bool, without_marks: bool, direction: readings.Direction) -> str:
    """An order as a sheet says it. By gap where there is no mark, the worse values come first."""
    by = order
    if order == "gap" and without_marks:
        by, backwards = "value", backwards == (direction == "lower")
    ways = {
        "gap": ("sorted by gap", "sorted by gap, the best first"),
        "value": ("sorted by value", "sorted by value, the smallest first"),
        "state": ("sorted by state", "sorted by state, the best first"),
        "name": ("by name", "by name, backwards"),
        "kept": ("in their kept order", "in their kept order, backwards"),
        "time": ("", "the newest first"),
    }
    return ways[by][backwards]


def first_of(
    context: ReadingContext,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    places: list[RowRef],
    p: int,
) -> list[RowRef]:
    """The first so many members, and all others read together as one."""
    if not instrument.first or not instrument.by or len(places) <= instrument.first:
        return places
    rest = [at.member or "" for at in places[instrument.first :]]
    together = instrument.model_copy(update={"by": None})
    narrowed = scope.model_copy(update={"members": scope.members | {instrument.by: rest}})
    readings, _ = take_readings(context, together, narrowed, period)
    ask = Ask(by=None, members={instrument.by: rest}, together=True)
    label = f"{len(rest)} others" if len(rest) > 1 else rest[0]
    return [*places[: instrument.first], RowRef(readings, p, 0, "rest", label, ask=ask)]


def grouped(
    context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody, period: Period | None, places: list[RowRef]
) -> list[RowRef]:
    """The rows of a ledger under their groups, each group read together as a row of its own."""
    group = instrument.look.ledger.group or ""
    heads, _ = take_readings(context, instrument.model_copy(update={"by": group}), scope, period)
    p, out = places[0].p, []
    for m, name in list(enumerate(heads.members))[:MOST_GROUPS]:
        if not heads.totals.rows[p, m]:
            continue
        only = {group: [name or ""]}
        out.append(RowRef(heads, p, m, "group", name or "", name, Ask(by=group)))
        narrowed = scope.model_copy(update={"members": scope.members | only})
        readings, _ = take_readings(context, instrument, narrowed, period)
        column = {member: at for at, member in enumerate(readings.members)}
        inside = [
            RowRef(readings, p, column[at.member], "member", at.label, at.member, Ask(by=instrument.by, members=only))
            for at in places
            if at.member in column and readings.totals.rows[p, column[at.member]]
        ]
        out += ordered(inside, order_of(instrument), instrument.backwards)
    return out
