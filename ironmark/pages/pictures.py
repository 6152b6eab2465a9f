"""A scorecard as it reads: every instrument, the tally of its states, and what changed."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Mapping, Sequence

from ironmark.core import palette as palettes
from ironmark.core import reading as core
from ironmark.core.periods import Period, timeline
from ironmark.pages.documents import InstrumentBody, ScopeBody, ScorecardBody
from ironmark.pages.instruments import picture
from ironmark.pages.library import Library
from ironmark.pages.reads import period_of
from ironmark.pages.shapes import (
    InstrumentPicture,
    PeriodChoice,
    ReadingPicture,
    Rehearsed,
    ScorecardPicture,
    SectionNote,
    SegmentChoice,
    State,
    TallyPart,
)
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem

COUNTED = {"all", "member", "kpi"}  # groups, the rest and earlier periods are readings of the same rows again


def states_used(
    library: Library, readings: Sequence[ReadingPicture], yardsticks: Sequence[str]
) -> list[palettes.State]:
    """The states that some yardsticks and readings carry, palette by palette, each from worst to best."""
    bands = (key for held in yardsticks if held in library.yardsticks for key in library.yardsticks[held].bands)
    used = {palettes.palette_of(key) for key in (*bands, *(r.state for r in readings if r.state))}
    known = library.palettes if used - palettes.PALETTES.keys() else palettes.PALETTES
    return [state for key in known if key in used for state in known[key].states]


def scorecard_picture(
    library: Library, body: ScorecardBody, scope: ScopeBody, rehearsals: Mapping[str, Rehearsed] | None = None
) -> ScorecardPicture:
    """Read and grade every instrument of a scorecard. What cannot be read says why, and holds up nothing else."""
    instruments = [instrument for section in body.sections for instrument in section.instruments]
    library.fetch([i.kpi for i in instruments], [i.yardstick for i in instruments if i.yardstick])
    sources, choices = _datasets(library, instruments)
    period = period_of(scope, list(sources.values()), library.year_start) if sources else None
    pictures = [picture(library, i, scope, period, (rehearsals or {}).get(i.id)) for i in instruments]
    by_id = {p.id: p for p in pictures}
    first = min((source.first for source in sources.values()), default=None)
    last = max((source.last for source in sources.values()), default=None)
    partial = next((r.partial for p in pictures for r in p.readings if r.partial), None)
    every = [r for p in pictures for r in p.readings if r.role in COUNTED]
    used = states_used(library, every, [i.yardstick for i in instruments if i.yardstick])
    return ScorecardPicture(
        period=period.key if period else "",
        period_label=period.label if period else "",
        previous_label=period.shift(-1).label if period else "",
        partial=partial.words if partial else "",
        grain=period.grain if period else scope.grain,
        periods=_choices(period, first, last, library.year_start) if period and first and last else [],
        year_start=library.year_start,
        segments=choices,
        states=[State(**{name: getattr(state, name) for name in ("key", "name", "rank", "sign")}) for state in used],
        tally=_tally(every, used),
        changed=_changed(every, period),
        waiting=any(p.waiting for p in pictures),
        sections=[
            SectionNote(id=s.id, words=_section_words([by_id[i.id] for i in s.instruments], period))
            for s in body.sections
        ],
        instruments=pictures,
    )


def _choices(period: Period, first: dt.date, last: dt.date, year_start: int) -> list[PeriodChoice]:
    """The periods of the scope's grain that have rows."""
    one = Period.of(last, period.grain, year_start)
    return [PeriodChoice(key=p.key, label=p.label, short=p.short) for p in timeline(one, first, last)]


def _datasets(
    library: Library, instruments: Sequence[InstrumentBody]
) -> tuple[dict[str, core.Source], list[SegmentChoice]]:
    """The readable datasets of some instruments, and the segments a scope can choose members of."""
    sources: dict[str, core.Source] = {}
    choices: dict[str, SegmentChoice] = {}
    for instrument in instruments:
        kpi = library.kpis.get(instrument.kpi)
        if kpi is None or kpi.dataset in sources:
            continue
        try:
            dataset = library.dataset(kpi.dataset)
            source = sources[kpi.dataset] = library.source(kpi)
            source.first  # noqa: B018  a live source is opened here
        except (Missing, NoPeriod, LiveProblem):
            sources.pop(kpi.dataset, None)
            continue
        for column in dataset.columns:
            if column.role == "segment":
                held = choices.setdefault(column.name, SegmentChoice(name=column.name, label=column.label, members=[]))
                held.members = list(dict.fromkeys([*held.members, *source.members[column.name]]))
    return sources, list(choices.values())


def _tally(readings: Sequence[ReadingPicture], states: Sequence[palettes.State]) -> list[TallyPart]:
    counts = Counter(r.state or r.status for r in readings)
    names = {state.key: state.name for state in states} | {
        "not_graded": "not graded",
        "no_reading": "no reading",
    }
    return [TallyPart(state=key, name=name, count=counts[key]) for key, name in names.items() if counts[key]]


def _changed(readings: Sequence[ReadingPicture], period: Period | None) -> str:
    """How many readings changed state since the period before, and which way."""
    steps = [r.step for r in readings if r.step]
    if period is None:
        return ""
    before = period.shift(-1).brief
    if not steps:
        return f"no state changed since {before}" if any(r.before for r in readings) else ""
    better, worse = sum(step > 0 for step in steps), sum(step < 0 for step in steps)
    parts = [f"{n} {word}" for n, word in ((better, "better"), (worse, "worse")) if n]
    return f"{len(steps)} changed state since {before} · {', '.join(parts)}"


def _section_words(pictures: Sequence[InstrumentPicture], period: Period | None) -> str:
    partial = next((r.partial for p in pictures for r in p.readings if r.partial), None)
    if partial and period:
        rated = (
            ", marks pro-rated" if any(r.partial and r.partial.pro_rated for p in pictures for r in p.readings) else ""
        )
        return f"{period.brief} is partial: {partial.words}{rated}"
    return _changed([r for p in pictures for r in p.readings if r.role in COUNTED], period)
