"""Two editions, or an edition and now, side by side: which readings differ, and because of what."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.core.numbers import show_exact
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import Reading, Sheet
from ironmark.pages.publishing.comparison_causes import Because, Causes, Half, Side, alike, graded, of_rows
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.store.database import Missing


class Difference(BaseModel):
    """A reading that differs, came or went. what: of value, mark, state, yardstick, palette those that differ."""

    kind: Literal["changed", "came", "went"]
    name: str
    kpi: str
    sheet: str
    period: str
    what: list[Literal["value", "mark", "state", "yardstick", "palette"]] = []
    before: Side | None = None
    after: Side | None = None
    because: list[Because] = []


class SideBySide(BaseModel):
    """counted: how many readings the first one has; restated: how many of them have another value, mark or state, or
    can no longer be read; changed_state: how many another state; same: how many are as they were."""

    counted: int
    restated: int
    changed_state: int
    same: int
    came: int
    differences: list[Difference]


def now_of(context: ReadingContext, was: Frozen, scorecard: str) -> Frozen:
    """The scorecard of an edition as it reads now for what the edition reads; as it stood then where it is gone."""
    try:
        body = context.scorecard(scorecard)
    except Missing:
        body = was.body
    return freeze(context, body, was.scope, explained=False, whole=False)


def compare(
    session: Session, was: Frozen, became: Frozen, *, now: bool, reread: Callable[[dict[str, KpiBody]], Frozen] | None
) -> SideBySide:
    """now: whether ``became`` is what holds now. reread: reads that once more with KPIs as they are given, so that what
    comes from a formula is told from what comes from rows; None where that cannot be."""
    one, other = Half(was), Half(became)
    causes = Causes(session, one, other, now, reread)
    differences: list[Difference] = []
    met: set[int] = set()
    same = 0
    for sheet, reading in one.found.values():
        pair = _pair(one, other, sheet, reading)
        if pair is None:
            differences.append(_difference(one, sheet, reading, "went", before=one.side(sheet, reading)))
            differences[-1].because = causes.gone(sheet, reading)
            continue
        met.add(id(pair[1]))
        met |= {id(other.found[pair[1].of][1])}
        because = causes.of((sheet, reading), pair)
        what = _what(one, other, (sheet, reading), pair)
        if not what:
            same += 1
            continue
        before, after = one.side(sheet, reading), other.side(*pair)
        if "value" in what and before.shown == after.shown:  # what differs is seen
            unit = sheet.subjects[reading.subject].unit
            before.shown, after.shown = (show_exact(r.value, unit) for r in (reading, pair[1]) if r.value is not None)
        difference = _difference(one, sheet, reading, "changed", before=before, after=after)
        difference.what, difference.because = what, because
        differences.append(difference)
    came = [
        _difference(other, sheet, reading, "came", after=other.side(sheet, reading))
        for sheet, reading in other.found.values()
        if id(reading) not in met
    ]
    for difference in came:
        difference.because = [Because(cause="brief", text="the scorecard shows it now")]
    told = {"value", "mark", "state"}
    return SideBySide(
        counted=len(one.found),
        restated=sum(d.kind == "went" or bool(told & set(d.what)) for d in differences),
        changed_state=sum("state" in d.what for d in differences),
        same=same,
        came=len(came),
        differences=sorted(differences, key=lambda d: "state" not in d.what) + came,
    )


def _pair(one: Half, other: Half, sheet: Sheet, reading: Reading) -> tuple[Sheet, Reading] | None:
    """The same reading on the other page: graded by the same yardstick, where it stood, or of the same rows."""
    kpi = one.kpi_of(sheet, reading)
    for found in (
        other.found.get(reading.of), other.by_place.get((sheet.id, reading.key)), other.by_rows.get(of_rows(reading)),
    ):  # fmt: skip
        if found is not None and other.kpi_of(*found) == kpi:
            return found
    return None


def _difference(half: Half, sheet: Sheet, reading: Reading, kind: Any, **sides: Side) -> Difference:
    subject = sheet.subjects[reading.subject]
    name = reading.member or subject.name
    period = half.frozen.page.when(reading.period).label if reading.period else ""
    return Difference(kind=kind, name=name, kpi=subject.name, sheet=sheet.title, period=period, **sides)


def _what(one: Half, other: Half, before: tuple[Sheet, Reading], after: tuple[Sheet, Reading]) -> list[Any]:
    (_, a), (_, b) = before, after
    found = []
    if not alike(a.value, b.value):
        found.append("value")
    if a.marks and b.marks and a.marks[0].name == b.marks[0].name:
        if not alike(a.marks[0].value, b.marks[0].value):
            found.append("mark")
    elif [m.name for m in a.marks[:1]] != [m.name for m in b.marks[:1]]:
        found.append("mark")
    looks = [half.frozen.page.known.get(r.state or "") for half, r in ((one, a), (other, b))]
    if a.state != b.state or a.status != b.status:
        found.append("state")
    elif looks[0] != looks[1]:
        found.append("palette")
    if graded(one.yardstick_of(*before)) != graded(other.yardstick_of(*after)):
        found.append("yardstick")
    return found
