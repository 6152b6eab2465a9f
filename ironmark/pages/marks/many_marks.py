"""Many marks at once: a yearly figure spread, last year and some more, and marks out of a sheet."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import BaseModel, Field, FiniteFloat

from ironmark.core import marks as core
from ironmark.core.evaluate import Floats
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import NotANumber, show, understand
from ironmark.core.periods import Grain, Period, timeline
from ironmark.core.words import decimals_for
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.marks.mark_changes import ChangeBody, OwnedBody, owner_of
from ironmark.pages.marks.mark_guard import MarkGuard
from ironmark.pages.model.field_types import MarkName, Member, Model, Number
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.problems import Refused
from ironmark.store.marks import Change


class SpreadAsk(OwnedBody):
    """A figure for a whole period, dealt out over its parts. ``weights`` are wanted for the way of that name."""

    name: MarkName
    over: str = Field(max_length=24)  # the period the figure is for, such as 2026
    grain: Grain = "month"
    value: Number
    way: Literal["even", "days", "last_year", "weights"] = "days"
    weights: list[FiniteFloat] = Field(default=[], max_length=400)


class RaiseAsk(Model):
    """The KPI's own readings of a year before, raised by a share.

    more: a fraction, 0.05 for 5 % more, as every percent of this interface is (see ``shares`` of ``/yardsticks/deal``).
    """

    name: MarkName
    by: str | None = Field(None, max_length=80)
    members: list[Member | None] = Field(min_length=1, max_length=2000)  # null for all together
    over: str = Field(max_length=24)
    grain: Grain = "month"
    more: FiniteFloat = Field(ge=-1, le=100)


class Proposed(BaseModel):
    """Marks to look at before they are kept, and what could not be made one."""

    changes: list[ChangeBody]
    shown: list[str]  # the value of each
    since: list[str]  # the period of each as it is read: Jan 2026
    report: list[str]


def _periods(text: str, grain: Grain, year_start: int) -> tuple[Period, ...]:
    try:
        whole = Period.parse(text, year_start)
    except ValueError as error:
        raise Refused(422, "no-period", "Over which period?", f"{error}.", {"field": "over"}) from None
    parts = timeline(Period.of(whole.start, grain, year_start), whole.start, whole.end)
    if len(parts) > 400:
        detail = f"That makes {len(parts):,} marks; choose a coarser grain."
        raise Refused(422, "too-many", "Too many parts", detail, {"field": "grain"})
    if parts[0].start != whole.start or parts[-1].end != whole.end:
        detail = f"{whole.label} is not made of whole {grain}s."
        raise Refused(422, "uneven", "The parts do not fit", detail, {"field": "grain"})
    return parts


def _smallest(kpi: KpiBody) -> int:
    """The decimals of the smallest unit that marks of a KPI are given in."""
    unit = kpi.unit
    if unit.compact:
        return 0
    return unit.decimals + (2 if unit.kind == "percent" else 0)


def doubts_of(context: ReadingContext, kpi: KpiBody, changes: Sequence[Change]) -> list[str]:
    """A question about marks that are far from everything that was read."""
    found = MarkGuard(context, kpi).doubts(changes)
    return [f"Look again at {len(found)} of them: {found[0][1]}"] if found else []


def _weights(
    context: ReadingContext, kpi: KpiBody, ask: SpreadAsk, owner: core.Owner, periods: tuple[Period, ...]
) -> Floats:
    if ask.way == "even":
        return np.ones(len(periods))
    if ask.way == "days":
        return np.array([float(period.days) for period in periods])
    if ask.way == "weights":
        if len(ask.weights) != len(periods):
            detail = f"There are {len(periods)} {ask.grain}s and {len(ask.weights)} weights. Give one for each."
            raise Refused(422, "other-weights", "Weights are missing", detail, {"field": "weights"})
        return np.array(ask.weights)
    where = {segment: [member] for segment, member in owner.of} if owner.whose == "member" else {}
    before = [period.years_back(1) for period in periods]
    value = context.read(kpi, where=where, periods=before).value[:, 0]
    if not np.isfinite(value).any():
        detail = "There are no readings of the year before to take the shape from. Spread by days instead."
        raise Refused(422, "no-last-year", "No last year", detail)
    return np.clip(np.nan_to_num(value), 0, None)


def known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def spread_over(context: ReadingContext, key: str, ask: SpreadAsk) -> Proposed:
    """A figure as marks of the parts of its period; they add up to it to the last unit."""
    kpi = context.kpi(key)
    if kpi.nature != "flow":
        detail = (
            f"{kpi.name} is a {kpi.nature}; its marks do not add up over time. Set one mark, which carries forward."
        )
        raise Refused(422, "no-flow", "Only a flow can be spread", detail)
    owner = owner_of(context, kpi, ask, "", value=ask.value)
    periods = _periods(ask.over, ask.grain, context.year_start)
    weights = _weights(context, kpi, ask, owner, periods)
    try:
        parts = core.spread(ask.value, weights, _smallest(kpi))
    except ValueError as error:
        field = {"field": "weights" if ask.way == "weights" else "way"}
        raise Refused(422, "no-weights", "Nothing to spread by", f"{error}".capitalize() + ".", field) from None
    doubts = doubts_of(
        context, kpi, [Change(ask.name, owner, p.key, float(v)) for p, v in zip(periods, parts, strict=True)]
    )
    changes = [ChangeBody.of_entry(ask.name, owner, p.key, float(v)) for p, v in zip(periods, parts, strict=True)]
    unit, plain = kpi.unit.as_unit(), replace(kpi.unit.as_unit(), compact=False)
    total = show(float(np.round(parts.sum(), 10)), plain, context.style, decimals=decimals_for(ask.value, plain))
    report = [f"{len(parts)} {ask.grain}s, together {total}."]
    shown, since = [show(float(v), unit, context.style) for v in parts], [period.short for period in periods]
    return Proposed(changes=changes, shown=shown, since=since, report=[*report, *doubts])


def raised(context: ReadingContext, key: str, ask: RaiseAsk) -> Proposed:
    """Last year's readings and some more as marks; a period without a reading gets none."""
    kpi = context.kpi(key)
    periods = _periods(ask.over, ask.grain, context.year_start)
    before = [period.years_back(1) for period in periods]
    if ask.by is not None and ask.by not in context.source(kpi).members:
        known = context.source(kpi).members
        detail = f"There is no segment “{ask.by}”{did_you_mean(ask.by, known)}."
        raise Refused(422, "no-segment", "No such segment", detail, {"field": "by"})
    read = {by: context.read(kpi, by=by, periods=before) for by in dict.fromkeys((ask.by, None))}
    changes, shown, without = [], [], 0
    places, unit = _smallest(kpi), kpi.unit.as_unit()
    for n, member in enumerate(ask.members):
        found = read[None if member is None else ask.by]
        if member not in found.members:
            near = did_you_mean(member or "", [name for name in found.members if name])
            detail = f"“{member}” is not read by this segment{near}."
            raise Refused(422, "no-member", "No such member", detail, {"field": f"members.{n}"})
        owner = core.TOGETHER if member is None else core.Owner.of_members({str(ask.by): member})
        for p, period in enumerate(periods):
            value = float(found.value[p, found.members.index(member)]) * (1 + ask.more)
            if not math.isfinite(value):
                without += 1
                continue
            value = round(value, places)
            changes.append(Change(ask.name, owner, period.key, value))
            shown.append(show(value, unit, context.style))
    doubts = doubts_of(context, kpi, changes)
    report = [f"{without} periods have no reading of the year before; no mark is made for them."] if without else []
    made = [ChangeBody.of_entry(c.name, c.owner, c.since, c.value) for c in changes]
    since = [Period.parse(c.since, context.year_start).short for c in changes]
    return Proposed(changes=made, shown=shown, since=since, report=[*report, *doubts])


