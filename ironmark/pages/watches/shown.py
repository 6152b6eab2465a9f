"""What is drawn for a message: the reading it tells of with its history, or an edition in the forms that were asked for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ironmark.core.told_once import Event
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.scorecard import InstrumentBody, OwnScope, ScopeBody, ScorecardBody, SectionBody
from ironmark.pages.model.watch import WatchBody
from ironmark.pages.publishing.editions import freeze
from ironmark.pages.watches.histories import Answer, Found

MOST_MEMBERS = 12  # that are drawn together


@dataclass(frozen=True, slots=True)
class Shown:
    """Something to be drawn, as ``store.exports`` is asked for it."""

    kind: str
    source: bytes
    about: dict[str, Any] | None
    options: dict[str, Any]
    name: str


def shown_with(context: ReadingContext, body: WatchBody, found: Answer, events: Sequence[Event]) -> list[Shown]:
    """The picture of what some events tell: one reading's history, or the members of one KPI side by side."""
    places = [place for event in events if isinstance(place := found.events.get(event), Found)]
    if not places:
        return []
    first = places[0]
    same = [one for one in places if one.history.kpi == first.history.kpi and one.period == first.period]
    sheet = _sheet(first, same)
    card = ScorecardBody(title=body.name, sections=[SectionBody(id="s", title="", instruments=[sheet])])
    scope = ScopeBody(period=first.period.key, grain=first.period.grain)
    frozen = freeze(context, card, scope, explained=False, whole=False)
    options = {"instrument": sheet.id, "scale": 2}
    return [Shown("png", frozen.to_bytes(), None, options, f"{sheet.title or body.name}.png")]


def _sheet(first: Found, same: Sequence[Found]) -> InstrumentBody:
    history, block = first.history, first.history.block
    names = [
        str(one.history.readings.members[one.m]) for one in same if one.history.readings.members[one.m] is not None
    ]
    shape: dict[str, Any] = {
        "id": "a", "kpi": history.kpi, "yardstick": block.yardstick, "marks": [block.first] if block.first else [], "w": 6, "h": 5,
    }  # fmt: skip
    where = {segment: list(members) for segment, members in history.readings.where.items()}
    if history.by and len(names) > 1:
        where[history.by] = names[:MOST_MEMBERS]
        return InstrumentBody(**shape, face="bar", by=history.by, own=OwnScope(members=where))
    if history.by and names:
        where[history.by] = names
    title = f"{names[0]} · {context_name(first)}" if names else ""
    return InstrumentBody(**shape, face="history", title=title[:120], own=OwnScope(members=where))


def context_name(place: Found) -> str:
    return place.history.readings.kpi.name
