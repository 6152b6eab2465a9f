"""What a change of a shared yardstick does to every instrument that uses it."""

from __future__ import annotations

from pydantic import BaseModel

from ironmark.core.numbers import NumberStyle, show
from ironmark.pages.authoring.strips import GradeChange
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import Model
from ironmark.pages.model.page import Reading, Sheet
from ironmark.pages.model.scorecard import InstrumentBody, ScorecardBody, SectionBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.read import read_page
from ironmark.store import records


class ImpactAsk(Model):
    """A yardstick as it was and as it would be."""

    before: YardstickBody
    after: YardstickBody


class Impact(BaseModel):
    """An instrument that uses a yardstick, and which of its readings would change state."""

    scorecard: str
    title: str
    instrument: str
    changes: list[GradeChange]


def impacts_of(context: ReadingContext, key: str, ask: ImpactAsk) -> list[Impact]:
    """Which readings, on all scorecards, would be in another state."""
    found = []
    kept, tried = (ReadingContext(context.sources, context.session) for _ in range(2))
    kept.yardsticks[key], tried.yardsticks[key] = ask.before, ask.after
    for card in records.list_all(context.session, "scorecard"):
        body = ScorecardBody.model_validate(card.body)
        instruments = [i for section in body.sections for i in section.instruments if _uses(i, key)]
        only = body.model_copy(update={"sections": [SectionBody(id="s", instruments=instruments)]})
        if not instruments:
            continue
        before, after = (read_page(context, only, body.scope).sheets for context in (kept, tried))
        for one, other in zip(before, after, strict=True):
            changes = [
                GradeChange(
                    label=b.label or _shown(other, b, context.style),
                    shown=_shown(other, b, context.style),
                    before=a.state,
                    after=b.state,
                )
                for a, b in zip(_by_key(one), _by_key(other), strict=True)
                if a.state != b.state
            ]
            found.append(Impact(scorecard=card.id, title=body.title, instrument=other.title, changes=changes))
    return found


def _uses(instrument: InstrumentBody, key: str) -> bool:
    return key in (instrument.yardstick, *(more.yardstick for more in instrument.further))


def _by_key(sheet: Sheet) -> list[Reading]:
    """In an order that does not depend on states."""
    return sorted(sheet.readings, key=lambda reading: reading.key)


def _shown(sheet: Sheet, reading: Reading, style: NumberStyle) -> str:
    return "no reading" if reading.value is None else show(reading.value, sheet.subjects[reading.subject].unit, style)