class MarksOfSheet:
    """Marks out of a sheet, with everything that did not match."""

    def __init__(
        self, context: ReadingContext, kpi: KpiBody, name: str, by: str | None, members: tuple[str, ...]
    ) -> None:
        self.kpi, self.name, self.by, self.year_start = kpi, name.strip().lower(), by, context.year_start
        self.adds, self.each = context.expanded(kpi).adds, _plain(f"each {context.label_of(kpi.dataset, by or '')}")
        self.members = {_plain(member): member for member in members}
        self.style = context.style
        self.changes: list[ChangeBody] = []
        self.strangers: dict[str, None] = {}
        self.unread: list[str] = []

    def read(self, labels: list[str], rows: list[list[str]]) -> Proposed:
        periods = [Period.guess(label, self.year_start) for label in labels]
        report = []
        if any(periods):
            ignored = [labels[at] for at, period in enumerate(periods) if period is None and at]
            if ignored:
                report.append(f"Columns that are no period were left out: {', '.join(ignored[:6])}.")
            for row in rows:
                for period, text in zip(periods[1:], row[1:], strict=False):
                    if period is not None and text.strip():
                        self.add(row[0], period, text, self.name)
        else:
            self._one_a_row([label.strip().lower() for label in labels], rows)
        if self.strangers:
            named = ", ".join(f"“{name}”" for name in list(self.strangers)[:8])
            sums = ", and say “all together” or “each” where a figure is for many" if self.adds else ""
            report.append(f"No member is called {named}. Their rows were left out; mend the names{sums}.")
        if self.unread:
            report.append(f"{len(self.unread)} cells are no number and were left out, such as {self.unread[0]}.")
        if not self.changes:
            report.append("No mark was found. Give members down and periods across, or columns member, from and value.")
        unit = self.kpi.unit.as_unit()
        report.insert(0, f"{len(self.changes)} marks were read.")
        shown = [show(c.value, unit, self.style) for c in self.changes]
        since = [Period.parse(c.since, self.year_start).short for c in self.changes]
        return Proposed(changes=self.changes, shown=shown, since=since, report=report)

    def _one_a_row(self, labels: list[str], rows: list[list[str]]) -> None:
        def place(*names: str) -> int:
            return next((at for at, label in enumerate(labels) if label in names), -1)

        member, since = (
            place("member", (self.by or "member").lower()),
            place("from", "period", "month", "since", "effective from"),
        )
        value, mark = place("value", "mark value", self.name), place("mark", "name")
        if since < 0 or value < 0:
            return
        for row in rows:
            period = Period.guess(row[since], self.year_start)
            if period is None or period.length > 1:
                self.unread.append(f"“{row[since][:20]}”, which is no period")
            elif row[value].strip():
                name = row[mark].strip().lower()[:40] if mark >= 0 and row[mark].strip() else self.name
                self.add(row[member] if member >= 0 else "", period, row[value], name)

    def add(self, who: str, period: Period, text: str, name: str) -> None:
        own = self._owner(who)
        if own is None:
            self.strangers[who[:60] or "(nobody)"] = None
            return
        try:
            value = understand(text, self.kpi.unit.as_unit(), self.style)
        except NotANumber:
            self.unread.append(f"“{text[:20]}” for {who or 'nobody named'} in {period.short}")
            return
        self.changes.append(ChangeBody.of_entry(name, own, period.key, value))

    def _owner(self, who: str) -> core.Owner | None:
        """Whose marks a row's are; None for a name that is nobody's, and for nobody where it could be two things."""
        plain = _plain(who)
        if plain in self.members:
            return core.Owner.of_members({str(self.by): self.members[plain]})
        if self.by and plain in ("each", self.each):
            return core.Owner.each(self.by)
        # Sheets that were taken out before say “any route”.
        if not self.adds and (plain in ("", "everyone", "any") or plain.startswith("any ")):
            return core.EVERYONE
        return core.TOGETHER if plain in ("all together", "together", "total") else None


def _plain(name: str) -> str:
    return " ".join(name.casefold().split())
