"""What a page comes to in a line: how many readings are in each state, and what changed since the period before."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from ironmark.core.palette import State
from ironmark.core.periods import Period
from ironmark.pages.model.page import Page, Partial, Reading, Sheet, counted
from ironmark.pages.model.pictures import TallyPart


def tally(page: Page) -> list[TallyPart]:
    """From worst to best, then what has no state. A reading counts once, however many sheets show it."""
    return tally_of(page.counted(), page.states)


def tally_of(readings: Sequence[Reading], states: Sequence[State]) -> list[TallyPart]:
    counts = Counter(reading.state or reading.status for reading in readings)
    signals = Counter(reading.state for reading in readings if reading.is_signal)
    names = {state.key: state.name for state in states} | {"not_graded": "not graded", "no_reading": "no reading"}
    return [
        TallyPart(state=key, name=name, count=counts[key], signals=signals[key])
        for key, name in names.items()
        if counts[key]
    ]


def changed(readings: Sequence[Reading], period: Period | None) -> str:
    """How many readings changed state since the period before, and which way."""
    if period is None:
        return ""
    readings = [reading for reading in readings if reading.period == period.key]
    steps = [reading.step for reading in readings if reading.step]
    before = period.shift(-1).brief
    if not steps:
        return f"no state changed since {before}" if any(reading.before for reading in readings) else ""
    better, worse = sum(step > 0 for step in steps), sum(step < 0 for step in steps)
    parts = [f"{n} {word}" for n, word in ((better, "better"), (worse, "worse")) if n]
    known = [reading for reading in readings if reading.step and reading.usual]
    if known:
        telling = sum(reading.is_signal for reading in known)
        parts.append(f"{telling or 'none'} of them {'a signal' if telling == 1 else 'signals'}")
    return f"{len(steps)} changed state since {before} · {', '.join(parts)}"


def partial_of(sheets: Sequence[Sheet], period: str) -> Partial | None:
    """How much of a period most of some sheets have data of; None where most have all of it."""
    read = [[r.partial for r in sheet.readings if r.period == period] for sheet in sheets]
    each = [next((partial for partial in some if partial), None) for some in read if some]
    found = [partial for partial in each if partial]
    if 2 * len(found) <= len(each):
        return None
    common = Counter(partial.words for partial in found).most_common(1)[0][0]
    return next(partial for partial in found if partial.words == common)


def section_words(sheets: Sequence[Sheet], period: Period | None) -> str:
    """What a section says beside its title: that its period is partial, or what changed."""
    every = [reading for sheet in sheets for reading in sheet.readings]
    every = [reading for reading in every if period and reading.period == period.key]
    partial = partial_of(sheets, period.key) if period else None
    if partial and period:
        rated = any(reading.partial and reading.partial.pro_rated for reading in every)
        return f"{period.brief} is partial: {partial.words}{', marks pro-rated' if rated else ''}"
    return changed(counted(sheets), period)
